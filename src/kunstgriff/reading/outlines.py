"""The outline of what is seen at a joint: its notches and bumps, its corners, and the line along it on both limbs.

All in figure px from the joint.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass

import cv2
import numpy as np
import scipy
from numpy.typing import NDArray

from kunstgriff.artwork.lines import runs_along, spots_at

CORNER = 20.0  # degrees by which an outline turns from which on it has a corner there
INSIDE = math.cos(math.radians(60))  # how close to the middle between two limbs their crease lies, seen from the joint
STEP = 0.5  # px between the spots at which a line is felt across: one a pixel, painted twice as large
EVERY = 2  # px along the outline between the places at which its line is measured

Floats = NDArray[np.float64]
Side = tuple[bool, bool]  # of which limb (the child's: True), on which side of it


@dataclass(frozen=True)
class Outline:
    """One closed outline: `line` (n, 2) px by px, its `mean` (n, 2) over a window; `along` and `inward` (n, 2) are unit
    vectors."""

    line: Floats
    mean: Floats
    along: Floats
    inward: Floats

    @property
    def away(self) -> Floats:
        """How far each spot lies from the joint, px (n,)."""
        return np.asarray(np.hypot(*self.line.T))

    def notch_and_bump(self, within: float) -> tuple[float, float]:
        """How far the outline lies inside its mean and outside of it, px, `within` so many px of the joint."""
        off = ((self.line - self.mean) * self.inward).sum(1)[self.away < within]
        return float(off.max(initial=0.0)), float(-off.min(initial=0.0))

    def corners(self, width: float, within: float) -> float:
        """Ink (px of line) of the points that lines of a `width` form in its inner corners near the joint.

        Each corner is the whole turn within three line widths.
        """
        reach, hollow = self._hollow(width, within)
        found = 0.0
        while (sharpest := int(np.argmax(hollow))) >= 0 and hollow[sharpest] > CORNER:
            found += width * mitre(hollow[sharpest])
            hollow[np.arange(sharpest - 2 * reach, sharpest + 2 * reach + 1) % len(hollow)] = 0.0
        return found

    def sharpest_corner(self, width: float, within: float, inside: Floats | None) -> float:
        """How far the outline turns in its sharpest inner corner near the joint, degrees; none on the side that is
        `inside` (unit vector) the bend, where two limbs meet in a crease."""
        _, hollow = self._hollow(width, within)
        outside = True if inside is None else self.line @ inside < INSIDE * self.away
        return float(hollow.max(where=outside, initial=0.0))

    def _hollow(self, width: float, within: float) -> tuple[int, Floats]:
        """How far the outline turns inwards within three line widths of each spot, degrees (n,), near the joint; and
        half of that reach, spots."""
        reach = max(round(1.5 * width), 2)
        before, after = np.roll(self.along, reach, 0), np.roll(self.along, -reach, 0)
        turn = np.degrees(np.arctan2(before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0], (before * after).sum(1)))
        side = np.sign(self.along[:, 0] * self.inward[:, 1] - self.along[:, 1] * self.inward[:, 0])
        return reach, np.where(self.away < within, -turn * side, 0.0)


def mitre(bend: float) -> float:
    """How much more than a round join two lines of width 1 meeting at a bend (degrees) have, px² (plane geometry).

    >>> [round(mitre(bend), 3) for bend in (0, 60, 120)]
    [0.0, 0.054, 0.685]
    """
    half = math.radians(min(abs(bend), 160.0)) / 2
    return math.tan(half) - half


def outlines_of(seen: NDArray[np.bool_], scale: float, radius: float) -> Iterator[Outline]:
    """The outlines of what is seen (h, w), the joint in its middle, painted at `scale`, that are not mere crumbs.

    Each comes with its mean over 2 `radius` (px).
    """
    contours, _ = cv2.findContours(seen.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    middle = len(seen) / 2
    for contour in contours:
        ring = (contour[:, 0].astype(np.float64) + 0.5 - middle) / scale
        closed = np.vstack([ring, ring[:1]])
        runs = runs_along(closed)
        if runs[-1] < 4 * radius:
            continue
        line = spots_at(closed, runs, np.arange(0, runs[-1], 1.0))
        fine = scipy.ndimage.uniform_filter1d(line, 5, axis=0, mode="wrap")  # the steps of pixels aside
        mean = scipy.ndimage.uniform_filter1d(line, max(int(2 * radius), 3), axis=0, mode="wrap")
        along = np.roll(fine, -1, 0) - np.roll(fine, 1, 0)
        along /= np.maximum(np.hypot(*along.T), 1e-9)[:, None]
        inward = np.stack([-along[:, 1], along[:, 0]], 1)
        probe = fine + 2 * inward
        spots = np.clip(np.rint(probe * scale + middle).astype(int), 0, len(seen) - 1)
        if seen[spots[:, 1], spots[:, 0]].mean() < 0.5:
            inward = -inward
        yield Outline(fine, mean, along, inward)


def widths_along(
    outline: Outline, ink: NDArray[np.uint8], scale: float, radius: float, line: float, ahead: Floats, back: Floats
) -> Mapping[Side, Floats]:
    """The width of the line (px) at spots of the outline between 0.4 and 1.4 half widths along each limb.

    `ink` (h, w) tells how black it is, 0 to 255, the joint in its middle; `line` is the width to be expected; `ahead`
    and `back` point along the two limbs.
    """
    steps = np.arange(-1.0, 2.5 * line, STEP)
    middle = len(ink) / 2
    found: dict[Side, Floats] = {}
    for is_child, axis, other in ((True, ahead, back), (False, back, ahead)):
        run, aside = outline.line @ axis, outline.line @ np.array([-axis[1], axis[0]])
        along = (run > 0.4 * radius) & (run < 1.4 * radius) & (run > outline.line @ other + 0.5 * radius)
        chosen = np.flatnonzero(along & (np.abs(np.abs(aside) - radius) < 0.4 * radius))[::EVERY]
        if not len(chosen):
            continue
        reached = outline.line[chosen][:, None] + steps[:, None] * outline.inward[chosen][:, None]
        places = (reached * scale + middle - 0.5).astype(np.float32)
        widths = cv2.remap(ink, places, None, cv2.INTER_LINEAR, borderValue=0).sum(1) * (STEP / 255)
        for side in (True, False):
            found[is_child, side] = widths[((aside[chosen] > 0) != is_child) == side]
    return found


def width_step(measured: Iterable[Mapping[Side, Floats]]) -> float:
    """The greater difference of median widths between the two limbs on one side, px."""
    widths: dict[Side, list[float]] = {}
    for item in measured:
        for where, found in item.items():
            widths.setdefault(where, []).extend(found.tolist())
    steps = [
        abs(float(np.median(widths[True, side]) - np.median(widths[False, side])))
        for side in (True, False)
        if len(widths.get((True, side), [])) > 3 and len(widths.get((False, side), [])) > 3
    ]
    return max(steps, default=0.0)
