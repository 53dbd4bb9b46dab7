"""What goes on and off with the pose: how far each switch is on, and in which order things are painted."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.figure.treatments import Switch


@dataclass(frozen=True)
class Reading:
    """A switch on one bone (its index). With `until` it tells 1 until it is wholly on and 0 from there."""

    bone: int
    parent: int
    switch: Switch
    until: bool = False

    @property
    def row(self) -> tuple[float, ...]:
        one = self.switch
        return self.bone, self.parent, one.low, one.high, one.fade, one.stretch or -np.inf, self.until


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
        turn = angles[int(bone)] - (angles[int(parent)] if parent >= 0 else 0.0)
        turn *= 180.0 / math.pi
        fade_or_none, at_once = max(fade, 1e-9), 1.0 if fade == 0 else 0.0
        rise = min(max((turn - low) / fade_or_none + at_once, 0.0), 1.0)
        fall = min(max((high - turn) / fade_or_none + at_once, 0.0), 1.0)
        amount = np.float32(rise * fall if stretch[int(bone), 0] >= least else 0.0)
        if until > 0:
            amount = np.float32(1.0 if amount < 1.0 else 0.0)
        amounts[number] = amount


@dataclass
class Switchboard:
    """All switches of a rig. `amounts` (k,) float32 tells how far each is on in the pose last evaluated."""

    readings: list[Reading] = field(default_factory=list)
    table: NDArray[np.float64] = field(default_factory=lambda: np.zeros((0, 7)))
    amounts: NDArray[np.float32] = field(default_factory=lambda: np.ones(0, np.float32))

    def add(self, reading: Reading) -> int:
        """The number of a switch; the same one is kept once."""
        if reading not in self.readings:
            self.readings.append(reading)
            self.table = np.array([one.row for one in self.readings], np.float64)
            self.amounts = np.ones(len(self.readings), np.float32)
        return self.readings.index(reading)

    def read(self, angles: NDArray[np.float64], stretch: NDArray[np.float64]) -> None:
        read_amounts(self.table, angles, stretch, self.amounts)


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
