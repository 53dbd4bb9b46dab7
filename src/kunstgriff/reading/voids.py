"""The void map of a part: what of it comes to light as the joints turn at which it lies behind, and what of that nobody
painted.

Each spot of the part, and of the empty sheet around it, is followed through the range: where it lies under the part in
front at rest and is bare in a pose it has come to light; where the limb is see-through in a pose, and was not at rest,
paint is missing there.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from kunstgriff.evaluate.frame import Frame
from kunstgriff.evaluate.state import RigState, compile_rig
from kunstgriff.figure.model import Bone, Figure, Part
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import Stores
from kunstgriff.paint.painter import Painter, View
from kunstgriff.reading.opened import frames_of
from kunstgriff.reading.seam import SEEN, SeamReader, enclosed_in, stilled
from kunstgriff.seam.joints import back_and_front, follows_most, need_meeting, pair_at
from kunstgriff.trial.motion import Motion, Playback

Masks = NDArray[np.bool_]
WINDOW = 2.0  # half widths around the joint that are looked at
SPRUCE, PLUM = (31, 111, 104), (122, 59, 105)


@dataclass(frozen=True)
class VoidMap:
    """What comes to light of `part` as the joints of `bones` turn; at each it lies under one of `neighbours` (ids).

    `painted` (h, w) is where it has paint, `lit` are its pixels that are hidden at rest and seen in some
    pose, `unpainted` the spots where paint is missing; all on the sheet from `corner` (figure space), one px each.
    """

    bones: tuple[str, ...]
    neighbours: tuple[str, ...]
    part: Part
    corner: tuple[int, int]
    painted: Masks
    lit: Masks
    unpainted: Masks

    @property
    def area(self) -> int:
        """Unpainted area, px²."""
        return int(self.unpainted.sum())

    @property
    def reach(self) -> float:
        """How far unpainted spots lie from what is painted, px: by how much the part must grow."""
        if not self.unpainted.any():
            return 0.0
        away = cv2.distanceTransform((~self.painted).astype(np.uint8), cv2.DIST_L2, 5)
        return float(away[self.unpainted].max())

    def picture(self) -> NDArray[np.uint8]:
        """The map (h, w, 4) to be laid over the part: spruce what comes to light, hatched plum what is unpainted."""
        shown = np.zeros((*self.lit.shape, 4), np.uint8)
        shown[self.lit] = (*SPRUCE, 120)
        y, x = np.mgrid[: self.lit.shape[0], : self.lit.shape[1]]
        shown[self.unpainted] = (*PLUM, 110)
        shown[self.unpainted & ((x + y) % 8 < 3)] = (*PLUM, 255)
        return shown


def void_map(
    figure: Figure, stores: Stores, bone: Bone, painter: Painter, angles: Iterable[float], motion: Motion | None = None
) -> VoidMap:
    """The void map of the part behind at a bone's joint, over some angles (degrees), and over a motion as it is
    painted: with springs, levers, swaps and what hides parts.

    Raises EditRefused where no two parts meet.
    """
    behind, front = back_and_front(figure, *need_meeting(figure, bone, stores))
    reader = SeamReader(figure, stores, bone, painter)
    ground = _Ground.at(bone, behind, int(np.ceil(WINDOW * reader.radius)), stores)
    seen, pair = frozenset(reader.seen), (behind, front)
    watched = _Watched(reader.rig, bone, seen, pair, ground, reader.radius, painter, stores)
    lit, unpainted = np.zeros_like(ground.painted), np.zeros_like(ground.painted)

    def look(by: _Watched, frame: Frame) -> None:
        for mask, found in zip((lit, unpainted), by.look(frame), strict=True):
            mask |= found

    for angle in angles:
        look(watched, reader.pose(angle))
    if motion is not None:
        rig = compile_rig(figure, stores)
        watched = _Watched(rig, bone, seen, pair, ground, reader.radius, painter, stores)
        playback = Playback(rig, motion)
        for number in frames_of(rig, motion):
            look(watched, stilled(rig, bone, playback.frame(number)))
    return VoidMap((bone.id,), (front.id,), behind, ground.corner, ground.painted, lit, unpainted)


@dataclass(frozen=True)
class _Ground:
    """The spots (h, w, 2) of a part's sheet that are followed, one px each, and which of them are `painted`."""

    corner: tuple[int, int]
    spots: NDArray[np.float64]
    painted: Masks

    @classmethod
    def at(cls, bone: Bone, part: Part, reach: int, stores: Stores) -> _Ground:
        left, top = (int(np.floor(one)) - reach for one in bone.joint)
        side = 2 * reach + 1
        y, x = np.mgrid[:side, :side] + 0.5
        alpha = stores.get_pixels(part.drawing.picture)[..., 3]
        painted = _laid(part, alpha, (left, top), side) >= SEEN
        return cls((left, top), np.stack([x + left, y + top], -1), painted)


class _Watched:
    """Looks at two parts in frames of a rig: what of the one behind has come to light, and where it lacks paint."""

    def __init__(
        self, rig: RigState, bone: Bone, both: frozenset[str], pair: tuple[Part, Part], ground: _Ground, radius: float,
        painter: Painter, stores: Stores,
    ) -> None:  # fmt: skip
        behind, front = pair
        self.rig, self.both, self.front = rig, both, frozenset({front.id})
        self.painter, self.stores, self.ground = painter, stores, ground
        side = len(ground.painted)
        self.view = View((side, side), 1.0, (float(ground.corner[0]), float(ground.corner[1])))
        self.in_circle = np.hypot(*np.moveaxis(ground.spots - bone.joint, -1, 0)) <= radius
        self.follow = _Follower(rig, behind, ground, stores)
        frame = rig.evaluate(Pose())
        self.at_rest, self.hidden = (self._seen(frame, some) for some in (self.both, self.front))

    def look(self, frame: Frame) -> tuple[Masks, Masks]:
        """What of the ground (h, w) is lit in a frame, and what of it is not painted."""
        seen, over = (self._seen(frame, some) for some in (self.both, self.front))
        void = ~seen & self.at_rest & self.in_circle | enclosed_in(seen) & ~enclosed_in(self.at_rest)
        if void.any():
            void &= ~self._seen(frame, None)
        at, side = self.follow.posed(frame, self.view), len(seen)
        inside = (at >= 0).all(-1) & (at < side).all(-1)
        rows, columns = np.clip(at[..., 1], 0, side - 1), np.clip(at[..., 0], 0, side - 1)
        painted = self.ground.painted
        lit = inside & painted & self.hidden & ~over[rows, columns]
        return lit, inside & ~painted & self.hidden & void[rows, columns]

    def _seen(self, frame: Frame, only: frozenset[str] | None) -> Masks:
        """Where some parts, or all, are not see-through in a frame."""
        if only is not None:
            items = (item for item in frame.items if item.part in only or item.anchor in only)
            frame = replace(frame, items=tuple(items))
        seen = self.painter.paint_premultiplied(self.rig, frame, self.view, self.stores)[..., 3] >= SEEN
        return np.asarray(seen)


def joints_behind(figure: Figure, stores: Stores) -> dict[str, list[Bone]]:
    """The bones at whose joints two parts meet, by the part that lies behind there."""
    found: dict[str, list[Bone]] = {}
    for bone in figure.bones:
        pair = pair_at(figure, bone, stores)
        if pair is not None:
            found.setdefault(back_and_front(figure, *pair)[0].id, []).append(bone)
    return found


def together(maps: Sequence[VoidMap]) -> VoidMap:
    """Several maps of one part in one: what comes to light at any of their joints."""
    low = np.min([one.corner for one in maps], axis=0)
    high = np.max([np.add(one.corner, one.lit.shape[::-1]) for one in maps], axis=0)
    laid = np.zeros((3, high[1] - low[1], high[0] - low[0]), bool)
    for each_map in maps:
        left, top = np.subtract(each_map.corner, low)
        height, width = each_map.lit.shape
        laid[:, top : top + height, left : left + width] |= (each_map.painted, each_map.lit, each_map.unpainted)
    bones = tuple(bone for one in maps for bone in one.bones)
    neighbours = tuple(part for one in maps for part in one.neighbours)
    return VoidMap(bones, neighbours, maps[0].part, (int(low[0]), int(low[1])), *laid)


class _Follower:
    """Follows spots of a part's sheet through poses: by its net where it has one, by its bone around it."""

    def __init__(self, rig: RigState, part: Part, ground: _Ground, stores: Stores) -> None:
        self.spots = spots = ground.spots
        block = rig.program.blocks[part.id]
        self.corners = block.triangles
        rest = rig.program.rest[self.corners].astype(np.float64)
        numbers = np.full(ground.painted.shape, -1, np.int32)
        origin = spots[0, 0]
        for number, triangle in enumerate(rest):
            cv2.fillConvexPoly(numbers, np.rint((triangle - origin) * 16).astype(np.int32), number, shift=4)
        self.inside = numbers >= 0
        self.numbers = numbers[self.inside]
        a, b, c = (rest[self.numbers, k] for k in range(3))
        first, second, off = b - a, c - a, spots[self.inside] - a
        area = first[:, 0] * second[:, 1] - first[:, 1] * second[:, 0]
        area = np.where(np.abs(area) < 1e-9, 1e-9, area)
        v = (off[:, 0] * second[:, 1] - off[:, 1] * second[:, 0]) / area
        w = (first[:, 0] * off[:, 1] - first[:, 1] * off[:, 0]) / area
        self.shares = np.stack([1 - v - w, v, w], 1)
        follows = follows_most(part, stores)
        self.bone = rig.program.bone_index[follows] if follows is not None else None

    def posed(self, frame: Frame, view: View) -> NDArray[np.int64]:
        """Pixels (h, w, 2) of a view at which the spots lie in a frame."""
        spots = self.spots.copy()
        if self.bone is not None:
            a, b, c, d, e, f = frame.matrices[self.bone]
            x, y = self.spots[..., 0], self.spots[..., 1]
            spots = np.stack([a * x + c * y + e, b * x + d * y + f], -1)
        vertices = frame.vertices[self.corners[self.numbers]].astype(np.float64)
        spots[self.inside] = (vertices * self.shares[..., None]).sum(1)
        return np.floor((spots - view.origin) * view.scale).astype(np.int64)


def _laid(part: Part, alpha: NDArray[np.uint8], corner: tuple[int, int], side: int) -> NDArray[np.uint8]:
    x, y = np.subtract(part.drawing.place, corner)
    return np.asarray(cv2.warpAffine(alpha, np.array([[1, 0, x], [0, 1, y]], np.float64), (side, side)), np.uint8)
