"""What goes on and off with the pose: how far each switch is on, and in which order things are painted."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.figure.treatments import Switch


@dataclass(frozen=True)
class BoneSwitch:
    """A switch on one bone (its index). With `until` it tells 1 until it is wholly on and 0 from there."""

    bone: int
    parent: int
    switch: Switch
    until: bool = False

    @property
    def row(self) -> tuple[float, ...]:
        one = self.switch
        return self.bone, self.parent, one.low, one.high, one.fade, one.stretch or -np.inf, self.until


OFF = (-1.0, -1.0, 0.0, 0.0, 0.0, -np.inf, 0.0)  # the row of what no bone switches


@njit(cache=True)
def read_amounts(
    table: NDArray[np.float64],
    angles: NDArray[np.float64],
    stretch: NDArray[np.float64],
    amounts: NDArray[np.float32],
) -> None:
    """Fill how far each switch of a `table` (k, 7; see `Reading.row`) is on, `amounts` (k,) in [0, 1], by the bones'
    `angles` (n,) in rad from rest and `stretch` (n, 2)."""
    for number in range(len(table)):
        bone, parent, low, high, fade, least, until = table[number]
        if bone < 0:
            continue
        turn = angles[int(bone)] - (angles[int(parent)] if parent >= 0 else 0.0)
        turn *= 180.0 / math.pi
        fade_or_none, at_once = max(fade, 1e-9), 1.0 if fade == 0 else 0.0
        rise = min(max((turn - low) / fade_or_none + at_once, 0.0), 1.0)
        fall = min(max((high - turn) / fade_or_none + at_once, 0.0), 1.0)
        amount = np.float32(rise * fall if stretch[int(bone), 0] >= least else 0.0)
        if until > 0:
            amount = np.float32(1.0 if amount < 1.0 else 0.0)
        amounts[number] = amount


@dataclass(frozen=True)
class SetSwitch:
    """Tells 1 while a set (the row of its group among the groups) shows its drawing of that `number`, one of all its
    `numbers`; 0 else. A value that is none of them shows the first; or, of a set that is taken by how far two bones
    (by their rows) are `apart`, the last that is due, each `since` so many degrees, which stays until they are a `dead`
    zone less apart than that."""

    group: int
    ref: str
    number: int
    numbers: tuple[int, ...]
    apart: tuple[int, int] | None = None
    since: tuple[float, ...] = ()
    dead: float = 0.0

    def due(self, angles: NDArray[np.float64], before: int) -> int:
        """The number of the drawing that shows by itself, by the bones' `angles` (n,) in rad and by which one did
        `before`."""
        if self.apart is None:
            return self.numbers[0]
        one, other = self.apart
        degrees = abs(math.degrees(math.remainder(angles[one] - angles[other], 2 * math.pi)))
        if self.dead and before == self._due(degrees + self.dead):
            return before
        return self._due(degrees)

    def _due(self, degrees: float) -> int:
        due = [(since, number) for since, number in zip(self.since, self.numbers, strict=True) if since <= degrees]
        return max(due, default=(0.0, self.numbers[0]))[1]


@dataclass(frozen=True)
class Board:
    """Everything that goes on and off with the pose, in order: `table` (k, 7) as in `BoneSwitch.row`, and of each set
    one of its switches, the switch of each of its numbers, and all of them."""

    readings: tuple[BoneSwitch | SetSwitch, ...]
    table: NDArray[np.float64]
    sets: tuple[tuple[SetSwitch, dict[int, int], NDArray[np.intp]], ...]

    @classmethod
    def of(cls, readings: Sequence[BoneSwitch | SetSwitch]) -> Board:
        rows = [one.row if isinstance(one, BoneSwitch) else OFF for one in readings]
        sets: dict[int, list[tuple[int, int]]] = {}
        for place, reading in enumerate(readings):
            if isinstance(reading, SetSwitch):
                sets.setdefault(reading.group, []).append((reading.numbers.index(reading.number), place))
        found = []
        for group, places in sets.items():
            first = next(one for one in readings if isinstance(one, SetSwitch) and one.group == group)
            switch_of = dict(places)
            shown_by = {number: switch_of[k] for k, number in enumerate(first.numbers)}
            found.append((first, shown_by, np.array(list(switch_of.values()), np.intp)))
        return cls(tuple(readings), np.array(rows, np.float64).reshape(-1, len(OFF)), tuple(found))

    def __len__(self) -> int:
        return len(self.readings)

    def read(
        self,
        angles: NDArray[np.float64],
        stretch: NDArray[np.float64],
        shows: NDArray[np.float64],
        amounts: NDArray[np.float32],
    ) -> None:
        """Fill how far each is on, `amounts` (k,), by the bones' `angles` (n,) in rad and `stretch` (n, 2) and by what
        each group `shows` (g,)."""
        if not len(self.readings):
            return
        read_amounts(self.table, angles, stretch, amounts)
        for one, shown_by, switches in self.sets:
            asked = int(shows[one.group])
            if asked not in shown_by:
                before = next((number for number, place in shown_by.items() if amounts[place] == 1.0), one.numbers[0])
                asked = one.due(angles, before)
            amounts[switches] = 0.0
            amounts[shown_by[asked]] = 1.0


def share_of(switches: Sequence[int], amounts: NDArray[np.float32]) -> float:
    """How far some switches, by their numbers, are on together, in [0, 1]; none are always on."""
    return float(amounts[list(switches)].prod()) if switches else 1.0


@dataclass(frozen=True)
class Rule:
    """While `switch` is more than half on, items anchored at `part` are painted just in front of those at `other`."""

    part: str
    other: str
    switch: int


def ordering(anchors: Sequence[str], rules: Sequence[Rule]) -> Callable[[NDArray[np.float32]], tuple[int, ...]]:
    """A function from amounts to the order items are painted in, given the anchor of each item back to front.

    >>> import numpy as np
    >>> order = ordering(["a", "b", "c"], [Rule("a", "b", 0)])
    >>> order(np.array([0.0])), order(np.array([1.0]))
    ((0, 1, 2), (1, 0, 2))
    """
    switches = np.array([rule.switch for rule in rules], np.intp)

    @lru_cache(maxsize=64)
    def ordered(active: bytes) -> tuple[int, ...]:
        order = list(range(len(anchors)))
        for rule, is_on in zip(rules, active, strict=True):
            moved = [k for k in order if anchors[k] == rule.part]
            left = [k for k in order if anchors[k] != rule.part]
            others = [place for place, k in enumerate(left) if anchors[k] == rule.other]
            if is_on and moved and others and order.index(moved[0]) < order.index(left[others[-1]]):
                order = left[: others[-1] + 1] + moved + left[others[-1] + 1 :]
        return tuple(order)

    return lambda amounts: ordered((amounts[switches] > 0.5).tobytes())
