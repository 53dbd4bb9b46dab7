"""Lattices: a grid of handles, smooth over the whole or only near the one that is dragged.

A place is moved by what the grid makes of how far each handle is moved; handles moved by an affine map take all places
in the grid along just so. What lies outside is moved as the edge next to it is.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import ClassVar

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.evaluate.program import Floats32, Ints32
from kunstgriff.figure.warps import Lattice
from kunstgriff.warp.basis import Reals, by_cell, carried_on, local_sums, local_sums_by_cell, powers_of, smooth_sums

Floats = NDArray[np.float64]
Ints = NDArray[np.intp]


@dataclass(frozen=True)
class Grid:
    """A lattice as numbers: its frame, and how it sums."""

    origin: Floats
    inverse: Floats
    columns: int
    rows: int
    local: bool
    by_place: ClassVar[bool] = True

    @classmethod
    def of(cls, lattice: Lattice) -> Grid:
        origin, right, low = (np.array(one, np.float64) for one in lattice.corners)
        frame = np.stack([right - origin, low - origin], 1)
        return cls(origin, np.linalg.inv(frame).astype(np.float64), lattice.columns, lattice.rows, lattice.local)

    @cached_property
    def even(self) -> Floats:
        """Where the handles are as laid (rows * columns, 2), figure space."""
        across, down = np.meshgrid(np.linspace(0, 1, self.columns), np.linspace(0, 1, self.rows))
        return self.origin + np.stack([across.ravel(), down.ravel()], 1) @ np.linalg.inv(self.inverse).T

    @property
    def cell(self) -> Floats:
        """From one handle to the next across and down, at most (2,), px along the figure's axes."""
        across, down = np.linalg.inv(self.inverse).T
        return np.asarray(across / (self.columns - 1) + down / (self.rows - 1))

    def coordinates(self, points: Floats) -> Floats:
        """Places (n, 2) of the figure in the grid, across and down (2, n) in [-1, 1]; what lies outside is taken to its
        edge."""
        found = np.empty((2, len(points)))
        put_in(points, self.origin, self.inverse, found)
        return found

    def ready(self, moves: Floats) -> Floats:
        """How far each handle is moved (rows * columns, 2), made ready to be summed."""
        values = moves.T.reshape(2, self.rows, self.columns)
        return carried_on(values) if self.local else powers_of(self.rows) @ values @ powers_of(self.columns).T

    def sharpest(self, moves: Floats) -> float:
        """The most by which what the handles do bends anywhere, for moves of theirs (rows * columns, 2): the sum of the
        second derivatives along the two directions of the grid, 1 / px."""
        values, total = moves.T.reshape(2, self.rows, self.columns), 0.0
        across, down = np.linalg.inv(self.inverse).T
        for axis, side, count in ((2, across, self.columns), (1, down, self.rows)):
            if count > 2:
                second = float(np.hypot(*np.diff(values, 2, axis)).max())
                pieces = (count - 1) ** 2 if self.local else (count - 1) * (count - 2)
                total += pieces * second / float(side @ side)
        return total

    def cells(self, coordinates: Reals) -> tuple[Ints, Ints32]:
        """An order of coordinates (2, n) in which those of each cell follow one another, and the cells that have any
        (k, 4): column, row, first and last + 1 in that order."""
        size = np.array([[self.columns - 1], [self.rows - 1]])
        column, row = np.minimum(((coordinates + 1) / 2 * size).astype(np.intp), size - 1)
        number = row * (self.columns - 1) + column
        order = np.argsort(number, kind="stable")
        there, starts = np.unique(number[order], return_index=True)
        rows, columns = np.divmod(there, self.columns - 1)
        ends = np.append(starts[1:], len(number))[: len(starts)]
        return order, np.stack([columns, rows, starts, ends], 1).astype(np.int32)

    def sums(self, ready: Reals, coordinates: Reals, out: Reals) -> None:
        """Fill `out` (2, n) with how far what lies at coordinates is moved."""
        if self.local:
            local_sums(coordinates[0], coordinates[1], ready, out)
        else:
            smooth_sums(coordinates[0], coordinates[1], ready, out)

    def moved(self, moves: Floats, points: Floats) -> Floats:
        """How far points (n, 2) of the figure are moved (n, 2) when the handles are."""
        out = np.empty((2, len(points)))
        self.sums(self.ready(moves), self.coordinates(points), out)
        return out.T

    def holding(self, points: Floats, _shape: Floats) -> tuple[Ints, HeldInGrid]:
        """Points (n, 2) ready to be moved again and again, and the order (n,) in which they are held."""
        order, cells = self.cells(self.coordinates(points))
        return order, HeldInGrid(self, np.ascontiguousarray(self.coordinates(points[order]), np.float32), cells)


@dataclass(frozen=True)
class HeldInGrid:
    """Points by their coordinates (2, n) in a grid, in the order of the `cells` (k, 4) they lie in."""

    grid: Grid
    coordinates: Floats32
    cells: Ints32

    def sums(self, moves: Floats, out: Floats32) -> None:
        """Fill `out` (2, n) with how far they are moved when the handles are."""
        grid, ready = self.grid, self.grid.ready(moves)
        if grid.local:
            powers, size = by_cell(ready).astype(np.float32), (grid.columns, grid.rows)
            local_sums_by_cell(self.coordinates[0], self.coordinates[1], self.cells, powers, size, out)
        else:
            grid.sums(ready.astype(np.float32), self.coordinates, out)


@njit(cache=True, nogil=True)
def put_in(points: Floats, origin: Floats, inverse: Floats, coordinates: Floats) -> None:
    """Fill the coordinates (2, n) in a grid of points (n, 2)."""
    for v in range(len(points)):
        x, y = points[v, 0] - origin[0], points[v, 1] - origin[1]
        coordinates[0, v] = min(max(2 * (inverse[0, 0] * x + inverse[0, 1] * y) - 1, -1.0), 1.0)
        coordinates[1, v] = min(max(2 * (inverse[1, 0] * x + inverse[1, 1] * y) - 1, -1.0), 1.0)
