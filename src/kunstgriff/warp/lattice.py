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

from kunstgriff.evaluate.program import MATRICES, Block, Build, Floats32, Node, vertices_of
from kunstgriff.evaluate.state import AS_IT_IS, RigState
from kunstgriff.figure.model import Figure
from kunstgriff.figure.sets import parts_of_drawing
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.warps import Lattice
from kunstgriff.warp.basis import carried_on, local_sums, powers_of, smooth_sums

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

    def sums(self, ready: Floats, coordinates: Floats, out: Floats) -> None:
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


@njit(cache=True)
def add_turned(out: Floats, carrier: Floats, start: int, vertices: Floats32) -> None:
    """Add moves (2, n), turned and stretched as `carrier` (6,) is, to vertices from `start` on."""
    a, b, c, d = carrier[0], carrier[1], carrier[2], carrier[3]
    for v in range(out.shape[1]):
        x, y = out[0, v], out[1, v]
        vertices[start + v, 0] += a * x + c * y
        vertices[start + v, 1] += b * x + d * y


@dataclass(frozen=True)
class Under:
    """A block of vertices under a lattice: where it lies among all, its coordinates in the grid (2, n) as it was
    `drawn` (n, 2). It is the `number`-th lattice of `chain` many over the block, which is told by `ref`."""

    ref: str
    start: int
    count: int
    coordinates: Floats
    drawn: Floats
    number: int
    chain: int


class Chained:
    """Where the lattices so far put a block that has several, as if nothing else posed it: posed, and at rest."""

    def __init__(self, drawn: Floats) -> None:
        self.posed, self.shaped = drawn.copy(), drawn.copy()


@dataclass(frozen=True)
class Latticed:
    """One lattice in an evaluation."""

    grid: Grid
    shape: Floats
    places: Floats
    first: int
    carrier: int
    ties: tuple[Ints, Ints, Floats]
    under: tuple[Under, ...]
    chains: object
    reads: frozenset[str]
    writes: frozenset[str]

    def run(self, rig: RigState) -> None:
        matrix = rig.matrices[self.carrier] if self.carrier >= 0 else _STILL
        moves = rig.program.channels.seen(rig.values, "shift")[self.first : self.first + len(self.places)].copy()
        tied(self.places + moves, *self.ties, rig.matrices, matrix, moves)
        now = self.places + moves
        rig.handles[self.first : self.first + len(now)] = now @ matrix[:4].reshape(2, 2) + matrix[4:]
        posed = bool(np.abs(moves).max() > STILL)
        ready = self.grid.ready(moves) if posed else None
        for block in self.under:
            out = rig.buffer(block, lambda count=block.count: np.empty((2, count)))  # type: ignore[misc]
            if block.chain > 1:
                self._chained(rig, block, moves, out)
            elif ready is not None:
                self.grid.sums(ready, block.coordinates, out)
            else:
                continue
            add_turned(out, matrix, block.start, rig.vertices)

    def _chained(self, rig: RigState, block: Under, moves: Floats, out: Floats) -> None:
        """Fill `out` with what this one of several lattices adds by being posed."""
        chains: dict[str, Chained] = rig.buffer(self.chains, dict)
        if block.number == 0:
            chains[block.ref] = Chained(block.drawn)
        chain = chains[block.ref]
        posed = self.grid.moved(moves + self.shape, chain.posed)
        shaped = self.grid.moved(self.shape, chain.shaped)
        chain.posed += posed
        chain.shaped += shaped
        out[:] = (posed - shaped).T


_STILL = np.array(AS_IT_IS)


def lattices(build: Build, figure: Figure, stores: Stores) -> Iterator[Node]:
    """A node for each lattice of a figure, in their order."""
    over = {one.id: covered(figure, one) for one in figure.warps}
    numbers: dict[str, int] = {}
    blocks = build.nets.blocks
    many = {ref: sum(block.part.id in refs for refs in over.values()) for ref, block in blocks.items()}
    chains = _Chains()
    first = 0
    for lattice in figure.warps:
        grid = Grid.of(lattice)
        under = []
        for ref, block in blocks.items():
            if block.part.id not in over[lattice.id]:
                continue
            drawn = build.nets.drawn[block.start : block.start + block.count].astype(np.float64)
            number = numbers.get(ref, 0)
            numbers[ref] = number + 1
            at = grid.coordinates(drawn)
            under.append(Under(ref, block.start, block.count, at, drawn, number, many[ref]))
        index = build.skeleton.index
        ties = [(k, index[tie.bone], tie.share) for k, one in enumerate(lattice.handles) for tie in one.ties]
        refs = frozenset(vertices_of(one.ref) for one in under)
        yield Latticed(
            grid=grid,
            shape=shape_of(lattice, grid),
            places=np.array([one.place for one in lattice.handles], np.float64),
            first=first,
            carrier=index[lattice.bone] if lattice.bone is not None else -1,
            ties=(
                np.array([one[0] for one in ties], np.intp),
                np.array([one[1] for one in ties], np.intp),
                np.array([one[2] for one in ties], np.float64),
            ),
            under=tuple(under),
            chains=chains,
            reads=frozenset({MATRICES}) | refs,
            writes=refs,
        )
        first += len(lattice.handles)


class _Chains:
    """Stands for what all lattices of a program share in a state."""


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
