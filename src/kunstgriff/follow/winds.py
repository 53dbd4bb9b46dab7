"""The wind: its mean, and gusts by von Kármán's spectrum.

Gusts along the wind have the spectrum S(f) = 4 T / (1 + 70.8 (f T)²)^(5/6) of von Kármán (1948; as ESDU 85020 has it),
T the time a gust takes, put together from cosines of random phases (Shinozuka & Deodatis, Simulation of stochastic
processes by spectral representation, 1991); across the wind they are half as strong. They come along with the wind
(Taylor's frozen turbulence), so what stands further down the wind feels them later. All frequencies go into one period,
after which they begin anew: that of the loop, where a motion is one. The phases are NumPy's PCG64, begun by the seed.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from kunstgriff.figure.follow import Wind

Floats = NDArray[np.float64]

PERIOD = 60.0  # s
HIGHEST, MOST = 8.0, 240  # Hz, cosines
ACROSS = 0.5
SLOWEST = 60.0  # px/s at which gusts come along at the least


class Gusts:
    """A wind over time at some places (c, 2) px; it begins anew after `period` s."""

    def __init__(self, wind: Wind, places: Floats, period: float | None = None) -> None:
        self.wind, self.period = wind, period or PERIOD
        count = min(max(int(HIGHEST * self.period), 1), MOST)
        self.frequencies = np.arange(1, count + 1) / self.period
        spectrum = 4 * wind.seconds / (1 + 70.8 * (self.frequencies * wind.seconds) ** 2) ** (5 / 6)
        self.heights = np.sqrt(2 * spectrum / spectrum.sum())
        self.phases = np.random.default_rng(wind.seed).uniform(0, 2 * math.pi, (2, MOST))[:, :count]
        towards = math.radians(wind.towards)
        self.away = places @ np.array([math.cos(towards), math.sin(towards)])

    def at(self, times: Floats, strength: Floats, veers: Floats) -> Floats:
        """The wind (t, 2, c) in px/s at `times` (t,) s, `strength` (t,) times as strong and veering by so many degrees
        (t,)."""
        wind = self.wind
        mean = wind.strength * strength
        late = times[:, None] - self.away[None, :] / max(wind.strength, SLOWEST)
        angles = 2 * math.pi * self.frequencies[:, None, None] * late
        along, across = (np.tensordot(self.heights, np.cos(angles + p[:, None, None]), 1) for p in self.phases)
        along = mean[:, None] * (1 + wind.gusts * along)
        across = mean[:, None] * wind.gusts * ACROSS * across
        turned = np.radians(wind.towards + veers)[:, None]
        c, s = np.cos(turned), np.sin(turned)
        return np.stack([c * along - s * across, s * along + c * across], 1)
