"""Legs that step by themselves: where feet stand, when they leave, where they come down.

A foot stays where it is until it is half a stride behind its home, which goes with the body; then it swings to a place
as far ahead, while those of other sets wait (common practice). Where feet come too close in time each goes a little
sooner or later, so that they even out. A walk at one speed is the steady state of that, and is said in closed form.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise

from kunstgriff.figure.model import Point
from kunstgriff.figure.motions import Stepper

GRID = 0.25  # frames between looks at the feet
EVENS = 0.5  # how much of the way a foot's neighbour is off makes it go sooner or later
SLOWEST, FASTEST = 0.35, 1.3  # of the stride, at other speeds
STANDS = 0.02  # of the usual speed, below which a body stands
TIDY = 0.03  # of the stride a foot may be off its home at a stop
STARTS = 0.12  # of the stride the body goes from a stop until the first foot leaves
LONGEST_STAND = 1.5  # times as long as usual a foot that comes down is meant to stand, at the most
CROWDED = 0.95  # of its share of a cycle a foot is in the air at the most
FURTHER = 1.15  # of the usual way that a foot comes down ahead of the one before it, at the most
CLOSE = 0.75  # of the way to the next pair that two legs of one are apart at the most

Ahead = Callable[[float], float]  # where the body will be (px from now's origin) in so many frames


@dataclass(frozen=True)
class Leg:
    """A leg by its reach: where its goal is at rest (`home`), the joint it hangs on (`hip`), how `long` it is before it
    is eased, how far its sole goes left and right of the goal, and the number of the set it steps with."""

    reach: str
    name: str
    home: Point
    hip: Point
    long: float
    sole: Point = (0.0, 0.0)
    set: int = 0
    foot: str | None = None


@dataclass(frozen=True)
class Step:
    """A foot that leaves `start`, an x on the ground, and comes down at `end`: frames and px."""

    leg: int
    lifts: float
    lands: float
    start: float
    end: float

    def share(self, now: float) -> float:
        """How far it is on its way, 0 to 1, by the time."""
        return min(max((now - self.lifts) / (self.lands - self.lifts), 0.0), 1.0)

    def eased(self, now: float) -> float:
        """How much of its way it has gone, 0 to 1: it leaves and comes down gently."""
        t = self.share(now)
        return t * t * (3 - 2 * t)


@dataclass(frozen=True)
class Gait:
    """A stepper in px and frames, for legs of one figure."""

    stepper: Stepper
    stride: float
    lift: float
    sets: int

    @property
    def speed(self) -> float:
        """The usual one: px a frame."""
        return self.stride / self.stepper.period

    def stride_at(self, speed: float) -> float:
        """The stride at another speed (px): slower means shorter and less often, each by the root."""
        return self.stride * min(max(math.sqrt(abs(speed) / self.speed), SLOWEST), FASTEST)

    def airborne(self, speed: float) -> float:
        """How many frames a foot is in the air."""
        most = self.stepper.air * self.stepper.period
        cycle = self.stride_at(speed) / max(abs(speed), 1e-9)
        return max(min(most, CROWDED * cycle / self.sets), 1.0)

    def before_middle(self, speed: float) -> float:
        """How many frames after a foot came down the body is above it."""
        longest = LONGEST_STAND * self.stepper.period * (1 - self.stepper.air) / 2
        ahead = (self.stride_at(speed) - abs(speed) * self.airborne(speed)) / (2 * max(abs(speed), 1e-9))
        return min(max(ahead, 0.0), longest)


def arranged(legs: Sequence[Leg], sets: str) -> list[Leg]:
    """Legs with the sets they step in: neighbours apart (`alternate`), each for itself (`wave`), from behind, or pairs
    that stand at one place together."""
    order = sorted(range(len(legs)), key=lambda k: legs[k].home[0])
    paired = _come_in_pairs([legs[k].home[0] for k in order])
    ranks = [order[k : k + 2] for k in range(0, len(order), 2)] if paired else [[k] for k in order]
    number = {}
    for place, rank in enumerate(ranks):
        for side, k in enumerate(sorted(rank)):
            number[k] = {
                "alternate": (place + side) % 2 if paired else place % 2,
                "pairs": place if len(ranks) > 1 else side,
                "wave": sum(map(len, ranks[:place])) + side,
            }[sets]
    used = sorted(set(number.values()))
    return [replace(leg, set=used.index(number[k])) for k, leg in enumerate(legs)]


def _come_in_pairs(places: list[float]) -> bool:
    """Whether legs, from left to right, stand two by two, as those of both sides do."""
    gaps = [other - one for one, other in pairwise(places)]
    inside, between = gaps[::2], gaps[1::2]
    if len(places) % 2 or not between:
        return len(places) == 2
    return max(inside) < CLOSE * min(between)


def gait_of(stepper: Stepper, legs: Sequence[Leg]) -> Gait:
    """A stepper in px, by the mean length of legs that are arranged."""
    long = sum(leg.long for leg in legs) / len(legs)
    return Gait(stepper, stepper.stride * long, stepper.lift * long, max(leg.set for leg in legs) + 1)


@dataclass
class Walker:
    """Feet in play: where each stands or which step it makes. `advance` goes on in time; nothing else changes it."""

    legs: Sequence[Leg]
    gait: Gait
    places: list[float]
    now: float = 0.0
    under_way: dict[int, Step] = field(default_factory=dict)
    landed: float = -math.inf
    last: int = -1  # the set that left last

    def advance(self, until: float, body: Ahead) -> list[Step]:
        """Go on to a frame; `body` says where the body is at any frame near that. Returns the steps that began."""
        begun: list[Step] = []
        while self.now < until - 1e-9:
            after = min(self.now + GRID, until)
            begun += self._left(self.now, after, body)
            self.now = after
            self._come_down()
        return begun

    def _come_down(self) -> None:
        for leg, step in list(self.under_way.items()):
            if step.lands <= self.now + 1e-9:
                self.places[leg] = step.end
                self.landed = max(self.landed, step.lands)
                del self.under_way[leg]

    def _left(self, before: float, after: float, body: Ahead) -> list[Step]:
        """The steps of the set, if any, that leaves between two moments."""
        if self.under_way:
            ends = max(step.lands for step in self.under_way.values())
            if ends > after:
                return []
            before = max(before, ends)
            self.now = before
            self._come_down()
        # of sets that want it alike the one that did not leave last, and then the first
        wants = max(
            range(self.gait.sets), key=lambda number: (round(self._wish(number, after, body), 6), number != self.last)
        )
        if self._wish(wants, after, body) < 0.0:
            return []
        low, high = before, after
        if self._wish(wants, low, body) >= 0.0:
            high = low
        while high - low > 1e-7:
            middle = (low + high) / 2
            low, high = (low, middle) if self._wish(wants, middle, body) >= 0.0 else (middle, high)
        steps = [self._step(leg, high, body) for leg, one in enumerate(self.legs) if one.set == wants]
        steps = [step for step in steps if step.start != step.end]
        self.under_way |= {step.leg: step for step in steps}
        self.last = wants
        return steps

    def _wish(self, number: int, now: float, body: Ahead) -> float:
        """How much a set wants to leave: from 0 on it does."""
        speed = _speed(body, now)
        mine = [k for k, leg in enumerate(self.legs) if leg.set == number]
        if abs(speed) < STANDS * self.gait.speed:
            if now < self.landed + self.gait.stepper.lag:
                return -math.inf
            off = max(abs(self._off(k, now, 0.0, body)) for k in mine)
            return off - TIDY * self.gait.stride - 1e-6
        way, middle = math.copysign(1.0, speed), self.gait.airborne(speed) / 2
        stride = self.gait.stride_at(speed)
        behind = -way * sum(self._off(k, now, middle, body) for k in mine) / len(mine)
        if all(abs(self._off(k, now, 0.0, body)) < STARTS * stride for k in range(len(self.legs))):
            return behind - STARTS * stride
        wish = behind - stride / 2
        others = [k for k, leg in enumerate(self.legs) if leg.set == self.last]
        if self.gait.sets > 1 and others and self.last != number:
            ahead = way * sum(self._off(k, now, middle, body) for k in others) / len(others)
            wish += EVENS * (stride * (0.5 - 1 / self.gait.sets) - ahead)
        return wish

    def _off(self, leg: int, now: float, later: float, body: Ahead) -> float:
        """How far a foot is ahead of where its home will be."""
        return self.places[leg] - (self.legs[leg].home[0] + body(now + later))

    def _step(self, leg: int, lifts: float, body: Ahead) -> Step:
        lands = lifts + self.gait.airborne(_speed(body, lifts))
        then = _speed(body, lands)
        end = self.legs[leg].home[0] + body(lands + self.gait.before_middle(then))
        others = [k for k, one in enumerate(self.legs) if one.set != self.legs[leg].set]
        if others and abs(then) >= STANDS * self.gait.speed:
            way = math.copysign(1.0, then)
            most = max(way * (self.places[k] - self.legs[k].home[0]) for k in others)
            most += FURTHER * self.gait.stride_at(then) / self.gait.sets
            end = way * min(way * end, most + way * self.legs[leg].home[0])
        return Step(leg, lifts, lands, self.places[leg], end)


def _speed(body: Ahead, now: float) -> float:
    """How fast the body goes, px a frame."""
    return (body(now + GRID) - body(now - GRID)) / (2 * GRID)


def steady(legs: Sequence[Leg], gait: Gait, period: float, speed: float) -> list[Step]:
    """One cycle of a walk at one speed: the sets come down one after another, the first on frame 0, the body being at
    its rest then. Exact: a cycle later each foot is a cycle's way further."""
    air = min(gait.stepper.air * period, CROWDED * period / gait.sets)
    way = speed * period
    steps = []
    for k, leg in enumerate(legs):
        lands = period * leg.set / gait.sets
        end = leg.home[0] + speed * lands + (way - speed * air) / 2
        steps.append(Step(k, lands - air, lands, end - way, end))
    return steps


def standing(legs: Iterable[Leg], body: float) -> list[float]:
    """Where feet stand at home."""
    return [leg.home[0] + body for leg in legs]
