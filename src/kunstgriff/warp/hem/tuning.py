"""The shares of a hem tuned to what is read of it: the ordinary range first, extremes hardly.

The ordinary range are the kept poses and the inner two thirds of the thighs' limits. What is lowered is a sum, over the
panel's size: leg and wedge by the square root of their px², cloth drawn out or pressed together, and the hem's jump.
"""

from __future__ import annotations

import contextlib
import math
from collections.abc import Callable
from dataclasses import astuple

import numpy as np
from scipy.optimize import minimize

from kunstgriff.figure.pose import Pose
from kunstgriff.warp.hem.laying import Shares
from kunstgriff.warp.hem.reading import HemReader, HemReading

STEPS = 4  # of each thigh over the inner two thirds
INNER = 2 / 3
KEPT, EXTREME = 3.0, 0.1  # times that a kept pose, and a corner of the limits, count
TRIES = 60  # sums of readings at the most
DRAWN = 0.35  # of the cloth's length that it may be drawn out or pressed together without a word

Poses = list[tuple[Pose, float]]


def tuned(reader: HemReader, shares: Shares, going_on: Callable[[float], bool] = lambda done: True) -> Shares:
    """The shares of the least cost, from those given on. `going_on` is told what share of the tries is done; where it
    says no, the best so far is taken."""
    poses = _poses(reader)
    best, least, tries = shares, math.inf, 0

    def cost(values: np.ndarray) -> float:
        nonlocal best, least, tries
        if not going_on(tries / TRIES):
            raise StopIteration
        tries += 1
        tried = Shares(*np.clip(values, 0.0, 1.0).tolist())
        found = cost_of(reader.with_shares(tried), poses) + float(np.abs(values - np.clip(values, 0, 1)).sum())
        found += max(tried.own + tried.other + tried.lead - 1, 0) + max(tried.middle_own + tried.middle_other - 1, 0)
        if found < least:
            best, least = tried, found
        return found

    start = np.array(astuple(shares))
    simplex = np.vstack([start, *(start + 0.15 * one for one in np.eye(len(start)))])
    with contextlib.suppress(StopIteration):
        options = {"maxfev": TRIES, "initial_simplex": simplex, "xatol": 0.01}
        minimize(cost, start, method="Nelder-Mead", options=options)
    return Shares(*(round(one, 3) for one in astuple(best)))


def _poses(reader: HemReader) -> Poses:
    near, far = reader.turns(STEPS, INNER)
    found = [(reader.pose(float(a), float(b)), 1.0) for a in near for b in far]
    found += [(pose, KEPT) for pose in reader.poses.values()]
    near, far = reader.turns(2)
    return found + [(reader.pose(float(a), float(b)), EXTREME) for a in near for b in far]


def cost_of(reader: HemReader, poses: Poses) -> float:
    """What poses cost by their weights."""
    left, top, right, low = reader.reach
    size = math.hypot(right - left, low - top)
    total = sum(weight for _, weight in poses)
    return sum(weight * _cost(reader.read(pose), size) for pose, weight in poses) / total


def _cost(reading: HemReading, size: float) -> float:
    open_ = (math.sqrt(reading.leg) + math.sqrt(reading.wedge)) / size
    drawn = max(reading.greatest - 1 - DRAWN, 0) + max(1 / max(reading.least, 0.05) - 1 - DRAWN, 0)
    return open_ + 0.03 * drawn + 0.02 * reading.folded + reading.waist / size
