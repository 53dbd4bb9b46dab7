"""A seam read through the range of its joint: gaps, ink across, the line's width on both sides, notches and bumps.

At joint J two parts meet, one following the bone, one its parent; r is half the limb's width there. They are painted
with what lies between them, twice as large as the figure, by the very painter that delivers, and once more with their
edge lines black on white, which tells how much ink is seen where.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d

from kunstgriff.artwork.ink import InkSplit, split_ink
from kunstgriff.artwork.lines import runs_along, spots_at
from kunstgriff.evaluate.items import DrawItem
from kunstgriff.evaluate.pose import Pose
from kunstgriff.evaluate.rig import Frame, compile_rig
from kunstgriff.figure.model import Bone, Figure, Ink
from kunstgriff.figure.stores import MemoryStores, Stores, decode_png, encode_png
from kunstgriff.paint.painter import Painter, View
from kunstgriff.reading.around import figure_around, seen_at
from kunstgriff.seam.drawn import drawn, ink_colour
from kunstgriff.seam.joints import limb_radius, need_meeting

SCALE = 2.0  # px painted for one of the figure
WINDOW = 3.1  # half widths around the joint that are painted
LARGEST = 600  # px of a side of what is painted; larger limbs are painted smaller
SOFT_EDGE = 1.0  # px by which a line may be softer or wider than its measured width and still be one along the edge
CORNER = 20.0  # degrees by which an outline turns from which on it has a corner there
SEEN = 128  # alpha from which a pixel counts as painted

Floats = NDArray[np.float64]
Pixels = NDArray[np.uint8]


@dataclass(frozen=True)
class SeamReading:
    """One angle (degrees, clockwise as seen); lengths in figure px, areas in px².

    `gap` is what is see-through within r of the joint and was not at rest, `gap_disc` the diameter of the largest disc
    in it; `void` and `void_disc` are the same of what of it the parts enclose on all sides; `ink` is edge line seen
    more than a line width inside the outline within 1.5 r, `ink_length` that by the line width; `corner_length` how
    much of that is the points of lines that meet in corners of the outline; `outline_step` the
    difference of the line's width on both sides of the joint; `notch` and `bump` how far the outline lies inside and
    outside its own mean over 2 r.
    """

    angle: float
    gap: float
    gap_disc: float
    void: float
    void_disc: float
    ink: float
    ink_length: float
    corner_length: float
    outline_step: float
    notch: float
    bump: float


def mitre(bend: float) -> float:
    """How much more than a round join two lines of width 1 meeting at a bend (degrees) have, px² (plane geometry).

    >>> [round(mitre(bend), 3) for bend in (0, 60, 120)]
    [0.0, 0.054, 0.685]
    """
    half = math.radians(min(abs(bend), 160.0)) / 2
    return math.tan(half) - half


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


def enclosed_in(seen: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """What is see-through and yet has paint all around it (h, w): the background that does not reach the border."""
    count, labels = cv2.connectedComponents((~seen).astype(np.uint8), connectivity=4)
    rim = np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]])
    inner = np.ones(count, bool)
    inner[rim] = inner[0] = False
    return np.asarray(inner[labels])


class SeamReader:
    """Turns one bone and reads the seam at its joint. Raises EditRefused where no two parts meet there."""

    def __init__(self, figure: Figure, stores: Stores, bone: Bone, painter: Painter) -> None:
        pair = need_meeting(figure, bone, stores)
        self.bone, self.painter = bone, painter
        self.parts = {part.id: part for part in pair}
        self.radius = limb_radius(pair, bone, stores)
        figure = figure_around(figure, pair, bone.joint, self.radius)
        self.seen = seen_at(figure, pair)
        self.rig = compile_rig(figure, stores)
        parent = figure.bone(bone.parent or "")
        assert parent is not None
        self.back = np.subtract(parent.joint, bone.joint) / max(math.dist(parent.joint, bone.joint), 1e-9)
        self.ahead = np.subtract(bone.tip, bone.joint) / max(math.dist(bone.tip, bone.joint), 1e-9)
        self.lender, self.stores = stores, _Inked(stores)
        looks = {part.id: drawn(figure, part, stores) for part in figure.parts if part.id in self.seen}
        splits = {ref: split for ref, (_, split) in looks.items()}
        colours = [ink_colour(*looks[ref]) for ref in self.parts]
        self.inks = tuple(Ink(colour=one) for one in colours if one is not None)
        widths = [splits[ref].line_width for ref in self.parts if splits[ref].line_width]
        self.line = float(np.median(widths)) if widths else 0.0
        self.inked = {
            item.id: self._inked(item, splits[item.part]) for item in self.rig.items if item.part in self.seen
        }
        side = 2 * WINDOW * self.radius
        self.scale = min(SCALE, LARGEST / side)
        size = max(math.ceil(side * self.scale), 8)
        self.view = View((size, size), self.scale, (bone.joint[0] - side / 2, bone.joint[1] - side / 2))
        y, x = np.mgrid[:size, :size] + 0.5
        self.away = np.hypot(x - size / 2, y - size / 2) / self.scale
        self.in_circle = (self._paint(0.0)[0] >= SEEN) & (self.away <= self.radius)
        self.in_room = self.away <= self.radius - 1.5 / self.scale
        edge = max(int(size / 2 - (1.5 * self.radius + 2 * self.line) * self.scale) - 2, 0)
        self.inner = (slice(edge, size - edge), slice(edge, size - edge))
        self.in_reach = self.away[self.inner] <= 1.5 * self.radius

    def _inked(self, item: DrawItem, split: InkSplit) -> DrawItem:
        """The item white, with its edge line black; a drawn detail such as a fold is no edge line."""
        rgba = decode_png(self.stores.get_picture(item.picture))
        own = None
        if item.variant == "patch":
            own = replace(split_ink(rgba, self.inks), line_width=self.line)
        elif item.variant == "full" and split.depth.shape == rgba.shape[:2]:
            own = split
        picture = self._kept(ink_picture(rgba, own))
        bare = None
        if item.bare is not None:
            bare = self._kept(ink_picture(decode_png(self.stores.get_picture(item.bare)), None))
        return replace(item, picture=picture, bare=bare, tint=(0.0, 0.0, 0.0, 0.0))

    def _kept(self, pixels: Pixels) -> str:
        return self.stores.put_picture(encode_png(pixels))

    def pose(self, angle: float, beside: Mapping[str, float] | None = None) -> Frame:
        """Turn the bone by `angle` (degrees) and others as `beside` tells; nothing is painted yet.

        Where the bone's parent goes along, all is looked at from it, so that the joint stays where it is at rest.
        """
        turn = {ref: one for ref, one in (beside or {}).items() if ref in self.rig.bone_index}
        frame = self.rig.evaluate(Pose(turn={**turn, self.bone.id: angle}))
        if turn and self.bone.parent is not None:
            a, b, c, d, e, f = frame.matrices[self.rig.bone_index[self.bone.parent]]
            back = np.linalg.inv(np.array([[a, c], [b, d]]))
            vertices = ((frame.vertices - np.array([e, f])) @ back.T).astype(np.float32)
            frame = replace(frame, vertices=vertices)
        self.frame = frame
        return frame

    def _paint(self, angle: float, beside: Mapping[str, float] | None = None) -> tuple[Pixels, NDArray[np.float32]]:
        """Alpha (h, w) and how much ink is seen (h, w) in [0, 1] with the bone turned by `angle`."""
        frame = self.pose(angle, beside)
        items = tuple(self.inked[item.id] for item in frame.items if item.id in self.inked)
        pixels = self.painter.paint_premultiplied(self.rig, replace(frame, items=items), self.view, self.stores)
        alpha = pixels[..., 3]
        return alpha, cv2.subtract(alpha, pixels[..., 0]).astype(np.float32) / np.float32(255)

    def look(self) -> Pixels:
        """The joint as it is painted (h, w, 4), premultiplied, at the angle read last: with all that is seen there."""
        items = tuple(item for item in self.frame.items if item.part in self.seen or item.anchor in self.seen)
        return self.painter.paint_premultiplied(self.rig, replace(self.frame, items=items), self.view, self.lender)

    def _disc(self, where: NDArray[np.bool_]) -> float:
        """Diameter of the largest disc in some pixels within r of the joint, px."""
        if not where.any():
            return 0.0
        # the circle touches the limb's sides, whose pixels are half covered: they hold no disc
        room = np.pad(where & self.in_room, 1).astype(np.uint8)
        return 2 * float(cv2.distanceTransform(room, cv2.DIST_L2, 5).max()) / self.scale

    def _behind(self) -> Pixels:
        """Alpha (h, w) of all that lies at the joint, in the pose painted last."""
        return self.painter.paint_premultiplied(self.rig, self.frame, self.view, self.lender)[..., 3]

    def read(self, angles: Iterable[float], beside: Mapping[str, float] | None = None) -> Iterator[SeamReading]:
        """The seam at each angle, degrees; with other bones turned as `beside` tells."""
        for angle in angles:
            alpha, ink = self._paint(angle, beside)
            seen = alpha >= SEEN
            gap = ~seen & self.in_circle
            enclosed = enclosed_in(seen) & self.in_circle
            if ((gap | enclosed) & self.in_room).any():  # other parts may lie behind
                bare = self._behind() < SEEN
                gap, enclosed = gap & bare, enclosed & bare
            near = self.inner
            inside = cv2.distanceTransform(seen[near].astype(np.uint8), cv2.DIST_L2, 5) / self.scale
            crossing = (inside > self.line + SOFT_EDGE) & self.in_reach
            across = float(ink[near][crossing].sum()) / self.scale**2
            line = np.zeros_like(seen)
            line[near] = crossing & (ink[near] > 0.5) & bool(self.line)
            self.marks = (line, gap)
            step, notch, bump, corners = self._outline(seen, ink, angle)
            yield SeamReading(
                angle=angle,
                gap=float(gap.sum()) / self.scale**2,
                gap_disc=self._disc(gap),
                void=float(enclosed.sum()) / self.scale**2,
                void_disc=self._disc(enclosed),
                ink=across if self.line else 0.0,
                ink_length=across / self.line if self.line else 0.0,
                corner_length=corners,
                outline_step=step,
                notch=notch,
                bump=bump,
            )

    def _outline(
        self, seen: NDArray[np.bool_], ink: NDArray[np.float32], angle: float
    ) -> tuple[float, float, float, float]:
        """Step of the line's width, deepest notch and highest bump of the outline near the joint, and how much ink the
        lines meeting in its corners have more than a line's width inside, px."""
        contours, _ = cv2.findContours(seen.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
        middle = self.view.size[0] / 2
        turn = math.radians(angle)
        c, s = math.cos(turn), math.sin(turn)
        ahead = np.array([c * self.ahead[0] - s * self.ahead[1], s * self.ahead[0] + c * self.ahead[1]])
        widths: dict[tuple[bool, bool], list[float]] = {}
        notch = bump = corners = 0.0
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
            corners += self._corners(along, inward, np.hypot(*fine.T) < 1.5 * self.radius + 3 * self.line)
        return self._step(widths), notch, bump, corners

    def _corners(self, along: Floats, inward: Floats, near: NDArray[np.bool_]) -> float:
        """Ink (px of line) of the points that lines form in the outline's inner corners near the joint.

        `along` and `inward` (n, 2) are its directions px by px; each corner is the whole turn within three line widths.
        """
        reach = max(round(1.5 * self.line), 2)
        before, after = np.roll(along, reach, 0), np.roll(along, -reach, 0)
        turn = np.degrees(np.arctan2(before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0], (before * after).sum(1)))
        side = np.sign(along[:, 0] * inward[:, 1] - along[:, 1] * inward[:, 0])
        hollow = np.where(near, -turn * side, 0.0)
        found = 0.0
        while (sharpest := int(np.argmax(hollow))) >= 0 and hollow[sharpest] > CORNER:
            found += self.line * mitre(hollow[sharpest])
            hollow[np.arange(sharpest - 2 * reach, sharpest + 2 * reach + 1) % len(hollow)] = 0.0
        return found

    def _measure(
        self,
        line: Floats,
        inward: Floats,
        ink: NDArray[np.float32],
        ahead: Floats,
        widths: dict[tuple[bool, bool], list[float]],
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
            places = (ways * self.scale + middle - 0.5).astype(np.float32)
            found = cv2.remap(ink, places, None, cv2.INTER_LINEAR, borderValue=0).sum(1) * 0.25
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
