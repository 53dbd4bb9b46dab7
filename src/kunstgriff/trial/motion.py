"""Motions: what a rig is played through, frame by frame, its springs following. The test swing is one among others.

A motion is a value that says what all channels are at given times; playing it is the same for all.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from kunstgriff.evaluate.frame import Frame
from kunstgriff.evaluate.program import RigProgram
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.channels import addressed
from kunstgriff.figure.model import Figure
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.refusal import EditRefused
from kunstgriff.follow.looping import settle_into_loop
from kunstgriff.follow.spring import Simulation, State, moment_of, shapes_of, steps_for
from kunstgriff.trial.cells import RangeSheet
from kunstgriff.trial.keys import KeyedMotion
from kunstgriff.trial.swing import SECONDS, gust_at, hop_at, look_at, stop_at, swing_at, swung_bones, walk_at

Floats = NDArray[np.float64]

HOP, GOES, LOOKS = 0.07, 0.9, 22.0  # of the figure's height, of it, degrees
BOBS, LEANS = 0.025, 1.5  # of the figure's height, degrees
KEPT_EVERY = 12  # frames between states that are kept
INTO_SECONDS, HOLD_SECONDS = 0.5, 1.0  # to go into a kept pose or back, and to stay in it; common practice, no source


class Motion(Protocol):
    """What a figure can be played through. `name` is unique in a figure, `seconds` its length, `rate` how many frames
    per second it has of its own; without that it goes at the figure's."""

    @property
    def name(self) -> str: ...
    @property
    def seconds(self) -> float: ...
    @property
    def rate(self) -> int | None: ...
    def course(self, program: RigProgram, times: Floats) -> Floats:
        """The values of all channels at `times` (n,) in s: (n, k), as the program has them in a row."""
        ...

    def at_rate(self, rate: int) -> Motion:
        """The same as long, with so many frames per second."""
        ...


@dataclass(frozen=True)
class Swing:
    """What springs hang on turned left and right, then held still while they settle."""

    name: str = "test swing"
    seconds: float = SECONDS
    rate: int | None = None

    def course(self, program: RigProgram, times: Floats) -> Floats:
        channels, share = program.channels, swing_at(times)
        values = np.tile(channels.rest, (len(times), 1))
        for ref, most in swung_bones(program.figure).items():
            values[:, channels.index[addressed(ref, "turn")]] = share * most
        return values

    def at_rate(self, rate: int) -> Motion:
        return replace(self, rate=rate)


@dataclass(frozen=True)
class IntoPose:
    """From rest into a kept pose, held there, back, and still while springs settle."""

    into: str
    pose: Pose
    rate: int | None = None

    @property
    def name(self) -> str:
        return f"into {self.into}"

    @property
    def seconds(self) -> float:
        return SECONDS

    def course(self, program: RigProgram, times: Floats) -> Floats:
        share = np.interp(times, np.cumsum([0.0, INTO_SECONDS, HOLD_SECONDS, INTO_SECONDS]), [0.0, 1.0, 1.0, 0.0])
        share = share * share * (3 - 2 * share)
        channels = program.channels
        there = channels.rest.copy()
        channels.set(there, self.pose.restricted_to(program.posable))
        values = channels.rest + share[:, None] * (there - channels.rest)
        stepped = channels.stepped
        values[:, stepped] = np.where(share[:, None] >= 0.5, there[stepped], channels.rest[stepped])
        return values

    def at_rate(self, rate: int) -> Motion:
        return replace(self, rate=rate)


@dataclass(frozen=True)
class Trying:
    """A built-in motion to try springs on: the body or the head goes by a course, or the wind blows by one."""

    name: str
    about: str
    rate: int | None = None
    seconds: float = SECONDS

    def course(self, program: RigProgram, times: Floats) -> Floats:
        channels, figure = program.channels, program.figure
        values = np.tile(channels.rest, (len(times), 1))
        root = next((bone.id for bone in figure.bones if bone.parent is None), "")
        high = float(np.ptp(program.rest[:, 1])) if len(program.rest) else 0.0
        swung = swung_bones(figure)
        head = max(swung, key=lambda ref: swung[ref], default="")
        at = channels.index
        if self.name == "hop":
            values[:, at[addressed(root, "move.y")]] = -HOP * high * hop_at(times)
        elif self.name == "sudden stop":
            values[:, at[addressed(root, "move.x")]] = GOES * high * (stop_at(times) - 1.0)
        elif self.name == "walk on the spot":
            high_up, leans = walk_at(times)
            values[:, at[addressed(root, "move.y")]] = -BOBS * high * high_up
            values[:, at[addressed(root, "turn")]] = LEANS * leans
        elif self.name == "turn of the head":
            values[:, at[addressed(head, "turn")]] = LOOKS * look_at(times)
        elif figure.wind is not None:
            values[:, at[addressed(figure.wind.id, "blows")]] = gust_at(times)
        return values

    def at_rate(self, rate: int) -> Motion:
        return replace(self, rate=rate)


SWING = Swing()
TRYING = (
    Trying("hop", "The whole figure hops"), Trying("sudden stop", "It comes along and stops all at once"),
    Trying("walk on the spot", "The body goes up and down and leans, two steps a second"),
    Trying("turn of the head", "What springs hang on most is turned to and fro fast"),
)  # fmt: skip
GUST = Trying("gust", "The wind swells to four times itself, and falls")


def tryings(figure: Figure) -> list[Trying]:
    """The built-in motions that springs of a figure can be tried on, beside the test swing."""
    there = list(TRYING) if figure.follows_through and figure.bones else []
    return [*there, *([GUST] if figure.springs and figure.wind is not None else [])]


def motions_of(figure: Figure) -> list[Motion]:
    """All that a figure can be played through: the test swing, its own motions, into each kept pose, through all it can
    do, and what springs are tried on."""
    own, kept = map(KeyedMotion, figure.motions), (IntoPose(kept.name, kept.pose) for kept in figure.poses)
    return [SWING, *own, *kept, *([RangeSheet(figure)] if figure.bones else []), *tryings(figure)]


def motion_named(figure: Figure, name: str | None) -> Motion:
    """The motion of that name, the test swing without one. Raises EditRefused where there is none."""
    found = motions_of(figure)
    motion = next((one for one in found if one.name == name), None) if name is not None else SWING
    if motion is None:
        names = ", ".join(one.name for one in found)
        raise EditRefused(f"There is no motion “{(name or '')[:80]}”; there are {names}.")
    return motion


def rate_of(motion: Motion, figure: Figure) -> int:
    """How many frames per second a motion has."""
    return motion.rate or figure.rate


def frame_count(motion: Motion, rate: int) -> int:
    """How many frames a motion has at `rate` frames per second."""
    return round(motion.seconds * rate)


Seen = Callable[[Floats], Floats]


def as_it_is(rows: Floats) -> Floats:
    """Rows of values, unchanged."""
    return rows


class Playback:
    """A motion played on a rig, its springs following. Every frame follows from the figure and its number alone,
    however one comes to it: states are kept on the way, and gone on from.

    A motion that goes round begins in the state that it leads back to, unless it has cuts or blows. `open_by` tells by
    how many px a tip is elsewhere after a round. What a motion says of channels is `seen` as that.
    """

    def __init__(
        self,
        rig: RigState,
        motion: Motion = SWING,
        rate: int | None = None,
        seen: Callable[[Floats], Floats] = as_it_is,
        settled: bool = False,
    ) -> None:
        self.rig, self.motion, self.seen = rig, motion, seen
        self.rate = rate or rate_of(motion, rig.program.figure)
        self.count, self.open_by = frame_count(motion, self.rate), 0.0
        own = motion.motion if isinstance(motion, KeyedMotion) else None
        scale = self.rate / own.rate if own else 1.0
        self.blows = [(round(one.at * scale), one) for one in own.blows] if own else []
        self.cuts = {round(one.at * scale): one.settled for one in own.cuts} if own else {}
        self.round = bool(own and own.loop and self.count > 2 and not self.blows and not self.cuts)
        if settled and not self.round:
            self.cuts.setdefault(0, True)
        shapes = shapes_of(rig.program.figure, own.ground if own else ())
        self.simulation = Simulation(rig, shapes, motion.seconds if self.round else None, self.rate)
        if own:
            self.simulation.travel[0] = own.travels * own.rate
        self.states: dict[int, State] = {}
        self.at = -1  # the frame that the simulation is at

    def frame(self, number: int) -> Frame:
        """One frame by its number."""
        self.go_to(number)
        return self.rig.evaluate()

    def go_to(self, number: int) -> None:
        """Let everything be as on a frame."""
        kept = max((one for one in self.states if one <= number), default=-1)
        if not kept <= self.at <= number:
            self.at = kept
            if kept >= 0:
                self.simulation.state = self.states[kept]
        while self.at < number:
            self.at += 1
            self._on(self.at)
            if self.at % KEPT_EVERY == 0:
                self.states.setdefault(self.at, self.simulation.state)

    def course(self, times: Floats) -> Floats:
        """The values of all channels at `times` (n,) s, as they are seen."""
        return self.seen(self.motion.course(self.rig.program, times))

    def _on(self, number: int) -> None:
        """From the frame before to this one."""
        if number == 0 and self.round:
            steps = self.count * steps_for(self.rate)
            times = np.arange(1, steps + 1) % steps / (self.rate * steps_for(self.rate))
            self.open_by = settle_into_loop(self.simulation, self.course(times))
        elif number in self.cuts:
            self.simulation.steps = number * steps_for(self.rate)
            self.simulation.begin(self.course(np.array([number / self.rate]))[0], self.cuts[number])
        else:
            self.simulation.step(self.course(moment_of(number, self.rate)))
        for at, blow in self.blows:
            if at == number:
                self.simulation.knock(blow.way, blow.spring)


def play(rig: RigState, motion: Motion = SWING, rate: int | None = None) -> Iterator[Frame]:
    """A motion frame by frame."""
    playback = Playback(rig, motion, rate)
    for number in range(playback.count):
        yield playback.frame(number)
