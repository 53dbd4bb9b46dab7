"""Reaches in an evaluation: chains whose end goes to a goal, and bones that look at one or keep how they lie in the
world, one after another in the figure's order.

Each goes by where the bones lie when those before it are done. A reach turns the joints of its chain, stretches its
bones where it may and must, and what hangs on them is worked out anew. With a `share` below 1 it does only so much of
that. A chain whose inner joints are turned in the pose stays bent to that side.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from itertools import pairwise
from typing import Any, ClassVar

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.binding.mesh import spots_on
from kunstgriff.control.chains import PUSHED, bend_of, eased_distance, far, reached, two_turned_over, wrapped
from kunstgriff.evaluate.program import Build, Node, Skeleton
from kunstgriff.evaluate.stale import MATRICES, matrix_of, starts_of
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.controls import Aim, Counter, Look, Reach
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.model import Bone, Figure, Point
from kunstgriff.figure.stores import Stores
from kunstgriff.skeleton.bones import with_descendants
from kunstgriff.skeleton.kinematics import forward, forward_of

Floats = NDArray[np.float64]
Floats32 = NDArray[np.float32]
Ints32 = NDArray[np.int32]
SLIGHT = 1e-5  # rad of a bend that says nothing of its side
UNLIMITED = 1e6  # rad a joint without limits may turn
BEHIND, BACK = math.radians(150), math.radians(180)  # a goal there is looked at less and less, so that nothing jumps
REACHES, LOOKS, COUNTERS = range(3)
ALONG, LEVEL, OWN = range(3)  # how a foot goes


def chain_of(figure: Figure, tip: str, count: int) -> list[Bone]:
    """So many bones back from the one with the `tip`, by its id, the first of them first. Raises EditRefused where they
    are no chain that can reach."""
    found: list[Bone] = []
    bone = figure.bone(tip)
    while bone is not None and len(found) < count:
        found.insert(0, bone)
        bone = figure.bone(bone.parent) if bone.parent is not None else None
    if len(found) < 2:
        raise EditRefused("One bone alone reaches for nothing; a reach takes two at least.")
    if len(found) < count:
        raise EditRefused(f"Only {len(found)} bones lie between the root and the tip of “{found[-1].name}”.")
    for bone, (start, stop) in zip(found, pairwise(spots_at_rest(found)), strict=True):
        if math.dist(start, stop) < 1e-6:
            raise EditRefused(f"“{bone.name}” has no length, so nothing reaches with it.")
    return found


def spots_at_rest(chain: list[Bone]) -> list[Point]:
    """Its joints and its tip as they are drawn."""
    return [*(bone.joint for bone in chain), chain[-1].tip]


@njit(inline="always")
def hung(rows: Ints32, weights: Floats, matrices: Floats, x: float, y: float) -> tuple[float, float]:
    """Where a place at rest lies that hangs on bones (4,) by weights (4,); on the world where the first is -1."""
    if rows[0] < 0:
        return x, y
    px = py = 0.0
    for k in range(4):
        if weights[k] > 0.0:
            m = matrices[rows[k]]
            px += weights[k] * (m[0] * x + m[2] * y + m[4])
            py += weights[k] * (m[1] * x + m[3] * y + m[5])
    return px, py


@njit(cache=True, nogil=True)
def reach(
    chain: Ints32, tip: Floats, side: float, stretch_by: float, soft: float, foot: int, held: bool, low: Floats,
    high: Floats, foot_turn: float, share: float, joints: Floats, turn: Floats, stretch: Floats, matrices: Floats,
    angles: Floats, goal: Floats, spots: Floats, lowest: Floats, highest: Floats, turns: Floats, aim: Floats,
) -> None:  # fmt: skip
    """Turn and stretch the bones of a chain (n,) so that its end, `tip` (2,) at rest, goes to its `goal` (2,). A `foot`
    that is `held` comes to lie at `foot_turn` (degrees) in the world, else it turns by that. The last five are
    overwritten."""
    count = len(chain)
    for k in range(count + 1):
        m = matrices[chain[min(k, count - 1)]]
        x, y = (tip[0], tip[1]) if k == count else (joints[chain[k], 0], joints[chain[k], 1])
        spots[k, 0], spots[k, 1] = m[0] * x + m[2] * y + m[4], m[1] * x + m[3] * y + m[5]
    length = 0.0
    for k in range(count):
        length += far(spots[k + 1, 0] - spots[k, 0], spots[k + 1, 1] - spots[k, 1])
    dx, dy = goal[0] - spots[0, 0], goal[1] - spots[0, 1]
    distance = far(dx, dy)
    eased = eased_distance(distance, length, soft)
    longer = min(max(distance / max(eased, 1e-9), 1.0), 1 + stretch_by)
    ahead = longer * eased / max(distance, 1e-9)
    aim[0], aim[1] = spots[0, 0] + dx * ahead, spots[0, 1] + dy * ahead
    for k in range(count, 0, -1):
        spots[k, 0] = spots[0, 0] + longer * (spots[k, 0] - spots[0, 0])
        spots[k, 1] = spots[0, 1] + longer * (spots[k, 1] - spots[0, 1])
    bend, posed = bend_of(spots), False
    for k in range(1, count):
        posed = posed or turn[chain[k]] != 0.0
    if posed and abs(bend) > SLIGHT:  # it stays bent as it was turned by itself
        side = 1.0 if bend > 0 else -1.0
    for k in range(count):
        now = turn[chain[k]] * (math.pi / 180)
        lowest[k], highest[k] = min(low[k] - now, 0.0), max(high[k] - now, 0.0)
    if count == 2 and not posed and bend * side < 0.0 and SLIGHT < abs(bend) < PUSHED:
        two_turned_over(spots, aim, side, bend, lowest, highest, turns)
    else:
        reached(spots, aim, side, lowest, highest, turns)
    end = angles[chain[count - 1]]
    for k in range(count):
        turn[chain[k]] += share * turns[k] * (180 / math.pi)
        stretch[chain[k], 0] *= 1 + share * (longer - 1)
        end += share * turns[k]
    if foot >= 0:
        turn[foot] += share * (foot_turn - (end * (180 / math.pi) + turn[foot] if held else 0.0))


@njit(cache=True, nogil=True)
def look(
    bone: int, joint: Floats, goal: Floats, rest: Floats, least: float, most: float, low: float, high: float,
    share: float, turn: Floats, matrices: Floats, angles: Floats,
) -> None:  # fmt: skip
    """Turn a bone by a share of how far it must turn to see its `goal` (2,) as it sees it at `rest` (2,): from `least`
    to `most` rad and within its limits. What goes round behind it is looked at less and less."""
    m = matrices[bone]
    x, y = m[0] * joint[0] + m[2] * joint[1] + m[4], m[1] * joint[0] + m[3] * joint[1] + m[5]
    dx, dy = goal[0] - x, goal[1] - y
    if dx * dx + dy * dy < 1e-12:
        return
    ahead = math.atan2(rest[1] - joint[1], rest[0] - joint[0]) + angles[bone]
    off = wrapped(math.atan2(dy, dx) - ahead)
    behind = min(max((abs(off) - BEHIND) / (BACK - BEHIND), 0.0), 1.0)
    by = min(max(off, least), most) * (1 - behind * behind * (3 - 2 * behind)) * share
    now = turn[bone] * (math.pi / 180)
    by = min(max(by, min(low - now, 0.0)), max(high - now, 0.0))
    turn[bone] += by * (180 / math.pi)


@njit(cache=True, nogil=True)
def counter(
    bone: int, joint: Floats, turn_share: float, place_share: float, turn: Floats, move: Floats, matrices: Floats,
    angles: Floats,
) -> None:  # fmt: skip
    """Take back by shares how far what a bone hangs on turns it, and carries its joint."""
    m = matrices[bone]
    x, y = m[0] * joint[0] + m[2] * joint[1] + m[4], m[1] * joint[0] + m[3] * joint[1] + m[5]
    move[bone, 0], move[bone, 1] = (
        move[bone, 0] + place_share * (joint[0] + move[bone, 0] - x),
        move[bone, 1] + place_share * (joint[1] + move[bone, 1] - y),
    )
    turn[bone] -= turn_share * (angles[bone] * (180 / math.pi) - turn[bone])


@njit(cache=True, nogil=True)
def reach_all(
    numbers: Ints32, kinds: Ints32, chain_starts: Ints32, chains: Ints32, below_starts: Ints32, belows: Ints32,
    rests: Floats, hang_starts: Ints32, hang_numbers: Ints32, hang_rows: Ints32, hang_weights: Floats, sides: Floats,
    stretch_by: Floats, softs: Floats, feet: Ints32, feet_go: Ints32, lows: Floats, highs: Floats,
    spans: Floats, shifts: Floats, foot_turns: Floats, shares: Floats, hangs: Floats, parents: Ints32, joints: Floats,
    directions: Floats, turn: Floats, move: Floats, stretch: Floats, matrices: Floats, angles: Floats,
    transforms: Floats32, dual_numbers: Floats32, stretches: Floats32, goals: Floats,
) -> bool:  # fmt: skip
    """Let chains reach, and bones look and keep how they lie, one after another: the one in row k of these arrays is
    that with the number `numbers[k]` of the figure. Fills in where their `goals` are, and tells whether any of their
    bones is stretched."""
    stretched, most = False, len(chains)
    spots, aim = np.empty((most + 1, 2)), np.empty(2)
    lowest, highest, turns = np.empty(most), np.empty(most), np.empty(most)
    for k in range(len(numbers)):
        a, b, n = chain_starts[k], chain_starts[k + 1], numbers[k]
        on = hang_starts[k]
        for h in range(hang_starts[k], hang_starts[k + 1]):
            if hang_numbers[h] == hangs[n]:
                on = h
        x, y = rests[k, 0] + shifts[n, 0], rests[k, 1] + shifts[n, 1]
        goals[n, 0], goals[n, 1] = hung(hang_rows[on], hang_weights[on], matrices, x, y)
        share = min(shares[n], 1.0)
        if share <= 0.0:
            continue
        if kinds[k] == REACHES:
            own = angles[hang_rows[on, 0]] * (180 / math.pi) if feet_go[k] == OWN and hang_rows[on, 0] >= 0 else 0.0
            reach(
                chains[a:b], rests[k], sides[k], stretch_by[k], softs[k], feet[k], feet_go[k] != ALONG, lows[a:b],
                highs[a:b], foot_turns[n] + own, share, joints, turn, stretch, matrices, angles, goals[n],
                spots[: b - a + 1], lowest[: b - a], highest[: b - a], turns[: b - a], aim,
            )  # fmt: skip
        elif kinds[k] == LOOKS:
            look(
                chains[a], joints[chains[a]], goals[n], rests[k], spans[k, 0], spans[k, 1], lows[a], highs[a],
                share * stretch_by[k], turn, matrices, angles,
            )  # fmt: skip
        else:
            counter(
                chains[a], joints[chains[a]], share * spans[k, 0], share * spans[k, 1], turn, move, matrices, angles
            )
        one = forward_of(
            belows[below_starts[k] : below_starts[k + 1]], parents, joints, directions, turn, move, stretch, matrices,
            angles, transforms, dual_numbers, stretches,
        )  # fmt: skip
        stretched = stretched or one
    return stretched


@njit(cache=True, nogil=True)
def reach_rows(
    numbers: Ints32, kinds: Ints32, chain_starts: Ints32, chains: Ints32, below_starts: Ints32, belows: Ints32,
    rests: Floats, hang_starts: Ints32, hang_numbers: Ints32, hang_rows: Ints32, hang_weights: Floats, sides: Floats,
    stretch_by: Floats, softs: Floats, feet: Ints32, feet_go: Ints32, lows: Floats, highs: Floats, spans: Floats,
    shifts: Floats, foot_turns: Floats, shares: Floats, hangs: Floats, parents: Ints32, joints: Floats,
    directions: Floats, turns: Floats, moves: Floats, stretches: Floats, matrices: Floats, angles: Floats,
    transforms: Floats32, dual_numbers: Floats32, lengthened: Floats32, goals: Floats,
) -> None:  # fmt: skip
    """The same for rows of poses one after another, each from forward kinematics on: `shifts` (r, reaches, 2),
    `foot_turns`, `shares` and `hangs` (r, reaches), `turns` (r, n), `moves` and `stretches` (r, n, 2). The last three
    become what reaches make of them; what else is filled is that of the last row."""
    for row in range(len(turns)):
        forward(
            parents, joints, directions, turns[row], moves[row], stretches[row], matrices, angles, transforms,
            dual_numbers, lengthened,
        )  # fmt: skip
        reach_all(
            numbers, kinds, chain_starts, chains, below_starts, belows, rests, hang_starts, hang_numbers, hang_rows,
            hang_weights, sides, stretch_by, softs, feet, feet_go, lows, highs, spans, shifts[row], foot_turns[row],
            shares[row], hangs[row], parents, joints, directions, turns[row], moves[row], stretches[row], matrices,
            angles, transforms, dual_numbers, lengthened, goals,
        )  # fmt: skip


Hanging = tuple[tuple[int, tuple[int, ...], tuple[float, ...]], ...]


@dataclass(frozen=True)
class Chain:
    """One reach, look or counter as numbers, that with its `number` in the figure: its bones by their rows (`chain`,
    n), all that hang on the first of them (`below`), where its goal is at rest, and what that hangs on: a number, rows
    of four bones and their weights each, the first where a pose names none. Joints turn from `low` to `high` (n,) rad.

    A reach bends to a `side`, stretches by `takes` at the most, and has a `foot` (its row, -1: none). A look `takes` a
    share of the way within its `span` (rad); of a counter that are the shares of turn and place.
    """

    number: int
    kind: int
    chain: Ints32
    below: Ints32
    rest: Point
    hangs: Hanging
    low: Floats
    high: Floats
    side: float = 1.0
    takes: float = 0.0
    soft: float = 0.0
    foot: int = -1
    foot_goes: int = ALONG
    span: tuple[float, float] = (0.0, 0.0)

    @property
    def turned(self) -> list[int]:
        """The rows of the bones that it turns."""
        return [*self.chain.tolist(), *([self.foot] if self.foot >= 0 else [])]

    def hung(self, number: float) -> tuple[tuple[int, ...], tuple[float, ...]]:
        """What its goal hangs on where a pose names that number."""
        return next((one[1:] for one in self.hangs if one[0] == number), self.hangs[0][1:])


@dataclass(frozen=True)
class Reaching:
    """All reaches in an evaluation, in their order; `packed` is what `reach_all` goes by of them."""

    skeleton: Skeleton
    chains: tuple[Chain, ...]
    packed: tuple[NDArray[Any], ...]
    writes: frozenset[str]
    reads: ClassVar[frozenset[str]] = frozenset({MATRICES})

    def run(self, rig: RigState) -> None:
        channels, bones = rig.program.channels, self.skeleton
        stretched = reach_all(
            *self.packed, *(channels.seen(rig.values, name) for name in ("goal", "foot", "share", "hang")),
            bones.parents, bones.joints, bones.directions, rig.turned, rig.moved, rig.grown, rig.matrices, rig.angles,
            rig.transforms, rig.dual_numbers, rig.stretches, rig.goals,
        )  # fmt: skip
        rig.stretched = rig.stretched or stretched

    def rows(self, rig: RigState, course: Floats) -> tuple[Floats, Floats]:
        """What bones are turned by (r, n) and moved by (r, n, 2) in rows of channels (r, k), as reaches have them. Of a
        state its matrices and all that comes of them are overwritten."""
        channels, bones, count = rig.program.channels, self.skeleton, len(rig.turn)
        turns, moves, stretches = (
            channels.rows(course, name)[:, :count].copy() for name in ("turn", "move", "stretch")
        )
        reach_rows(
            *self.packed,
            *(np.ascontiguousarray(channels.rows(course, name)) for name in ("goal", "foot", "share", "hang")),
            bones.parents, bones.joints, bones.directions, turns, moves, stretches, rig.matrices, rig.angles,
            rig.transforms, rig.dual_numbers, rig.stretches, rig.goals,
        )  # fmt: skip
        return turns, moves


def reaching(build: Build, figure: Figure, stores: Stores) -> Iterator[Node]:
    """One for all of the figure."""
    chains = []
    for number, one in enumerate(figure.reaches):
        with suppress(EditRefused):  # one whose bones are no chain any more does nothing
            chains.append(_chain(build, figure, number, one))
    if chains:
        rows = sorted({row for one in chains for row in one.below.tolist()})
        moved = (matrix_of(figure.bones[row].id) for row in rows)
        yield Reaching(build.skeleton, tuple(chains), _packed(chains), frozenset({MATRICES, *moved}))


def _packed(chains: list[Chain]) -> tuple[NDArray[Any], ...]:
    hangs = [one for chain in chains for one in chain.hangs]
    return (
        np.array([one.number for one in chains], np.int32), np.array([one.kind for one in chains], np.int32),
        starts_of(one.chain for one in chains), np.concatenate([one.chain for one in chains]),
        starts_of(one.below for one in chains), np.concatenate([one.below for one in chains]),
        np.array([one.rest for one in chains], np.float64), starts_of(one.hangs for one in chains),
        np.array([one[0] for one in hangs], np.int32), np.array([one[1] for one in hangs], np.int32),
        np.array([one[2] for one in hangs], np.float64), np.array([one.side for one in chains]),
        np.array([one.takes for one in chains]), np.array([one.soft for one in chains]),
        np.array([one.foot for one in chains], np.int32), np.array([one.foot_goes for one in chains], np.int32),
        np.concatenate([one.low for one in chains]), np.concatenate([one.high for one in chains]),
        np.array([one.span for one in chains], np.float64),
    )  # fmt: skip


def bones_of(figure: Figure, one: Aim) -> list[Bone]:
    """The bones that a reach, a look or a counter turns, the first of them first; without a foot. Raises EditRefused
    where they are no chain that can reach."""
    if isinstance(one, Reach):
        return chain_of(figure, one.tip, one.bones)
    bone = figure.bone(one.bone)
    assert bone is not None
    return [bone]


def bones_now(figure: Figure, one: Aim) -> list[Bone]:
    """The same, and none where they are no chain any more: it moves nothing then."""
    try:
        return bones_of(figure, one)
    except EditRefused:
        return []


def hung_on(figure: Figure, one: Aim) -> set[str]:
    """All bones that its goal may hang on."""
    if isinstance(one, Counter):
        return set()
    parts = {one.hangs_at, *(other.part for other in one.others)}
    followed = {ref for part in figure.parts if part.id in parts for ref in part.followed}
    return {ref for ref in (one.hangs_on, *(other.bone for other in one.others)) if ref is not None} | followed


def _chain(build: Build, figure: Figure, number: int, one: Aim) -> Chain:
    index, chain = build.skeleton.index, bones_of(figure, one)
    below = sorted(index[bone.id] for bone in with_descendants(figure, chain[0].id))
    limits = [bone.limits for bone in chain]
    rest = one.goal if isinstance(one, Look) else chain[-1].tip
    common: dict[str, Any] = {
        "number": number,
        "chain": np.array([index[bone.id] for bone in chain], np.int32),
        "below": np.array(below, np.int32),
        "rest": rest,
        "hangs": _hangs(build, one, rest),
        "low": np.array([math.radians(each.low) if each else -UNLIMITED for each in limits]),
        "high": np.array([math.radians(each.high) if each else UNLIMITED for each in limits]),
    }
    if isinstance(one, Look):
        span = math.radians(one.low), math.radians(one.high)
        return Chain(kind=LOOKS, takes=one.takes, span=span, **common)
    if isinstance(one, Counter):
        return Chain(kind=COUNTERS, span=(one.turn, one.place), **common)
    return Chain(
        kind=REACHES,
        side=1.0 if one.side == "clockwise" else -1.0,
        takes=one.stretch,
        soft=min(one.soft, _slack(chain)),
        foot=index[one.foot] if one.foot is not None else -1,
        foot_goes=("along", "level", "own").index(one.foot_goes),
        **common,
    )


def _hangs(build: Build, one: Aim, rest: Point) -> Hanging:
    if isinstance(one, Counter):
        return ((0, (-1,) * 4, (0.0,) * 4),)
    some = [(0, one.hangs_on, one.hangs_at), *((other.number, other.bone, other.part) for other in one.others)]
    return tuple((number, *_hung(build, bone, part, rest)) for number, bone, part in some)


def _hung(
    build: Build, bone: str | None, part: str | None, rest: Point
) -> tuple[tuple[int, ...], tuple[float, ...]]:  # fmt: skip
    """Rows and weights of the four bones that carry a place at rest: one bone, or those that the mesh of a part follows
    there."""
    if bone is not None:
        return (build.skeleton.index[bone], -1, -1, -1), (1.0, 0.0, 0.0, 0.0)
    block = build.nets.blocks.get(part) if part is not None else None
    shares: dict[int, float] = {}
    if block is not None and len(block.triangles):
        nets = build.nets
        corners, parts = spots_on(nets.rest.astype(np.float64), block.triangles, np.array([rest], np.float64))
        held = np.clip(parts[0], 0, None)
        for corner, share in zip(corners[0], held / held.sum(), strict=True):
            for row, weight in zip(nets.bones[corner].tolist(), nets.weights[corner].tolist(), strict=True):
                if weight > 0:
                    shares[row] = shares.get(row, 0.0) + float(share) * weight
    best = sorted(shares.items(), key=lambda item: -item[1])[:4]
    total = sum(share for _, share in best)
    if not total:
        return (-1,) * 4, (0.0,) * 4
    best += [(-1, 0.0)] * (4 - len(best))
    return tuple(row for row, _ in best), tuple(share / total for _, share in best)


def _slack(chain: list[Bone]) -> float:
    """The share of its length by which a chain is short of straight as it is drawn: easing begins no sooner, so that at
    rest nothing moves."""
    spots = spots_at_rest(chain)
    return max(1 - math.dist(spots[0], spots[-1]) / sum(math.dist(*pair) for pair in pairwise(spots)), 0.0)
