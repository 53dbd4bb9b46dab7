"""Lattices: parts reshaped by a grid of handles.

A vertex is moved by what the grid makes of how far each handle is from where it was laid evenly, at the place where the
vertex was drawn; so a lattice at rest does nothing, and one whose handles are moved by an affine map does just that to
all in it. What is dragged at rest reshapes the rest itself, before bones bend it. What is posed comes after the bones:
it is worked out as if what carries the lattice were at rest, and turned and stretched as that is. A bone that a handle
is tied to moves it by a share of how far it takes it away from there.

Where several lattices reshape one part, each finds its vertices where those before it put them.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.evaluate.program import MATRICES, Block, Build, Floats32, Ints32, Node, vertices_of
from kunstgriff.evaluate.state import AS_IT_IS, RigState
from kunstgriff.figure.model import Figure
from kunstgriff.figure.sets import parts_of_drawing
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.warps import Lattice
from kunstgriff.warp.basis import Reals, by_cell, carried_on, local_sums, local_sums_by_cell, powers_of, smooth_sums

STILL = 1e-9  # px a handle may be off and count as where it was laid

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
        return np.clip(2 * self.inverse @ (points - self.origin).T - 1, -1.0, 1.0)

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


def shape_of(lattice: Lattice, grid: Grid) -> Floats:
    """How far each handle was dragged at rest (rows * columns, 2)."""
    return np.array([one.place for one in lattice.handles], np.float64) - grid.even


def covered(figure: Figure, lattice: Lattice) -> frozenset[str]:
    """The parts a lattice reshapes."""
    return frozenset(part.id for ref in lattice.of for part in parts_of_drawing(figure, ref))


@njit(cache=True)
def tied(
    places: Floats, handles: Ints, bones: Ints, shares: Floats, matrices: Floats, carrier: Floats, moves: Floats
) -> None:
    """Add to `moves` (n, 2) how far ties move handles lying at `places` (n, 2), in the frame of `carrier` (6,)."""
    a, b, c, d, e, f = carrier
    area = a * d - b * c
    if abs(area) < 1e-12:
        return
    for k in range(len(handles)):
        h, m = handles[k], matrices[bones[k]]
        x, y = places[h]
        px, py = m[0] * x + m[2] * y + m[4] - e, m[1] * x + m[3] * y + m[5] - f
        moves[h, 0] += shares[k] * ((d * px - c * py) / area - x)
        moves[h, 1] += shares[k] * ((a * py - b * px) / area - y)


@njit(cache=True, nogil=True)
def add_turned(moves: Floats32, carrier: Floats, rows: Ints32, vertices: Floats32) -> None:
    """Add moves (2, n), turned and stretched as `carrier` (6,) is, to the vertices of some rows (n,)."""
    a, b, c, d = np.float32(carrier[0]), np.float32(carrier[1]), np.float32(carrier[2]), np.float32(carrier[3])
    for v in range(len(rows)):
        x, y = moves[0, v], moves[1, v]
        vertices[rows[v], 0] += a * x + c * y
        vertices[rows[v], 1] += b * x + d * y


@njit(cache=True, nogil=True)
def put_in(
    shaped: Floats32, apart: Floats32, rows: Ints32, origin: Floats, inverse: Floats, coordinates: Floats32
) -> None:
    """Fill the coordinates (2, n) in a grid of vertices lying at `shaped` (n, 2), moved `apart` (all, 2) from there."""
    for v in range(len(rows)):
        x, y = shaped[v, 0] + apart[rows[v], 0] - origin[0], shaped[v, 1] + apart[rows[v], 1] - origin[1]
        coordinates[0, v] = min(max(2 * (inverse[0, 0] * x + inverse[0, 1] * y) - 1, -1.0), 1.0)
        coordinates[1, v] = min(max(2 * (inverse[1, 0] * x + inverse[1, 1] * y) - 1, -1.0), 1.0)


@njit(cache=True, nogil=True)
def add_apart(moves: Floats32, rows: Ints32, apart: Floats32) -> None:
    """Add moves (2, n) of some rows (n,) to how far vertices are apart (all, 2) from their rest."""
    for v in range(len(rows)):
        apart[rows[v], 0] += moves[0, v]
        apart[rows[v], 1] += moves[1, v]


@dataclass(frozen=True)
class Under:
    """Vertices under a lattice by their `rows` (n,) among all, and their coordinates in the grid (2, n) where they lie
    at rest when those before it in the figure have done what was dragged there.

    They are in the order of the `cells` (k, 4) they lie in. Where others reshape them as well, they lie at `shaped` (n,
    2) there, and this one takes them `on` (2, n) at rest.
    """

    rows: Ints32
    coordinates: Floats32
    cells: Ints32
    shaped: Floats32
    on: Floats32

    @classmethod
    def of(cls, grid: Grid, rows: list[Ints32], shaped: Floats, shape: Floats) -> Under:
        """Those of some blocks, which lie at `shaped` (all, 2)."""
        chosen = np.concatenate([np.zeros(0, np.int32), *rows])
        order, cells = grid.cells(grid.coordinates(shaped[chosen]))
        chosen = chosen[order]
        at = np.ascontiguousarray(grid.coordinates(shaped[chosen]), np.float32)
        on = grid.moved(shape, shaped[chosen]).T.astype(np.float32)
        return cls(chosen, at, cells, shaped[chosen].astype(np.float32), np.ascontiguousarray(on))

    def sums(self, grid: Grid, moves: Floats, out: Floats32) -> None:
        """Fill `out` (2, n) with how far they are moved when the handles are, from where they lie at rest."""
        ready = grid.ready(moves)
        if grid.local:
            powers, size = by_cell(ready).astype(np.float32), (grid.columns, grid.rows)
            local_sums_by_cell(self.coordinates[0], self.coordinates[1], self.cells, powers, size, out)
        else:
            grid.sums(ready.astype(np.float32), self.coordinates, out)


class Chained:
    """What several lattices over the same vertices hand on in one evaluation: how far each vertex is from where it lies
    at rest (all, 2), as if nothing else posed it, and whether any is."""

    def __init__(self, count: int) -> None:
        self.apart, self.posed = np.zeros((count, 2), np.float32), False

    def begin(self) -> None:
        if self.posed:
            self.apart[:] = 0.0
        self.posed = False


@dataclass(frozen=True)
class Latticed:
    """One lattice in an evaluation: vertices that it reshapes `alone`, and those that others reshape as well."""

    grid: Grid
    shape: Floats
    places: Floats
    first: int
    carrier: int
    ties: tuple[Ints, Ints, Floats]
    alone: Under
    together: Under
    chain: object
    reads: frozenset[str]
    writes: frozenset[str]

    def run(self, rig: RigState) -> None:
        matrix = rig.matrices[self.carrier] if self.carrier >= 0 else _STILL
        moves = rig.program.channels.seen(rig.values, "shift")[self.first : self.first + len(self.places)].copy()
        tied(self.places + moves, *self.ties, rig.matrices, matrix, moves)
        now = self.places + moves
        rig.handles[self.first : self.first + len(now)] = now @ matrix[:4].reshape(2, 2) + matrix[4:]
        posed = bool(np.abs(moves).max() > STILL)
        if posed and len(self.alone.rows):
            out = rig.buffer(self.alone, lambda: np.empty_like(self.alone.on))
            self.alone.sums(self.grid, moves, out)
            add_turned(out, matrix, self.alone.rows, rig.vertices)
        if len(self.together.rows):
            self._together(rig, moves, posed, matrix)

    def _together(self, rig: RigState, moves: Floats, posed: bool, matrix: Floats) -> None:
        """What this one of several lattices adds to where the others before it put their vertices."""
        under = self.together
        chain = rig.buffer(self.chain, lambda: Chained(len(rig.vertices)))
        if self.first == 0:
            chain.begin()
        if not (posed or chain.posed):
            return
        out = rig.buffer(under, lambda: np.empty_like(under.on))
        if chain.posed:
            at = rig.buffer(under.rows, lambda: np.empty_like(under.on))
            put_in(under.shaped, chain.apart, under.rows, self.grid.origin, self.grid.inverse, at)
            self.grid.sums(self.grid.ready(moves + self.shape).astype(np.float32), at, out)
            out -= under.on
        else:  # what it does is the sum of what is dragged at rest and posed
            under.sums(self.grid, moves, out)
        add_apart(out, under.rows, chain.apart)
        chain.posed = True
        add_turned(out, matrix, under.rows, rig.vertices)


_STILL = np.array(AS_IT_IS)


class _Chain:
    """Stands for what all lattices of a program share in a state."""


def lattices(build: Build, figure: Figure, stores: Stores) -> Iterator[Node]:
    """A node for each lattice of a figure, in their order."""
    over = [covered(figure, one) for one in figure.warps]
    blocks, index = build.nets.blocks, build.skeleton.index
    shaped, chain, first = build.nets.drawn.astype(np.float64), _Chain(), 0
    for lattice, parts in zip(figure.warps, over, strict=True):
        grid = Grid.of(lattice)
        shape = shape_of(lattice, grid)
        alone, together = list[Ints32](), list[Ints32]()
        for block in blocks.values():
            if block.part.id in parts:
                rows = np.arange(block.start, block.start + block.count, dtype=np.int32)
                (together if sum(block.part.id in one for one in over) > 1 else alone).append(rows)
        ties = [(k, index[tie.bone], tie.share) for k, one in enumerate(lattice.handles) for tie in one.ties]
        refs = frozenset(vertices_of(ref) for ref, block in blocks.items() if block.part.id in parts)
        node = Latticed(
            grid=grid,
            shape=shape,
            places=np.array([one.place for one in lattice.handles], np.float64),
            first=first,
            carrier=index[lattice.bone] if lattice.bone is not None else -1,
            ties=(
                np.array([one[0] for one in ties], np.intp),
                np.array([one[1] for one in ties], np.intp),
                np.array([one[2] for one in ties], np.float64),
            ),
            alone=Under.of(grid, alone, shaped, shape),
            together=Under.of(grid, together, shaped, shape),
            chain=chain,
            reads=frozenset({MATRICES}) | refs,
            writes=refs,
        )
        for under in (node.alone, node.together):
            shaped[under.rows] += under.on.T
        first += len(lattice.handles)
        yield node


def reshaped(figure: Figure, blocks: dict[str, Block], rest: Floats32) -> Floats32:
    """The rest with what was dragged at rest done to it, one lattice after the other."""
    shaped: dict[str, Floats] = {}
    for lattice in figure.warps:
        grid = Grid.of(lattice)
        shape = shape_of(lattice, grid)
        if np.abs(shape).max() <= STILL:
            continue
        over = covered(figure, lattice)
        for ref, block in blocks.items():
            if block.part.id in over:
                now = shaped.get(ref)
                if now is None:
                    now = rest[block.start : block.start + block.count].astype(np.float64)
                shaped[ref] = now + grid.moved(shape, now)
    if not shaped:
        return rest
    after = rest.copy()
    for ref, now in shaped.items():
        block = blocks[ref]
        after[block.start : block.start + block.count] = now
    return after
