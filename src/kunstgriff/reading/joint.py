"""A joint read through its range: what becomes of width, area, triangles and outline of the parts that bend there.

Everything is read from the posed mesh and from the very pictures the painter delivers (figure px, one pixel a px unless
the limb is large). Widths are those of discs: the widest that can travel inside the limb from the middle of one bone to
the middle of the other, by the distance transform and the greatest threshold that still joins the two.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from kunstgriff.artwork.ink import edge_depth
from kunstgriff.artwork.lines import runs_along, spots_at
from kunstgriff.artwork.outline import SOLID
from kunstgriff.binding.bending import WIDEST
from kunstgriff.binding.triangles import signed_areas, turned_over
from kunstgriff.evaluate.pose import Pose
from kunstgriff.evaluate.rig import Rig, compile_rig
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.model import Bone, Figure, Part
from kunstgriff.figure.stores import Stores
from kunstgriff.paint.painter import Painter, View
from kunstgriff.reading.keeping import widest_disc

SIDE_LIMIT = 700  # px of the longer side of what is painted for one angle; larger limbs are painted smaller
ROOM = 6.0  # px around the posed parts
NEAR = 2.0  # half widths around the joint in which the outline's kinks are looked for
SMOOTH = 3.0  # px along the outline over which a kink is told from the pixels' steps; measured on drawn capsules
SPACING = 2.0  # px between the spots of the outline
ANGLES = 9  # of a fan
ACROSS = np.array([[1, 1, 1], [4, 1, 1], [1, 4, 1], [1, 1, 4]]) / [
    [3],
    [6],
    [6],
    [6],
]  # spots of a triangle asked for art

Pixels = NDArray[np.uint8]


@dataclass(frozen=True)
class JointReading:
    """One angle (degrees, clockwise as seen). `width_kept` and `area_kept` are shares of those at rest, `folded` counts
    triangles turned over, `kink` is the greatest curvature of the outline near the joint beyond that at rest, 1/px."""

    angle: float
    width_kept: float
    area_kept: float
    folded: int
    kink: float


@dataclass(frozen=True)
class _Look:
    """The limb painted in one pose: straight-alpha `picture` (h, w, 4), `scale` px per figure px, its `origin`."""

    picture: Pixels
    scale: float
    origin: tuple[float, float]

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
        self.rig: Rig = compile_rig(figure, stores)
        self.parts = {part.id for part in figure.parts if part.is_shown and self._bends(part)}
        if not self.parts:
            raise EditRefused(f"No part follows “{bone.name}” or “{parent.name}”; bind one first.")
        self.items = tuple(item for item in self.rig.items if item.part in self.parts)
        faces = np.concatenate([self.rig.blocks[ref].triangles for ref in sorted(self.parts)])
        seen = np.concatenate([self._with_art(ref) for ref in sorted(self.parts)])
        faces = faces[seen]
        self.faces = faces
        self.areas = signed_areas(self.rig.rest, faces)
        rest = self._look(0.0)
        self.rest_width, self.rest_area = self._width(rest), _painted_area(rest)
        self.near = NEAR * max(self.rest_width / 2, 10.0)
        self.rest_kink = self._kink(rest)

    def _with_art(self, ref: str) -> NDArray[np.bool_]:
        """Which triangles of a part's block (m,) have art: what lies in the margin alone is not seen when it folds."""
        block = self.rig.blocks[ref]
        rgba = self.stores.get_pixels(next(item.picture for item in self.items if item.part == ref))
        corners = self.rig.uv[block.triangles] * (rgba.shape[1], rgba.shape[0])
        spots = np.einsum("sk,mkd->msd", ACROSS, corners).astype(int)
        x, y = np.clip(spots[..., 0], 0, rgba.shape[1] - 1), np.clip(spots[..., 1], 0, rgba.shape[0] - 1)
        return np.asarray((rgba[y, x, 3] >= SOLID).any(1))

    def _bends(self, part: Part) -> bool:
        """Whether a part follows the bone or its parent and lies at the joint."""
        if not {self.bone.id, self.parent.id} & set(part.followed):
            return False
        block = self.rig.blocks[part.id]
        corners, joint = self.rig.rest[block.start : block.start + block.count], self.bone.joint
        reach = min(math.dist(one.joint, one.tip) for one in (self.bone, self.parent)) / 2
        inside = (corners.min(0) < joint).all() and (corners.max(0) > joint).all()
        return bool(inside or np.linalg.norm(corners - np.array(joint, np.float32), axis=1).min() < reach)

    def read(self, angles: Iterable[float]) -> Iterator[tuple[JointReading, Pixels]]:
        """The reading at each angle with the limb's picture (h, w, 4) in that pose, straight alpha."""
        for angle in angles:
            look = self._look(angle)
            reading = JointReading(
                angle=angle,
                width_kept=self._width(look) / self.rest_width if self.rest_width else 1.0,
                area_kept=_painted_area(look) / self.rest_area,
                folded=turned_over(self.areas, self.rig.vertices, self.faces),  # as `_look` left them
                kink=max(self._kink(look) - self.rest_kink, 0.0),
            )
            yield reading, look.picture

    def _look(self, angle: float) -> _Look:
        frame = self.rig.evaluate(Pose(turn={self.bone.id: angle}))
        used = np.unique(self.faces)
        low, high = frame.vertices[used].min(0) - ROOM, frame.vertices[used].max(0) + ROOM
        scale = min(1.0, SIDE_LIMIT / float((high - low).max()))
        width, height = (max(math.ceil(side * scale), 1) for side in (high - low))
        origin = (float(low[0]), float(low[1]))
        alone = replace(frame, items=self.items)
        picture = self.painter.paint(self.rig, alone, View((width, height), scale, origin), self.stores)
        return _Look(picture, scale, origin)

    def _posed(self, bone: Bone, share: float) -> NDArray[np.float64]:
        """A spot along a bone where the last pose put it."""
        spot = np.array(bone.joint) + share * np.subtract(bone.tip, bone.joint)
        a, b, c, d, e, f = self.rig.matrices[self.rig.bone_index[bone.id]]
        return np.array([a * spot[0] + c * spot[1] + e, b * spot[0] + d * spot[1] + f])

    def _width(self, look: _Look) -> float:
        """Diameter in px of the widest disc that travels from the middle of one bone to the middle of the other."""
        start, end = (look.pixel(self._posed(bone, 0.5)) for bone in (self.parent, self.bone))
        return 2 * widest_disc(edge_depth(look.picture), start, end) / look.scale

    def _kink(self, look: _Look) -> float:
        """Greatest curvature of the painted outline near the joint, 1/px, smoothed over `SMOOTH` px."""
        contours, _ = cv2.findContours(
            (look.picture[..., 3] >= 128).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE
        )
        joint = self._posed(self.bone, 0.0)
        greatest = 0.0
        for contour in contours:
            ring = contour[:, 0].astype(np.float64) / look.scale + look.origin
            closed = np.vstack([ring, ring[:1]])
            runs = runs_along(closed)
            if runs[-1] < 12 * SPACING:
                continue
            even = spots_at(closed, runs, np.arange(0, runs[-1], SPACING))
            smooth = gaussian_filter1d(even, SMOOTH / SPACING, axis=0, mode="wrap")
            step = np.roll(smooth, -1, 0) - smooth
            turn = np.angle(np.exp(1j * np.diff(np.arctan2(step[:, 1], step[:, 0]))))
            curvature = np.abs(turn) / np.maximum(np.linalg.norm(step[1:], axis=1), 1e-6)
            close = np.linalg.norm(smooth[1:] - joint, axis=1) < self.near
            if close.any():
                greatest = max(greatest, float(curvature[close].max()))
        return greatest


def _painted_area(look: _Look) -> float:
    """What is painted, px² of the figure."""
    return float(look.picture[..., 3].sum(dtype=np.float64)) / 255 / look.scale**2
