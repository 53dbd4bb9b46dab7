"""A profile of the ground from the path of an SVG drawing (W3C SVG 1.1, 8.3, "Path data")."""

from __future__ import annotations

import itertools
import math

import numpy as np
from fontTools.pens.basePen import BasePen
from fontTools.svgLib.path import parse_path

from kunstgriff.figure.model import Point
from kunstgriff.figure.motions import MOST_GROUND
from kunstgriff.figure.refusal import EditRefused

CURVED = 12  # straight pieces of a curve
WORST = 1e6  # px from the standing point


class _Spots(BasePen):  # type: ignore[misc] # it has no types
    """A pen that keeps the spots it comes to."""

    def __init__(self) -> None:
        super().__init__(None)
        self.spots: list[Point] = []

    def _moveTo(self, pt: Point) -> None:  # noqa: N802
        if self.spots:
            raise EditRefused("The ground is one line; this path has several.")
        self.spots.append(pt)

    def _lineTo(self, pt: Point) -> None:  # noqa: N802
        self.spots.append(pt)

    def _curveToOne(self, pt1: Point, pt2: Point, pt3: Point) -> None:  # noqa: N802
        corners = np.array([self.spots[-1], pt1, pt2, pt3])
        for t in np.linspace(0, 1, CURVED + 1)[1:]:
            x, y = np.array([(1 - t) ** 3, 3 * t * (1 - t) ** 2, 3 * t * t * (1 - t), t**3]) @ corners
            self.spots.append((float(x), float(y)))


def ground_of_path(path: str) -> tuple[Point, ...]:
    """The spots (x, y) of a path from left to right, its curves in short straight pieces. Raises EditRefused for what
    is no path, or goes back on itself.

    >>> ground_of_path("M0 0 h50 l10 -20 H100")
    ((0.0, 0.0), (50.0, 0.0), (60.0, -20.0), (100.0, -20.0))
    """
    pen = _Spots()
    try:
        parse_path(path, pen)
    except (ValueError, IndexError, TypeError, AssertionError, OverflowError, ZeroDivisionError) as error:
        raise EditRefused("That is no path of an SVG drawing.") from error
    spots = [(float(x), float(y)) for x, y in pen.spots]
    if spots and spots[0][0] > spots[-1][0]:
        spots.reverse()
    if len(spots) < 2 or len(spots) > MOST_GROUND:
        raise EditRefused(f"The ground is a line of 2 to {MOST_GROUND:,} spots; this path has {len(spots):,}.")
    if any(not math.isfinite(one) or abs(one) > WORST for spot in spots for one in spot):
        raise EditRefused("The ground goes too far away.")
    if any(one[0] >= other[0] for one, other in itertools.pairwise(spots)):
        raise EditRefused("The ground goes from left to right; this path turns back on itself or stands upright.")
    return tuple(spots)
