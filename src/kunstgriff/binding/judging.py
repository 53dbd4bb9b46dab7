"""How well a bend looks, read off the posed mesh: quick enough to try many settings of a joint.

The same things as `reading.joint` reads off painted pictures (width kept by the widest disc that travels through, area
kept, triangles turned over, kink of the outline), here from the triangles that lie around the joint, drawn small.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.binding.mesh import boundary_edges
from kunstgriff.binding.triangles import signed_areas, turned_over

PIXELS = 16.0  # px the limb's half width is drawn with
LARGEST = 240  # px of a side of what is drawn
SMOOTH = 0.12  # half widths over which a kink is told from the mesh's own corners

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]


@dataclass(frozen=True)
class Looks:
    """One angle of a bend: shares of width and area at rest, triangles turned over, greatest turn of the outline from
    one half width to the next beyond that at rest, in rad."""

    width: float
    area: float
    folded: int
    kink: float


@njit(cache=True)
def _fill(corners: Floats, picture: NDArray[np.uint8]) -> None:
    """Set the pixels of `picture` (h, w) whose centres lie in any of the triangles (m, 3, 2)."""
    for t in range(corners.shape[0]):
        ax, ay, bx, by, cx, cy = (
            corners[t, 0, 0],
            corners[t, 0, 1],
            corners[t, 1, 0],
            corners[t, 1, 1],
            corners[t, 2, 0],
            corners[t, 2, 1],
        )
        area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
        if area == 0.0:
            continue
        left, right = max(int(min(ax, bx, cx)), 0), min(int(max(ax, bx, cx)) + 1, picture.shape[1] - 1)
        top, bottom = max(int(min(ay, by, cy)), 0), min(int(max(ay, by, cy)) + 1, picture.shape[0] - 1)
        for y in range(top, bottom + 1):
            for x in range(left, right + 1):
                v = ((x - ax) * (cy - ay) - (y - ay) * (cx - ax)) / area
                w = ((bx - ax) * (y - ay) - (by - ay) * (x - ax)) / area
                if v >= -1e-9 and w >= -1e-9 and v + w <= 1.0 + 1e-9:
                    picture[y, x] = 255


class Judge:
    """Looks at one bend of one part: `points` (n, 2) at rest, the joint and the middles of both bones, figure space."""

    def __init__(
        self, points: Floats, triangles: Ints, joint: Floats, ends: tuple[Floats, Floats], half_width: float
    ) -> None:
        reach = max(float(np.hypot(*(end - joint))) for end in ends) + 1.5 * half_width
        near = np.hypot(*(points - joint).T) < reach
        self.triangles = triangles[near[triangles].any(1)]
        self.scale = min(PIXELS / half_width, LARGEST / (2 * reach))
        self.ends, self.joint, self.half_width = ends, joint, half_width
        self.edge = _ring(boundary_edges(triangles), points, joint, 2.5 * half_width)
        self.areas = signed_areas(points, self.triangles)
        self.rest_width, self.rest_area = self._size(points, ends)
        self.rest_kink = self._kink(points)

    def look(self, posed: Floats, ends: tuple[Floats, Floats]) -> Looks:
        """How the part looks with its vertices `posed` (n, 2) and the middles of the bones at `ends`."""
        width, area = self._size(posed, ends)
        return Looks(
            width / max(self.rest_width, 1e-9),
            area / max(self.rest_area, 1e-9),
            turned_over(self.areas, posed, self.triangles),
            max(self._kink(posed) - self.rest_kink, 0.0),
        )

    def _size(self, posed: Floats, ends: tuple[Floats, Floats]) -> tuple[float, float]:
        corners = posed[self.triangles]
        if not len(corners) or not np.isfinite(corners).all():
            return 0.0, 0.0
        # a chain that folds back may fling vertices far off: what is drawn stays as large as it needs to be
        extent = float((corners.max((0, 1)) - corners.min((0, 1))).max())
        scale = min(self.scale, 2 * LARGEST / max(extent, 1e-9))
        low = corners.min((0, 1)) - 2 / scale
        size = np.ceil((corners.max((0, 1)) - low) * scale).astype(int) + 2
        picture = np.zeros((int(size[1]), int(size[0])), np.uint8)
        _fill((corners - low) * scale, picture)
        depth = cv2.distanceTransform(picture, cv2.DIST_L2, 5)
        spots = [tuple(np.clip(np.rint((end - low) * scale).astype(int), 0, size - 1)) for end in ends]
        least, most = 0.0, float(min(depth[y, x] for x, y in spots))
        for _ in range(8):
            middle = (least + most) / 2
            _, labels = cv2.connectedComponents((depth >= max(middle, 0.5)).astype(np.uint8))
            one, other = (labels[y, x] for x, y in spots)
            if one and one == other:
                least = middle
            else:
                most = middle
        return 2 * least / scale, float((picture > 0).sum()) / scale**2

    def _kink(self, posed: Floats) -> float:
        """Greatest turn of the outline near the joint over half a half width, rad."""
        greatest = 0.0
        for run in self.edge:
            line = posed[run]
            lengths = np.hypot(*np.diff(line, axis=0).T)
            along = np.concatenate([[0.0], np.cumsum(lengths)])
            if along[-1] < self.half_width:
                continue
            at = np.arange(0.0, along[-1], 0.25 * self.half_width)
            even = np.stack([np.interp(at, along, line[:, axis]) for axis in (0, 1)], 1)
            step = np.diff(even, axis=0) @ (1, 1j)
            if len(step) > 1:
                greatest = max(greatest, float(np.abs(np.angle(step[1:] * step[:-1].conj())).max()))
        return greatest


def _ring(edges: Ints, points: Floats, joint: Floats, reach: float) -> list[NDArray[np.intp]]:
    """Runs of boundary vertices near the joint, in order."""
    near = np.hypot(*(points - joint).T) < reach
    following: dict[int, list[int]] = {}
    for a, b in edges[near[edges].all(1)].tolist():
        following.setdefault(a, []).append(b)
        following.setdefault(b, []).append(a)
    runs, seen = [], set[int]()
    for start in sorted(following, key=lambda one: len(following[one])):
        if start in seen:
            continue
        run, here = [start], start
        seen.add(start)
        while onward := [one for one in following[here] if one not in seen]:
            here = onward[0]
            seen.add(here)
            run.append(here)
        runs.append(np.array(run))
    return runs


def cost(looks: list[Looks]) -> float:
    """One number for a bend over its angles, 0 for a perfect one: what is lost is added up, a fold costs most.

    The weights of the four are ours: a folded triangle is worth a tenth of the width, a kink of 60° as much.
    """
    total = 0.0
    for each_look in looks:
        total += 3.0 * max(0.0, 1 - each_look.width) + 1.5 * abs(1 - each_look.area) + 0.1 * min(each_look.folded, 30)
        total += 0.1 * max(0.0, each_look.kink - math.radians(75)) / math.radians(60)
    return total / max(len(looks), 1)
