"""Big meshes settled in two tiers: a coarse one that finds how all lies, and the mesh itself from there on.

How many rounds a mesh takes to settle goes by its shape, not by its fineness, so most of them are done on few vertices.
The coarse mesh has one vertex for each connected cluster of the fine one's in a brick pattern, and a triangle where
three clusters meet; so banks of a gap are no neighbours there either. It only tells the first turns of fine triangles.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property, partial

import numpy as np
from numba import njit
from scipy.sparse import csr_array
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from kunstgriff.binding.mesh import barycentric, mesh_edges, spots_on
from kunstgriff.binding.triangles import signed_areas
from kunstgriff.warp.rigid import Floats, Ints, Rows, Sheet, Spots

FEW = 350  # vertices up to which a mesh settles by itself
COARSE = 170  # vertices of a coarse mesh, or so
FLATTEST = 0.15  # of a cluster's size that a coarse triangle is high at the least
ROUNDS, LAST = 24, 7  # on the coarse mesh at the most, then on the fine one


@dataclass(frozen=True)
class Coarse:
    """The coarse mesh of a fine one: which of its vertices it has (`seeds`, c), and for each fine triangle the
    `corners` (m, 3) of the coarse one next to it, with its shares (m, 3) of them."""

    sheet: Sheet
    seeds: Ints
    corners: Rows
    shares: Floats


@dataclass(frozen=True)
class Tiers:
    """A mesh held at spots with its coarse one, if it is big; that is made when it is first needed."""

    fine: Sheet
    make: Callable[[], Coarse | None]

    @classmethod
    def of(
        cls, rest: Floats, triangles: Ints, spots: Spots, stiff: Floats | None = None, reach: float | None = None
    ) -> Tiers:
        """As `Sheet.of`."""
        fine = Sheet.of(rest, triangles, spots, stiff, reach)
        return cls(fine, partial(_coarse, rest, triangles, spots, stiff, reach))

    @cached_property
    def coarse(self) -> Coarse | None:
        """None where the mesh settles by itself."""
        return self.make()

    @property
    def spots(self) -> Spots:
        return self.fine.spots

    def settle(self, drawn: Floats, targets: Floats, out: Floats) -> None:
        """As `Sheet.settle`."""
        if self.coarse is None:
            self.fine.settle(drawn, targets, out)
            return
        sheet = self.coarse.sheet
        before = drawn[self.coarse.seeds]
        after = np.empty_like(before)
        sheet.settle(before, targets + sheet.spots.seen(before) - self.spots.seen(drawn), after, ROUNDS)
        turns = np.empty((len(self.fine.triangles), 2))
        turned(sheet.triangles, before, after, self.coarse.corners, self.coarse.shares, turns)
        self.fine.settle(drawn, targets, out, LAST, turns)


def _coarse(rest: Floats, triangles: Ints, spots: Spots, stiff: Floats | None, reach: float | None) -> Coarse | None:
    """None for a small mesh, and where the clusters hang together nowhere."""
    if len(rest) <= FEW:
        return None
    clusters, seeds, size = _clusters(rest, triangles)
    met = clusters[triangles]
    apart = (met[:, 0] != met[:, 1]) & (met[:, 1] != met[:, 2]) & (met[:, 2] != met[:, 0])
    faces = seeds[np.unique(np.sort(met[apart], 1), axis=0)]
    a, b, c = (rest[faces[:, k]] for k in range(3))
    longest = np.max([np.hypot(*(one - other).T) for one, other in ((a, b), (b, c), (c, a))], axis=0)
    faces = faces[2 * np.abs(signed_areas(rest, faces)) > FLATTEST * size * longest]
    if not len(faces):
        return None
    seeds, inverse = np.unique(faces, return_inverse=True)
    corners = inverse.reshape(-1, 3).astype(np.int32)
    middles, fine = rest[faces].mean(1), rest[triangles].mean(1)
    near = corners[cKDTree(middles).query(fine)[1]]
    shares = np.clip(barycentric(rest[seeds][near], fine), 0, None)
    return Coarse(
        Sheet.of(
            rest[seeds],
            corners,
            _on(spots, rest, rest[seeds], corners),
            None if stiff is None else stiff[cKDTree(fine).query(middles)[1]],
            reach,
        ),
        seeds.astype(np.int32),
        near.astype(np.uint32),
        shares / shares.sum(1, keepdims=True),
    )


def _clusters(rest: Floats, triangles: Ints) -> tuple[Ints, Ints, float]:
    """The cluster (n,) of each vertex, the vertex (k,) that stands for each, at the mesh's edge where it has one there,
    and how big they are, px."""
    size = float(np.sqrt(np.abs(signed_areas(rest, triangles)).sum() / COARSE))
    across, down = ((rest - rest.min(0)) / size).T
    row = np.floor(down)
    cell = np.stack([np.floor(across + row % 2 / 2), row], 1)
    sides, triangles_at = mesh_edges(triangles)
    inside = sides[(cell[sides[:, 0]] == cell[sides[:, 1]]).all(1)]
    count = len(rest)
    number, clusters = connected_components(
        csr_array((np.ones(len(inside)), (inside[:, 0], inside[:, 1])), (count, count)), directed=False
    )
    middles = np.stack([np.bincount(clusters, rest[:, k]) for k in range(2)], 1) / np.bincount(clusters)[:, None]
    at_edge = np.zeros(count, bool)
    at_edge[sides[triangles_at == 1]] = True
    away = np.hypot(*(rest - middles[clusters]).T) + np.where(at_edge, 0.0, 1e6)
    order = np.lexsort((away, clusters))
    first = np.searchsorted(clusters[order], np.arange(number))
    return clusters.astype(np.int32), order[first].astype(np.int32), size


def _on(spots: Spots, rest: Floats, coarse: Floats, triangles: Ints) -> Spots:
    """The same spots on a coarse mesh."""
    corners, shares = spots_on(coarse, triangles, spots.seen(rest))
    starts = np.arange(0, 3 * len(corners) + 1, 3, dtype=np.int32)
    return Spots(starts, corners.ravel().astype(np.int32), shares.ravel())


@njit(cache=True, nogil=True)
def turned(triangles: Rows, before: Floats, after: Floats, corners: Rows, shares: Floats, turns: Floats) -> None:
    """Fill `turns` (m, 2), cosine and sine, with how a mesh of some triangles is turned from `before` to `after` (n, 2)
    at spots between three of its `corners` (m, 3) with `shares` (m, 3)."""
    around = np.zeros((len(before), 2))
    for t in range(len(triangles)):
        dot = cross = 0.0
        for k in range(3):
            one, other = triangles[t, k], triangles[t, (k + 1) % 3]
            ax, ay = before[other, 0] - before[one, 0], before[other, 1] - before[one, 1]
            bx, by = after[other, 0] - after[one, 0], after[other, 1] - after[one, 1]
            dot += ax * bx + ay * by
            cross += ax * by - ay * bx
        for k in range(3):
            around[triangles[t, k], 0] += dot
            around[triangles[t, k], 1] += cross
    for v in range(len(around)):
        around[v] /= max(np.hypot(around[v, 0], around[v, 1]), 1e-12)
    for t in range(len(corners)):
        dot = cross = 0.0
        for k in range(3):
            dot += shares[t, k] * around[corners[t, k], 0]
            cross += shares[t, k] * around[corners[t, k], 1]
        size = np.hypot(dot, cross)
        turns[t, 0], turns[t, 1] = (dot / size, cross / size) if size > 1e-9 else (1.0, 0.0)
