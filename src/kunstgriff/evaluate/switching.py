"""What goes on and off with the pose: how far each switch is on, and in which order things are painted."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from kunstgriff.figure.treatments import Switch


@dataclass(frozen=True)
class Reading:
    """A switch on one bone (its index). With `until` it tells 1 until it is wholly on and 0 from there."""

    bone: int
    parent: int
    switch: Switch
    until: bool = False

    def amount(self, angles: NDArray[np.float64], stretch: NDArray[np.float64]) -> float:
        """How far it is on, in [0, 1], by the bones' `angles` (n,) in rad from rest and `stretch` (n, 2)."""
        turn = np.degrees(angles[self.bone] - (angles[self.parent] if self.parent >= 0 else 0.0))
        one = self.switch
        fade = max(one.fade, 1e-9)
        low = min(max((turn - one.low) / fade + (one.fade == 0), 0.0), 1.0)
        high = min(max((one.high - turn) / fade + (one.fade == 0), 0.0), 1.0)
        if one.stretch is not None and stretch[self.bone, 0] < one.stretch:
            low = 0.0
        amount = float(low * high)
        return float(amount < 1.0) if self.until else amount


@dataclass
class Switchboard:
    """All switches of a rig. `amounts` (k,) float32 tells how far each is on in the pose last evaluated."""

    readings: list[Reading] = field(default_factory=list)
    amounts: NDArray[np.float32] = field(default_factory=lambda: np.ones(0, np.float32))

    def add(self, reading: Reading) -> int:
        """The number of a switch; the same one is kept once."""
        if reading not in self.readings:
            self.readings.append(reading)
            self.amounts = np.ones(len(self.readings), np.float32)
        return self.readings.index(reading)

    def read(self, angles: NDArray[np.float64], stretch: NDArray[np.float64]) -> None:
        for number, one in enumerate(self.readings):
            self.amounts[number] = one.amount(angles, stretch)


@dataclass(frozen=True)
class Rule:
    """While `switch` is more than half on, items anchored at `part` are painted just in front of those at `other`."""

    part: str
    other: str
    switch: int


def ordering(anchors: Sequence[str], rules: Sequence[Rule]) -> Callable[[NDArray[np.float32]], NDArray[np.uint32]]:
    """A function from amounts to the order (n,) items are painted in, given the anchor of each item back to front.

    >>> import numpy as np
    >>> order = ordering(["a", "b", "c"], [Rule("a", "b", 0)])
    >>> order(np.array([0.0])).tolist(), order(np.array([1.0])).tolist()
    ([0, 1, 2], [1, 0, 2])
    """

    @lru_cache(maxsize=64)
    def ordered(active: tuple[bool, ...]) -> NDArray[np.uint32]:
        order = list(range(len(anchors)))
        for rule, is_on in zip(rules, active, strict=True):
            moved = [k for k in order if anchors[k] == rule.part]
            left = [k for k in order if anchors[k] != rule.part]
            others = [place for place, k in enumerate(left) if anchors[k] == rule.other]
            if is_on and moved and others and order.index(moved[0]) < order.index(left[others[-1]]):
                order = left[: others[-1] + 1] + moved + left[others[-1] + 1 :]
        return np.array(order, np.uint32)

    return lambda amounts: ordered(tuple(bool(amounts[rule.switch] > 0.5) for rule in rules))
