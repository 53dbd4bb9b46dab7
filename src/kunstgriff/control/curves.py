"""Curves by which one number drives another: straight between knots, monotone and cubic, or in steps."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.figure.controls import Drive

Floats = NDArray[np.float64]
STRAIGHT, SMOOTH, STEPS, INSTEAD = 0, 1, 2, 3


def slopes_of(ats: Floats, bys: Floats) -> Floats:
    """The slopes at the knots `ats` (n,) of monotone cubic curves through `bys` (n, …), one curve a column: weighted
    harmonic means of those to both sides (Fritsch & Butland 1984, after Fritsch & Carlson 1980), one-sided at the ends
    and held monotone there."""
    widths = np.diff(ats).reshape(-1, *(1,) * (bys.ndim - 1))
    rises = np.diff(bys, axis=0) / widths
    if len(rises) == 1:
        return np.repeat(rises, 2, axis=0)
    before, after = rises[:-1], rises[1:]
    one, other = 2 * widths[1:] + widths[:-1], widths[1:] + 2 * widths[:-1]
    along = before * after > 0
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        means = (one + other) / (one / before + other / after)
    ends = [_end(widths[k], widths[j], rises[k], rises[j])[None] for k, j in ((0, 1), (-1, -2))]
    return np.concatenate([ends[0], np.where(along, means, 0.0), ends[1]])


def _end(near: Floats, far: Floats, rise: Floats, next_rise: Floats) -> Floats:
    slope = ((2 * near + far) * rise - near * next_rise) / (near + far)
    past = (rise * next_rise <= 0) & (np.abs(slope) > 3 * np.abs(rise))
    return np.asarray(np.where(slope * rise <= 0, 0.0, np.where(past, 3 * rise, slope)))


def pieces_of(ats: Floats, bys: Floats, way: int) -> Floats:
    """The pieces of a curve through knots, `ats` and `bys` (n,): from each knot on a cubic in how far one is past it,
    as its factors (n, 4) from the constant up. The last one stays as it is."""
    found = np.zeros((len(ats), 4))
    found[:, 0] = bys
    widths = np.diff(ats)
    rises = np.diff(bys) / widths
    if way == STRAIGHT:
        found[:-1, 1] = rises
    elif way == SMOOTH:
        slopes = slopes_of(ats, bys)
        bent = slopes[:-1] + slopes[1:] - 2 * rises
        found[:-1, 1] = slopes[:-1]
        found[:-1, 2] = (rises - slopes[:-1] - bent) / widths
        found[:-1, 3] = bent / widths / widths
    return found


@njit(inline="always")
def curve_within(at: float, way: int, first: int, end: int, ats: Floats, pieces: Floats) -> float:
    """The curve through the knots from `first` up to `end` of many; see `curve_at`."""
    k = first
    while k + 1 < end and ats[k + 1] <= at:
        k += 1
    if way == STEPS and k + 1 < end and ats[k] < min(at, 0.0):  # below rest the knots are passed the other way
        k += 1
    past = max(at - ats[k], 0.0)
    return float(pieces[k, 0] + past * (pieces[k, 1] + past * (pieces[k, 2] + past * pieces[k, 3])))


@njit(cache=True, nogil=True)
def curve_at(at: float, way: int, ats: Floats, pieces: Floats) -> float:
    """A curve through knots (n,) at a place, by its `pieces` (n, 4); past the last ones it stays. In steps it is what
    the last knot says that was passed on the way from rest."""
    return float(curve_within(at, way, 0, len(ats), ats, pieces))


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
    (ats, bys), way = knots_of(drive), way_of(drive, stepped)
    return float(curve_at(at, way, ats, pieces_of(ats, bys, way)))
