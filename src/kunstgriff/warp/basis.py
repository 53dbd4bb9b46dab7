"""Displacing many vertices by a grid of control points: smooth over the whole, or locally.

Over the whole the grid is a tensor product of Bernstein polynomials (Sederberg & Parry 1986, in the plane), summed by
Horner's rule in powers of the two coordinates. Locally it is a uniform cubic B-spline (Lee, Wolberg & Shin 1997) whose
grid goes on beyond its edge evenly, so that both reproduce every affine map of the grid exactly.
"""

from __future__ import annotations

from functools import lru_cache
from math import comb
from typing import Any

import numpy as np
from numba import njit
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

BLOCK = 256  # vertices at a time: their coordinates and sums stay in the first cache

Floats = NDArray[np.float64]
Reals = NDArray[np.floating[Any]]  # of single precision while posing, of double elsewhere


@lru_cache(maxsize=16)
def powers_of(count: int) -> Floats:
    """What turns `count` Bernstein coefficients over [0, 1] into coefficients of powers of u = 2s - 1 (count, count):
    row i is what of each goes into the i-th. About the middle they stay small, so that 12 of them lose no digits.

    >>> powers_of(2).tolist()
    [[0.5, 0.5], [-0.5, 0.5]]
    """
    degree = count - 1
    table = np.zeros((count, count))
    for k in range(count):  # C(d, k) s^k (1 - s)^(d - k), s = (1 + u) / 2, 1 - s = (1 - u) / 2
        factors = np.poly1d([1.0, 1.0]) ** k * np.poly1d([-1.0, 1.0]) ** (degree - k)
        coefficients = factors.coeffs[::-1] if degree else np.ones(1)
        table[: len(coefficients), k] = comb(degree, k) * coefficients / 2.0**degree
    table.setflags(write=False)
    return table


@njit(cache=True, fastmath=True)
def _times_plus(sums: Reals, at: Reals, add: float) -> None:
    for v in range(len(sums)):
        sums[v] = sums[v] * at[v] + add


@njit(cache=True, fastmath=True)
def _times_plus_each(sums: Reals, at: Reals, add: Reals) -> None:
    for v in range(len(sums)):
        sums[v] = sums[v] * at[v] + add[v]


@njit(cache=True, fastmath=True, nogil=True)
def smooth_sums(across: Reals, down: Reals, grid: Reals, out: Reals) -> None:
    """Fill `out` (2, n) with the sums over coordinates in [-1, 1] `across` and `down` (n,) for coefficients of powers
    `grid` (2, rows, columns)."""
    rows, columns = grid.shape[1], grid.shape[2]
    line = np.empty(BLOCK, across.dtype)
    for first in range(0, len(across), BLOCK):
        last = min(first + BLOCK, len(across))
        s, t, one = across[first:last], down[first:last], line[: last - first]
        for axis in range(2):
            total = out[axis, first:last]
            total[:] = 0.0
            for row in range(rows - 1, -1, -1):
                one[:] = grid[axis, row, columns - 1]
                for column in range(columns - 2, -1, -1):
                    _times_plus(one, s, grid[axis, row, column])
                _times_plus_each(total, t, one)


@njit(cache=True, fastmath=True, nogil=True)
def local_sums(across: Reals, down: Reals, grid: Reals, out: Reals) -> None:
    """Fill `out` (2, n) with a uniform cubic B-spline over coordinates in [-1, 1], for control values `grid` (2, rows +
    2, columns + 2) that were `carried_on` beyond the edge."""
    rows, columns = grid.shape[1] - 2, grid.shape[2] - 2
    for v in range(len(across)):
        s, t = (across[v] + 1) / 2 * (columns - 1), (down[v] + 1) / 2 * (rows - 1)
        i, j = min(int(s), columns - 2), min(int(t), rows - 2)
        a, b, c, d = _pieces(s - i)
        weights = _pieces(t - j)
        for axis in range(2):
            total = 0.0
            for k in range(4):
                row = grid[axis, j + k]
                total += weights[k] * (a * row[i] + b * row[i + 1] + c * row[i + 2] + d * row[i + 3])
            out[axis, v] = total


# row p: what of each of four neighbouring control values goes into the p-th power of a place in [0, 1] between them
PIECE = np.array([[1.0, 4.0, 1.0, 0.0], [-3.0, 0.0, 3.0, 0.0], [3.0, -6.0, 3.0, 0.0], [-1.0, 3.0, -3.0, 1.0]]) / 6


@njit(cache=True, fastmath=True, nogil=True)
def local_sums_by_cell(
    across: Reals, down: Reals, cells: NDArray[np.int32], powers: Reals, size: tuple[int, int], out: Reals
) -> None:
    """The same as `local_sums` for coordinates that are sorted by the `cells` (k, 4) they lie in: column, row, the
    first of the coordinates there and the one after the last. `powers` (2, rows - 1, columns - 1, 4, 4) are the
    coefficients in each (`by_cell`), `size` the columns and rows."""
    s, t, one = np.empty(BLOCK, across.dtype), np.empty(BLOCK, across.dtype), np.empty(BLOCK, across.dtype)
    wide, high = across.dtype.type((size[0] - 1) / 2), across.dtype.type((size[1] - 1) / 2)
    for k in range(len(cells)):
        i, j = cells[k, 0], cells[k, 1]
        for first in range(cells[k, 2], cells[k, 3], BLOCK):
            last = min(first + BLOCK, cells[k, 3])
            n = last - first
            for v in range(n):
                s[v] = (across[first + v] + 1) * wide - i
                t[v] = (down[first + v] + 1) * high - j
            for axis in range(2):
                total, table = out[axis, first:last], powers[axis, j, i]
                total[:] = 0
                for row in range(3, -1, -1):
                    one[:n] = table[row, 3]
                    for column in range(2, -1, -1):
                        _times_plus(one[:n], s[:n], table[row, column])
                    _times_plus_each(total, t[:n], one[:n])


def by_cell(wide: Reals) -> Reals:
    """Coefficients of powers in each cell (2, rows - 1, columns - 1, 4, 4) of control values that were `carried_on`."""
    pieces = sliding_window_view(wide, (4, 4), (1, 2))
    return np.ascontiguousarray(PIECE @ pieces @ PIECE.T)


@njit(inline="always")
def _pieces(u: float) -> tuple[float, float, float, float]:
    """The four weights at a place in [0, 1] of a piece of a uniform cubic B-spline."""
    w = 1 - u
    return (
        w * w * w / 6,
        (3 * u * u * u - 6 * u * u + 4) / 6,
        (3 * w * w * w - 6 * w * w + 4) / 6,
        u * u * u / 6,
    )


def carried_on(values: Floats) -> Floats:
    """Control values (2, rows, columns) with one more row and column on each side, going on evenly.

    >>> carried_on(np.array([[[0.0, 1.0], [2.0, 3.0]]] * 2))[0, 1].tolist()
    [-1.0, 0.0, 1.0, 2.0]
    """
    wide = np.concatenate(
        [2 * values[..., :1] - values[..., 1:2], values, 2 * values[..., -1:] - values[..., -2:-1]], 2
    )
    return np.concatenate([2 * wide[:, :1] - wide[:, 1:2], wide, 2 * wide[:, -1:] - wide[:, -2:-1]], 1)


def sums_at(across: Floats, down: Floats, values: Floats, smooth: bool) -> Floats:
    """What a grid of control values (2, rows, columns) makes at coordinates in [-1, 1] (n,): (2, n)."""
    out = np.empty((2, len(across)))
    if smooth:
        rows, columns = values.shape[1:]
        smooth_sums(across, down, powers_of(rows) @ values @ powers_of(columns).T, out)
    else:
        local_sums(across, down, carried_on(values), out)
    return out
