"""How far joints are bent, at which angles shapes are solved, and what blending makes of a bend."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from kunstgriff.figure.model import Bone

RANGE = (-150.0, 150.0)  # degrees, where a joint has no limits; common practice, no source
WIDEST = 120.0  # degrees to each side such a joint is tried and read to; common practice, no source
SPACING = 10.0  # degrees from one solved shape to the next; leaves 0.5 px at 120° on a limb 80 px wide (measured)
Floats = NDArray[np.float64]


def range_of(bone: Bone) -> tuple[float, float]:
    """How far a joint turns, degrees: its limits, or as far as limbs usually do."""
    if bone.limits is None:
        return RANGE
    return max(bone.limits.low, -170.0), min(bone.limits.high, 170.0)


def angles_between(low: float, high: float) -> Floats:
    """The angles shapes are solved at, degrees: multiples of `SPACING` from `low` or below to `high` or above.

    None of them being added at 0, rest is one of them and stays as drawn.

    >>> angles_between(-5, 15).tolist()
    [-10.0, 0.0, 10.0, 20.0]
    """
    return np.asarray(np.arange(math.floor(low / SPACING), math.ceil(high / SPACING) + 1) * SPACING, np.float64)


def turned(points: Floats, about: tuple[float, float], angles: Floats) -> Floats:
    """Points (n, 2) turned about a point by angles (n,) in rad, clockwise as seen."""
    away = (points - about) @ (1, 1j) * np.exp(1j * angles)
    return np.stack([away.real, away.imag], 1) + about


def blend_angles(share: Floats, turn: float) -> Floats:
    """By how much (n,) rigid blending turns vertices of this share of a bone turned by `turn`, rad."""
    return np.asarray(2 * np.angle((1 - share) + share * np.exp(0.5j * turn)))


def blended(points: Floats, about: tuple[float, float], share: Floats, turn: float, rigidity: Floats) -> Floats:
    """Points (n, 2) as the blending kernels put them when one joint turns by `turn` rad."""
    rigidly = turned(points, about, blend_angles(share, turn))
    wholly = turned(points, about, np.full(len(points), turn))
    linearly = (1 - share)[:, None] * points + share[:, None] * wholly
    return np.asarray(rigidity[:, None] * rigidly + (1 - rigidity)[:, None] * linearly)
