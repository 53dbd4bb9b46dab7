"""Warps in an evaluation: parts reshaped by handles that are dragged and tied to bones.

A vertex is moved by what its warp makes of how far each handle is from where it was laid, at the place where the vertex
was drawn; so a warp at rest does nothing. What is dragged at rest reshapes the rest itself, before bones bend it. What
is posed comes after the bones: it is worked out as if what carries the warp were at rest, and turned and stretched as
that is. A bone that a handle is tied to moves it by a share of how far it takes it away from there, a part that it
rides on as the spot under it.

Where several warps reshape one part, lattices and cages find its vertices where those before them put them; curves hold
on to them where they were drawn. Handles of those before are moved along.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import ClassVar, Protocol

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.binding.mesh import spots_on
from kunstgriff.evaluate.program import Block, Build, Floats32, Ints32, Node
from kunstgriff.evaluate.stale import vertices_of
from kunstgriff.evaluate.state import AS_IT_IS, RigState
from kunstgriff.figure.model import Figure
from kunstgriff.figure.sets import parts_of_drawing
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.warps import Cage, Curve, Handle, Lattice, Tacks, Warp
from kunstgriff.warp.cage import Polygon
from kunstgriff.warp.curve import Line
from kunstgriff.warp.lattice import Grid
from kunstgriff.warp.tacks import gone_by, tacked, tie_arrays

STILL = 1e-9  # px a handle may be off and count as where it was laid

Floats = NDArray[np.float64]
Ints = NDArray[np.intp]


class Held(Protocol):
    """Points that a warp moves again and again."""

    def sums(self, moves: Floats, out: Floats32) -> None:
        """Fill `out` (2, n) with how far they are moved from their rest when the handles are."""


class Form(Protocol):
    """A warp as numbers: what it makes of moves of its handles, to the right and downwards (k, 2) and for a curve how
    wide it is there (k, 3). What goes `by_place` is linear in them and depends on where a point is now."""

    by_place: ClassVar[bool]

    @property
    def even(self) -> Floats:
        """Where its handles are as laid (k, 2)."""

    def moved(self, moves: Floats, points: Floats) -> Floats:
        """How far points (n, 2) of the figure are moved (n, 2)."""

    def holding(self, points: Floats, shape: Floats) -> tuple[Ints, Held]:
        """Points (n, 2) as drawn, ready to be moved again and again while the handles are moved by `shape` at rest, and
        the order (n,) in which they are held."""


Shaped = Lattice | Cage | Curve  # warps that reshape places, whatever mesh there is; tacks need the mesh


def form_of(warp: Shaped) -> Form:
    """A warp as numbers."""
    if isinstance(warp, Curve):
        return Line.of(warp)
    return Polygon.of(warp) if isinstance(warp, Cage) else Grid.of(warp)


def shape_of(warp: Shaped, form: Form) -> Floats:
    """How far each handle was dragged at rest (k, 2), and how wide it was made (k, 3)."""
    dragged = np.array([one.place for one in warp.handles], np.float64) - form.even
    if isinstance(warp, Curve):
        return np.column_stack([dragged, np.log([one.width for one in warp.handles])])
    return dragged


def as_laid(warp: Warp) -> tuple[Handle, ...]:
    """The handles of a warp where they were laid; tacks lie nowhere else."""
    if isinstance(warp, Tacks):
        return warp.handles
    even = form_of(warp).even
    wide = {"width": 1.0} if isinstance(warp, Curve) else {}
    return tuple(
        one.model_copy(update={"place": (float(x), float(y)), **wide})
        for one, (x, y) in zip(warp.handles, even, strict=True)
    )


def covered(figure: Figure, warp: Warp) -> frozenset[str]:
    """The parts a warp reshapes."""
    return frozenset(part.id for ref in warp.of for part in parts_of_drawing(figure, ref))


def without_warps(figure: Figure, *gone: Warp) -> Figure:
    """The figure without some warps and their handles, wherever these are posed."""
    return figure.without([ref for warp in gone for ref in (warp.id, *(one.id for one in warp.handles))])


def dragged_alone(figure: Figure) -> Figure:
    """The figure with only what its warps do by being dragged at rest: without tacks, and with handles that follow
    nothing."""
    warps = tuple(
        one.model_copy(
            update={"handles": tuple(each.model_copy(update={"ties": (), "rides": None}) for each in one.handles)}
        )
        for one in figure.warps
        if not isinstance(one, Tacks)
    )
    gone = (warp for warp in figure.warps if isinstance(warp, Tacks))
    return without_warps(figure, *gone).replace(warps=warps)


@njit(cache=True, nogil=True)
def gathered(
    shifts: Floats, widths: Floats, places: Floats, shape: Floats, tied: Ints, bones: Ints, shares: Floats,
    riding: Ints, corners: Ints, weights: Floats, rest: Floats32, vertices: Floats32, matrices: Floats, carrier: Floats,
    moves: Floats, handles: Floats,
) -> tuple[bool, bool]:  # fmt: skip
    """Fill `moves` (n, 2) or (n, 3) with how far handles at `places` (n, 2) are moved in the frame of `carrier` (6,) by
    what is posed, by bones they are tied to and by triangles they ride on, `handles` (n, 2) with where they are.

    Tells whether anything is moved, and whether anything is with what was dragged at rest, `shape` (n, 2 or 3).
    """
    count, wide = moves.shape
    a, b, c, d, e, f = carrier
    area = a * d - b * c
    for k in range(count):
        moves[k, 0], moves[k, 1] = shifts[k, 0], shifts[k, 1]
        if wide > 2:
            moves[k, 2] = math.log(widths[k])
    if abs(area) > 1e-12:
        for k in range(len(tied)):
            h, m = tied[k], matrices[bones[k]]
            x, y = places[h, 0] + shifts[h, 0], places[h, 1] + shifts[h, 1]
            px, py = m[0] * x + m[2] * y + m[4] - e, m[1] * x + m[3] * y + m[5] - f
            moves[h, 0] += shares[k] * ((d * px - c * py) / area - x)
            moves[h, 1] += shares[k] * ((a * py - b * px) / area - y)
        for k in range(len(riding)):
            h = riding[k]
            x, y = places[h, 0] + shifts[h, 0], places[h, 1] + shifts[h, 1]
            px, py = x - e, y - f
            for corner in range(3):
                row = corners[k, corner]
                px += weights[k, corner] * (vertices[row, 0] - rest[row, 0])
                py += weights[k, corner] * (vertices[row, 1] - rest[row, 1])
            moves[h, 0] += (d * px - c * py) / area - x
            moves[h, 1] += (a * py - b * px) / area - y
    most = all_in_all = 0.0
    for k in range(count):
        x, y = places[k, 0] + moves[k, 0], places[k, 1] + moves[k, 1]
        handles[k, 0], handles[k, 1] = a * x + c * y + e, b * x + d * y + f
        for axis in range(wide):
            most = max(most, abs(moves[k, axis]))
            all_in_all = max(all_in_all, abs(moves[k, axis] + shape[k, axis]))
    return most > STILL, all_in_all > STILL


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
        order, held = form.holding(shaped[chosen], shape)
        chosen = chosen[order]
        on = np.zeros((2, len(chosen)), np.float32)
        if np.abs(shape).max() > STILL:
            on[:] = form.moved(shape, shaped[chosen]).T
        return cls(chosen, held, shaped[chosen].astype(np.float32), on)


class Chained:
    """What several warps over the same vertices hand on in one evaluation: how far each vertex is `apart` (all, 2) from
    where it lies at rest, as if nothing else posed it, and which of the warps were `posed` (w,), by themselves or by
    one before them. Of those `used` (w,) the vertices that each is the first over are still apart from before."""

    def __init__(self, vertices: int, warps: int) -> None:
        self.apart = np.zeros((vertices, 2), np.float32)
        self.posed, self.used = np.zeros(warps, np.bool_), np.zeros(warps, np.bool_)


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
    rides: tuple[Ints, Ints, Floats]
    handles_before: Ints
    alone: Under
    together: Under
    chain: object
    place: Place
    reads: frozenset[str]
    writes: frozenset[str]

    def run(self, rig: RigState) -> None:
        matrix = rig.matrices[self.carrier] if self.carrier >= 0 else _STILL
        moves, shifts, widths, handles = rig.buffer(self, lambda: self._views(rig))
        posed, shaped = gathered(
            shifts, widths, self.places, self.shape, *self.ties, *self.rides, rig.program.rest, rig.vertices,
            rig.matrices, matrix, moves, handles,
        )  # fmt: skip
        if shaped and len(self.handles_before):
            self._take_handles_along(rig, moves, matrix)
        if posed and len(self.alone.rows):
            out = rig.buffer(self.alone, lambda: np.empty_like(self.alone.on))
            self.alone.held.sums(moves, out)
            add_turned(out, matrix, self.alone.rows, rig.vertices)
        if len(self.together.rows):
            self._together(rig, moves, posed, matrix)

    def _views(self, rig: RigState) -> tuple[Floats, Floats, Floats, Floats]:
        """Room for how its handles are moved, and what of a state is of them: shifts, widths and where they lie."""
        mine, channels = slice(self.first, self.first + len(self.places)), rig.program.channels
        shifts, widths = (channels.seen(rig.values, name)[mine] for name in ("shift", "width"))
        return np.empty_like(self.shape), shifts, widths, rig.handles[mine]

    def _take_handles_along(self, rig: RigState, moves: Floats, matrix: Floats) -> None:
        """Move the handles of warps before this one over the same parts as the art under them."""
        turn = matrix[:4].reshape(2, 2)
        here = (rig.handles[self.handles_before] - matrix[4:]) @ np.linalg.pinv(turn)
        rig.handles[self.handles_before] += self.form.moved(moves + self.shape, here) @ turn

    def _together(self, rig: RigState, moves: Floats, posed: bool, matrix: Floats) -> None:
        """What this one of several warps adds to where the others before it put their vertices."""
        under, place = self.together, self.place
        chain = rig.buffer(self.chain, lambda: Chained(len(rig.vertices), len(rig.program.figure.warps)))
        if chain.used[place.number]:
            chain.apart[place.first_over] = 0.0
            chain.used[place.number] = False
        after_others = any(chain.posed[number] for number in place.before)
        chain.posed[place.number] = posed or after_others
        if not chain.posed[place.number]:
            return
        out = rig.buffer(under, lambda: np.empty_like(under.on))
        if after_others and self.form.by_place:
            at = under.shaped.astype(np.float64) + chain.apart[under.rows]
            out[:] = self.form.moved(moves + self.shape, at).T
            out -= under.on
        else:  # what it does is the sum of what is dragged at rest and posed
            under.held.sums(moves, out)
        chain.used[[*place.before, place.number]] = True
        add_apart(out, under.rows, chain.apart)
        add_turned(out, matrix, under.rows, rig.vertices)


_STILL = np.array(AS_IT_IS)


class _Chain:
    """Stands for what all warps of a program share in a state."""


def warping(build: Build, figure: Figure, stores: Stores) -> Iterator[Node]:
    """A node for each warp of a figure, in their order."""
    over = [covered(figure, one) for one in figure.warps]
    reshaping = [
        frozenset() if isinstance(one, Tacks) else parts for one, parts in zip(figure.warps, over, strict=True)
    ]
    blocks, index = build.nets.blocks, build.skeleton.index
    rest, shaped, chain = build.nets.rest.astype(np.float64), build.nets.drawn.astype(np.float64), _Chain()
    starts = np.cumsum([0, *(len(one.handles) for one in figure.warps)])
    for number, (warp, parts) in enumerate(zip(figure.warps, over, strict=True)):
        if isinstance(warp, Tacks):
            for part in parts & blocks.keys():
                yield tacked(build, warp, part, starts[number])
            continue
        form = form_of(warp)
        shape = shape_of(warp, form)
        alone, together, opened = list[Ints32](), list[Ints32](), [np.zeros(0, np.int32)]
        for block in blocks.values():
            if block.part.id in parts:
                rows = np.arange(block.start, block.start + block.count, dtype=np.int32)
                several = sum(block.part.id in one for one in reshaping) > 1
                (together if several else alone).append(rows)
                if several and not any(block.part.id in one for one in reshaping[:number]):
                    opened.append(rows)
        riding = [(k, one.rides, one.place) for k, one in enumerate(warp.handles) if one.rides is not None]
        spots = [spots_on(rest, blocks[ref].triangles, np.array([place])) for _, ref, place in riding]
        ties = [(k, index[tie.bone], tie.share) for k, one in enumerate(warp.handles) for tie in one.ties]
        refs = frozenset(vertices_of(ref) for ref, block in blocks.items() if block.part.id in parts)
        node = Warped(
            form=form,
            shape=shape,
            places=np.array([one.place for one in warp.handles], np.float64),
            first=starts[number],
            carrier=index[warp.bone] if warp.bone is not None else -1,
            ties=tie_arrays(ties),
            rides=(
                np.array([k for k, _, _ in riding], np.intp),
                np.array([corners[0] for corners, _ in spots], np.intp).reshape(-1, 3),
                np.array([shares[0] for _, shares in spots], np.float64).reshape(-1, 3),
            ),
            handles_before=np.concatenate(
                [np.zeros(0, np.intp)] + [np.arange(starts[k], starts[k + 1]) for k in range(number) if over[k] & parts]
            ),
            alone=Under.of(form, alone, shaped, shape),
            together=Under.of(form, together, shaped, shape),
            chain=chain,
            place=Place(
                number, tuple(k for k in range(number) if reshaping[k] & parts), np.concatenate(opened).astype(np.int32)
            ),
            reads=refs | gone_by(warp) | {vertices_of(one.rides) for one in warp.handles if one.rides},
            writes=refs,
        )
        for under in (node.alone, node.together):
            shaped[under.rows] += under.on.T
        yield node


def reshaped(figure: Figure, blocks: dict[str, Block], rest: Floats32) -> Floats32:
    """The rest with what was dragged at rest done to it, one warp after the other."""
    shaped: dict[str, Floats] = {}
    for warp in figure.warps:
        if isinstance(warp, Tacks):
            continue
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
