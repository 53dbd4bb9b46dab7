"""Cages: an outline of corners around parts. What lies inside follows them by mean value coordinates.

Mean value coordinates (Hormann & Floater 2006) are closed formulas for any polygon without holes, exact for affine maps
and equal to one at their own corner. Across a gap in a concave cage they fall below zero and drag the far side along;
there harmonic coordinates are taken (Joshi et al. 2007), which go around the gap: the Laplace equation solved on a mesh
of the cage's inside, linear along its edges.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import ClassVar

import numpy as np
import shapely
from numba import njit
from numpy.typing import NDArray
from scipy.sparse.linalg import splu
from shapely.geometry import MultiPolygon
from shapely.geometry import Point as Spot
from shapely.geometry import Polygon as Outline

from kunstgriff.binding.mesh import PartMesh, barycentric, build_mesh
from kunstgriff.binding.triangles import signed_areas
from kunstgriff.binding.weights import laplacian
from kunstgriff.evaluate.program import Floats32
from kunstgriff.figure.warps import Cage

NEAR = 1e-9  # of the cage's size within which a point lies on a corner or an edge
DRAGS = -0.2  # least coordinate below which a cage drags what lies across a gap (measured)
FLAT = 1e-3  # of the squared edge: triangles flattened along the cage's edge
BLOCK = 2_048  # points summed at a time, so that they stay near
INSIDE = 1_500  # vertices of the mesh harmonic coordinates are solved on

Floats = NDArray[np.float64]
Ints = NDArray[np.intp]


@njit(cache=True, nogil=True)
def mean_values(points: Floats, corners: Floats, out: Floats) -> None:
    """Fill `out` (n, k) with the mean value coordinates of points (n, 2) in a polygon of corners (k, 2)."""
    count = len(corners)
    size = max(np.ptp(corners[:, 0]), np.ptp(corners[:, 1]))
    near = NEAR * size
    r, dx, dy, half = np.empty(count), np.empty(count), np.empty(count), np.empty(count)
    for v in range(len(points)):
        done = False
        for k in range(count):
            dx[k], dy[k] = corners[k, 0] - points[v, 0], corners[k, 1] - points[v, 1]
            r[k] = math.sqrt(dx[k] * dx[k] + dy[k] * dy[k])
        for k in range(count):
            if r[k] <= near:
                out[v, :] = 0.0
                out[v, k] = 1.0
                done = True
                break
        if done:
            continue
        for k in range(count):  # tangent of half the angle at which edge k is seen
            n = (k + 1) % count
            cross, dot = dx[k] * dy[n] - dy[k] * dx[n], dx[k] * dx[n] + dy[k] * dy[n]
            if abs(cross) <= near * size * 1e-3 and dot < 0:  # on the edge: its two ends share the point
                out[v, :] = 0.0
                out[v, k], out[v, n] = r[n] / (r[k] + r[n]), r[k] / (r[k] + r[n])
                done = True
                break
            half[k] = cross / (r[k] * r[n] + dot)
        if done:
            continue
        total = 0.0
        for k in range(count):
            w = (half[(k - 1 + count) % count] + half[k]) / r[k]
            out[v, k] = w
            total += w
        for k in range(count):
            out[v, k] /= total


@njit(cache=True, fastmath=True, nogil=True)
def weighted_sums(shares: Floats32, moves: Floats32, out: Floats32) -> None:
    """Fill `out` (2, n) with moves (k, 2) summed by shares (k, n)."""
    count = out.shape[1]
    for first in range(0, count, BLOCK):
        last = min(first + BLOCK, count)
        across, down = out[0, first:last], out[1, first:last]
        across[:], down[:] = 0, 0
        for k in range(len(moves)):
            x, y, row = moves[k, 0], moves[k, 1], shares[k, first:last]
            for v in range(last - first):
                across[v] += x * row[v]
                down[v] += y * row[v]


@dataclass(frozen=True)
class Polygon:
    """A cage as numbers: its corners as laid (k, 2), and for a harmonic one the coordinates (n, k) on a mesh inside."""

    corners: Floats
    inside: PartMesh | None = None
    solved: Floats | None = None
    by_place: ClassVar[bool] = True

    @classmethod
    def of(cls, cage: Cage) -> Polygon:
        corners = np.array(cage.laid, np.float64)
        return cls(corners, *_solved(cage.laid)) if cage.harmonic else cls(corners)

    @property
    def even(self) -> Floats:
        """The corners as laid."""
        return self.corners

    def coordinates(self, points: Floats) -> Floats:
        """How much of each corner's move points (n, 2) make (n, k)."""
        if self.inside is not None and self.solved is not None:
            return _on(self.inside, self.solved, points)
        found = np.empty((len(points), len(self.corners)))
        mean_values(np.ascontiguousarray(points, np.float64), self.corners, found)
        return found

    def moved(self, moves: Floats, points: Floats) -> Floats:
        """How far points (n, 2) of the figure are moved (n, 2) when the corners are."""
        return self.coordinates(points) @ moves

    def holding(self, points: Floats, _shape: Floats) -> tuple[Ints, HeldByCorners]:
        """Points (n, 2) ready to be moved again and again, in their own order."""
        shares = np.ascontiguousarray(self.coordinates(points).T, np.float32)
        return np.arange(len(points)), HeldByCorners(shares)


@lru_cache(maxsize=32)
def _solved(laid: tuple[tuple[float, float], ...]) -> tuple[PartMesh, Floats]:
    """Harmonic coordinates are solved once for where corners lie, however often the cage is asked for."""
    return harmonic(np.array(laid, np.float64))


@dataclass(frozen=True)
class HeldByCorners:
    """Points by how much of each corner's move they make (k, n)."""

    shares: Floats32

    def sums(self, moves: Floats, out: Floats32) -> None:
        """Fill `out` (2, n) with how far they are moved when the corners are."""
        weighted_sums(self.shares, moves.astype(np.float32), out)


def drags_across(corners: Floats, points: Floats) -> bool:
    """Whether mean value coordinates would drag what lies across a gap of the cage."""
    found = np.empty((len(points), len(corners)))
    mean_values(np.ascontiguousarray(points, np.float64), corners, found)
    return bool(found.min(initial=0.0) < DRAGS)


def harmonic(corners: Floats) -> tuple[PartMesh, Floats]:
    """A mesh of a cage's inside and the harmonic coordinates (n, k) of its vertices. Raises ValueError where the cage
    is too small for any."""
    outline = Outline(corners)
    edge = math.sqrt(outline.area / INSIDE)
    mesh = build_mesh(MultiPolygon([outline]), 12, None, (), edge, 1.0)
    boundary = outline.exterior
    outside = ~shapely.contains_xy(outline, mesh.vertices)
    held = np.flatnonzero(outside | (shapely.distance(shapely.points(mesh.vertices), boundary) < 0.35 * edge))
    nearest = shapely.get_coordinates(
        [boundary.interpolate(boundary.project(Spot(*mesh.vertices[number]))) for number in held]
    )
    mesh.vertices[held] = nearest  # on the cage itself, so that affine maps stay affine
    flat = np.abs(signed_areas(mesh.vertices, mesh.triangles)) < FLAT * edge**2
    mesh = PartMesh(mesh.vertices, mesh.triangles[~flat])
    free = np.setdiff1d(np.arange(len(mesh.vertices)), held)
    values = np.zeros((len(mesh.vertices), len(corners)))
    values[held] = _along(corners, mesh.vertices[held])
    if len(free):
        matrix, _ = laplacian(mesh)
        solve = splu(matrix[free][:, free].tocsc())
        values[free] = solve.solve(np.ascontiguousarray(-(matrix[free][:, held] @ values[held])))
    return mesh, values


def _along(corners: Floats, points: Floats) -> Floats:
    """Coordinates (n, k) of points at the nearest place on the cage: shared between the two ends of its edge."""
    ends = np.roll(corners, -1, 0)
    sides = ends - corners
    along = ((points[:, None] - corners) * sides).sum(2) / (sides**2).sum(1)
    along = np.clip(along, 0, 1)
    away = np.hypot(*np.moveaxis(corners + along[..., None] * sides - points[:, None], 2, 0))
    nearest = away.argmin(1)
    rows, found = np.arange(len(points)), np.zeros((len(points), len(corners)))
    share = along[rows, nearest]
    found[rows, nearest] = 1 - share
    found[rows, (nearest + 1) % len(corners)] += share
    return found


def _on(mesh: PartMesh, values: Floats, points: Floats) -> Floats:
    """Values (n, k) on a mesh read at points (m, 2), outside it those of the nearest spot."""
    tree = shapely.STRtree(shapely.polygons(mesh.vertices[mesh.triangles]))
    index = tree.query_nearest(shapely.points(points), all_matches=False)
    face = np.zeros(len(points), np.int64)
    face[index[0]] = index[1]
    shares = np.clip(barycentric(mesh.vertices[mesh.triangles[face]], points), 0, None)
    shares /= shares.sum(1, keepdims=True)
    return np.asarray((values[mesh.triangles[face]] * shares[..., None]).sum(1), np.float64)
