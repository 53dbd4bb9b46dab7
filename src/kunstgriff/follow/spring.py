"""Spring bones: chains of damped angular springs that lag, overshoot and settle.

Each bone is a uniform rod on a pivot that its parent carries. Its deviation d (radians) from where its parent would
hold it obeys

    d'' = -ω² d - 2 ζ ω d' - φ'' + 3/(2L) [(g - a)·t(θ) - g·t(θ₀)]

with ω = 2π f, φ the angle its parent gives it, a the acceleration of its pivot, L its length, t(θ) the unit vector
across it, and θ₀ its direction at rest, so that gravity and spring balance in the rest pose. 3/(2L) is the rod's
first moment over its moment of inertia about the end. The linear part is stepped exactly (damped harmonic oscillator,
e.g. Thomson, Theory of Vibration), with the forcing held over a step, so results do not depend on the frame rate.
"""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.evaluate.rig import Rig
from kunstgriff.figure.model import Figure
from kunstgriff.skeleton.bones import length_of

Floats = NDArray[np.float64]

STEPS_PER_SECOND = 240  # 20, 10 and 4 steps a frame at 12, 24 and 60 frames per second


def oscillator_step(omega: float, zeta: float, h: float) -> Floats:
    """Exact propagator (2, 2) of (x, x') over h seconds for x'' = -ω² x - 2 ζ ω x'."""
    decay = zeta * omega
    split = omega * omega - decay * decay
    if abs(split) < 1e-9 * omega * omega:  # critical damping
        c, s = 1.0, h
    elif split > 0:
        root = math.sqrt(split)
        c, s = math.cos(root * h), math.sin(root * h) / root
    else:
        root = math.sqrt(-split)
        c, s = math.cosh(root * h), math.sinh(root * h) / root
    fade = math.exp(-decay * h)
    return fade * np.array([[c + decay * s, s], [-omega * omega * s, c - decay * s]])


class SpringChains:
    """The springs of a rig as flat arrays, and their state while time runs."""

    def __init__(self, rig: Rig, figure: Figure) -> None:
        count = len(figure.bones)
        self.rig = rig
        self.is_spring = np.zeros(count, np.bool_)
        self.propagators = np.zeros((count, 2, 2))
        self.omega_squared = np.ones(count)
        self.lever = np.zeros(count)
        self.gravity = np.zeros(count)
        along = rig.tips - rig.joints
        self.rest_angle = np.arctan2(along[:, 1], along[:, 0])
        self.h = 1.0 / STEPS_PER_SECOND
        for spring in figure.springs:
            omega = 2 * math.pi * spring.frequency
            for ref in spring.bones:
                number = rig.bone_index[ref]
                bone = figure.bones[number]
                self.is_spring[number] = True
                self.propagators[number] = oscillator_step(omega, spring.damping_ratio, self.h)
                self.omega_squared[number] = omega * omega
                self.lever[number] = 1.5 / max(length_of(bone), 1.0)
                self.gravity[number] = spring.gravity
        self.state = np.zeros((count, 2))  # deviation and its rate, rad and rad/s
        self.pivots = np.zeros((3, count, 2))  # joint positions now and at the two steps before
        self.angles = np.zeros((3, count))  # angle given by the parent, likewise
        self.started = False

    def release(self, deviation: Floats) -> None:
        """Start from these deviations (rad) at rest instead of from none."""
        self.state[:, 0] = np.where(self.is_spring, deviation, 0.0)
        self.state[:, 1] = 0.0

    def advance(self, driven: Floats, moves: Floats) -> None:
        """Step through `driven` (steps, bones) turns in degrees and `moves` (steps, bones, 2) px.

        Leaves the turns after the last step, driven and spring together, in `rig.turn`, and moves in `rig.move`.
        """
        rig = self.rig
        for row in range(len(driven)):
            advance_once(
                rig.parents, rig.joints, driven[row], moves[row], self.is_spring, self.propagators, self.omega_squared,
                self.lever, self.gravity, self.rest_angle, self.h, self.started, self.state, self.pivots, self.angles,
                rig.matrices, rig.turn,
            )  # fmt: skip
            self.started = True
        if len(driven):
            rig.move[:] = moves[-1]


@njit(cache=True)
def advance_once(
    parents: NDArray[np.int32],
    joints: Floats,
    driven: Floats,
    move: Floats,
    is_spring: NDArray[np.bool_],
    propagators: Floats,
    omega_squared: Floats,
    lever: Floats,
    gravity: Floats,
    rest_angle: Floats,
    h: float,
    started: bool,
    state: Floats,
    pivots: Floats,
    angles: Floats,
    matrices: Floats,
    turn: Floats,
) -> None:
    """One step of every chain, parents first, so that each link feels its parent's new place."""
    for bone in range(parents.shape[0]):
        parent = parents[bone]
        x, y = joints[bone, 0], joints[bone, 1]
        angle = driven[bone] * (math.pi / 180.0)
        px, py = x, y
        if parent >= 0:
            m = matrices[parent]
            angle += math.atan2(m[1], m[0])
            px, py = m[0] * x + m[2] * y + m[4], m[1] * x + m[3] * y + m[5]
        px += move[bone, 0]
        py += move[bone, 1]
        deviation = 0.0
        if is_spring[bone]:
            if not started:
                for k in range(3):
                    pivots[k, bone, 0], pivots[k, bone, 1], angles[k, bone] = px, py, angle
            # atan2 jumps by a turn; keep to the branch nearest the last angle
            angle += 2 * math.pi * round((angles[0, bone] - angle) / (2 * math.pi))
            for k in range(2, 0, -1):
                pivots[k, bone, 0], pivots[k, bone, 1] = pivots[k - 1, bone, 0], pivots[k - 1, bone, 1]
                angles[k, bone] = angles[k - 1, bone]
            pivots[0, bone, 0], pivots[0, bone, 1], angles[0, bone] = px, py, angle
            ax = (pivots[0, bone, 0] - 2 * pivots[1, bone, 0] + pivots[2, bone, 0]) / (h * h)
            ay = (pivots[0, bone, 1] - 2 * pivots[1, bone, 1] + pivots[2, bone, 1]) / (h * h)
            turning = (angles[0, bone] - 2 * angles[1, bone] + angles[2, bone]) / (h * h)
            theta = rest_angle[bone] + angles[1, bone] + state[bone, 0]
            pull = -ax * -math.sin(theta) + (gravity[bone] - ay) * math.cos(theta)
            pull -= gravity[bone] * math.cos(rest_angle[bone])
            forcing = lever[bone] * pull - turning
            settled = forcing / omega_squared[bone]
            p = propagators[bone]
            d, v = state[bone, 0] - settled, state[bone, 1]
            state[bone, 0] = settled + p[0, 0] * d + p[0, 1] * v
            state[bone, 1] = p[1, 0] * d + p[1, 1] * v
            deviation = state[bone, 0]
        angle += deviation
        turn[bone] = driven[bone] + deviation * (180.0 / math.pi)
        c, s = math.cos(angle), math.sin(angle)
        matrices[bone, 0], matrices[bone, 1], matrices[bone, 2], matrices[bone, 3] = c, s, -s, c
        matrices[bone, 4] = px - c * x + s * y
        matrices[bone, 5] = py - s * x - c * y


def steps_for(rate: int) -> int:
    """Simulation steps for each frame at `rate` frames per second; at least one."""
    return max(round(STEPS_PER_SECOND / rate), 1)


def moments(count: int, rate: int) -> Iterator[Floats]:
    """For each of `count` frames, the times in s of the steps that lead up to it; the first has only time 0."""
    per_frame = steps_for(rate)
    for frame in range(count):
        if frame == 0:
            yield np.zeros(1)
        else:
            yield (frame - 1 + np.arange(1, per_frame + 1) / per_frame) / rate
