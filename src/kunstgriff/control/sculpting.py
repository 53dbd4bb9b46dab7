"""Pulled vertices in an evaluation: laid-on shapes by their amount, correctives by how bones are turned.

Of one bone a corrective is monotone and cubic from sample to sample (Fritsch & Carlson 1980), of two bones its samples
are mixed by normalised radial basis functions (Lewis, Cordner & Fong 2000): exp(-√(r² + (w/10)²) / w) of the distance r
in degrees, w being how far samples lie apart on average. Either is exact at its samples, and nothing at rest.
What is pulled turns with each vertex's own blended rotation, after all else that shapes a part.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.binding.refit import carry_weights
from kunstgriff.control.curves import slopes_of
from kunstgriff.evaluate.posing import Channels
from kunstgriff.evaluate.program import Block, Build, Node
from kunstgriff.evaluate.stale import MATRICES, channels_of, matrix_of, starts_of, vertices_of
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.channels import addressed
from kunstgriff.figure.controls import Corrective, Sample, Sculpt
from kunstgriff.figure.model import Figure, Rider
from kunstgriff.figure.stores import Stores

Floats = NDArray[np.float64]
Floats32 = NDArray[np.float32]
Ints32 = NDArray[np.int32]
STILL = 1e-4  # px: vertices pulled by less are not pulled


class Weighers(NamedTuple):
    """What of a rig is laid on how far, as numbers.

    Correctives of one bone: its row and that of its parent (-1: none), where their knots begin in `ats` (degrees) and
    in the table of amounts, two for each knot: of the shape there, and of its slope. Those of two bones: rows and
    parents of both, where their `centres` (…, 2) begin and where each its matrix, how far apart they lie, and where
    their amounts begin.
    """

    bone: Ints32
    parent: Ints32
    first: Ints32
    ats: Floats
    amount: Ints32
    bones: Ints32
    parents: Ints32
    centre: Ints32
    centres: Floats
    matrix: Ints32
    matrices: Floats
    apart: Floats
    amounts: Ints32


@njit(inline="always")
def turn_of(bone: int, parent: int, angles: Floats) -> float:
    """How far a bone is turned against its parent, degrees."""
    turn = angles[bone] - (angles[parent] if parent >= 0 else 0.0)
    return float(turn * (180.0 / math.pi))


@njit(inline="always")
def basis(dx: float, dy: float, apart: float) -> float:
    """The radial basis function over a distance in degrees."""
    return float(math.exp(-math.sqrt(dx * dx + dy * dy + 0.01 * apart * apart) / apart))


@njit(cache=True, nogil=True)
def weigh(them: Weighers, angles: Floats, amounts: Floats) -> None:
    """Fill how far all that correctives lay on is on, `amounts` (t,), by the bones' `angles` (n,) in rad."""
    for one in range(len(them.bone)):
        turn = turn_of(them.bone[one], them.parent[one], angles)
        first, end, row = them.first[one], them.first[one + 1], them.amount[one]
        for k in range(row, row + 2 * (end - first)):
            amounts[k] = 0.0
        if turn <= them.ats[first]:
            amounts[row] = 1.0
        elif turn >= them.ats[end - 1]:
            amounts[row + 2 * (end - 1 - first)] = 1.0
        else:
            k = first
            while them.ats[k + 1] <= turn:
                k += 1
            width = them.ats[k + 1] - them.ats[k]
            t = (turn - them.ats[k]) / width
            u, at = 1 - t, row + 2 * (k - first)
            amounts[at], amounts[at + 1] = (1 + 2 * t) * u * u, t * u * u * width
            amounts[at + 2], amounts[at + 3] = t * t * (3 - 2 * t), -t * t * u * width
    for one in range(len(them.apart)):
        x = turn_of(them.bones[one, 0], them.parents[one, 0], angles)
        y = turn_of(them.bones[one, 1], them.parents[one, 1], angles)
        first, count = them.centre[one], them.centre[one + 1] - them.centre[one]
        total = 0.0
        for k in range(count):
            total += basis(x - them.centres[first + k, 0], y - them.centres[first + k, 1], them.apart[one])
        for j in range(count):
            amounts[them.amounts[one] + j] = 0.0
        for k in range(count):
            share = basis(x - them.centres[first + k, 0], y - them.centres[first + k, 1], them.apart[one]) / total
            for j in range(count):
                amounts[them.amounts[one] + j] += share * them.matrices[them.matrix[one] + k * count + j]


class Pulls(NamedTuple):
    """What is pulled in each block that anything is pulled in: its number, where its `members` begin and end, where its
    tables do, each with the number of its `amount` and where its `offsets` (…, 2) begin, one for each member."""

    block: Ints32
    first: Ints32
    members: Ints32
    table: Ints32
    amount: Ints32
    start: Ints32
    offsets: Floats32


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def pulled(
    pulls: Pulls, stale: NDArray[np.bool_], amounts: Floats, bones: Ints32, weights: Floats32, dual_numbers: Floats32,
    vertices: Floats32, sums: Floats32,
) -> None:  # fmt: skip
    """Pull the members of `stale` blocks by what is laid on, each turned as its vertex is. `sums` (m, 2) is
    overwritten."""
    for group in range(len(pulls.block)):
        if not stale[pulls.block[group]]:
            continue
        first, end, any_on = pulls.first[group], pulls.first[group + 1], False
        for table in range(pulls.table[group], pulls.table[group + 1]):
            amount = np.float32(amounts[pulls.amount[table]])
            if amount == 0.0:
                continue
            if not any_on:
                sums[: end - first] = np.float32(0.0)
                any_on = True
            start = pulls.start[table]
            for k in range(end - first):
                sums[k, 0] += amount * pulls.offsets[start + k, 0]
                sums[k, 1] += amount * pulls.offsets[start + k, 1]
        if not any_on:
            continue
        for k in range(end - first):
            dx, dy = sums[k, 0], sums[k, 1]
            if abs(dx) + abs(dy) < np.float32(1e-3):
                continue
            vertex, c, s = pulls.members[first + k], np.float32(0.0), np.float32(0.0)
            for j in range(4):
                if weights[vertex, j] > 0:
                    c += weights[vertex, j] * dual_numbers[bones[vertex, j], 0]
                    s += weights[vertex, j] * dual_numbers[bones[vertex, j], 1]
            size = c * c + s * s
            cosine, sine = np.float32(1.0), np.float32(0.0)
            if size > 0:
                cosine, sine = (c * c - s * s) / size, np.float32(2.0) * c * s / size
            vertices[vertex, 0] += cosine * dx - sine * dy
            vertices[vertex, 1] += sine * dx + cosine * dy


@dataclass(frozen=True)
class Sculpting:
    """All that is pulled in a figure. `shapes` (s, 2) are where the amount of each laid-on shape lies among the
    channels and among the amounts; `count` is how many of these there are."""

    weighers: Weighers
    pulls: Pulls
    shapes: Ints32
    count: int
    bones: Ints32
    weights: Floats32
    by_block: Mapping[str, frozenset[str]]
    reads: frozenset[str]
    writes: frozenset[str]

    def run(self, rig: RigState) -> None:
        amounts, sums = rig.buffer(
            self, lambda: (np.zeros(self.count), np.zeros((len(self.pulls.members), 2), np.float32))
        )
        amounts[self.shapes[:, 1]] = rig.values[self.shapes[:, 0]]
        weigh(self.weighers, rig.angles, amounts)
        pulled(self.pulls, rig.watch.stale, amounts, self.bones, self.weights, rig.dual_numbers, rig.vertices, sums)


@dataclass(frozen=True)
class Laid:
    """One thing that is laid on: what at each of its `places` (degrees of its bones; none of a laid-on shape), from
    which number on its amounts are, and what they go by."""

    samples: tuple[Sample, ...]
    places: tuple[tuple[float, ...], ...]
    amount: int
    reads: frozenset[str]

    @property
    def is_curve(self) -> bool:
        """Whether it goes by one bone: then it has two amounts for each place, the second of its slope."""
        return bool(self.places) and len(self.places[0]) == 1

    def tables(self, offsets: list[Floats]) -> Iterator[tuple[int, Floats]]:
        """The offsets (n, …) that each of its amounts lays on, of those at each place."""
        if not self.is_curve:
            yield from ((self.amount + k, one) for k, one in enumerate(offsets))
            return
        slopes = slopes_of(np.array([at for (at,) in self.places]), np.stack(offsets))
        for k, one in enumerate(offsets):
            yield self.amount + 2 * k, one
            yield self.amount + 2 * k + 1, slopes[k]


def sculpting(build: Build, figure: Figure, stores: Stores) -> Iterator[Node]:
    """One for all of the figure."""
    laid, shapes, weighers, count = _laid(build, figure)
    groups, reads = [], {}
    for ref, block in build.nets.blocks.items():
        mine = [one for one in laid if any(each.part == block.part.id for at in one.samples for each in at.sculpts)]
        if not mine or isinstance(block.part.binding, Rider):
            continue
        drawn = build.nets.drawn[block.start : block.start + block.count].astype(np.float64)
        tables = list[tuple[int, Floats]]()
        for one in mine:
            offsets = [pulled_by(at.sculpts, block.part.id, drawn, stores) for at in one.samples]
            tables += [(amount, table) for amount, table in one.tables(offsets) if np.abs(table).max() > STILL]
        if tables:
            members = np.flatnonzero(np.max([np.abs(table).max(1) for _, table in tables], 0) > STILL)
            groups.append((block, members, tables))
            reads[ref] = frozenset().union(*(one.reads for one in mine))
    if not groups:
        return
    writes = frozenset(map(vertices_of, reads))
    yield Sculpting(
        weighers, _pulls(groups), np.array(shapes, np.int32).reshape(-1, 2), count, build.nets.bones,
        build.nets.weights, reads, frozenset({MATRICES, *writes}).union(*reads.values()), writes,
    )  # fmt: skip


def _pulls(groups: list[tuple[Block, NDArray[np.intp], list[tuple[int, Floats]]]]) -> Pulls:
    starts, at = list[int](), 0
    for _, members, tables in groups:
        for _ in tables:
            starts.append(at)
            at += len(members)
    return Pulls(
        block=np.array([block.number for block, _, _ in groups], np.int32),
        first=starts_of(members for _, members, _ in groups),
        members=np.concatenate([members + block.start for block, members, _ in groups]).astype(np.int32),
        table=starts_of(tables for _, _, tables in groups),
        amount=np.array([amount for _, _, tables in groups for amount, _ in tables], np.int32),
        start=np.array(starts, np.int32),
        offsets=np.concatenate([table[members] for _, members, tables in groups for _, table in tables]).astype(
            np.float32
        ),
    )


def pulled_by(sculpts: Iterable[Sculpt], part: str, points: Floats, stores: Stores) -> Floats:
    """How far (n, 2) some sculpts pull points (n, 2) of a part at rest, each as the mesh it was made on says."""
    found = np.zeros_like(points)
    for one in sculpts:
        if one.part == part:
            found += taken_over(one, points, stores)
    return found


def taken_over(sculpt: Sculpt, points: Floats, stores: Stores) -> Floats:
    """How far (n, 2) it pulls points (n, 2) of the figure at rest: as the mesh it was made on says there."""
    offsets = stores.get_array(sculpt.offsets).astype(np.float64)
    vertices = stores.get_array(sculpt.vertices).astype(np.float64) + sculpt.place
    if vertices.shape == points.shape and np.abs(vertices - points).max() < STILL:
        return offsets
    return carry_weights(vertices, stores.get_array(sculpt.triangles), offsets.astype(np.float32), points)


def _laid(build: Build, figure: Figure) -> tuple[list[Laid], list[tuple[int, int]], Weighers, int]:
    """All that is laid on, where amounts of shapes lie (among channels, among amounts), and what weighs the rest."""
    channels, laid, shapes, count = Channels.of(figure), list[Laid](), list[tuple[int, int]](), 0
    for shape in figure.shapes:
        if shape.sculpts:
            shapes.append((channels.index[addressed(shape.id, "amount")], count))
            whole = Sample(at=(0.0,), sculpts=shape.sculpts)
            laid.append(Laid((whole,), (), count, frozenset({channels_of(shape.id)})))
            count += 1
    correctives, weighers, count = laid_by(build, figure, figure.correctives, count)
    return laid + correctives, shapes, weighers, count


def laid_by(
    build: Build, figure: Figure, some: Iterable[Corrective], count: int = 0
) -> tuple[list[Laid], Weighers, int]:
    """What some correctives lay on, with what weighs it, and how many amounts there are then; `count` of them are there
    already."""
    laid, curves, pairs = list[Laid](), list[tuple[Corrective, Laid]](), list[tuple[Corrective, Laid]]()
    for one in some:
        rest = (0.0,) * len(one.bones)
        by_place = {rest: Sample(at=rest), **{sample.at: sample for sample in one.samples}}
        places = tuple(sorted(by_place))
        if len(places) < 2:
            continue
        parents = [bone.parent for bone in figure.bones if bone.id in one.bones]
        reads = frozenset(map(matrix_of, filter(None, (*one.bones, *parents))))
        made = Laid(tuple(by_place[at] for at in places), places, count, reads)
        laid.append(made)
        (curves if made.is_curve else pairs).append((one, made))
        count += len(places) * (2 if made.is_curve else 1)
    return laid, _weighers(build, curves, pairs), count


def _weighers(build: Build, curves: list[tuple[Corrective, Laid]], pairs: list[tuple[Corrective, Laid]]) -> Weighers:
    index, parents = build.skeleton.index, build.skeleton.parents
    rows = np.array([index[one.bones[0]] for one, _ in curves], np.int32)
    both = np.array([[index[ref] for ref in one.bones] for one, _ in pairs], np.int32).reshape(-1, 2)
    matrices = [cardinals(np.array(made.places)) for _, made in pairs]
    return Weighers(
        bone=rows,
        parent=parents[rows],
        first=starts_of(made.places for _, made in curves),
        ats=np.array([at for _, made in curves for (at,) in made.places], np.float64),
        amount=np.array([made.amount for _, made in curves], np.int32),
        bones=both,
        parents=parents[both],
        centre=starts_of(made.places for _, made in pairs),
        centres=np.array([at for _, made in pairs for at in made.places], np.float64).reshape(-1, 2),
        matrix=starts_of(one.ravel() for one, _ in matrices),
        matrices=np.concatenate([np.zeros(0), *(one.ravel() for one, _ in matrices)]),
        apart=np.array([apart for _, apart in matrices], np.float64),
        amounts=np.array([made.amount for _, made in pairs], np.int32),
    )


def cardinals(centres: Floats) -> tuple[Floats, float]:
    """The matrix (n, n) by which normalised radial basis functions about `centres` (n, 2) become 1 at one of them and
    0 at the others, and how far these lie apart on average, each from the nearest."""
    away = np.hypot(*(centres[:, None] - centres[None]).transpose(2, 0, 1))
    np.fill_diagonal(away, np.inf)
    apart = float(away.min(1).mean())
    np.fill_diagonal(away, 0.0)
    values = np.exp(-np.sqrt(away**2 + 0.01 * apart**2) / apart)
    return np.linalg.pinv(values / values.sum(1, keepdims=True)), apart


def mixed_at(offsets: Mapping[tuple[float, ...], Floats], at: tuple[float, ...]) -> Floats:
    """What a corrective lays on (n, …) at turns of its bones, of the offsets (n, …) at its samples."""
    zero = np.zeros_like(next(iter(offsets.values())))
    by_place = {(0.0,) * len(at): zero, **offsets}
    places = sorted(by_place)
    stack = np.stack([by_place[place] for place in places])
    if len(at) == 1:
        ats = np.array([place for (place,) in places])
        turn = float(np.clip(at[0], ats[0], ats[-1]))
        k = min(int(np.searchsorted(ats, turn, "right")) - 1, len(ats) - 2)
        slopes, width = slopes_of(ats, stack), ats[k + 1] - ats[k]
        t = (turn - ats[k]) / width
        one, other = (1 + 2 * t) * stack[k] + t * width * slopes[k], (3 - 2 * t) * stack[k + 1]
        return np.asarray((1 - t) ** 2 * one + t * t * (other - (1 - t) * width * slopes[k + 1]))
    matrix, apart = cardinals(np.array(places))
    near = np.exp(-np.sqrt(((np.array(places) - at) ** 2).sum(1) + 0.01 * apart**2) / apart)
    return np.asarray(np.tensordot(near / near.sum() @ matrix, stack, 1))
