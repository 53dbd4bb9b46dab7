"""Reaches in an evaluation: chains whose end goes to a goal, one after another in the figure's order.

A reach goes by where the bones lie when those before it are done. It turns the joints of its chain, stretches its bones
where it may and must, and what hangs on them is worked out anew. With a `share` below 1 it does only so much of that.
A chain whose inner joints are turned in the pose stays bent to that side.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise
from typing import ClassVar

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.control.chains import bend_of, eased_distance, reached
from kunstgriff.evaluate.program import Build, Node, Skeleton
from kunstgriff.evaluate.stale import MATRICES, matrix_of
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.controls import Reach
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.model import Bone, Figure
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
    spots = [*(one.joint for one in found), found[-1].tip]
    for bone, (start, stop) in zip(found, pairwise(spots), strict=True):
        if math.dist(start, stop) < 1e-6:
            raise EditRefused(f"“{bone.name}” has no length, so nothing reaches with it.")
    return found


@njit(cache=True, nogil=True)
def reach(
    chain: Ints32, below: Ints32, tip: Floats, hangs_on: int, side: float, stretch_by: float, soft: float,
    foot: int, level: bool, low: Floats, high: Floats, shift: Floats, foot_turn: float, share: float, parents: Ints32,
    joints: Floats, directions: Floats, turn: Floats, move: Floats, stretch: Floats, matrices: Floats, angles: Floats,
    transforms: Floats32, dual_numbers: Floats32, stretches: Floats32, goal: Floats,
) -> bool:  # fmt: skip
    """Let a chain (n,) reach: turn and stretch its bones, and fill what all `below` (k,) do, itself among them. `tip`
    (2,) is its end at rest, from where its goal is moved by `shift` (2,). Fills in where the `goal` (2,) is, and tells
    whether any bone below is stretched."""
    count = len(chain)
    spots = np.empty((count + 1, 2))
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
    aim = np.empty(2)
    ahead = longer * eased / max(distance, 1e-9)
    aim[0], aim[1] = spots[0, 0] + dx * ahead, spots[0, 1] + dy * ahead
    for k in range(count, 0, -1):
        spots[k, 0] = spots[0, 0] + longer * (spots[k, 0] - spots[0, 0])
        spots[k, 1] = spots[0, 1] + longer * (spots[k, 1] - spots[0, 1])
    lowest, highest, turns = np.empty(count), np.empty(count), np.empty(count)
    bend, posed = bend_of(spots), False
    for k in range(1, count):
        posed = posed or turn[chain[k]] != 0.0
    if posed and abs(bend) > SLIGHT:  # it stays bent as it was turned by itself
        side = 1.0 if bend > 0 else -1.0
    for k in range(count):
        now = turn[chain[k]] * (math.pi / 180)
        lowest[k], highest[k] = min(low[k] - now, 0.0), max(high[k] - now, 0.0)
    reached(spots, aim, side, lowest, highest, turns)
    for k in range(count):
        turn[chain[k]] += share * turns[k] * (180 / math.pi)
        stretch[chain[k], 0] *= 1 + share * (longer - 1)
    stretched = forward_of(
        below, parents, joints, directions, turn, move, stretch, matrices, angles, transforms, dual_numbers, stretches
    )
    if foot >= 0:
        wanted = foot_turn * (math.pi / 180)
        if level:
            wanted -= angles[foot] - turn[foot] * (math.pi / 180)
            turn[foot] += share * (wanted * (180 / math.pi) - turn[foot])
        else:
            turn[foot] += share * foot_turn
        stretched = forward_of(
            below, parents, joints, directions, turn, move, stretch, matrices, angles, transforms, dual_numbers,
            stretches,
        )  # fmt: skip
    return bool(stretched)


@dataclass(frozen=True)
class Reaching:
    """One reach in an evaluation, the one with its `number`."""

    skeleton: Skeleton
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
    writes: frozenset[str]
    reads: ClassVar[frozenset[str]] = frozenset({MATRICES})

    @property
    def turned(self) -> list[int]:
        """The rows of the bones that it turns."""
        return [*self.chain.tolist(), *([self.foot] if self.foot >= 0 else [])]

    def run(self, rig: RigState) -> None:
        channels, bones, k = rig.program.channels, self.skeleton, self.number
        shift, foot, share = (channels.seen(rig.values, name) for name in ("goal", "foot", "share"))
        stretched = reach(
            self.chain, self.below, self.tip, self.hangs_on, self.side, self.stretch_by, self.soft, self.foot,
            self.level, self.low, self.high, shift[k], foot[k], min(share[k], 1.0), bones.parents, bones.joints,
            bones.directions, rig.turned, rig.move, rig.grown, rig.matrices, rig.angles, rig.transforms,
            rig.dual_numbers, rig.stretches, rig.goals[k],
        )  # fmt: skip
        rig.stretched = rig.stretched or stretched


def reaching(build: Build, figure: Figure, stores: Stores) -> Iterator[Node]:
    """A node for each reach of a figure, in their order."""
    skeleton = build.skeleton
    for number, one in enumerate(figure.reaches):
        try:
            chain = chain_of(figure, one.tip, one.bones)
        except EditRefused:
            continue  # a finding tells of it
        yield _reaching(figure, skeleton, number, one, chain)


def _reaching(figure: Figure, skeleton: Skeleton, number: int, one: Reach, chain: list[Bone]) -> Reaching:
    index = skeleton.index
    below = sorted(index[bone.id] for bone in with_descendants(figure, chain[0].id))
    limits = [bone.limits for bone in chain]
    return Reaching(
        skeleton=skeleton,
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
        writes=frozenset({MATRICES, *(matrix_of(figure.bones[row].id) for row in below)}),
    )


def _slack(chain: list[Bone]) -> float:
    """The share of its length by which a chain is short of straight as it is drawn: easing begins no sooner, so that at
    rest nothing moves."""
    spots = [*(bone.joint for bone in chain), chain[-1].tip]
    return max(1 - math.dist(spots[0], spots[-1]) / sum(math.dist(*pair) for pair in pairwise(spots)), 0.0)
