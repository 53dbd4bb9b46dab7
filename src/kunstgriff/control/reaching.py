"""Reaches in an evaluation: chains whose end goes to a goal, one after another in the figure's order.

A reach goes by where the bones lie when those before it are done. It turns the joints of its chain, stretches its bones
where it may and must, and what hangs on them is worked out anew. With a `share` below 1 it does only so much of that.
A chain whose inner joints are turned in the pose stays bent to that side.
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

from kunstgriff.control.chains import bend_of, eased_distance, reached
from kunstgriff.evaluate.program import Build, Node, Skeleton
from kunstgriff.evaluate.stale import MATRICES, matrix_of
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.controls import Reach
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.model import Bone, Figure, Point
from kunstgriff.figure.stores import Stores
from kunstgriff.skeleton.bones import with_descendants
from kunstgriff.skeleton.kinematics import forward_of

Floats = NDArray[np.float64]
Floats32 = NDArray[np.float32]
Ints32 = NDArray[np.int32]
SLIGHT = 1e-5  # rad of a bend that says nothing of its side
UNLIMITED = 1e6  # rad a joint without limits may turn


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


@njit(cache=True, nogil=True)
def reach(
    chain: Ints32, below: Ints32, tip: Floats, hangs_on: int, side: float, stretch_by: float, soft: float,
    foot: int, level: bool, low: Floats, high: Floats, shift: Floats, foot_turn: float, share: float, parents: Ints32,
    joints: Floats, directions: Floats, turn: Floats, move: Floats, stretch: Floats, matrices: Floats, angles: Floats,
    transforms: Floats32, dual_numbers: Floats32, stretches: Floats32, goal: Floats, spots: Floats, lowest: Floats,
    highest: Floats, turns: Floats, aim: Floats,
) -> bool:  # fmt: skip
    """Let a chain (n,) reach: turn and stretch its bones, and fill what all `below` (k,) do, itself among them. `tip`
    (2,) is its end at rest, from where its goal is moved by `shift` (2,). Fills in where the `goal` (2,) is, and tells
    whether any bone below is stretched. The last five are overwritten."""
    count = len(chain)
    for k in range(count + 1):
        m = matrices[chain[min(k, count - 1)]]
        x, y = (tip[0], tip[1]) if k == count else (joints[chain[k], 0], joints[chain[k], 1])
        spots[k, 0], spots[k, 1] = m[0] * x + m[2] * y + m[4], m[1] * x + m[3] * y + m[5]
    x, y = tip[0] + shift[0], tip[1] + shift[1]
    if hangs_on >= 0:
        m = matrices[hangs_on]
        x, y = m[0] * x + m[2] * y + m[4], m[1] * x + m[3] * y + m[5]
    goal[0], goal[1] = x, y
    if share <= 0.0:
        return False
    length = 0.0
    for k in range(count):
        length += math.hypot(spots[k + 1, 0] - spots[k, 0], spots[k + 1, 1] - spots[k, 1])
    dx, dy = goal[0] - spots[0, 0], goal[1] - spots[0, 1]
    distance = math.hypot(dx, dy)
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
    reached(spots, aim, side, lowest, highest, turns)
    end = angles[chain[count - 1]]
    for k in range(count):
        turn[chain[k]] += share * turns[k] * (180 / math.pi)
        stretch[chain[k], 0] *= 1 + share * (longer - 1)
        end += share * turns[k]
    if foot >= 0:
        turn[foot] += share * (foot_turn - (end * (180 / math.pi) + turn[foot] if level else 0.0))
    return bool(
        forward_of(
            below, parents, joints, directions, turn, move, stretch, matrices, angles, transforms, dual_numbers,
            stretches,
        )
    )  # fmt: skip


@njit(cache=True, nogil=True)
def reach_all(
    chain_starts: Ints32, chains: Ints32, below_starts: Ints32, belows: Ints32, tips: Floats, hangs_on: Ints32,
    sides: Floats, stretch_by: Floats, softs: Floats, feet: Ints32, levels: NDArray[np.bool_], lows: Floats,
    highs: Floats, shifts: Floats, foot_turns: Floats, shares: Floats, parents: Ints32, joints: Floats,
    directions: Floats, turn: Floats, move: Floats, stretch: Floats, matrices: Floats, angles: Floats,
    transforms: Floats32, dual_numbers: Floats32, stretches: Floats32, goals: Floats, numbers: Ints32,
) -> bool:  # fmt: skip
    """Let chains reach one after another, the one in row k of these arrays being that with the number `numbers[k]` of
    the figure; tells whether any of their bones is stretched."""
    stretched, most = False, len(chains)
    spots, aim = np.empty((most + 1, 2)), np.empty(2)
    lowest, highest, turns = np.empty(most), np.empty(most), np.empty(most)
    for k in range(len(numbers)):
        a, b, c, d = chain_starts[k], chain_starts[k + 1], below_starts[k], below_starts[k + 1]
        n = numbers[k]
        one = reach(
            chains[a:b], belows[c:d], tips[k], hangs_on[k], sides[k], stretch_by[k], softs[k], feet[k], levels[k],
            lows[a:b], highs[a:b], shifts[n], foot_turns[n], min(shares[n], 1.0), parents, joints, directions, turn,
            move, stretch, matrices, angles, transforms, dual_numbers, stretches, goals[n], spots[: b - a + 1],
            lowest[: b - a], highest[: b - a], turns[: b - a], aim,
        )  # fmt: skip
        stretched = stretched or one
    return stretched


@dataclass(frozen=True)
class Chain:
    """One reach as numbers, that with its `number` in the figure: its bones by their rows (`chain`, n), all that hang
    on the first of them (`below`), where its end is at rest (`tip`), the row of what its goal hangs on and that of its
    foot (-1: none), and how far its joints may turn, `low` to `high` (n,) rad."""

    number: int
    chain: Ints32
    below: Ints32
    tip: Floats
    hangs_on: int
    side: float
    stretch_by: float
    soft: float
    foot: int
    level: bool
    low: Floats
    high: Floats

    @property
    def turned(self) -> list[int]:
        """The rows of the bones that it turns."""
        return [*self.chain.tolist(), *([self.foot] if self.foot >= 0 else [])]


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
        numbers, *packed = self.packed
        stretched = reach_all(
            *packed, *(channels.seen(rig.values, name) for name in ("goal", "foot", "share")), bones.parents,
            bones.joints, bones.directions, rig.turned, rig.move, rig.grown, rig.matrices, rig.angles, rig.transforms,
            rig.dual_numbers, rig.stretches, rig.goals, numbers,
        )  # fmt: skip
        rig.stretched = rig.stretched or stretched


def reaching(build: Build, figure: Figure, stores: Stores) -> Iterator[Node]:
    """One for all of the figure."""
    chains = []
    for number, one in enumerate(figure.reaches):
        with suppress(EditRefused):  # one whose bones are no chain any more does nothing
            chains.append(_chain(figure, build.skeleton, number, one))
    if chains:
        rows = sorted({row for one in chains for row in one.below.tolist()})
        moved = (matrix_of(figure.bones[row].id) for row in rows)
        yield Reaching(build.skeleton, tuple(chains), _packed(chains), frozenset({MATRICES, *moved}))


def _packed(chains: list[Chain]) -> tuple[NDArray[Any], ...]:
    def starts(of: list[Ints32]) -> Ints32:
        return np.cumsum([0, *(len(one) for one in of)]).astype(np.int32)

    bones, below = [one.chain for one in chains], [one.below for one in chains]
    return (
        np.array([one.number for one in chains], np.int32),
        starts(bones), np.concatenate(bones), starts(below), np.concatenate(below),
        np.array([one.tip for one in chains]), np.array([one.hangs_on for one in chains], np.int32),
        np.array([one.side for one in chains]), np.array([one.stretch_by for one in chains]),
        np.array([one.soft for one in chains]), np.array([one.foot for one in chains], np.int32),
        np.array([one.level for one in chains], np.bool_), np.concatenate([one.low for one in chains]),
        np.concatenate([one.high for one in chains]),
    )  # fmt: skip


def _chain(figure: Figure, skeleton: Skeleton, number: int, one: Reach) -> Chain:
    index, chain = skeleton.index, chain_of(figure, one.tip, one.bones)
    below = sorted(index[bone.id] for bone in with_descendants(figure, chain[0].id))
    limits = [bone.limits for bone in chain]
    return Chain(
        number=number,
        chain=np.array([index[bone.id] for bone in chain], np.int32),
        below=np.array(below, np.int32),
        tip=np.array(chain[-1].tip, np.float64),
        hangs_on=index[one.hangs_on] if one.hangs_on is not None else -1,
        side=1.0 if one.side == "clockwise" else -1.0,
        stretch_by=one.stretch,
        soft=min(one.soft, _slack(chain)),
        foot=index[one.foot] if one.foot is not None else -1,
        level=one.foot_goes == "level",
        low=np.array([math.radians(each.low) if each else -UNLIMITED for each in limits]),
        high=np.array([math.radians(each.high) if each else UNLIMITED for each in limits]),
    )


def _slack(chain: list[Bone]) -> float:
    """The share of its length by which a chain is short of straight as it is drawn: easing begins no sooner, so that at
    rest nothing moves."""
    spots = spots_at_rest(chain)
    return max(1 - math.dist(spots[0], spots[-1]) / sum(math.dist(*pair) for pair in pairwise(spots)), 0.0)
