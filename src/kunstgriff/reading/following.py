"""How chains follow through a motion, read off what is played: lag, overshoot, how deep they go into what they must
not enter, how far each link turns against its limits, whether they lie still at the end and whether a loop closes."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.refusal import EditRefused
from kunstgriff.follow.contacts import GROUND, inside, nearest
from kunstgriff.follow.spring import Simulation
from kunstgriff.skeleton.kinematics import posed
from kunstgriff.trial.motion import Motion, Playback

Floats = NDArray[np.float64]

LONGEST = 2_000  # frames read at once
STILL_FRAMES, STILL = 12, 0.02  # frames at the end, degrees what a chain hangs on may turn in them: it is still
DEEP, TREMBLING, OPEN = 0.5, 0.05, 0.01  # px from which a finding is raised
STOPPED = 0.98  # share of a limit
SETTLING = 10  # s a chain is given to come to rest in the last pose
MOST_LAG = 24  # frames looked for
TOUCHES = 0.5  # px beside a collider
PRESSED, FOR_LONG = 40.0, 12  # degrees a chain is held aside by what it touches, frames: from then on it looks dead


@dataclass(frozen=True)
class Followed:
    """What one chain does over a motion. `plots` has a number a frame: how far its tip's direction is off where the
    pose holds it, degrees."""

    spring: str
    name: str
    bones: tuple[str, ...]
    lag: float | None  # frames behind where the pose holds it; None where that hardly moves
    furthest: float  # degrees off where the pose holds it
    overshoot: float | None  # share of the way
    deepest: float  # px in a collider
    deepest_at: int
    deepest_in: str | None
    turns: tuple[float, ...]  # degrees each link turns at the most
    over_limit: tuple[float, ...]  # share of its limits, 1 at the end; 0 without limits
    pressed: int  # frames on end in which something holds it far aside
    pressed_at: int
    pressed_by: str | None
    jitter: float | None  # px the tip moves a frame long after the end; None in the wind and in what goes round
    plot: tuple[float, ...]

    @property
    def data(self) -> dict[str, Any]:
        return dict(self.__dict__)


@dataclass(frozen=True)
class Wobbled:
    """What one warp that is jelly does: how far the handle that goes furthest is off its place, px a frame in `plot`,
    and the share of how far it may go."""

    warp: str
    name: str
    furthest: float
    furthest_at: int
    of_most: float
    plot: tuple[float, ...]

    @property
    def data(self) -> dict[str, Any]:
        return dict(self.__dict__)


@dataclass(frozen=True)
class Fault:
    """What is wrong with a chain, or with the loop: the bone and the frame it is about, the `collider` it goes into."""

    sentence: str
    bone: str | None
    frame: int = 0
    collider: str | None = None


@dataclass(frozen=True)
class Following:
    """All chains of a figure over a motion; `open_by` px is how far a motion that goes round does not close."""

    motion: str
    frames: int
    chains: tuple[Followed, ...]
    jellies: tuple[Wobbled, ...]
    open_by: float

    @property
    def faults(self) -> list[Fault]:
        """What is wrong."""
        told = list[Fault]()
        for one in self.chains:
            first, name = one.bones[0], one.name
            if one.deepest > DEEP:
                where = f"“{one.deepest_in}”" if one.deepest_in else "the ground"
                words = f"“{name}” goes {one.deepest:.1f} px into {where} on frame {one.deepest_at}."
                told.append(Fault(words, first, one.deepest_at, one.deepest_in))
            if one.jitter is not None and one.jitter > TREMBLING:
                told.append(Fault(f"“{name}” never lies still: {one.jitter:.2f} px a frame.", first, self.frames - 1))
            if max(one.over_limit) > STOPPED:
                told.append(Fault(f"“{name}” is stopped by the limits of a joint.", first))
            if one.pressed >= FOR_LONG:
                by = f"“{one.pressed_by}”" if one.pressed_by else "the ground"
                words = f"“{name}” is held aside by {by} for {one.pressed} frames, from {one.pressed_at} on."
                told.append(Fault(words, first, one.pressed_at, one.pressed_by))
        for each in self.jellies:
            if each.of_most > STOPPED:
                words = (
                    f"“{each.name}” goes as far as it may without folding on frame {each.furthest_at}: make it firmer."
                )
                told.append(Fault(words, None, each.furthest_at))
        if self.open_by > OPEN:
            told.append(Fault(f"The loop does not close: springs are {self.open_by:.2f} px apart.", None))
        return told

    @property
    def data(self) -> dict[str, Any]:
        """The same for JSON."""
        return {
            "motion": self.motion, "frames": self.frames, "open_by": self.open_by,
            "chains": [one.data for one in self.chains],
            "jellies": [one.data for one in self.jellies],
            "findings": [dict(one.__dict__) for one in self.faults],
        }  # fmt: skip


def read_following(rig: RigState, motion: Motion) -> Following:
    """Play a motion and read its chains and jelly. Raises EditRefused for a motion that is too long, or a figure
    without any."""
    figure = rig.program.figure
    playback = Playback(rig, motion)
    simulation = playback.simulation
    if not figure.follows_through:
        raise EditRefused("Nothing of this figure is springy yet.")
    if playback.count > LONGEST:
        raise EditRefused(f"“{motion.name}” has {playback.count:,} frames; {LONGEST:,} at most are read at once.")
    names = {bone.id: bone.name for bone in figure.bones}
    rows, offs = [_Row.of(simulation, number) for number in simulation.runs], list[Floats]()
    for frame in range(playback.count):
        playback.go_to(frame)
        offs.append(np.hypot(*simulation.jelly.off.T))
        for row in rows:
            row.take(simulation, frame)
    at_rest = _rested(playback) if figure.wind is None and not playback.round else {}
    found = [row.read(simulation, names, at_rest.get(row.number)) for row in rows]
    wobbled = _wobbled(simulation, np.array(offs))
    return Following(motion.name, playback.count, tuple(found), tuple(wobbled), playback.open_by)


def _wobbled(simulation: Simulation, offs: Floats) -> Iterator[Wobbled]:
    """What jelly did whose handles (j) were so many px off on each frame (n, j)."""
    ends = np.cumsum([len(one.handles) for one in simulation.rig.program.figure.jellies])
    for warp, last in zip(simulation.rig.program.figure.jellies, ends, strict=True):
        some = slice(last - len(warp.handles), last)
        plot = offs[:, some].max(1)
        share = (offs[:, some] / simulation.jelly.most[some]).max()
        yield Wobbled(
            warp.id, warp.name, float(plot.max()), int(plot.argmax()), float(share), tuple(plot.round(2).tolist())
        )


class _Row:
    """What is gathered of one chain on the way."""

    def __init__(self, number: int, lengths: Floats, bones: tuple[int, ...]) -> None:
        self.number, self.lengths, self.bones = number, lengths, bones
        self.held, self.is_at, self.turns = list[float](), list[float](), list[Floats]()
        self.deepest, self.at, self.into = 0.0, 0, -1
        self.touching = list[int]()  # what it lies at, a frame; -1 for nothing
        self.aside = list[float]()  # degrees its links are off where the pose holds them, in the mean

    @classmethod
    def of(cls, simulation: Simulation, number: int) -> _Row:
        run = simulation.runs[number]
        return cls(number, simulation.chains.lengths[: len(run.bones), number].copy(), run.bones)

    def take(self, simulation: Simulation, frame: int) -> None:
        """Note where the chain is on a frame, as its bones show it."""
        rig, skeleton, first = simulation.rig, simulation.rig.program.skeleton, self.bones[0]
        held = simulation.swing.held[: len(self.bones), self.number]
        ends = [skeleton.joints[first], *(skeleton.tips[bone] for bone in self.bones)]
        carriers = [first, *self.bones]
        points = posed(np.array(ends), rig.matrices[carriers])
        way = points[-1] - points[0]
        self.is_at.append(math.atan2(way[1], way[0]))
        self.held.append(math.atan2(float(self.lengths @ np.sin(held)), float(self.lengths @ np.cos(held))))
        self.turns.append(rig.turn[list(self.bones)].copy())
        nearest_by, touches = -TOUCHES, -1
        for link in range(len(self.bones)):
            for o, shape in enumerate(simulation.stops.shapes):
                room = simulation.stops.rooms[link, self.number, o]
                if room < 0.0 or inside(shape, *points[0], room):
                    continue
                a, b = points[link], points[link + 1]
                if shape[0] == GROUND:
                    deep = float(b[1]) - (shape[2] - room)
                else:
                    share, along = nearest(*a, *b, *shape[1:5])
                    off = a + share * (b - a) - shape[1:3] - along * (shape[3:5] - shape[1:3])
                    deep = room - float(np.hypot(*off))
                if deep > nearest_by:
                    nearest_by, touches = deep, o
                if deep > self.deepest:
                    self.deepest, self.at, self.into = deep, frame, o
        self.touching.append(touches)
        off = np.degrees(np.abs(simulation.swing.angles[: len(self.bones), self.number] - held))
        self.aside.append(float(self.lengths @ off / self.lengths.sum()))

    def read(self, simulation: Simulation, names: dict[str, str], jitter: float | None) -> Followed:
        figure, run = simulation.rig.program.figure, simulation.runs[self.number]
        held, is_at = np.unwrap(self.held), np.unwrap(self.is_at)
        off = np.degrees((is_at - held + math.pi) % (2 * math.pi) - math.pi)
        turns = np.abs(np.array(self.turns)).max(0)
        bodies = simulation.bodies
        over = []
        for bone, turn in zip(self.bones, turns, strict=True):
            end = min(abs(bodies.low[bone]), abs(bodies.high[bone]))
            over.append(float(turn / end) if 0 < end < 1e6 else 0.0)
        refs = tuple(figure.bones[bone].id for bone in self.bones)
        moving = np.degrees(np.ptp(held))
        pressed, since = _longest((np.array(self.aside) > PRESSED) & (np.array(self.touching) >= 0))
        pressed_by = self.name_of(simulation, self.touching[since]) if pressed else None
        return Followed(
            run.spring.id, names[refs[0]], refs, _lag(held, is_at) if moving > 2 else None, float(np.abs(off).max()),
            _overshoot(held, is_at), float(self.deepest), self.at, self.name_of(simulation, self.into),
            tuple(turns.round(2).tolist()), tuple(np.round(over, 3).tolist()), pressed, since, pressed_by, jitter,
            tuple(off.round(2).tolist()),
        )  # fmt: skip

    @staticmethod
    def name_of(simulation: Simulation, shape: int) -> str | None:
        """What the collider is called that a shape is of; nothing for the ground."""
        if shape < 0:
            return None
        ref, colliders = simulation.shapes[shape].of, simulation.rig.program.figure.colliders
        return next((one.name for one in colliders if one.id == ref), None)


def _longest(some: NDArray[np.bool_]) -> tuple[int, int]:
    """How many on end hold at the most, and the first of them."""
    best, begins, count = 0, 0, 0
    for k, holds in enumerate(some.tolist()):
        count = count + 1 if holds else 0
        if count > best:
            best, begins = count, k - count + 1
    return best, begins


def _lag(held: Floats, is_at: Floats) -> float | None:
    """By how many frames one course lies behind another: where they are most alike, between frames by a parabola."""
    a, b = held - held.mean(), is_at - is_at.mean()
    most = min(MOST_LAG, len(a) // 2)
    alike = np.array([float(a[: len(a) - k] @ b[k:]) / max(len(a) - k, 1) for k in range(most + 1)])
    if len(alike) < 3 or alike.max() <= 0:
        return None
    k = int(alike.argmax())
    if 0 < k < most:
        low, mid, high = alike[k - 1 : k + 2]
        return float(k + 0.5 * (low - high) / min(low - 2 * mid + high, -1e-12))
    return float(k)


def _overshoot(held: Floats, is_at: Floats) -> float | None:
    """How far it goes beyond where the pose comes to rest, as a share of the last way there; None where it never
    does."""
    steps = np.abs(np.degrees(np.diff(held)))
    moving = np.flatnonzero(steps > STILL)
    if not len(moving) or len(held) - moving[-1] < STILL_FRAMES:
        return None
    last, end = int(moving[-1]) + 1, held[-1]
    turned = np.flatnonzero(np.sign(np.diff(held[: last + 1])) != np.sign(held[last] - held[last - 1]))
    begin = int(turned[-1]) + 1 if len(turned) else 0
    way = end - held[begin]
    return max(float(((is_at[last:] - is_at[-1]) * np.sign(way)).max() / abs(way)), 0.0) if abs(way) > 1e-3 else None


def _rested(playback: Playback) -> dict[int, float]:
    """By how many px the tip of each chain still moves from frame to frame long after the last one."""
    simulation, rate = playback.simulation, playback.rate
    last = playback.course(np.array([(playback.count - 1) / rate]))
    still = np.tile(last, (round(simulation.steps_a_second / rate), 1))
    for _ in range(SETTLING * rate):
        simulation.step(still)
    seen = []
    for _ in range(STILL_FRAMES):
        simulation.step(still)
        seen.append(simulation.swing.angles.copy())
    moved = np.abs(np.diff(seen, axis=0)).max(0) * simulation.chains.lengths
    return {number: float(moved[:, number].sum()) for number in simulation.runs}
