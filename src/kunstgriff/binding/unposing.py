"""A drawing made over a posed figure, brought back to how it lies at rest.

What is drawn over a part is carried as that part is: each spot of the rest goes, with the triangle of the part's mesh
it lies in, to where the pose has it, and takes its colour from there. Beyond the mesh the nearest triangle goes on.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from kunstgriff.artwork.blending import premultiplied, straightened
from kunstgriff.binding.triangles import signed_areas
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.budget import budget
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.model import Figure, Part
from kunstgriff.figure.pose import Pose

MARGIN = 3.0  # px around what is painted
LEAST = 5e-7  # px² of a triangle that carries anything
WORKED = 64  # bytes a pixel while a drawing is brought back

Floats = NDArray[np.float64]
Pixels = NDArray[np.uint8]


@dataclass(frozen=True)
class Carried:
    """The triangles of a part at rest, (m, 3, 2) px, and the affine map of each to where the pose has it, (m, 2, 3)."""

    rest: Floats
    maps: Floats

    @classmethod
    def of(cls, rig: RigState, part: Part, pose: Pose) -> Carried:
        """Those of a part in a pose. Raises EditRefused for a part that has no size there."""
        block = rig.program.blocks[part.id]
        lies = rig.program.rest, rig.evaluate(pose).vertices
        sound = np.all([np.abs(signed_areas(points, block.triangles)) > LEAST for points in lies], 0)
        if not sound.any():
            raise EditRefused(f"“{part.name}” has no size in that pose; nothing drawn over it can be brought back.")
        rest, posed = (points[block.triangles[sound]].astype(np.float64) for points in lies)
        corners = np.concatenate([rest, np.ones((len(rest), 3, 1))], 2)
        return cls(rest, np.linalg.solve(corners, posed).transpose(0, 2, 1))

    @property
    def posed(self) -> Floats:
        """The triangles as the pose has them, (m, 3, 2)."""
        return _taken(self.maps[:, None], self.rest)

    def back(self, spots: Floats) -> Floats:
        """Where posed spots (n, 2) lie at rest, each by the triangle nearest to it."""
        near = cKDTree(self.posed.mean(1)).query(spots)[1]
        maps = self.maps[near]
        return np.asarray(np.linalg.solve(maps[..., :2], (spots - maps[..., 2])[..., None])[..., 0])


def unposed(
    figure: Figure, rig: RigState, like: Part, pose: Pose, pixels: Pixels, corner: tuple[float, float]
) -> tuple[Pixels, tuple[float, float]]:
    """A drawing made over `like` in a pose, straight alpha (h, w, 4) with its top left at `corner` px, as it lies at
    rest, and its top left there. Raises EditRefused where nothing is painted."""
    carried = Carried.of(rig, like, pose)
    rows, columns = np.nonzero(pixels[..., 3] > 8)
    if not len(rows):
        raise EditRefused("Nothing is painted on this picture.")
    every = max(len(rows) // 20_000, 1)
    spots = np.stack([columns[::every], rows[::every]], 1).astype(np.float64) + 0.5 + corner
    back = carried.back(spots)
    low, high = np.floor(back.min(0) - MARGIN).astype(int), np.ceil(back.max(0) + MARGIN).astype(int)
    width, height = (int(one) for one in high - low)
    budget().need(width, height, WORKED, f"What was drawn over “{like.name}”")
    maps = carried.maps[_nearest(carried.rest, low, (height, width))]
    grid = np.stack(np.meshgrid(np.arange(width) + 0.5 + low[0], np.arange(height) + 0.5 + low[1]), 2)
    there = (_taken(maps, grid) - corner - 0.5).astype(np.float32)
    drawn = cv2.remap(
        premultiplied(pixels), there[..., 0], there[..., 1], cv2.INTER_CUBIC, borderMode=cv2.BORDER_CONSTANT
    )
    return straightened(drawn.clip(0, 1)), (float(low[0]), float(low[1]))


def _taken(maps: Floats, spots: Floats) -> Floats:
    """Spots (…, 2) taken by affine maps (…, 2, 3)."""
    return np.asarray((maps[..., :2] @ spots[..., None])[..., 0] + maps[..., 2])


def _nearest(triangles: Floats, low: NDArray[np.int_], size: tuple[int, int]) -> NDArray[np.intp]:
    """For each pixel (h, w) the triangle it lies in, or that of the nearest pixel that lies in one."""
    numbers = np.zeros(size, np.int32)
    for number, one in enumerate(triangles):
        cv2.fillConvexPoly(numbers, np.rint((one - low - 0.5) * 16).astype(np.int32), number + 1, cv2.LINE_8, 4)
    if not numbers.any():
        middle = np.argmin(np.linalg.norm(triangles.mean(1) - low - np.array(size[::-1]) / 2, axis=1))
        return np.full(size, middle, np.intp)
    _, labels = cv2.distanceTransformWithLabels(
        (numbers == 0).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_5, labelType=cv2.DIST_LABEL_PIXEL
    )
    of = np.zeros(int(labels.max()) + 1, np.intp)
    inside = numbers > 0
    of[labels[inside]] = numbers[inside] - 1
    return of[labels]
