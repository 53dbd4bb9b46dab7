"""Where the goal of a reach can be dragged to without harm: over an area of goals, where its chain cannot reach, bends
the wrong way, is held by its limits, stretches, or jumps."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.control.chains import bend_of, turned_chain
from kunstgriff.control.reaching import Chain, Floats, Ints32, reach
from kunstgriff.control.taking_over import numbers_of
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.channels import addressed
from kunstgriff.figure.controls import Reach
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.pose import Pose
from kunstgriff.skeleton.kinematics import posed

FINE, HELD, STRETCHED, WRONG, JUMPS, OUT = range(6)  # what a place is, the worst last
PLACES = 60  # to a side of the area
BEYOND = 1.1  # times as far as the chain reaches that the area goes
LEFT = 1.0  # px by which a goal may be missed
STEEP = 6.0  # px that a joint moves for 1 px of the goal from which it jumps; common practice, no source
SAID = {
    JUMPS: f"a joint moves more than {STEEP:g} px for 1 px of the goal",
    WRONG: "it is bent the wrong way",
    HELD: "it is at its limits",
}
Solved = Callable[[Floats], tuple[Floats, Floats]]
SOFT_BEND = 1e-3  # rad of a bend that is to no side


@dataclass(frozen=True)
class ReachMap:
    """What a reach does over places (n, n, 2) of its goal on the figure as posed: `kinds` (n, n). `worst` is where it
    jumps the most, by how many px and which bone, where it does."""

    places: Floats
    kinds: NDArray[np.uint8]
    worst: tuple[tuple[float, float], float, str] | None

    @property
    def sentences(self) -> list[str]:
        """What is wrong with it, in words."""
        inside = self.kinds != OUT
        found = []
        if self.worst is not None:
            (x, y), px, name = self.worst
            found.append(f"“{name}” jumps {px:.0f} px at {x:.0f}, {y:.0f}.")
        for kind, words in SAID.items():
            share = float((self.kinds[inside] == kind).mean()) if inside.any() else 0.0
            if share > 0.005:
                found.append(f"On {share:.0%} of what it reaches {words}.")
        return found


@njit(cache=True, nogil=True)
def mapped(
    goals: Floats, chain: Ints32, tip: Floats, side: float, stretch_by: float, soft: float, low: Floats, high: Floats,
    joints: Floats, turn: Floats, stretch: Floats, matrices: Floats, angles: Floats, farthest: float, found: Floats,
    facts: Floats,
) -> None:  # fmt: skip
    """Let a chain (n,) reach for many `goals` (g, 2), each from the same pose; what lies `farthest` px away or more is
    left out. Fills where its joints and its tip lie (g, n + 1, 2), and as facts (g, 4) the px it misses, its bend
    (rad), how many joints are held by their limits, and how many times as long it is."""
    count = len(chain)
    spots, out, aim = np.empty((count + 1, 2)), np.empty((count + 1, 2)), np.empty(2)
    lowest, highest, turns = np.empty(count), np.empty(count), np.empty(count)
    m = matrices[chain[0]]
    x, y = joints[chain[0]]
    x, y = m[0] * x + m[2] * y + m[4], m[1] * x + m[3] * y + m[5]
    for g in range(len(goals)):
        if np.hypot(goals[g, 0] - x, goals[g, 1] - y) > farthest:
            found[g, :, 0], found[g, :, 1] = x, y
            facts[g] = np.inf, 0.0, 0.0, 1.0
            continue
        turned, grown = turn.copy(), stretch.copy()
        reach(
            chain, tip, side, stretch_by, soft, -1, False, low, high, 0.0, 1.0, joints, turned, grown, matrices,
            angles, goals[g], spots, lowest, highest, turns, aim,
        )  # fmt: skip
        turned_chain(spots, turns, out)
        found[g] = out
        held = 0.0
        for k in range(count):
            if turns[k] < lowest[k] + 1e-6 or turns[k] > highest[k] - 1e-6:
                held += 1.0
        facts[g, 0] = np.hypot(out[count, 0] - goals[g, 0], out[count, 1] - goals[g, 1])
        facts[g, 1], facts[g, 2] = bend_of(out), held
        facts[g, 3] = grown[chain[0], 0] / stretch[chain[0], 0]


def reach_map(rig: RigState, pose: Pose, one: Reach, places: int = PLACES) -> ReachMap:
    """The map of a reach in a pose, over the square around its first joint that it reaches into. Raises EditRefused
    where it is on no chain."""
    chain = numbers_of(rig, one)
    if not 4 <= places <= 400:
        raise EditRefused("A reach map has from 4 to 400 places to a side.")
    rig.evaluate(pose.merged(Pose(channels={addressed(one.id, "share"): 0.0})))
    turned, grown = rig.turned.copy(), rig.grown.copy()
    matrices, angles = rig.matrices.copy(), rig.angles.copy()

    length = float(np.hypot(*np.diff(_at_rest(rig, chain), axis=0).T).sum()) * (1 + chain.takes)

    def solved(goals: Floats) -> tuple[Floats, Floats]:
        found, facts = np.empty((len(goals), len(chain.chain) + 1, 2)), np.empty((len(goals), 4))
        mapped(
            goals, chain.chain, np.array(chain.rest, np.float64), chain.side, chain.takes, chain.soft, chain.low,
            chain.high, rig.program.skeleton.joints, turned, grown, matrices, angles, length + LEFT, found, facts,
        )  # fmt: skip
        return found, facts

    root = posed(rig.program.skeleton.joints[chain.chain[:1]], matrices[chain.chain[:1]])[0]
    along = np.linspace(-BEYOND * length, BEYOND * length, places)
    grid = root + np.stack(np.meshgrid(along, along), -1)
    found, facts = (one.reshape(places, places, *one.shape[1:]) for one in solved(grid.reshape(-1, 2)))
    out = facts[..., 0] > LEFT
    steep = _steep(found, ~out, along[1] - along[0])
    kinds = np.full((places, places), FINE, np.uint8)
    kinds[facts[..., 2] > 0] = HELD
    kinds[facts[..., 3] > 1 + 1e-6] = STRETCHED
    kinds[facts[..., 1] * chain.side < -SOFT_BEND] = WRONG
    kinds[(steep > STEEP) & ~out] = JUMPS
    kinds[out] = OUT
    return ReachMap(grid, kinds, _worst(rig, chain, grid, found, ~out, solved))


def _at_rest(rig: RigState, chain: Chain) -> Floats:
    return np.vstack([rig.program.skeleton.joints[chain.chain], chain.rest])


def _steep(found: Floats, inside: NDArray[np.bool_], step: float) -> Floats:
    """How far any joint moves at each place for 1 px of the goal, to the neighbour within reach where that is most."""
    steep = np.zeros(found.shape[:2])
    for axis in (0, 1):
        moved = _moved(found, inside, axis) / step
        for side in (slice(None, -1), slice(1, None)):
            there = steep[side] if axis == 0 else steep[:, side]
            np.maximum(there, moved, out=there)
    return steep


def _moved(found: Floats, inside: NDArray[np.bool_], axis: int) -> Floats:
    """How far (px) the joint that moves the most does from each place to the next along an axis, both within reach."""
    moved = np.hypot(*np.moveaxis(np.diff(found, axis=axis), -1, 0)).max(-1)
    both = inside[1:] & inside[:-1] if axis == 0 else inside[:, 1:] & inside[:, :-1]
    return np.where(both, moved, 0.0)


def _worst(
    rig: RigState, chain: Chain, grid: Floats, found: Floats, inside: NDArray[np.bool_], solved: Solved
) -> tuple[tuple[float, float], float, str] | None:
    """Where the chain jumps the most within its reach: between two places that come nearer and nearer."""
    best, pair = 0.0, None
    for axis in (0, 1):
        moved = _moved(found, inside, axis)
        at = np.unravel_index(int(moved.argmax()), moved.shape)
        if moved[at] > best:
            best = float(moved[at])
            other = (at[0] + 1, at[1]) if axis == 0 else (at[0], at[1] + 1)
            pair = grid[at], grid[other]
    if pair is None:
        return None
    a, b = pair
    for _ in range(20):
        middle = (a + b) / 2
        joints, _ = solved(np.array([a, middle, b]))
        first, second = (np.hypot(*(joints[k + 1] - joints[k]).T).max() for k in (0, 1))
        a, b = (a, middle) if first > second else (middle, b)
    joints, _ = solved(np.array([a, b]))
    moved = np.hypot(*(joints[1] - joints[0]).T)
    if moved.max() < 1.0:  # it is steep there, no more
        return None
    number = min(int(moved.argmax()), len(chain.chain) - 1)
    name = rig.program.figure.bones[chain.chain[number]].name
    return (float(a[0]), float(a[1])), float(moved.max()), name
