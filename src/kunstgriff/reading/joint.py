"""A joint read through its range: what becomes of width, area, triangles and outline of the parts that bend there.

Everything is read from the posed mesh and from the very pictures the painter delivers (figure px, one pixel a px unless
the limb is large). Widths are those of discs: the widest that can travel inside the limb from the middle of one bone to
the middle of the other, by the distance transform and the greatest threshold that still joins the two.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from functools import cached_property

import cv2
import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import affinity
from shapely.geometry import Point as Spot
from shapely.geometry.base import BaseGeometry

from kunstgriff.artwork.ink import depth_inside
from kunstgriff.artwork.lines import runs_along, spots_at
from kunstgriff.artwork.outline import SOLID, outline_of
from kunstgriff.binding.bending import WIDEST
from kunstgriff.binding.triangles import signed_areas, turned_over
from kunstgriff.evaluate.program import turned_by
from kunstgriff.evaluate.state import RigState, compile_rig
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.model import Bone, Figure, Part, Weighted
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.sets import waiting
from kunstgriff.figure.stores import Stores
from kunstgriff.paint.painter import Painter, View
from kunstgriff.reading.bent import Bent
from kunstgriff.reading.records import deepest_from, widest_disc
from kunstgriff.reading.seam import enclosed_in
from kunstgriff.reading.silhouette import deepest, drawn

SIDE_LIMIT = 700  # px of the longer side of what is painted for one angle; larger limbs are painted smaller
ROOM = 6.0  # px around the posed parts
LIMB = 1.25  # half widths a bone must be long at least for its joint to be an elbow
NEAR = 3.0  # half widths around the joint in which the outline is looked at
FINE = 4  # times as large the outline is looked at for waves
LARGE = 400  # px of half a limb from which it is not
THIN = 30.0  # px of half a limb under which it is painted larger, up to as many times
SEEN = 128  # alpha from which a pixel counts as painted
WAVE = 1 / 6  # half widths between the spots of the outline whose second differences tell waves
CLEAR = 1.25  # half widths around the joint in which arc and crease make a turn that is no wave
ANGLES = 9  # of a fan
ACROSS = np.array([[1, 1, 1], [4, 1, 1], [1, 4, 1], [1, 1, 4]]) / [
    [3],
    [6],
    [6],
    [6],
]  # spots of a triangle asked for art

Pixels = NDArray[np.uint8]
Floats = NDArray[np.float64]


@dataclass(frozen=True)
class JointReading:
    """One angle (degrees, clockwise as seen). `width_kept` is that of the widest disc that travels along the limb's
    middle, as a share of the ideal limb's (see `bent`), `area_kept` the share of the area at rest; `folded` counts
    triangles turned over.

    The rest is told of the outline within 3 half widths of the joint, held against the ideal one: `departs` is how far
    it goes astray at most, `waves` the greatest second difference of that along it away from arc and crease (px, at
    steps of a sixth of the half width), `swells` by what share its area is more (or less) than the ideal one. All are 0
    where the joint lies in no limb.
    """

    angle: float
    width_kept: float
    area_kept: float
    folded: int
    departs: float = 0.0
    waves: float = 0.0
    swells: float = 0.0


@dataclass(frozen=True)
class _Look:
    """The limb painted in one pose: straight-alpha `picture` (h, w, 4), `scale` px per figure px, its `origin`."""

    picture: Pixels
    scale: float
    origin: tuple[float, float]

    @cached_property
    def solid(self) -> NDArray[np.bool_]:
        """What is painted, and what has paint all around (h, w): a hole is no narrow place of a limb."""
        seen = self.picture[..., 3] >= SEEN
        return np.asarray(seen | enclosed_in(seen))

    def pixel(self, point: NDArray[np.float64]) -> tuple[int, int]:
        x, y = (np.asarray(point) - self.origin) * self.scale
        height, width = self.picture.shape[:2]
        return int(np.clip(x, 0, width - 1)), int(np.clip(y, 0, height - 1))


def range_angles(bone: Bone, count: int = ANGLES) -> tuple[float, ...]:
    """Angles (degrees) evenly through a joint's range, rest always among them.

    >>> range_angles(Bone(id="b1", name="a", joint=(0, 0), tip=(1, 0), hue=0), 5)
    (-120.0, -60.0, 0.0, 60.0, 120.0)
    """
    low, high = (-WIDEST, WIDEST) if bone.limits is None else (bone.limits.low, bone.limits.high)
    angles = np.unique(np.round(np.linspace(low, high, count if high > low else 1), 1))
    angles[np.abs(angles).argmin()] = 0.0
    return tuple(float(angle) for angle in angles)


class JointReader:
    """Turns one bone of a figure and reads the limb. Raises EditRefused where nothing bends at that joint."""

    def __init__(self, figure: Figure, stores: Stores, bone: Bone, painter: Painter) -> None:
        if bone.parent is None:
            raise EditRefused(f"“{bone.name}” hangs on no other bone, so nothing bends at its joint.")
        parent = figure.bone(bone.parent)
        assert parent is not None
        self.figure, self.stores, self.bone, self.parent, self.painter = figure, stores, bone, parent, painter
        self.rig: RigState = compile_rig(figure.by_bones, stores)
        painted = {item.part for item in self.rig.program.items}  # what only masks others is not
        shown = {part.id for part in figure.parts if part.is_shown and part.id in painted and self._bends(part)}
        self.parts = shown - waiting(figure)
        if not self.parts:
            raise EditRefused(f"No part follows “{bone.name}” or “{parent.name}”; bind one first.")
        self.items = tuple(item for item in self.rig.program.items if item.part in self.parts)
        faces = np.concatenate([self.rig.program.blocks[ref].triangles for ref in sorted(self.parts)])
        seen = np.concatenate([self._with_art(ref) for ref in sorted(self.parts)])
        faces = faces[seen]
        self.faces = faces
        self.areas = signed_areas(self.rig.program.rest, faces)
        self.finest = 1.0
        rest = self._look(0.0)
        bent = self._parted(rest)
        if bent is not None and bent.half_width < THIN:
            self.finest = min(THIN / bent.half_width, FINE)
            rest = self._look(0.0)
            bent = self._parted(rest)
        self.bent, self.rest_area = bent, _painted_area(rest)
        depth = depth_inside(rest.picture[..., 3] >= SEEN)
        self.rest_width = 2 * widest_disc(depth, *self._ends(rest, depth)) / rest.scale
        # drawn polygons include the pixels of their edge: what that makes is told at rest
        self.rest_swells, self.rest_share, due = 0.0, 1.0, self._due(0.0)
        self.rest_swells = self._held_against(rest, due, 0.0).get("swells", 0.0)
        self.rest_share = self._width_kept(rest, due)

    def _with_art(self, ref: str) -> NDArray[np.bool_]:
        """Which triangles of a part's block (m,) have art: what lies in the margin alone is not seen when it folds."""
        block = self.rig.program.blocks[ref]
        rgba = self.stores.get_pixels(next(item.picture for item in self.items if item.part == ref))
        corners = self.rig.program.nets.uv[block.triangles] * (rgba.shape[1], rgba.shape[0])
        spots = np.einsum("sk,mkd->msd", ACROSS, corners).astype(int)
        x, y = np.clip(spots[..., 0], 0, rgba.shape[1] - 1), np.clip(spots[..., 1], 0, rgba.shape[0] - 1)
        return np.asarray((rgba[y, x, 3] >= SOLID).any(1))

    def _bends(self, part: Part) -> bool:
        """Whether a part follows the bone or its parent and lies at the joint."""
        if not {self.bone.id, self.parent.id} & set(part.followed):
            return False
        block = self.rig.program.blocks[part.id]
        corners, joint = self.rig.program.rest[block.start : block.start + block.count], self.bone.joint
        reach = min(math.dist(one.joint, one.tip) for one in (self.bone, self.parent)) / 2
        inside = (corners.min(0) < joint).all() and (corners.max(0) > joint).all()
        return bool(inside or np.linalg.norm(corners - np.array(joint, np.float32), axis=1).min() < reach)

    def read(self, angles: Iterable[float]) -> Iterator[tuple[JointReading, Pixels]]:
        """The reading at each angle with the limb's picture (h, w, 4) in that pose, straight alpha."""
        for angle in angles:
            look = self._look(angle)
            turn = turned_by(self.rig.program, self.bone, self.rig.matrices)
            due = self._due(turn)
            reading = JointReading(
                angle=angle,
                width_kept=self._width_kept(look, due),
                area_kept=_painted_area(look) / self.rest_area,
                folded=turned_over(self.areas, self.rig.vertices, self.faces),  # as `_look` left them
                **self._held_against(look, due, turn),
            )
            yield reading, look.picture

    def _look(self, angle: float) -> _Look:
        frame = self.rig.evaluate(Pose.of_bones({self.bone.id: angle}))
        used = np.unique(self.faces)
        low, high = frame.vertices[used].min(0) - ROOM, frame.vertices[used].max(0) + ROOM
        scale = min(self.finest, SIDE_LIMIT / float((high - low).max()))
        width, height = (max(math.ceil(side * scale), 1) for side in (high - low))
        origin = (float(low[0]), float(low[1]))
        alone = replace(frame, items=self.items)
        picture = self.painter.paint(self.rig, alone, View((width, height), scale, origin), self.stores)
        return _Look(picture, scale, origin)

    def _posed(self, bone: Bone, share: float) -> Floats:
        """A spot along a bone where the last pose put it."""
        spot = np.array(bone.joint) + share * np.subtract(bone.tip, bone.joint)
        a, b, c, d, e, f = self.rig.matrices[self.rig.program.bone_index[bone.id]]
        return np.array([a * spot[0] + c * spot[1] + e, b * spot[0] + d * spot[1] + f])

    def _parted(self, rest: _Look) -> Bent | None:
        """The outline at rest, cut at the joint; None where it is to bend otherwise than an elbow: in an arc, or a body
        that is wider than long."""
        solid = rest.picture[..., 3]
        self.is_arc = any(part.id in self.parts and self._is_arc(part) for part in self.figure.parts)
        if not (solid >= SEEN).any() or self.is_arc:
            return None
        large = cv2.resize(solid, None, fx=FINE, fy=FINE, interpolation=cv2.INTER_CUBIC)
        outline = affinity.scale(outline_of(large, SEEN), *[1 / rest.scale / FINE] * 2, origin=(0, 0))
        outline = affinity.translate(outline, *rest.origin)
        directions = [np.subtract(end, self.bone.joint) for end in (self.parent.joint, self.bone.tip)]
        lengths = [max(float(np.hypot(*one)), 1e-9) for one in directions]
        bent = Bent.at(
            outline, self.bone.joint, *(one / length for one, length in zip(directions, lengths, strict=True))
        )
        return bent if bent is not None and min(lengths) > LIMB * bent.half_width else None

    def _is_arc(self, part: Part) -> bool:
        zone = part.binding.zone(self.bone.id) if isinstance(part.binding, Weighted) else None
        return zone is not None and zone.curve > 0

    def held(self, angle: float, zoom: int) -> tuple[Floats, Floats, Floats] | None:
        """The painted outline at an angle, (n, 2) figure px, followed in `zoom` px of the picture for one; the nearest
        spot of the ideal outline to each; and the joint there. None where there is no ideal."""
        look = self._look(angle)
        due = self._due(turned_by(self.rig.program, self.bone, self.rig.matrices))
        if due is None:
            return None
        alpha = cv2.resize(look.picture[..., 3], None, fx=zoom, fy=zoom, interpolation=cv2.INTER_CUBIC)
        contours, _ = cv2.findContours((alpha >= SEEN).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
        ring = max(contours, key=len)[:, 0].astype(np.float64)
        spots = (ring + 0.5) / zoom / look.scale + look.origin
        joint = self._posed(self.bone, 0.0)
        border = shapely.boundary(affinity.translate(due, *joint))
        at = shapely.line_locate_point(shapely.line_merge(border), shapely.points(spots))
        nearest = shapely.get_coordinates(shapely.line_interpolate_point(shapely.line_merge(border), at))
        return spots, nearest, joint

    def _ends(self, look: _Look, depth: NDArray[np.float32]) -> tuple[tuple[int, int], tuple[int, int]]:
        """The pixels on a shape's middle line next to the middles of the parent and of the bone, as they are posed."""
        parent, child = (deepest_from(depth, look.pixel(self._posed(one, 0.5))) for one in (self.parent, self.bone))
        return parent, child

    def _due(self, angle: float) -> BaseGeometry | None:
        """The ideal outline, about the joint; None where there is none."""
        return None if self.bent is None else self.bent.ideal(angle)

    def _middle(self, look: _Look) -> Floats:
        """Where the joint lies in a picture (x, y)."""
        return (self._posed(self.bone, 0.0) - look.origin) * look.scale

    def _width_kept(self, look: _Look, due: BaseGeometry | None) -> float:
        """The share of the width that the ideal outline has in this pose, or the limb at rest."""
        depth = depth_inside(look.solid)
        if due is None:
            ends = self._ends(look, depth)
            if min(depth[y, x] for x, y in ends) == 0:
                return 1.0  # a bone beside its art: there is no telling
            width = 2 * widest_disc(depth, *ends) / look.scale
            return width / self.rest_width if self.rest_width else 1.0
        ideal = depth_inside(drawn(due, depth.shape, look.scale, self._middle(look)))
        ends = self._ends(look, ideal)
        whole = widest_disc(ideal, *ends)
        return widest_disc(depth, *ends) / whole / self.rest_share if whole else 1.0

    def _held_against(self, look: _Look, due: BaseGeometry | None, angle: float) -> dict[str, float]:
        """What is told of the outline beside the ideal one, by the names of the reading."""
        if self.bent is None or due is None:
            return {}
        size, middle = look.picture.shape[:2], self._middle(look)
        ideal = drawn(due, size, look.scale, middle)
        within = drawn(Spot(0, 0).buffer(NEAR * self.bent.half_width, 32), size, look.scale, middle)
        seen = look.solid
        departs = max(deepest(seen & within, ideal), deepest(ideal & within, seen)) / look.scale
        area = float((ideal & within).sum())
        swells = float((seen & within).sum()) / area - 1 - self.rest_swells if area else 0.0
        return {"departs": departs, "waves": self._waves(look, due, angle), "swells": swells}

    def _waves(self, look: _Look, ideal: BaseGeometry, angle: float) -> float:
        """The greatest second difference of how far the outline lies off the ideal one, px."""
        assert self.bent is not None
        half, middle = self.bent.half_width, self._middle(look)
        fine = FINE / look.scale if half * FINE < LARGE else 1 / look.scale
        side = 2 * math.ceil(NEAR * half * look.scale * fine)
        zoom = np.array([[fine, 0, side / 2 - middle[0] * fine], [0, fine, side / 2 - middle[1] * fine]])
        zoom[:, 2] += (fine - 1) / 2  # pixel centres
        alpha = cv2.warpAffine(look.picture[..., 3], zoom, (side, side), flags=cv2.INTER_CUBIC)
        scale = look.scale * fine
        inside = drawn(ideal, (side, side), scale, np.full(2, side / 2)).astype(np.uint8)
        away = cv2.distanceTransform(1 - inside, cv2.DIST_L2, 5) - cv2.distanceTransform(inside, cv2.DIST_L2, 5)
        contours, _ = cv2.findContours((alpha >= SEEN).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
        crease = self.bent.crease(angle)
        corners = [np.zeros(2), *([] if crease is None else [crease])]
        clear = [CLEAR * half, *[3 * WAVE * half] * (len(corners) - 1)]
        greatest = 0.0
        for contour in contours:
            ring = contour[:, 0].astype(np.float64)
            runs = runs_along(np.vstack([ring, ring[:1]]))
            if runs[-1] < 12 * WAVE * half * scale:
                continue
            spots = spots_at(np.vstack([ring, ring[:1]]), runs, np.arange(0, runs[-1], WAVE * half * scale))
            off = cv2.remap(away, spots.astype(np.float32)[:, None], None, cv2.INTER_LINEAR)[:, 0] / scale
            wave = np.abs(np.roll(off, 1) - 2 * off + np.roll(off, -1))
            placed = (spots - side / 2) / scale
            kept = np.abs(placed).max(1) < NEAR * half - 2 * WAVE * half
            for corner, room in zip(corners, clear, strict=True):
                kept &= np.hypot(*(placed - corner).T) > room
            greatest = max(greatest, float(wave[kept].max(initial=0.0)))
        return greatest


def _painted_area(look: _Look) -> float:
    """What is painted, px² of the figure."""
    return float(look.picture[..., 3].sum(dtype=np.float64)) / 255 / look.scale**2
