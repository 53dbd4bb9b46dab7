"""Warps in an evaluation: parts reshaped by handles that are dragged and tied to bones.

A vertex is moved by what its warp makes of how far each handle is from where it was laid, at the place where the vertex
was drawn; so a warp at rest does nothing. What is dragged at rest reshapes the rest itself, before bones bend it. What
is posed comes after the bones: it is worked out as if what carries the warp were at rest, and turned and stretched as
that is. A bone that a handle is tied to moves it by a share of how far it takes it away from there.

Where several warps reshape one part, each finds its vertices where those before it put them.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.evaluate.program import MATRICES, Block, Build, Floats32, Ints32, Node, vertices_of
from kunstgriff.evaluate.state import AS_IT_IS, RigState
from kunstgriff.figure.model import Figure
from kunstgriff.figure.sets import parts_of_drawing
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.warps import Handle, Lattice, Warp
from kunstgriff.warp.cage import Polygon
from kunstgriff.warp.lattice import Grid

STILL = 1e-9  # px a handle may be off and count as where it was laid

Floats = NDArray[np.float64]
Ints = NDArray[np.intp]


class Held(Protocol):
    """Points that a warp moves again and again."""

    def sums(self, moves: Floats, out: Floats32) -> None:
        """Fill `out` (2, n) with how far they are moved when the handles are moved (k, 2)."""


class Form(Protocol):
    """A warp as numbers: what it makes of moves of its handles. It is linear in them, and affine maps go through it."""

    @property
    def even(self) -> Floats:
        """Where its handles are as laid (k, 2)."""

    def moved(self, moves: Floats, points: Floats) -> Floats:
        """How far points (n, 2) of the figure are moved (n, 2)."""

    def holding(self, points: Floats) -> tuple[Ints, Held]:
        """Points (n, 2) ready to be moved again and again, and the order (n,) in which they are held."""


def form_of(warp: Warp) -> Form:
    """A warp of any kind as numbers."""
    return Grid.of(warp) if isinstance(warp, Lattice) else Polygon.of(warp)


def shape_of(warp: Warp, form: Form) -> Floats:
    """How far each handle was dragged at rest (k, 2)."""
    return np.array([one.place for one in warp.handles], np.float64) - form.even


def as_laid(warp: Warp) -> tuple[Handle, ...]:
    """The handles of a warp where they were laid."""
    even = form_of(warp).even
    return tuple(
        one.model_copy(update={"place": (float(x), float(y))}) for one, (x, y) in zip(warp.handles, even, strict=True)
    )


def covered(figure: Figure, warp: Warp) -> frozenset[str]:
    """The parts a warp reshapes."""
    return frozenset(part.id for ref in warp.of for part in parts_of_drawing(figure, ref))


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
def add_apart(moves: Floats32, rows: Ints32, apart: Floats32) -> None:
    """Add moves (2, n) of some rows (n,) to how far vertices are apart (all, 2) from their rest."""
    for v in range(len(rows)):
        apart[rows[v], 0] += moves[0, v]
        apart[rows[v], 1] += moves[1, v]


@dataclass(frozen=True)
class Under:
    """Vertices under a warp by their `rows` (n,) among all, held where they lie at rest when those before it in the
    figure have done what was dragged there.

    Where others reshape them as well, they lie at `shaped` (n, 2) there, and this one takes them `on` (2, n) at rest.
    """

    rows: Ints32
    held: Held
    shaped: Floats32
    on: Floats32

    @classmethod
    def of(cls, form: Form, rows: list[Ints32], shaped: Floats, shape: Floats) -> Under:
        """Those of some blocks, which lie at `shaped` (all, 2)."""
        chosen = np.concatenate([np.zeros(0, np.int32), *rows])
        order, held = form.holding(shaped[chosen])
        chosen = chosen[order]
        on = form.moved(shape, shaped[chosen]).T.astype(np.float32)
        return cls(chosen, held, shaped[chosen].astype(np.float32), np.ascontiguousarray(on))


class Chained:
    """What several warps over the same vertices hand on in one evaluation: how far each vertex is `apart` (all, 2) from
    where it lies at rest, as if nothing else posed it, and which of the warps were `posed` (w,), by themselves or by
    one before them."""

    def __init__(self, vertices: int, warps: int) -> None:
        self.apart, self.posed = np.zeros((vertices, 2), np.float32), np.zeros(warps, np.bool_)


@dataclass(frozen=True)
class Place:
    """Where a warp stands among those of a figure: its `number`, those `before` it over some of the same vertices, and
    the rows (n,) of vertices that it is the first over of several."""

    number: int
    before: tuple[int, ...]
    first_over: Ints32


@dataclass(frozen=True)
class Warped:
    """One warp in an evaluation: vertices that it reshapes `alone`, and those that others reshape as well."""

    form: Form
    shape: Floats
    places: Floats
    first: int
    carrier: int
    ties: tuple[Ints, Ints, Floats]
    alone: Under
    together: Under
    chain: object
    place: Place
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
            self.alone.held.sums(moves, out)
            add_turned(out, matrix, self.alone.rows, rig.vertices)
        if len(self.together.rows):
            self._together(rig, moves, posed, matrix)

    def _together(self, rig: RigState, moves: Floats, posed: bool, matrix: Floats) -> None:
        """What this one of several warps adds to where the others before it put their vertices."""
        under, place = self.together, self.place
        chain = rig.buffer(self.chain, lambda: Chained(len(rig.vertices), len(rig.program.figure.warps)))
        chain.apart[place.first_over] = 0.0
        after_others = any(chain.posed[number] for number in place.before)
        chain.posed[place.number] = posed or after_others
        if not chain.posed[place.number]:
            return
        out = rig.buffer(under, lambda: np.empty_like(under.on))
        if after_others:
            at = under.shaped.astype(np.float64) + chain.apart[under.rows]
            out[:] = self.form.moved(moves + self.shape, at).T
            out -= under.on
        else:  # what it does is the sum of what is dragged at rest and posed
            under.held.sums(moves, out)
        add_apart(out, under.rows, chain.apart)
        add_turned(out, matrix, under.rows, rig.vertices)


_STILL = np.array(AS_IT_IS)


class _Chain:
    """Stands for what all warps of a program share in a state."""


def warping(build: Build, figure: Figure, stores: Stores) -> Iterator[Node]:
    """A node for each warp of a figure, in their order."""
    over = [covered(figure, one) for one in figure.warps]
    blocks, index = build.nets.blocks, build.skeleton.index
    shaped, chain, first = build.nets.drawn.astype(np.float64), _Chain(), 0
    for number, (warp, parts) in enumerate(zip(figure.warps, over, strict=True)):
        form = form_of(warp)
        shape = shape_of(warp, form)
        alone, together, opened = list[Ints32](), list[Ints32](), [np.zeros(0, np.int32)]
        for block in blocks.values():
            if block.part.id in parts:
                rows = np.arange(block.start, block.start + block.count, dtype=np.int32)
                several = sum(block.part.id in one for one in over) > 1
                (together if several else alone).append(rows)
                if several and not any(block.part.id in one for one in over[:number]):
                    opened.append(rows)
        ties = [(k, index[tie.bone], tie.share) for k, one in enumerate(warp.handles) for tie in one.ties]
        refs = frozenset(vertices_of(ref) for ref, block in blocks.items() if block.part.id in parts)
        node = Warped(
            form=form,
            shape=shape,
            places=np.array([one.place for one in warp.handles], np.float64),
            first=first,
            carrier=index[warp.bone] if warp.bone is not None else -1,
            ties=(
                np.array([one[0] for one in ties], np.intp),
                np.array([one[1] for one in ties], np.intp),
                np.array([one[2] for one in ties], np.float64),
            ),
            alone=Under.of(form, alone, shaped, shape),
            together=Under.of(form, together, shaped, shape),
            chain=chain,
            place=Place(
                number, tuple(k for k in range(number) if over[k] & parts), np.concatenate(opened).astype(np.int32)
            ),
            reads=frozenset({MATRICES}) | refs,
            writes=refs,
        )
        for under in (node.alone, node.together):
            shaped[under.rows] += under.on.T
        first += len(warp.handles)
        yield node


def reshaped(figure: Figure, blocks: dict[str, Block], rest: Floats32) -> Floats32:
    """The rest with what was dragged at rest done to it, one warp after the other."""
    shaped: dict[str, Floats] = {}
    for warp in figure.warps:
        form = form_of(warp)
        shape = shape_of(warp, form)
        if np.abs(shape).max() <= STILL:
            continue
        over = covered(figure, warp)
        for ref, block in blocks.items():
            if block.part.id in over:
                now = shaped.get(ref)
                if now is None:
                    now = rest[block.start : block.start + block.count].astype(np.float64)
                shaped[ref] = now + form.moved(shape, now)
    if not shaped:
        return rest
    after = rest.copy()
    for ref, now in shaped.items():
        block = blocks[ref]
        after[block.start : block.start + block.count] = now
    return after
