"""A seam read through the range of its joint: gaps, ink across, the line's width on both sides, notches and bumps.

At joint J two parts meet, one following the bone, one its parent; r is half the limb's width there. They are painted
with what lies between them, twice as large as the figure, by the very painter that delivers: with their edge lines
black on white, which tells how much ink is seen where.
"""

from __future__ import annotations

import hashlib
import math
from collections.abc import Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from kunstgriff.artwork.ink import Floats, InkSplit, line_reach, line_widths, split_ink
from kunstgriff.binding.triangles import signed_areas, turned_over
from kunstgriff.evaluate.frame import Frame
from kunstgriff.evaluate.items import DrawItem
from kunstgriff.evaluate.program import turned_by
from kunstgriff.evaluate.state import RigState, compile_rig
from kunstgriff.figure.model import Bone, Figure, Ink
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import MemoryStores, Stores
from kunstgriff.figure.treatments import StandIn, Switch
from kunstgriff.paint.painter import Painter, View
from kunstgriff.reading.around import figure_around, seen_at
from kunstgriff.reading.outlines import outlines_of, width_step, widths_along
from kunstgriff.reading.records import widest_disc
from kunstgriff.reading.silhouette import Silhouette, departures
from kunstgriff.seam.cap import line_left
from kunstgriff.seam.drawn import drawn, ink_colour
from kunstgriff.seam.joints import limb_radius, need_meeting
from kunstgriff.skeleton.kinematics import posed

SCALE = 2.0  # px painted for one of the figure
WINDOW = 3.1  # half widths around the joint that are painted: the outline within 2 r, and its mean over r to each side
LIMB = 2.0  # half widths along each limb between which its width is measured
ROUGH = 80.0  # px of half a limb's width that are enough to choose by where many joints are tried; never under once
LARGEST = 2400  # px of a side of what is painted; limbs wider than 380 px are painted smaller
WHOLE = 700  # px of the longer side at which the two parts are painted to tell their area
SOFT_EDGE = 0.75  # px by which a line may be softer or wider than its measured width and still be one along the edge
BENT = 0.2  # length of the sum of both limbs' directions from which on a bend has an inside: 11 degrees
SEEN = 128  # alpha from which a pixel counts as painted

Pixels = NDArray[np.uint8]
Mask = NDArray[np.bool_]
Window = tuple[slice, slice]


@dataclass(frozen=True)
class SeamReading:
    """One angle (degrees, clockwise as seen); lengths in figure px, areas in px².

    `gap` is what is see-through within r of the joint and was not at rest, `gap_disc` the diameter of the largest disc
    in it; `void` and `void_disc` are the same of what of it the parts enclose on all sides; `ink` is edge line seen
    more than a line width inside the outline within 1.5 r, `ink_length` that by the line width; `corner_length` how
    much of that is the points of lines that meet in corners of the outline; `outline_step` the
    difference of the line's width on both sides of the joint; `notch` and `bump` how far the outline lies inside and
    outside its own mean over 2 r; `width_kept` and `area_kept` the shares of the limb's width at the joint and of its
    painted area at rest, `folded` how many triangles are turned over; `jump` how far the outline of a piece that comes
    to stand in there lies from that of the parts it replaces; `beyond` and `short` how far the silhouette of two rigid
    pieces stands out beyond that of one limb and falls short of it, within 1.5 r; `corner` how many degrees the outline
    turns in the sharpest inner corner it has on the outer side of the bend.
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
    width_kept: float
    area_kept: float
    folded: int
    jump: float
    beyond: float = 0.0
    short: float = 0.0
    corner: float = 0.0


class _Inked(MemoryStores):
    """Stores that lend another's pictures and take edge-line pictures of their own, as pixels."""

    def __init__(self, stores: Stores) -> None:
        super().__init__()
        self.lender = stores
        self.drawn: dict[str, Pixels] = {}

    def get_picture(self, digest: str) -> bytes:
        return self.lender.get_picture(digest)

    def get_pixels(self, digest: str) -> Pixels:
        return self.drawn[digest] if digest in self.drawn else self.lender.get_pixels(digest)

    def put_pixels(self, pixels: Pixels) -> str:
        digest = hashlib.blake2b(pixels.data, digest_size=32).hexdigest()  # they are many, and kept by nobody
        self.drawn[digest] = pixels
        return digest


def ink_picture(rgba: Pixels, split: InkSplit | None, left: Floats | None = None) -> Pixels:
    """A part's picture (h, w, 4) white, with its edge line black, and what is `left` of an older one; all white without
    either."""
    share = split.at_edge if split is not None else np.zeros(rgba.shape[:2])
    if left is not None and left.shape == share.shape:
        share = np.maximum(share, left)
    grey = np.rint(255 * (1 - share)).astype(np.uint8)
    return np.dstack([grey, grey, grey, rgba[..., 3]])


def enclosed_in(seen: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """What is see-through and yet has paint all around it (h, w): the background that does not reach the border."""
    flooded = np.pad(seen.astype(np.uint8), 1)
    cv2.floodFill(flooded, None, (0, 0), 2)
    return np.asarray(flooded[1:-1, 1:-1] == 0)


@dataclass(frozen=True, eq=False)
class _Found:
    """What was painted at one angle: `turns` are the one asked for and what soft limits make of it, degrees; the
    window's alpha, the ink of its edge window, gap and void of its core, and the one limb it is held against."""

    turns: tuple[float, float]
    alpha: Pixels
    ink: Pixels
    gap: Mask
    void: Mask
    ideal: Mask | None


class SeamReader:
    """Turns one bone and reads the seam at its joint; `rough` is for choosing among ways only: wide limbs are painted
    smaller then. Raises EditRefused where no two parts meet there."""

    def __init__(self, figure: Figure, stores: Stores, bone: Bone, painter: Painter, rough: bool = False) -> None:
        pair = need_meeting(figure, bone, stores)
        self.bone, self.painter = bone, painter
        self.parts = {part.id: part for part in pair}
        self.radius = limb_radius(pair, bone, stores)
        self.silhouette = Silhouette.of(figure, pair, bone, stores)
        figure = figure_around(figure, pair, bone.joint, self.radius)
        self.seen = seen_at(figure, pair)
        self.rig = compile_rig(figure.by_bones, stores)
        parent = figure.bone(bone.parent or "")
        assert parent is not None
        self.back, back_length = _towards(bone.joint, parent.joint)
        self.ahead, length = _towards(bone.joint, bone.tip)
        self.limb = tuple(min(LIMB * self.radius, one / 2) for one in (length, back_length))
        self.lender, self.stores = stores, _Inked(stores)
        looks = {part.id: drawn(figure, part, stores) for part in figure.parts if part.id in self.seen}
        self.left = {part.id: line_left(figure, part, stores) for part in figure.parts if part.id in self.seen}
        colours = [ink_colour(*looks[ref]) for ref in self.parts]
        self.inks = tuple(Ink(colour=one) for one in colours if one is not None)
        widths = [width for ref in self.parts if (width := _line_of(*looks[ref]))]
        self.line = float(np.mean(widths)) if widths else 0.0
        self.deep = max(self.line, *(line_reach(looks[ref][1]) - SOFT_EDGE for ref in self.parts)) + SOFT_EDGE
        self.inked = {
            item.id: self._inked(item, *looks[item.part]) for item in self.rig.program.items if item.part in self.seen
        }
        self.stand_ins: tuple[StandIn, ...] = tuple(
            one for one in figure.treated("stand_in") if one.switch.bone == bone.id
        )
        self.faces = np.concatenate([self.rig.program.blocks[ref].triangles for ref in self.parts])
        self.areas = signed_areas(self.rig.program.rest, self.faces)
        side = 2 * WINDOW * self.radius
        self.scale = min(SCALE, LARGEST / side, max(ROUGH / self.radius, 1.0) if rough else SCALE)
        self.side = max(math.ceil(side * self.scale), 8)
        self.view = View((self.side, self.side), self.scale, (bone.joint[0] - side / 2, bone.joint[1] - side / 2))
        self._look_around()

    def _look_around(self) -> None:
        """Choose what of the window is looked at for what, and read what the seam is at rest."""
        off = (np.arange(self.side, dtype=np.float32) + 0.5 - self.side / 2) / self.scale
        away = np.hypot(off, off[:, None])
        self.core = self._within(self.radius)
        self.inner = self._within(1.5 * self.radius + 2 * self.line)
        self.edge = self._within(2 * self.radius + 2.5 * self.line)  # both limbs as far as they are measured
        self.in_room = away[self.core] <= self.radius - 1.5 / self.scale
        self.in_reach = away[self.inner] <= 1.5 * self.radius
        self.near = away <= 1.5 * self.radius
        self.in_disc = (away <= (WINDOW - 0.1) * self.radius).astype(np.uint8)
        self.disc_area = float(self.in_disc.sum()) / self.scale**2
        self.rest_paint: tuple[Pixels, Pixels] | None = None
        self.rest_paint = self._paint(0.0)
        alpha, _ = self.rest_paint
        self.in_circle = (alpha[self.core] >= SEEN) & (away[self.core] <= self.radius)
        self.rest_width, self.rest_area = self._width(alpha >= SEEN, self.ahead), self._area(alpha)
        self.whole_area = self._whole_area()

    def _within(self, reach: float) -> Window:
        """The square of the window within so many px of the joint."""
        edge = max(int(self.side / 2 - reach * self.scale) - 2, 0)
        return slice(edge, self.side - edge), slice(edge, self.side - edge)

    def _inked(self, item: DrawItem, drawing: Pixels, split: InkSplit) -> DrawItem:
        """The item white, with its edge line black; a drawn detail such as a fold is no edge line. `drawing` is its
        part's."""
        whole = item.variant == "full" and self.rig.program.blocks[item.part].part.drawing.strip is None
        rgba = drawing if whole else self.stores.get_pixels(item.picture)
        own = split if whole else None
        if item.variant == "gusset":
            own = replace(split_ink(rgba, self.inks), line_width=self.line)
        left = self.left[item.part] if item.variant in ("full", "ink-less") else None
        picture = self.stores.put_pixels(ink_picture(rgba, own, left))
        bare = None
        if item.bare is not None:
            bare = self.stores.put_pixels(ink_picture(self.stores.get_pixels(item.bare), None, left))
        return replace(item, picture=picture, bare=bare, tint=(0.0, 0.0, 0.0, 0.0))

    def pose(self, angle: float, beside: Pose | None = None, stretch: float | None = None) -> Frame:
        """Turn the bone by `angle` (degrees), stretch it so many times, and pose all else as `beside` tells.

        Where the bone's parent goes along, all is looked at from it, so that the joint stays where it is at rest.
        """
        others = (beside or Pose()).restricted_to(self.rig.program.bone_index)
        stretched = {} if stretch is None else {self.bone.id: (stretch, 1.0)}
        frame = self.rig.evaluate(others.merged(Pose.of_bones({self.bone.id: angle}, stretch=stretched)))
        self.frame = stilled(self.rig, self.bone, frame) if others.channels else frame
        return self.frame

    def _paint(self, angle: float, beside: Pose | None = None) -> tuple[Pixels, Pixels]:
        """Alpha (h, w) and how much ink is seen (edge window), 0 to 255, with the bone turned by `angle`."""
        frame = self.pose(angle, beside)
        if self.rest_paint is not None and angle == 0 and beside is None:
            return self.rest_paint
        pixels = self.painter.paint_premultiplied(self.rig, self._in_ink(frame), self.view, self.stores)
        alpha = cv2.extractChannel(pixels, 3)
        return alpha, cv2.subtract(alpha[self.edge], cv2.extractChannel(pixels[self.edge], 0))

    def _in_ink(self, frame: Frame) -> Frame:
        return replace(frame, items=tuple(self.inked[item.id] for item in frame.items if item.id in self.inked))

    def look(self) -> Pixels:
        """The joint as it is painted (h, w, 4), premultiplied, at the angle read last: with all that is seen there."""
        items = tuple(item for item in self.frame.items if item.part in self.seen or item.anchor in self.seen)
        return self.painter.paint_premultiplied(self.rig, replace(self.frame, items=items), self.view, self.lender)

    def _behind(self) -> Pixels:
        """Alpha (core window) of all that lies at the joint, in the pose painted last."""
        first, last = self.core[0].start, self.core[0].stop
        x, y = self.view.origin
        view = View((last - first, last - first), self.scale, (x + first / self.scale, y + first / self.scale))
        return self.painter.paint_premultiplied(self.rig, self.frame, view, self.lender)[..., 3]

    def read(self, angles: Iterable[float], beside: Pose | None = None) -> Iterator[SeamReading]:
        """The seam at each angle, degrees; with all else posed as `beside` tells.

        While one angle is painted the one before it is measured. After the last one, `marks` tell where its ink across
        and its gap are, and `look` shows it.
        """
        with ThreadPoolExecutor(1) as measuring:
            before: Future[SeamReading] | None = None
            for angle in angles:
                jump = max((self._jump(one, angle, beside) for one in self.stand_ins), default=0.0)
                alpha, ink = self._paint(angle, beside)
                turn = turned_by(self.rig.program, self.bone, self.frame.matrices)
                ideal = self.silhouette.ideal(alpha.shape, self.scale, turn) if self.silhouette is not None else None
                gap, void = self._gap(alpha, ideal)
                folded = turned_over(self.areas, self.frame.vertices, self.faces)
                found = _Found((angle, turn), alpha, ink, gap, void, ideal)
                now = measuring.submit(self._measured, found, folded, jump)
                if before is not None:
                    yield before.result()
                before = now
            if before is not None:
                yield before.result()

    def _measured(self, found: _Found, folded: int, jump: float) -> SeamReading:
        alpha, ink, gap, void = found.alpha, found.ink, found.gap, found.void
        angle, turn = found.turns
        seen = alpha >= SEEN
        black, crossing = self._crossing(seen, ink)
        across = float(np.where(crossing, black, 0).sum()) / 255 / self.scale**2
        self.found = black, crossing, gap
        ahead = self._ahead(turn)
        step, notch, bump, corners, corner = self._outline(seen, ink, ahead)
        beyond = short = 0.0
        if found.ideal is not None:
            beyond, short = (off / self.scale for off in departures(seen, found.ideal, self.near))
        return SeamReading(
            angle=angle,
            gap=float(gap.sum()) / self.scale**2,
            gap_disc=self._disc(gap),
            void=float(void.sum()) / self.scale**2,
            void_disc=self._disc(void),
            ink=across,
            ink_length=across / self.line if self.line else 0.0,
            corner_length=corners,
            outline_step=step,
            notch=notch,
            bump=bump,
            width_kept=self._width(seen, ahead) / self.rest_width if self.rest_width else 1.0,
            area_kept=1 - (self.rest_area - self._area(alpha)) / self.whole_area,
            folded=folded,
            jump=jump,
            beyond=beyond,
            short=short,
            corner=corner,
        )

    @property
    def marks(self) -> tuple[tuple[Window, Mask], ...]:
        """The windows and pixels of the ink across and of the gap at the angle read last."""
        black, crossing, gap = self.found
        return (self.inner, crossing & (black > SEEN)), (self.core, gap)

    def _ahead(self, angle: float) -> NDArray[np.float64]:
        """Along the bone that is turned by an angle."""
        turn = math.radians(angle)
        c, s = math.cos(turn), math.sin(turn)
        return np.array([c * self.ahead[0] - s * self.ahead[1], s * self.ahead[0] + c * self.ahead[1]])

    def _gap(self, alpha: Pixels, ideal: Mask | None) -> tuple[Mask, Mask]:
        """What is see-through at the joint and was not at rest, and what of it is enclosed (core window).

        Of a joint off the limb's middle the circle about it reaches beyond the one limb there would be: that is no gap.
        """
        gap = (alpha[self.core] < SEEN) & self.in_circle
        if ideal is not None:
            gap &= ideal[self.core]
        if not (gap & self.in_room).any():
            return gap, np.zeros_like(gap)
        gap &= self._behind() < SEEN  # other parts may lie behind
        return gap, gap & enclosed_in(alpha >= SEEN)[self.core] if gap.any() else gap

    def _jump(self, one: StandIn, angle: float, beside: Pose | None) -> float:
        """How far apart the outlines of a stand-in and of what it replaces lie where it comes or goes, px."""
        if angle not in changes_of(one.switch):
            return 0.0
        frame = self.pose(angle, beside, one.switch.stretch)
        alone, instead = (
            self.painter.paint_premultiplied(self.rig, self._only(refs, frame), self.view, self.stores)[..., 3] >= SEEN
            for refs in ({one.part}, set(one.parts))
        )
        return max(_farthest(alone, instead), _farthest(instead, alone)) / self.scale

    def _only(self, refs: set[str], frame: Frame) -> Frame:
        """A frame with only some parts, whatever their switches say."""
        items = (item for item in self.inked.values() if item.part in refs and item.variant == "full")
        # what masks take is ink only there, which changes nothing of the outline
        bare = (replace(item, switches=(), masks=tuple(m for m in item.masks if not m.ink_only)) for item in items)
        return replace(frame, items=tuple(bare))

    def _disc(self, where: Mask) -> float:
        """Diameter of the largest disc in some pixels of the core window, px."""
        if not where.any():
            return 0.0
        # the circle touches the limb's sides, whose pixels are half covered: they hold no disc
        room = np.pad(where & self.in_room, 1).astype(np.uint8)
        return 2 * float(cv2.distanceTransform(room, cv2.DIST_L2, 5).max()) / self.scale

    def _crossing(self, seen: Mask, ink: Pixels) -> tuple[Pixels, Mask]:
        """How much ink is seen (inner window), and where it is a line across: more than a line's width inside."""
        margin = (self.edge[0].stop - self.edge[0].start - self.inner[0].stop + self.inner[0].start) // 2
        black = ink[margin : len(ink) - margin, margin : len(ink) - margin]
        inside = cv2.distanceTransform(seen[self.inner].view(np.uint8), cv2.DIST_L2, 5)
        deep = inside > self.deep * self.scale
        return black, np.asarray(deep & self.in_reach & bool(self.line))

    def _outline(self, seen: Mask, ink: Pixels, ahead: NDArray[np.float64]) -> tuple[float, float, float, float, float]:
        """Step of the line's width, deepest notch and highest bump of the outline near the joint, how much ink the
        lines meeting in its corners have more than a line's width inside, px, and the sharpest corner outside, degrees.
        `ink` is that of the edge window."""
        outlines = list(outlines_of(seen, self.scale, self.radius))
        swings = [one.notch_and_bump(2 * self.radius) for one in outlines]
        corners = sum(one.corners(self.line, 1.5 * self.radius + 3 * self.line) for one in outlines)
        between = ahead + self.back
        inside = between / np.hypot(*between) if np.hypot(*between) > BENT else None
        corner = max((one.sharpest_corner(self.line, 2 * self.radius, inside) for one in outlines), default=0.0)
        widths = [
            widths_along(one, ink, self.scale, self.radius, self.line, ahead, self.back)
            for one in outlines
            if self.line
        ]
        notch, bump = (max((one[k] for one in swings), default=0.0) for k in (0, 1))
        return width_step(widths), notch, bump, corners, corner

    def _width(self, seen: Mask, ahead: NDArray[np.float64]) -> float:
        """Diameter of the widest disc that travels around the joint from one limb to the other, px."""
        coarse = max(round(self.scale), 1)
        close = seen[self.edge][::coarse, ::coarse]
        depth = cv2.distanceTransform(close.astype(np.uint8), cv2.DIST_L2, 5)
        scale, middle = self.scale / coarse, len(close) / 2
        ends = (
            np.clip(middle + scale * far * direction, 0, len(depth) - 1).astype(int)
            for far, direction in zip(self.limb, (ahead, self.back), strict=True)
        )
        (x, y), (u, v) = (end.tolist() for end in ends)
        return 2 * widest_disc(np.asarray(depth, np.float32), (x, y), (u, v)) / scale

    def _area(self, alpha: Pixels) -> float:
        """What is painted around the joint, px²."""
        coarse = max(round(self.scale), 1)
        sampled = cv2.mean(alpha[::coarse, ::coarse], self.in_disc[::coarse, ::coarse])[0]
        return sampled / 255 * self.disc_area

    def _whole_area(self) -> float:
        """What the two parts paint in all at rest, px²."""
        vertices = self.frame.vertices[np.unique(self.faces)]
        low, high = vertices.min(0), vertices.max(0)
        scale = min(1.0, WHOLE / float((high - low).max()))
        size = max(math.ceil((high - low)[0] * scale), 1), max(math.ceil((high - low)[1] * scale), 1)
        view = View(size, scale, (float(low[0]), float(low[1])))
        alpha = self.painter.paint_premultiplied(self.rig, self._in_ink(self.frame), view, self.stores)[..., 3]
        return max(float(alpha.sum(dtype=np.float64)) / 255 / scale**2, 1.0)


def stilled(rig: RigState, bone: Bone, frame: Frame) -> Frame:
    """A frame as it is seen from what a bone hangs on, so that its joint stays where it is at rest."""
    number = rig.program.bone_index[bone.id]
    parent = rig.program.skeleton.parents[number]
    turned = float(rig.angles[parent]) if parent >= 0 else 0.0
    back = np.array([[math.cos(turned), math.sin(turned)], [-math.sin(turned), math.cos(turned)]])
    rest = np.array(bone.joint)
    (joint,) = posed(rest[None], frame.matrices[number : number + 1])
    matrices = frame.matrices.copy()
    for k in (0, 2):
        matrices[:, k : k + 2] = matrices[:, k : k + 2] @ back.T
    matrices[:, 4:] = (matrices[:, 4:] - joint) @ back.T + rest
    return replace(frame, matrices=matrices, vertices=((frame.vertices - joint) @ back.T + rest).astype(np.float32))


def _line_of(rgba: Pixels, split: InkSplit) -> float:
    """The width a part's outline has mostly, px; 0 where it has none."""
    widths = line_widths(rgba, split)
    return float(np.median(widths[widths > 0])) if (widths > 0).any() else 0.0


def changes_of(switch: Switch) -> tuple[float, ...]:
    """The angles (degrees) at which a switch begins to come on, is on, begins to go and is off. Where it hangs on the
    stretch it may come on at any turn between: the ends and what is nearest to rest stand for those."""
    low, high = switch.low, switch.high
    if switch.stretch is not None:
        return low, min(max(0.0, low), high), high
    return low, low + switch.fade, high - switch.fade, high


def _farthest(one: Mask, other: Mask) -> float:
    """How far the pixel of one shape that is farthest from another lies from it, px; 0 where either is empty."""
    beyond = cv2.findNonZero((one & ~other).view(np.uint8))
    contours, _ = cv2.findContours(other.view(np.uint8), cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
    if beyond is None or not contours:
        return 0.0
    return float(cKDTree(np.concatenate(contours)[:, 0]).query(beyond.reshape(-1, 2))[0].max())


def _towards(start: tuple[float, float], end: tuple[float, float]) -> tuple[NDArray[np.float64], float]:
    """From one point to another: the unit vector, and how far."""
    direction = np.subtract(end, start)
    length = float(np.hypot(*direction))
    return direction / max(length, 1e-9), length
