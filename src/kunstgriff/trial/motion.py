"""Motions: what a rig is played through, frame by frame, its springs following. The test swing is one among others.

A motion is a value that says where the channels of bones are at given times; playing it is the same for all.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from kunstgriff.evaluate.rig import Frame, Rig
from kunstgriff.figure.model import Figure
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.refusal import EditRefused
from kunstgriff.follow.spring import SpringChains, moments
from kunstgriff.trial.poses import pose_of
from kunstgriff.trial.swing import SECONDS, swing_at, swung_bones

Floats = NDArray[np.float64]

INTO_SECONDS, HOLD_SECONDS = 0.5, 1.0  # to go into a kept pose or back, and to stay in it; common practice, no source


@dataclass(frozen=True)
class Course:
    """Where bones are at n times: `turn` (n, b) in degrees, `move` (n, b, 2) in px, `stretch` (n, b, 2) along and
    across, b bones in the figure's order."""

    turn: Floats
    move: Floats
    stretch: Floats


class Motion(Protocol):
    """What a figure can be played through. `name` is unique in a figure, `seconds` its length."""

    @property
    def name(self) -> str: ...
    @property
    def seconds(self) -> float: ...
    def course(self, rig: Rig, times: Floats) -> Course:
        """Where bones are at `times` (n,) in s."""
        ...


@dataclass(frozen=True)
class Swing:
    """What springs hang on turned left and right, then held still while they settle."""

    name: str = "test swing"
    seconds: float = SECONDS

    def course(self, rig: Rig, times: Floats) -> Course:
        degrees = np.zeros(len(rig.figure.bones))
        for ref, most in swung_bones(rig.figure).items():
            degrees[rig.bone_index[ref]] = most
        return Course(swing_at(times)[:, None] * degrees, *_still(rig, len(times)))


@dataclass(frozen=True)
class IntoPose:
    """From rest into a kept pose, held there, back, and still while springs settle."""

    into: str
    pose: Pose

    @property
    def name(self) -> str:
        return f"into {self.into}"

    @property
    def seconds(self) -> float:
        return SECONDS

    def course(self, rig: Rig, times: Floats) -> Course:
        share = np.interp(times, np.cumsum([0.0, INTO_SECONDS, HOLD_SECONDS, INTO_SECONDS]), [0.0, 1.0, 1.0, 0.0])
        share = share * share * (3 - 2 * share)
        rig.set_pose(self.pose)
        turn, move, stretch = rig.turn.copy(), rig.move.copy(), rig.stretch.copy()
        rig.set_pose(Pose())
        return Course(share[:, None] * turn, share[:, None, None] * move, 1 + share[:, None, None] * (stretch - 1))


def _still(rig: Rig, count: int) -> tuple[Floats, Floats]:
    bones = len(rig.figure.bones)
    return np.zeros((count, bones, 2)), np.ones((count, bones, 2))


SWING = Swing()


def motions_of(figure: Figure) -> list[Motion]:
    """All that a figure can be played through: the test swing, and into each kept pose."""
    return [SWING, *(IntoPose(kept.name, pose_of(figure, kept)) for kept in figure.poses)]


def motion_named(figure: Figure, name: str | None) -> Motion:
    """The motion of that name, the test swing without one. Raises EditRefused where there is none."""
    found = motions_of(figure)
    motion = next((one for one in found if one.name == name), None) if name is not None else SWING
    if motion is None:
        names = ", ".join(one.name for one in found)
        raise EditRefused(f"There is no motion “{(name or '')[:80]}”; there are {names}.")
    return motion


def frame_count(motion: Motion, rate: int) -> int:
    """How many frames a motion has at `rate` frames per second."""
    return round(motion.seconds * rate)


def play(rig: Rig, motion: Motion = SWING, rate: int | None = None) -> Iterator[Frame]:
    """A motion frame by frame. Every frame follows from the figure and its number alone, however fast it is shown."""
    rate = rate or rig.figure.rate
    chains = SpringChains(rig, rig.figure)
    for times in moments(frame_count(motion, rate), rate):
        course = motion.course(rig, times)
        rig.stretch[:] = course.stretch[-1]
        chains.advance(course.turn, course.move)
        yield rig.evaluate()
