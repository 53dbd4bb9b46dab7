"""Curves by which one number drives another: straight between knots, monotone and cubic, or in steps."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.figure.controls import Drive

Floats = NDArray[np.float64]
STRAIGHT, SMOOTH, STEPS = 0, 1, 2


def slopes_of(ats: Floats, bys: Floats) -> Floats:
    """The slopes (n,) at the knots (n,) of a monotone cubic curve: weighted harmonic means of those to both sides
    (Fritsch & Butland 1984, after Fritsch & Carlson 1980), one-sided at the ends and held monotone there."""
    widths, rises = np.diff(ats), np.diff(bys) / np.diff(ats)
    if len(rises) == 1:
        return np.repeat(rises, 2)
    found = np.zeros(len(ats))
    for k in range(1, len(ats) - 1):
        before, after = rises[k - 1], rises[k]
        if before * after > 0:
            one, other = 2 * widths[k] + widths[k - 1], widths[k] + 2 * widths[k - 1]
            found[k] = (one + other) / (one / before + other / after)
    found[0] = _end(widths[0], widths[1], rises[0], rises[1])
    found[-1] = _end(widths[-1], widths[-2], rises[-1], rises[-2])
    return found


def _end(near: float, far: float, rise: float, next_rise: float) -> float:
    slope = float(((2 * near + far) * rise - near * next_rise) / (near + far))
    if slope * rise <= 0:
        return 0.0
    return 3 * rise if rise * next_rise <= 0 and abs(slope) > 3 * abs(rise) else slope


@njit(cache=True, nogil=True)
def curve_at(at: float, way: int, ats: Floats, bys: Floats, slopes: Floats) -> float:
    """A curve through knots (n,) at a place; past the last ones it stays. In steps it is what the last knot says that
    was passed, and nothing before the first."""
    last = len(ats) - 1
    if at < ats[0]:
        return bys[0] if way != STEPS else 0.0
    if at >= ats[last]:
        return float(bys[last])
    k = 0
    while ats[k + 1] <= at:
        k += 1
    if way == STEPS:
        return float(bys[k])
    width = ats[k + 1] - ats[k]
    t = (at - ats[k]) / width
    if way == STRAIGHT:
        return float(bys[k] + t * (bys[k + 1] - bys[k]))
    u = 1 - t
    return float(
        (1 + 2 * t) * u * u * bys[k]
        + t * u * u * width * slopes[k]
        + t * t * (3 - 2 * t) * bys[k + 1]
        - t * t * u * width * slopes[k + 1]
    )


def way_of(drive: Drive, stepped: bool) -> int:
    """How the curve of a drive goes."""
    return STEPS if stepped else SMOOTH if drive.smooth else STRAIGHT


def knots_of(drive: Drive) -> tuple[Floats, Floats]:
    """Its knots: where (n,), and by how much (n,)."""
    return np.array([one.at for one in drive.knots]), np.array([one.by for one in drive.knots])


def with_rest(points: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    """Points of a curve in order, and its rest among them where they do not say what is there."""
    found = dict(points)
    found.setdefault(0.0, 0.0)
    return sorted(found.items())


def value_of(drive: Drive, at: float, stepped: bool = False) -> float:
    """By how much a drive moves its channel.

    >>> from kunstgriff.figure.controls import Knot
    >>> half = Drive(channel="b1.turn", knots=(Knot(at=0, by=0), Knot(at=1, by=20)), smooth=False)
    >>> value_of(half, 0.25), value_of(half, math.inf)
    (5.0, 20.0)
    """
    ats, bys = knots_of(drive)
    return float(curve_at(at, way_of(drive, stepped), ats, bys, slopes_of(ats, bys)))
