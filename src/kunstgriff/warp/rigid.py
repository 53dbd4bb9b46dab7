"""Meshes that are held at spots and deform as rigidly as possible between them.

The energy is that of Liu et al. 2008: how far each triangle's map is from a turn, over its area (Sorkine & Alexa 2007
after their neighbours, Igarashi et al. 2005 before them). It is lowered by turns: of each triangle the best turn, then
all places at once. The matrix of that is the same in every pose, so it is factored once. The first turns are guessed
from the spots, rounds are extrapolated (Anderson 1965), and an extrapolation that raises the energy is taken back. A
`Sheet` may also be held softly where it is without spots, which then reach only so far.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy.sparse import csc_array, csr_array, diags_array
from scipy.sparse.csgraph import connected_components
from scipy.sparse.linalg import splu

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]
Rows = NDArray[np.uint32]  # unsigned: an index that cannot be negative is not looked at twice, which halves a round

HARD = 1e7  # times the stiffness of the mesh that spots are held with
ROUNDS = 20  # at the most
STEADY = 0.03  # px that a round moves it by at the least, or it is the last
HISTORY = 3  # rounds that the next one is extrapolated from


@dataclass(frozen=True)
class Factor:
    """A symmetric positive matrix as L D Lᵀ in an order of its own: the columns of L below the diagonal, and 1 / D."""

    order: Rows
    starts: Rows
    rows: Rows
    values: Floats
    inverse: Floats

    @classmethod
    def of(cls, matrix: csc_array) -> Factor:
        found = splu(matrix, permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True})
        if not (found.perm_r == found.perm_c).all():
            raise ValueError("The matrix is not positive.")
        lower = csc_array(found.L)
        lower.sort_indices()
        columns = np.repeat(np.arange(len(found.perm_c)), np.diff(lower.indptr))
        below = lower.indices > columns
        starts = np.concatenate([[0], np.cumsum(np.bincount(columns[below], minlength=len(found.perm_c)))])
        return cls(
            np.asarray(np.argsort(found.perm_c), np.uint32), starts.astype(np.uint32),
            lower.indices[below].astype(np.uint32), lower.data[below].copy(), 1 / found.U.diagonal(),
        )  # fmt: skip


@njit(cache=True, nogil=True, fastmath=True)
def solve(order: Rows, starts: Rows, rows: Rows, values: Floats, inverse: Floats, right: Floats, work: Floats) -> None:
    """Solve in place for two right sides (n, 2) with a factored matrix; `work` (n, 2) is overwritten."""
    count = len(order)
    for k in range(count):
        work[k, 0], work[k, 1] = right[order[k], 0], right[order[k], 1]
    for k in range(count):
        x, y = work[k, 0], work[k, 1]
        for at in range(starts[k], starts[k + 1]):
            row, value = rows[at], values[at]
            work[row, 0] -= value * x
            work[row, 1] -= value * y
    for k in range(count - 1, -1, -1):
        x, y = work[k, 0] * inverse[k], work[k, 1] * inverse[k]
        for at in range(starts[k], starts[k + 1]):
            row, value = rows[at], values[at]
            x -= value * work[row, 0]
            y -= value * work[row, 1]
        work[k, 0], work[k, 1] = x, y
    for k in range(count):
        right[order[k], 0], right[order[k], 1] = work[k, 0], work[k, 1]


@njit(cache=True, nogil=True)
def means(starts: Ints, vertices: Ints, shares: Floats, places: Floats, out: Floats) -> None:
    """Fill `out` (k, 2) with the means of some places (n, 2) by shares; see `Spots`."""
    for k in range(len(out)):
        x = y = 0.0
        for j in range(starts[k], starts[k + 1]):
            x += shares[j] * places[vertices[j], 0]
            y += shares[j] * places[vertices[j], 1]
        out[k, 0], out[k, 1] = x, y


@dataclass(frozen=True)
class Spots:
    """Spots of a mesh, one after another: from where in `vertices` (j,) and `shares` (j,) each one `starts` (k + 1)."""

    starts: Ints
    vertices: Ints
    shares: Floats

    def seen(self, places: Floats) -> Floats:
        """Where they are (k, 2) on a mesh that lies at places (n, 2)."""
        out = np.empty((len(self.starts) - 1, 2))
        means(self.starts, self.vertices, self.shares, places, out)
        return out

    def matrix(self, count: int) -> csr_array:
        """Their shares (k, n) of a mesh of so many vertices."""
        return csr_array((self.shares, self.vertices, self.starts), (len(self.starts) - 1, count))


@dataclass(frozen=True)
class Sheet:
    """A mesh of triangles (m, 3) with the `stiffness` (m, 3) of the edge across from each corner, held `hard` at spots,
    each the mean of some vertices by shares; each vertex also `softly` (n,) where it is."""

    triangles: Rows
    stiffness: Floats
    spots: Spots
    hard: float
    softly: Floats
    factor: Factor

    @classmethod
    def of(
        cls, rest: Floats, triangles: Ints, spots: Spots, stiff: Floats | None = None, reach: float | None = None
    ) -> Sheet:
        """A mesh at rest (n, 2) that is held at spots. A triangle is `stiff` (m,) times as much as others; spots reach
        about `reach` px, or over the whole. Pieces that no spot holds stay where they are drawn."""
        count = len(rest)
        cotangents, areas = _cotangents(rest, triangles)
        stiffness = cotangents / 2 * (1.0 if stiff is None else stiff[:, None])
        spread = np.zeros(count)
        np.add.at(spread, triangles, (areas / 3)[:, None] * np.ones(3))
        softly = spread / reach**2 if reach else np.zeros(count)
        pairs = np.concatenate([triangles[:, [1, 2]], triangles[:, [2, 0]], triangles[:, [0, 1]]])
        values = stiffness.T.ravel()
        ends = np.concatenate([pairs, pairs[:, ::-1]])
        edges = csr_array((np.tile(-values, 2), (ends[:, 0], ends[:, 1])), (count, count))
        matrix = edges + diags_array(-np.asarray(edges.sum(1)).ravel() + softly)
        hard = HARD * float(np.abs(matrix.diagonal()).mean())
        held = spots.matrix(count)
        _, island = connected_components(abs(edges), directed=False)
        loose = ~np.isin(island, island[spots.vertices])  # pieces that no spot holds stay where they are
        softly = softly + loose
        matrix = csc_array(matrix + diags_array(loose.astype(np.float64)) + hard * (held.T @ held))
        return cls(triangles.astype(np.uint32), stiffness, spots, hard, softly, Factor.of(matrix))

    def settle(
        self, drawn: Floats, targets: Floats, out: Floats, rounds: int = ROUNDS, turns: Floats | None = None,
        steady: float = STEADY,
    ) -> None:  # fmt: skip
        """Fill `out` (n, 2) with where the mesh lies that is drawn at (n, 2) when its spots are held at targets (k, 2),
        after so many rounds, or when one moves it by less than `steady` px. The first `turns` (m, 2) of triangles are
        guessed unless told. It depends on nothing but these."""
        factor, spots = self.factor, self.spots
        told = turns is not None
        turns = np.empty((len(self.triangles), 2)) if turns is None else turns
        settled(self.triangles, self.stiffness, spots.starts, spots.vertices, spots.shares, self.hard, self.softly,
                drawn, targets, turns, told, factor.order, factor.starts, factor.rows, factor.values, factor.inverse,
                rounds, steady, out)  # fmt: skip

    def energy(self, drawn: Floats, there: Floats) -> float:
        """How far triangles drawn at (n, 2) and lying there (n, 2) are from turned ones, over their areas."""
        return float(energy_of(self.triangles, self.stiffness, drawn, there))


def _cotangents(rest: Floats, triangles: Ints) -> tuple[Floats, Floats]:
    """The cotangent of each corner's angle (m, 3) and the areas (m,) of triangles, whichever way round they are."""
    corners = rest[triangles]
    found, areas = np.empty((len(triangles), 3)), np.empty(len(triangles))
    for k in range(3):
        a, b = corners[:, (k + 1) % 3] - corners[:, k], corners[:, (k + 2) % 3] - corners[:, k]
        double = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])
        areas = double / 2
        found[:, k] = (a * b).sum(1) / np.maximum(double, 1e-9)
    return found, areas


@njit(cache=True, nogil=True, fastmath=True)
def _stiff_edges(triangles: Rows, stiffness: Floats, drawn: Floats, edges: Floats) -> float:
    """Fill `edges` (m, 6) with those of triangles drawn at (n, 2), across from each corner, times their stiffness.
    Gives the sum of their squares by their stiffness."""
    total = 0.0
    for t in range(len(triangles)):
        i, j, k = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        a, b, c = stiffness[t, 0], stiffness[t, 1], stiffness[t, 2]
        ax, ay = drawn[k, 0] - drawn[j, 0], drawn[k, 1] - drawn[j, 1]
        bx, by = drawn[i, 0] - drawn[k, 0], drawn[i, 1] - drawn[k, 1]
        cx, cy = drawn[j, 0] - drawn[i, 0], drawn[j, 1] - drawn[i, 1]
        total += a * (ax * ax + ay * ay) + b * (bx * bx + by * by) + c * (cx * cx + cy * cy)
        edges[t, 0], edges[t, 1] = a * ax, a * ay
        edges[t, 2], edges[t, 3] = b * bx, b * by
        edges[t, 4], edges[t, 5] = c * cx, c * cy
    return total


@njit(cache=True, nogil=True, fastmath=True)
def _pull(
    triangles: Rows, stiffness: Floats, edges: Floats, there: Floats, turns: Floats, told: bool, right: Floats
) -> float:  # fmt: skip
    """Add to `right` (n, 2) what turned triangles with stiff `edges` (m, 6) pull at, each by the best turn as it lies
    `there` (n, 2), or by those `told` (m, 2), cosine and sine. Gives twice their energy there, less that of the edges.
    """
    total = 0.0
    for t in range(len(triangles)):
        i, j, k = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ax, ay, bx, by, cx, cy = edges[t, 0], edges[t, 1], edges[t, 2], edges[t, 3], edges[t, 4], edges[t, 5]
        if told:
            cos, sin = turns[t, 0], turns[t, 1]
        else:
            ux, uy = there[k, 0] - there[j, 0], there[k, 1] - there[j, 1]
            vx, vy = there[i, 0] - there[k, 0], there[i, 1] - there[k, 1]
            wx, wy = there[j, 0] - there[i, 0], there[j, 1] - there[i, 1]
            dot = ax * ux + ay * uy + bx * vx + by * vy + cx * wx + cy * wy
            cross = ax * uy - ay * ux + bx * vy - by * vx + cx * wy - cy * wx
            size = math.sqrt(dot * dot + cross * cross)
            total += (
                stiffness[t, 0] * (ux * ux + uy * uy) + stiffness[t, 1] * (vx * vx + vy * vy)
                + stiffness[t, 2] * (wx * wx + wy * wy) - 2 * size
            )  # fmt: skip
            cos, sin = (dot / size, cross / size) if size > 1e-12 else (1.0, 0.0)
        x, y = cos * ax - sin * ay, sin * ax + cos * ay
        u, v = cos * bx - sin * by, sin * bx + cos * by
        w, z = cos * cx - sin * cy, sin * cx + cos * cy
        right[i, 0] += u - w
        right[i, 1] += v - z
        right[j, 0] += w - x
        right[j, 1] += z - y
        right[k, 0] += x - u
        right[k, 1] += y - v
    return total


@njit(cache=True, nogil=True, fastmath=True)
def _guessed(triangles: Rows, drawn: Floats, spots: Floats, targets: Floats, turns: Floats) -> None:
    """Fill `turns` (m, 2), cosine and sine, with what takes spots (k, 2) nearest to their targets (k, 2) around each
    triangle, those nearby counting more (moving least squares: Schaefer, McPhail & Warren 2006)."""
    count = len(spots)
    weights = np.empty(count)
    for t in range(len(triangles)):
        x = (drawn[triangles[t, 0], 0] + drawn[triangles[t, 1], 0] + drawn[triangles[t, 2], 0]) / 3
        y = (drawn[triangles[t, 0], 1] + drawn[triangles[t, 1], 1] + drawn[triangles[t, 2], 1]) / 3
        total = ax = ay = bx = by = 0.0
        for k in range(count):
            dx, dy = spots[k, 0] - x, spots[k, 1] - y
            weights[k] = 1 / (dx * dx + dy * dy + 1e-6)
            total += weights[k]
            ax += weights[k] * spots[k, 0]
            ay += weights[k] * spots[k, 1]
            bx += weights[k] * targets[k, 0]
            by += weights[k] * targets[k, 1]
        ax, ay, bx, by = ax / total, ay / total, bx / total, by / total
        dot = cross = 0.0
        for k in range(count):
            px, py, qx, qy = spots[k, 0] - ax, spots[k, 1] - ay, targets[k, 0] - bx, targets[k, 1] - by
            dot += weights[k] * (px * qx + py * qy)
            cross += weights[k] * (px * qy - py * qx)
        size = math.sqrt(dot * dot + cross * cross)
        turns[t, 0], turns[t, 1] = (dot / size, cross / size) if size > 1e-9 * total else (1.0, 0.0)


@njit(cache=True, nogil=True, fastmath=True)
def _dot(one: Floats, other: Floats) -> float:
    total = 0.0
    for k in range(len(one)):
        total += one[k] * other[k]
    return total


@njit(cache=True, nogil=True, fastmath=True)
def _add(there: Floats, share: float, other: Floats) -> None:
    for k in range(len(there)):
        there[k] += share * other[k]


@njit(cache=True, nogil=True, fastmath=True)
def _extrapolate(known: int, steps: Floats, results: Floats, rest: Floats, there: Floats) -> None:
    """Go on from a result `there` (n,), whose step was `rest` (n,), by what earlier `steps` and `results` (h, n)
    changed by, so that least of the step would be left (Anderson 1965)."""
    matrix, right = np.zeros((known, known)), np.zeros(known)
    for a in range(known):
        for b in range(a + 1):
            matrix[a, b] = matrix[b, a] = _dot(steps[a], steps[b])
        right[a] = _dot(steps[a], rest)
    trace = 0.0
    for a in range(known):
        trace += matrix[a, a]
    if trace <= 1e-18:
        return
    for a in range(known):
        matrix[a, a] += 1e-10 * trace
    for a in range(known):  # Gaussian elimination; the matrix is positive
        for b in range(a + 1, known):
            share = matrix[b, a] / matrix[a, a]
            matrix[b, a:] -= share * matrix[a, a:]
            right[b] -= share * right[a]
    shares = np.empty(known)
    for a in range(known - 1, -1, -1):
        shares[a] = (right[a] - (matrix[a, a + 1 :] * shares[a + 1 :]).sum()) / matrix[a, a]
    for a in range(known):
        _add(there, -shares[a], results[a])


@njit(cache=True, nogil=True)
def settled(
    triangles: Rows, stiffness: Floats, at: Ints, vertices: Ints, shares: Floats, hard: float, softly: Floats,
    drawn: Floats, targets: Floats, turns: Floats, told: bool, order: Rows, starts: Rows, rows: Rows, values: Floats,
    inverse: Floats, rounds: int, steady: float, out: Floats,
) -> None:  # fmt: skip
    """See `Sheet.settle`."""
    count = len(drawn)
    held, work, right = np.empty((count, 2)), np.empty((count, 2)), np.empty((count, 2))
    spots = np.zeros((len(targets), 2))
    for v in range(count):
        for axis in range(2):
            held[v, axis] = softly[v] * drawn[v, axis]
    for k in range(len(targets)):
        for j in range(at[k], at[k + 1]):
            for axis in range(2):
                spots[k, axis] += shares[j] * drawn[vertices[j], axis]
                held[vertices[j], axis] += hard * shares[j] * targets[k, axis]
    if not told:
        _guessed(triangles, drawn, spots, targets, turns)
    edges = np.empty((len(triangles), 6))
    _stiff_edges(triangles, stiffness, drawn, edges)
    right[:] = held
    _pull(triangles, stiffness, edges, out, turns, True, right)
    solve(order, starts, rows, values, inverse, right, work)
    here, reached, last = right.copy(), right.copy(), np.inf
    steps, results = np.empty((HISTORY, 2 * count)), np.empty((HISTORY, 2 * count))
    step, before, known = np.empty(2 * count), np.empty(2 * count), -1
    result, end, start, aim = right.reshape(-1), reached.reshape(-1), here.reshape(-1), held.reshape(-1)
    for _ in range(rounds - 1):
        result[:] = aim
        energy = _pull(triangles, stiffness, edges, here, turns, False, right)
        for v in range(count):
            for axis in range(2):
                energy += softly[v] * (here[v, axis] - drawn[v, axis]) ** 2
        if energy > last:  # gone too far: back to where the last round alone had led
            known = -1
            start[:] = end
            result[:] = aim
            energy = _pull(triangles, stiffness, edges, here, turns, False, right)
        last = energy
        solve(order, starts, rows, values, inverse, right, work)
        most = 0.0
        for k in range(2 * count):
            step[k] = result[k] - start[k]
            most = max(most, abs(step[k]))
        if most < steady:
            end[:] = result
            break
        if known >= 0:
            slot = known % HISTORY
            for k in range(2 * count):
                steps[slot, k], results[slot, k] = step[k] - before[k], result[k] - end[k]
        known += 1
        before[:] = step
        end[:] = result
        start[:] = result
        if known > 0:
            _extrapolate(min(known, HISTORY), steps, results, step, start)
    out[:] = reached


@njit(cache=True, nogil=True)
def energy_of(triangles: Rows, stiffness: Floats, drawn: Floats, there: Floats) -> float:
    """See `Sheet.energy`."""
    edges, right = np.empty((len(triangles), 6)), np.zeros((len(drawn), 2))
    total = _stiff_edges(triangles, stiffness, drawn, edges)
    total += _pull(triangles, stiffness, edges, there, np.empty((0, 2)), False, right)
    return 0.5 * float(total)
