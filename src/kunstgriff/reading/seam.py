"""A seam read through the range of its joint: gaps, ink across, the line's width on both sides, notches and bumps.

At joint J two parts meet, one following the bone, one its parent; r is half the limb's width there. They are painted
with what lies between them, twice as large as the figure, by the very painter that delivers, and once more with their
edge lines black on white, which tells how much ink is seen where.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import map_coordinates, uniform_filter1d

from kunstgriff.artwork.ink import InkSplit, part_ink
from kunstgriff.artwork.lines import runs_along, spots_at
from kunstgriff.evaluate.pose import Pose
from kunstgriff.evaluate.rig import DrawItem, Frame, compile_rig
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.model import Bone, Figure
from kunstgriff.figure.stores import MemoryStores, Stores, decode_png, encode_png
from kunstgriff.paint.painter import Painter, View
from kunstgriff.seam.edits import half_width, pair_at

SCALE = 2.0  # px painted for one of the figure
WINDOW = 3.4  # half widths around the joint that are painted
LARGEST = 640  # px of a side of what is painted; larger limbs are painted smaller
SEEN = 128  # alpha from which a pixel counts as painted

Floats = NDArray[np.float64]
Pixels = NDArray[np.uint8]


@dataclass(frozen=True)
class SeamReading:
    """One angle (degrees, clockwise as seen); lengths in figure px, areas in px².

    `gap` is what is see-through within r of the joint and was not at rest, `gap_disc` the diameter of the largest disc
    in it; `ink` is edge line seen more than a line width inside the outline within 1.5 r, `ink_length` that by the line
    width; `outline_step` the difference of the line's width on both sides of the joint; `notch` and `bump` how far the
    outline lies inside and outside its own mean over 2 r.
    """

    angle: float
    gap: float
    gap_disc: float
    ink: float
    ink_length: float
    outline_step: float
    notch: float
    bump: float


class _Inked(MemoryStores):
    """Stores that lend another's pictures and take edge-line pictures of their own."""

    def __init__(self, stores: Stores) -> None:
        super().__init__()
        self.lender = stores

    def get_picture(self, digest: str) -> bytes:
        return self.pictures[digest] if digest in self.pictures else self.lender.get_picture(digest)


def ink_picture(rgba: Pixels, split: InkSplit | None) -> Pixels:
    """A part's picture (h, w, 4) white, with its edge line black; all white without a split."""
    share = split.at_edge if split is not None else np.zeros(rgba.shape[:2])
    grey = np.rint(255 * (1 - share)).astype(np.uint8)
    return np.dstack([grey, grey, grey, rgba[..., 3]])


class SeamReader:
    """Turns one bone and reads the seam at its joint. Raises EditRefused where no two parts meet there."""

    def __init__(self, figure: Figure, stores: Stores, bone: Bone, painter: Painter) -> None:
        pair = pair_at(figure, bone, stores)
        if pair is None:
            raise EditRefused(f"No two parts meet at the joint of “{bone.name}”; bind one to each of its bones first.")
        self.bone, self.painter = bone, painter
        self.parts = {part.id: part for part in pair}
        self.radius = min(half_width(part, bone, stores) for part in pair)
        self.rig = compile_rig(figure, stores)
        parent = figure.bone(bone.parent or "")
        assert parent is not None
        self.back = np.subtract(parent.joint, bone.joint) / max(math.dist(parent.joint, bone.joint), 1e-9)
        self.ahead = np.subtract(bone.tip, bone.joint) / max(math.dist(bone.tip, bone.joint), 1e-9)
        self.stores = _Inked(stores)
        splits = {ref: part_ink(part, stores) for ref, part in self.parts.items()}
        widths = [split.line_width for split in splits.values() if split.line_width]
        self.line = float(np.median(widths)) if widths else 0.0
        self.items = tuple(item for item in self.rig.items if item.part in self.parts)
        self.ink_items = tuple(self._inked(item, splits.get(item.part)) for item in self.items)
        side = 2 * WINDOW * self.radius
        self.scale = min(SCALE, LARGEST / side)
        size = max(math.ceil(side * self.scale), 8)
        self.view = View((size, size), self.scale, (bone.joint[0] - side / 2, bone.joint[1] - side / 2))
        y, x = np.mgrid[:size, :size] + 0.5
        self.away = np.hypot(x - size / 2, y - size / 2) / self.scale
        self.rest_seen = self._paint(0.0)[0] >= SEEN

    def _inked(self, item: DrawItem, split: InkSplit | None) -> DrawItem:
        rgba = decode_png(self.stores.get_picture(item.picture))
        own = split if item.variant == "full" and split is not None and split.depth.shape == rgba.shape[:2] else None
        picture = self.stores.put_picture(encode_png(ink_picture(rgba, own)))
        return replace(item, picture=picture, tint=(0.0, 0.0, 0.0, 0.0))

    def _paint(self, angle: float) -> tuple[Pixels, Floats]:
        """Alpha (h, w) and how much ink is seen (h, w) in [0, 1] with the bone turned by `angle`."""
        frame = self.rig.evaluate(Pose(turn={self.bone.id: angle}))
        pictures = [
            self.painter.paint_premultiplied(
                self.rig, Frame(frame.matrices, frame.vertices, items), self.view, self.stores
            )
            for items in (self.items, self.ink_items)
        ]
        alpha = pictures[0][..., 3]
        ink = (pictures[1][..., 3].astype(np.float64) - pictures[1][..., 0]) / 255
        return alpha, np.clip(ink, 0, 1)

    def read(self, angles: Iterable[float]) -> Iterator[SeamReading]:
        """The seam at each angle, degrees."""
        for angle in angles:
            alpha, ink = self._paint(angle)
            seen = alpha >= SEEN
            gap = ~seen & self.rest_seen & (self.away <= self.radius)
            # the circle touches the limb's sides, whose pixels are half covered: they hold no disc
            room = gap & (self.away <= self.radius - 1.5 / self.scale)
            disc = 2 * float(cv2.distanceTransform(np.pad(room, 1).astype(np.uint8), cv2.DIST_L2, 5).max())
            inside = cv2.distanceTransform(np.pad(seen, 1).astype(np.uint8), cv2.DIST_L2, 5)[1:-1, 1:-1] / self.scale
            across = float(ink[(inside > self.line) & (self.away <= 1.5 * self.radius)].sum()) / self.scale**2
            step, notch, bump = self._outline(seen, ink, angle)
            yield SeamReading(
                angle=angle,
                gap=float(gap.sum()) / self.scale**2,
                gap_disc=disc / self.scale,
                ink=across if self.line else 0.0,
                ink_length=across / self.line if self.line else 0.0,
                outline_step=step,
                notch=notch,
                bump=bump,
            )

    def _outline(self, seen: NDArray[np.bool_], ink: Floats, angle: float) -> tuple[float, float, float]:
        """Step of the line's width, deepest notch and highest bump of the outline near the joint, px."""
        contours, _ = cv2.findContours(seen.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
        middle = self.view.size[0] / 2
        turn = math.radians(angle)
        c, s = math.cos(turn), math.sin(turn)
        ahead = np.array([c * self.ahead[0] - s * self.ahead[1], s * self.ahead[0] + c * self.ahead[1]])
        widths: dict[tuple[bool, bool], list[float]] = {}
        notch = bump = 0.0
        for contour in contours:
            ring = (contour[:, 0].astype(np.float64) + 0.5 - middle) / self.scale
            closed = np.vstack([ring, ring[:1]])
            runs = runs_along(closed)
            if runs[-1] < 4 * self.radius:
                continue
            line = spots_at(closed, runs, np.arange(0, runs[-1], 1.0))
            fine = uniform_filter1d(line, 5, axis=0, mode="wrap")  # the steps of pixels aside
            mean = uniform_filter1d(line, max(int(2 * self.radius), 3), axis=0, mode="wrap")
            along = np.roll(fine, -1, 0) - np.roll(fine, 1, 0)
            along /= np.maximum(np.hypot(*along.T), 1e-9)[:, None]
            inward = np.stack([-along[:, 1], along[:, 0]], 1)
            probe = fine + 2 * inward
            spots = np.clip(np.rint(probe * self.scale + middle).astype(int), 0, len(seen) - 1)
            if seen[spots[:, 1], spots[:, 0]].mean() < 0.5:
                inward = -inward
            near = np.hypot(*fine.T) < 2 * self.radius
            off = ((fine - mean) * inward).sum(1)[near]
            notch, bump = max(notch, float(off.max(initial=0.0))), max(bump, float(-off.min(initial=0.0)))
            self._measure(fine, inward, ink, ahead, widths)
        return self._step(widths), notch, bump

    def _measure(
        self, line: Floats, inward: Floats, ink: Floats, ahead: Floats, widths: dict[tuple[bool, bool], list[float]]
    ) -> None:
        """Collect the line's width (px) at spots of the outline between 0.4 and 1.4 half widths along each limb."""
        if not self.line:
            return
        steps = np.arange(-1.0, 2.5 * self.line, 0.25)
        middle = self.view.size[0] / 2
        for is_child, axis in ((True, ahead), (False, self.back)):
            run, aside = line @ axis, line @ np.array([-axis[1], axis[0]])
            other = line @ (self.back if is_child else ahead)
            chosen = (run > 0.4 * self.radius) & (run < 1.4 * self.radius) & (run > other + 0.5 * self.radius)
            chosen &= np.abs(np.abs(aside) - self.radius) < 0.4 * self.radius
            if not chosen.any():
                continue
            ways = line[chosen][:, None] + steps[:, None] * inward[chosen][:, None]
            x, y = np.moveaxis(ways * self.scale + middle - 0.5, -1, 0)
            found = map_coordinates(ink, [y, x], order=1, mode="constant").sum(1) * 0.25
            for side in (True, False):
                here = found[((aside[chosen] > 0) != is_child) == side]
                widths.setdefault((is_child, side), []).extend(here.tolist())

    def _step(self, widths: dict[tuple[bool, bool], list[float]]) -> float:
        """The greater difference of median widths on one side of the limb."""
        steps = [
            abs(float(np.median(widths[True, side]) - np.median(widths[False, side])))
            for side in (True, False)
            if len(widths.get((True, side), [])) > 3 and len(widths.get((False, side), [])) > 3
        ]
        return max(steps, default=0.0)
