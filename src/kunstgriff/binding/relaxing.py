"""As-rigid-as-possible relaxing of the inside of a bend, the outside held (Sorkine & Alexa 2007, in the plane)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array, csc_array, csr_array
from scipy.sparse.linalg import splu

from kunstgriff.binding.mesh import boundary_edges

ROUNDS = 6  # of turning and solving; measured: more change nothing that is seen
STIFF = 200.0  # times as stiff triangles are around a hole, so that it stays as drawn (measured)
FLATTEST = 0.05  # least cotangent a triangle's corner counts with, so that no edge pushes

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]


class Relaxing:
    """Relaxes some vertices of a mesh, prefactored; those held and all that lie next to others stay where they are put.

    `points` (n, 2) and `triangles` (m, 3) are the mesh at rest, `members` (k,) the vertices to relax, `held` (k,) which
    of them stay.
    """

    def __init__(self, points: Floats, triangles: Ints, members: NDArray[np.intp], held: NDArray[np.bool_]) -> None:
        number = np.full(len(points), -1)
        number[members] = np.arange(len(members))
        own = number[triangles]
        faces = own[(own >= 0).all(1)]
        free = ~held
        beside = np.unique(own[(own >= 0).any(1) & (own < 0).any(1)])
        free[beside[beside >= 0]] = False
        free &= np.isin(np.arange(len(members)), faces)
        self.inner, self.fixed = np.flatnonzero(free), np.flatnonzero(~free)
        if not len(self.inner) or not len(self.fixed):
            self.inner = self.inner[:0]
            return
        rim = np.zeros(len(members), bool)
        edge_of = number[np.unique(boundary_edges(triangles))]
        rim[edge_of[edge_of >= 0]] = True
        weight = np.where((rim & free)[faces].any(1), STIFF, 1.0)  # around holes: a rim that no bank holds
        table = _stiffness(points[members], faces, weight).tocoo()
        self.i, self.j, self.w = table.coords[0], table.coords[1], table.data
        self.edges = (points[members][self.i] - points[members][self.j]) @ (1, 1j)
        count = len(members)
        total = np.bincount(self.i, self.w, count)
        laplacian = (coo_array((total, (np.arange(count), np.arange(count))), (count, count)) - table).tocsc()
        self.known = laplacian[self.inner][:, self.fixed]
        inner = csc_array(laplacian[self.inner][:, self.inner])
        try:
            self.solve = splu(inner, permc_spec="MMD_AT_PLUS_A", options={"SymmetricMode": True}).solve
        except RuntimeError:  # an islet inside that nothing holds
            self.inner = self.inner[:0]

    def __call__(self, swept: Floats) -> Floats:
        """Vertices (k, 2) with those that are free relaxed, from where they were swept to."""
        if not len(self.inner):
            return swept
        count, posed = len(swept), swept.copy()
        for _ in range(ROUNDS):
            now = (posed[self.i] - posed[self.j]) @ (1, 1j)
            spin = self.w * now * self.edges.conj()
            turn = np.bincount(self.i, spin.real, count) + 1j * np.bincount(self.i, spin.imag, count)
            turn /= np.maximum(np.abs(turn), 1e-12)
            pull = self.w * self.edges * (turn[self.i] + turn[self.j]) / 2
            right = np.stack([np.bincount(self.i, part, count) for part in (pull.real, pull.imag)], 1)
            posed[self.inner] = self.solve(right[self.inner] - self.known @ posed[self.fixed])
        return posed


def _stiffness(spots: Floats, faces: NDArray[np.intp], weight: Floats) -> csr_array:
    """The cotangent of each edge (k, k), both ways, by the weight (m,) of its triangles (Pinkall & Polthier 1993)."""
    rows, columns, values = [], [], []
    for k in range(3):
        i, j, o = faces[:, k], faces[:, (k + 1) % 3], faces[:, (k + 2) % 3]
        u, v = spots[i] - spots[o], spots[j] - spots[o]
        cross = np.maximum(np.abs(u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]), 1e-9)
        cotangent = np.maximum((u * v).sum(1) / cross, FLATTEST) * weight / 2
        rows += [i, j]
        columns += [j, i]
        values += [cotangent, cotangent]
    count = len(spots)
    table = coo_array((np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))), (count, count)).tocsr()
    table.sum_duplicates()
    return table
