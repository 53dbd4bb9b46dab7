"""The ground a motion stands on: an even line through the standing point, or a profile from left to right."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from kunstgriff.figure.model import Point

Floats = NDArray[np.float64]
BESIDE = 9  # spots under a sole that are looked at


class Ground:
    """How high the ground lies, in px of the figure, y down: through `points` from left to right, as at its ends beyond
    them; even without any.

    >>> Ground([(0, 0), (100, -20)]).at(50.0)
    -10.0
    """

    def __init__(self, points: Sequence[Point] = ()) -> None:
        self._x, self._y = np.array(points or [(0.0, 0.0)], np.float64).T

    @property
    def even(self) -> bool:
        return not self._y.any()

    def at(self, x: float) -> float:
        """Where it lies at an x."""
        return float(np.interp(x, self._x, self._y))

    def heights(self, x: Floats) -> Floats:
        """Where it lies at several (n,)."""
        return np.asarray(np.interp(x, self._x, self._y))

    def stood_on(self, x: float, sole: Point) -> tuple[float, float]:
        """How high a sole stands whose ends are so far left and right of an x, and how far it is turned: degrees. It
        rests on its ends, or on what stands out between them."""
        left, right = sole
        if right - left < 1e-6:
            return self.at(x), 0.0
        across = np.linspace(x + left, x + right, BESIDE)
        under = self.heights(across)
        slope = (under[-1] - under[0]) / (right - left)
        line = under[0] + slope * (across - across[0])
        return float(under[0] - slope * left - max((line - under).max(), 0.0)), math.degrees(math.atan(slope))
