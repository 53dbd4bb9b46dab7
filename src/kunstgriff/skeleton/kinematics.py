"""Forward kinematics: turns and moves of bones become matrices from rest to posed."""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.evaluate.rig import Rig, step
from kunstgriff.figure.model import Figure
from kunstgriff.figure.stores import Stores


@njit(cache=True)
def forward(
    parents: NDArray[np.int32],
    joints: NDArray[np.float64],
    turn: NDArray[np.float64],
    move: NDArray[np.float64],
    matrices: NDArray[np.float64],
) -> None:
    """Fill `matrices` (n, 6), parents before children: each bone turns about its joint as its parent carries it."""
    for bone in range(parents.shape[0]):
        parent = parents[bone]
        x, y = joints[bone, 0], joints[bone, 1]
        own = turn[bone] * (math.pi / 180.0)
        c, s = math.cos(own), math.sin(own)
        if parent < 0:
            cosine, sine, px, py = c, s, x, y
        else:
            m = matrices[parent]
            cosine, sine = m[0] * c - m[1] * s, m[1] * c + m[0] * s
            px, py = m[0] * x + m[2] * y + m[4], m[1] * x + m[3] * y + m[5]
        px += move[bone, 0]
        py += move[bone, 1]
        matrices[bone, 0] = cosine
        matrices[bone, 1] = sine
        matrices[bone, 2] = -sine
        matrices[bone, 3] = cosine
        matrices[bone, 4] = px - cosine * x + sine * y
        matrices[bone, 5] = py - sine * x - cosine * y


class ForwardKinematics:
    def run(self, rig: Rig) -> None:
        forward(rig.parents, rig.joints, rig.turn, rig.move, rig.matrices)


@step(30)
def forward_kinematics(rig: Rig, figure: Figure, stores: Stores) -> ForwardKinematics | None:
    return ForwardKinematics() if figure.bones else None


def posed(points: NDArray[np.float64], matrices: NDArray[np.float64]) -> NDArray[np.float64]:
    """Points (n, 2), each carried by its own matrix (n, 6)."""
    x, y = points[:, 0], points[:, 1]
    return np.stack(
        [
            matrices[:, 0] * x + matrices[:, 2] * y + matrices[:, 4],
            matrices[:, 1] * x + matrices[:, 3] * y + matrices[:, 5],
        ],
        1,
    )
