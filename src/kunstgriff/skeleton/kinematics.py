"""Forward kinematics: turns, moves and stretches of bones become matrices from rest to posed."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import ClassVar

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.evaluate.program import Build, Node, Skeleton
from kunstgriff.evaluate.stale import MATRICES, TURN, matrix_of
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.model import Figure
from kunstgriff.figure.stores import Stores

Floats = NDArray[np.float64]
Floats32 = NDArray[np.float32]
Ints32 = NDArray[np.int32]


@njit(inline="always")
def carried_spot(matrices: Floats, bone: int, x: float, y: float) -> tuple[float, float]:
    """Where a bone has a place of the rest; the place itself for -1."""
    if bone < 0:
        return x, y
    m = matrices[bone]
    return m[0] * x + m[2] * y + m[4], m[1] * x + m[3] * y + m[5]


@njit(inline="always")
def carried_joint(
    bone: int, parents: Ints32, joints: Floats, move: Floats, matrices: Floats, angles: Floats
) -> tuple[float, float, float]:
    """Where a bone's parent and its own move put its joint (x, y), and how far its parent is turned (rad)."""
    parent = parents[bone]
    px, py = carried_spot(matrices, parent, joints[bone, 0], joints[bone, 1])
    angle = angles[parent] if parent >= 0 else 0.0
    return px + move[bone, 0], py + move[bone, 1], angle


@njit(inline="always")
def placed(
    bone: int,
    px: float,
    py: float,
    angle: float,
    joints: Floats,
    directions: Floats,
    stretch: Floats,
    matrices: Floats,
    angles: Floats,
) -> tuple[float, float, float, float, float]:
    """Fill a bone's row of `matrices` and `angles`: its joint at (px, py), turned by `angle` rad, stretched along its
    rest direction. Returns cosine and sine of the angle and the stretch alone, (a, b, d) of [[a, b], [b, d]]."""
    x, y = joints[bone, 0], joints[bone, 1]
    angles[bone] = angle
    c, s = math.cos(angle), math.sin(angle)
    along, across = stretch[bone, 0], stretch[bone, 1]
    a, b, d = 1.0, 0.0, 1.0
    if along != 1.0 or across != 1.0:
        ux, uy = math.cos(directions[bone]), math.sin(directions[bone])
        a = along * ux * ux + across * uy * uy
        b = (along - across) * ux * uy
        d = along * uy * uy + across * ux * ux
    matrices[bone, 0] = c * a - s * b
    matrices[bone, 1] = s * a + c * b
    matrices[bone, 2] = c * b - s * d
    matrices[bone, 3] = s * b + c * d
    matrices[bone, 4] = px - matrices[bone, 0] * x - matrices[bone, 2] * y
    matrices[bone, 5] = py - matrices[bone, 1] * x - matrices[bone, 3] * y
    return c, s, a, b, d


@njit(inline="always")
def eased(turn: float, low: float, high: float, soft: float) -> float:
    """A turn held between `low` and `high`; within `soft` of an end it eases towards it and never passes it: what is
    asked for beyond the soft start u is answered by soft (1 - exp(-u / soft)), which begins at the same speed."""
    for side in (1.0, -1.0):
        end = high if side > 0 else -low
        ease = min(soft, end)
        asked = side * turn
        if asked > end - ease:
            beyond = asked - (end - ease)
            turn = side * (end if ease <= 0.0 else end - ease * math.exp(-beyond / ease))
    return turn


def uneased(turn: float, low: float, high: float, soft: float) -> float:
    """What to ask of a joint so that `eased` gives a turn (degrees): the other way round; at an end it is far enough.

    >>> round(uneased(eased(42.0, -50.0, 45.0, 10.0), -50.0, 45.0, 10.0), 9)
    42.0
    """
    side = 1.0 if turn >= 0 else -1.0
    end = high if side > 0 else -low
    ease = min(soft, end)
    short = end - side * turn
    if ease <= 0 or short >= ease:
        return turn
    return side * (end - ease - ease * math.log(max(short / ease, 1e-6)))


@njit(cache=True)
def forward_of(
    bones: Ints32, parents: Ints32, joints: Floats, directions: Floats, turn: Floats, move: Floats, stretch: Floats,
    matrices: Floats, angles: Floats, transforms: Floats32, dual_numbers: Floats32, stretches: Floats32,
) -> bool:  # fmt: skip
    """Fill what some bones (k,) do in this pose, parents before children, when those they hang on are filled; tells
    whether any of them is stretched.

    A bone turns about its joint as its parent carries it. `stretch` (n, 2) lengthens and widens it along its rest
    direction; children go with its tip but take on neither the stretch nor a shear from it. Filled are `matrices`
    (n, 6) from rest to posed with the stretch, `angles` (n,) in rad, and for blending `transforms` and `dual_numbers`
    (n, 4) without it and in `stretches` (n, 13) what is it alone (see `binding.blending`).
    """
    stretched = False
    for bone in bones:
        px, py, angle = carried_joint(bone, parents, joints, move, matrices, angles)
        angle += turn[bone] * (math.pi / 180.0)
        c, s, a, b, d = placed(bone, px, py, angle, joints, directions, stretch, matrices, angles)
        stretched = stretched or stretch[bone, 0] != 1.0 or stretch[bone, 1] != 1.0
        x, y = joints[bone, 0], joints[bone, 1]
        e, f = px - c * x + s * y, py - s * x - c * y
        transforms[bone, 0], transforms[bone, 1], transforms[bone, 2], transforms[bone, 3] = c, s, e, f
        hc, hs = math.cos(angle / 2), math.sin(angle / 2)
        dual_numbers[bone, 0], dual_numbers[bone, 1] = hc, hs
        dual_numbers[bone, 2], dual_numbers[bone, 3] = (e * hc + f * hs) / 2, (f * hc - e * hs) / 2
        stretches[bone, 0], stretches[bone, 1], stretches[bone, 2], stretches[bone, 3] = a, b, b, d
        stretches[bone, 4], stretches[bone, 5] = x - a * x - b * y, y - b * x - d * y
        stretches[bone, 12] = stretch[bone, 0] if stretch[bone, 1] == 1.0 else 1.0
    return stretched


@njit(cache=True)
def forward(
    parents: Ints32, joints: Floats, directions: Floats, turn: Floats, move: Floats, stretch: Floats, matrices: Floats,
    angles: Floats, transforms: Floats32, dual_numbers: Floats32, stretches: Floats32,
) -> bool:  # fmt: skip
    """The same for all bones."""
    every = np.arange(len(parents)).astype(np.int32)
    found: bool = forward_of(
        every, parents, joints, directions, turn, move, stretch, matrices, angles, transforms, dual_numbers, stretches
    )
    return found


@dataclass(frozen=True)
class ForwardKinematics:
    """All bones, parents before children."""

    skeleton: Skeleton
    writes: frozenset[str]
    reads: ClassVar[frozenset[str]] = frozenset({TURN})

    def run(self, rig: RigState) -> None:
        bones = self.skeleton
        rig.turned[:], rig.moved[:], rig.grown[:] = rig.turn, rig.move, rig.stretch
        rig.driven[:] = 0.0
        rig.stretched = forward(
            bones.parents, bones.joints, bones.directions, rig.turned, rig.moved, rig.grown, rig.matrices, rig.angles,
            rig.transforms, rig.dual_numbers, rig.stretches,
        )  # fmt: skip


@njit(cache=True)
def limited(turn: Floats, low: Floats, high: Floats, soft: Floats) -> None:
    """Hold `turn` (n,) between `low` and `high`, all in degrees, as `eased` does."""
    for bone in range(turn.shape[0]):
        turn[bone] = eased(turn[bone], low[bone], high[bone], soft[bone])


@dataclass(frozen=True)
class JointLimits:
    """How far each joint may turn: `low`, `high` and `soft` (n,) in degrees."""

    low: Floats
    high: Floats
    soft: Floats
    reads: ClassVar[frozenset[str]] = frozenset({TURN})
    writes: ClassVar[frozenset[str]] = frozenset({TURN})

    def run(self, rig: RigState) -> None:
        limited(rig.turn, self.low, self.high, self.soft)

    @classmethod
    def of(cls, figure: Figure) -> JointLimits:
        """Those of a figure; a joint without turns as far as it likes."""
        limits = [bone.limits for bone in figure.bones]
        return cls(
            np.array([one.low if one else -np.inf for one in limits]),
            np.array([one.high if one else np.inf for one in limits]),
            np.array([one.soft if one else 0.0 for one in limits]),
        )


def kinematics(build: Build, figure: Figure, stores: Stores) -> Iterator[Node]:
    """Limits, where there are any, and forward kinematics, which has the turns of all joints to go by."""
    if any(bone.limits for bone in figure.bones):
        yield JointLimits.of(figure)
    if figure.bones:
        yield ForwardKinematics(build.skeleton, frozenset({MATRICES, *map(matrix_of, build.skeleton.index)}))


def posed(points: Floats, matrices: Floats) -> Floats:
    """Points (n, 2), each carried by its own matrix (n, 6)."""
    x, y = points[:, 0], points[:, 1]
    return np.stack(
        [
            matrices[:, 0] * x + matrices[:, 2] * y + matrices[:, 4],
            matrices[:, 1] * x + matrices[:, 3] * y + matrices[:, 5],
        ],
        1,
    )
