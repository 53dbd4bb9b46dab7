"""The two banks of a limb at a joint: its drawn outline to both sides of the bone, told by arc length from the joint.

parent  ──────●────────  bone     Each bank runs from its foot (●), the spot of the outline next to the joint,
              ┆ J                 along the parent's side (negative) and along the bone's (positive). A point of
        ──────●────────           the limb has two coordinates for each bank: how far along it the nearest spot
                                  lies, and how deep inside.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import scipy
import shapely
from numpy.typing import NDArray
from scipy.spatial import cKDTree
from shapely.geometry import LineString, MultiPolygon
from shapely.geometry import Point as Spot

STEP = 1.0  # px between the spots of a bank
SMOOTH = 2.0  # px over which the steps of pixels are evened out along it; measured on drawn limbs
NORMAL = 3.0  # px over which its normals are
SLIDE = 1.0  # half widths along the outline in which the spot nearest to the joint is looked for

Floats = NDArray[np.float64]
Ints = NDArray[np.intp]


@dataclass(frozen=True, eq=False)
class Bank:
    """One side of a limb: `line` (n, 2) px, `runs` (n,) px along it from its foot, `inward` (n, 2) unit normals into
    the limb; `radius` (px) from the joint to the foot."""

    line: Floats
    runs: Floats
    inward: Floats
    radius: float

    def coordinates(self, points: Floats) -> tuple[Floats, Floats]:
        """How far along (n,) and how deep inside (n,) points (n, 2) lie, px."""
        nearest = self._tree.query(points)[1]
        best_run, best_depth = self.runs[nearest].copy(), np.full(len(points), np.inf)
        for first in (nearest - 1, nearest):  # on one of the two pieces that meet in the nearest spot
            start = np.clip(first, 0, len(self.line) - 2)
            piece = self.line[start + 1] - self.line[start]
            length = np.maximum((piece**2).sum(1), 1e-12)
            share = np.clip(((points - self.line[start]) * piece).sum(1) / length, 0.0, 1.0)
            spot = self.line[start] + share[:, None] * piece
            away = np.hypot(*(points - spot).T)
            side = np.sign(((points - spot) * self.inward[nearest]).sum(1))
            nearer = away < np.abs(best_depth)
            best_run = np.where(nearer, self.runs[start] + share * (self.runs[start + 1] - self.runs[start]), best_run)
            best_depth = np.where(nearer, np.where(side == 0, 1.0, side) * away, best_depth)
        return best_run, best_depth

    def at(self, runs: Floats) -> tuple[Floats, Floats]:
        """The spots (n, 2) and unit normals (n, 2) so far along."""
        spots = np.stack([np.interp(runs, self.runs, self.line[:, k]) for k in (0, 1)], 1)
        normals = np.stack([np.interp(runs, self.runs, self.inward[:, k]) for k in (0, 1)], 1)
        return spots, normals / np.maximum(np.hypot(*normals.T), 1e-9)[:, None]

    def moved(self, by: tuple[float, float]) -> Bank:
        """The same bank somewhere else."""
        return Bank(self.line + by, self.runs, self.inward, self.radius)

    @property
    def ends(self) -> tuple[float, float]:
        """How far it runs along the parent and along the bone, px, both positive."""
        return -float(self.runs[0]), float(self.runs[-1])

    @property
    def _tree(self) -> cKDTree:
        return _tree_of(self)


@lru_cache(maxsize=64)
def _tree_of(bank: Bank) -> cKDTree:
    return cKDTree(bank.line)


@lru_cache(maxsize=512)
def banks_at(
    outline: MultiPolygon,
    joint: tuple[float, float],
    ahead: float,
    back: float,
    reach: float,
    place: tuple[float, float] = (0.0, 0.0),
) -> tuple[Bank, Bank] | None:
    """The banks of the limb at a joint, the one clockwise of the bone first, at most `reach` px to each side.

    `ahead` and `back` (rad) are the directions of the bone and of its parent from the joint; all is told of the
    outline's own space, the banks of the one where it lies at `place`. None where the joint lies outside the outline or
    no bank is found to a side.
    """
    ring = _ring_around(outline, joint)
    if ring is None:
        return None
    line, runs, length = ring
    forward = np.array([math.cos(ahead) - math.cos(back), math.sin(ahead) - math.sin(back)])
    sector = (back - ahead) % (2 * math.pi)
    feet = [_foot(line, runs, length, joint, ahead + sector / 2 + turn) for turn in (0.0, math.pi)]
    if feet[0] is None or feet[1] is None or feet[0] == feet[1]:
        return None
    made = []
    for foot, other in ((feet[0], feet[1]), (feet[1], feet[0])):
        assert foot is not None
        assert other is not None
        here, beside = line[foot], line[(foot + 3) % len(line)]
        onward = 1 if (beside - here) @ forward > 0 else -1
        around = (other - foot) * onward % len(line)  # spots along the bone's side to the other foot
        made.append(_bank(line, foot, onward, around, joint, reach).moved(place))
    return made[0], made[1]


def _bank(line: Floats, foot: int, onward: int, around: int, joint: tuple[float, float], reach: float) -> Bank:
    count = len(line)
    most = max(int(reach / STEP), 3)
    # to the tip of the limb and no further: the other half of its cap is the other bank's
    child, parent = min(around // 2, most), min((count - around) // 2, most)
    picked = (foot + onward * np.arange(-parent, child + 1)) % count
    spots = line[picked]
    lengths = np.hypot(*np.diff(spots, axis=0).T)
    runs = np.concatenate([[0.0], np.cumsum(lengths)])
    along = scipy.ndimage.gaussian_filter1d(np.gradient(spots, axis=0), NORMAL / STEP, axis=0, mode="nearest")
    along /= np.maximum(np.hypot(*along.T), 1e-9)[:, None]
    inward = np.stack([-along[:, 1], along[:, 0]], 1)
    if inward[parent] @ np.subtract(joint, spots[parent]) < 0:
        inward = -inward
    return Bank(spots, runs - runs[parent], inward, float(np.hypot(*(spots[parent] - joint))))


def _ring_around(outline: MultiPolygon, joint: tuple[float, float]) -> tuple[Floats, Floats, float] | None:
    """The outer ring of the piece a joint lies in, evenly spaced and smoothed, its runs and its length."""
    spot = Spot(joint)
    for piece in outline.geoms:
        if piece.contains(spot):
            return _even_ring(piece.exterior.wkb)
    return None


@lru_cache(maxsize=256)
def _even_ring(wkb: bytes) -> tuple[Floats, Floats, float]:
    ring = shapely.from_wkb(wkb)
    count = max(int(ring.length / STEP), 8)
    spots = shapely.get_coordinates(shapely.line_interpolate_point(ring, np.arange(count) / count, normalized=True))
    smooth = scipy.ndimage.gaussian_filter1d(spots, SMOOTH / STEP, axis=0, mode="wrap")
    lengths = np.hypot(*(np.roll(smooth, -1, 0) - smooth).T)
    return smooth, np.concatenate([[0.0], np.cumsum(lengths)[:-1]]), float(lengths.sum())


def _foot(line: Floats, runs: Floats, length: float, joint: tuple[float, float], direction: float) -> int | None:
    """The spot of a ring next to the joint on one side: where a ray meets it, slid to where it comes closest."""
    far = float(np.ptp(line, axis=0).sum())
    ray = LineString([joint, np.add(joint, far * np.array([math.cos(direction), math.sin(direction)]))])
    met = ray.intersection(LineString(np.vstack([line, line[:1]])))
    spots = [np.asarray(one.coords[0]) for one in getattr(met, "geoms", [met]) if not one.is_empty]
    if not spots:
        return None
    hit = min(spots, key=lambda one: float(np.hypot(*(one - joint))))
    away = np.hypot(*(line - joint).T)
    start = int(np.hypot(*(line - hit).T).argmin())
    apart = np.abs(runs - runs[start])
    near = np.minimum(apart, length - apart) <= SLIDE * away[start]
    return int(np.where(near, away, np.inf).argmin())
