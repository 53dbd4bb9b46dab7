"""What a limb is about a spot of its outline: which way it lies, how wide it is, how far it reaches."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import LineString, MultiPolygon
from shapely.geometry import Point as Spot

from kunstgriff.figure.model import Point

AT_ITS_WIDTH = 0.6  # of the width further in that a limb has where its end is not yet rounding


def axis_from(shape: MultiPolygon, pivot: Point) -> NDArray[np.float64]:
    """Which way a part lies from its pivot."""
    middle = np.subtract((shape.centroid.x, shape.centroid.y), pivot)
    return np.asarray(middle / max(float(np.hypot(*middle)), 1e-9))


def half_width(shape: MultiPolygon, pivot: Point) -> float:
    """Half the width of a part across its direction from the pivot, px; further in where the pivot lies at its very
    end, which may be round."""
    axis = axis_from(shape, pivot)
    typical = shape.area / max(sides_of(shape).max(), 1e-9)
    at_pivot = _width(shape, pivot, axis)
    inner = np.add(pivot, 0.5 * typical * axis)
    further = _width(shape, (inner[0], inner[1]), axis)
    return at_pivot if at_pivot > AT_ITS_WIDTH * further else further


def _width(shape: MultiPolygon, spot: Point, axis: NDArray[np.float64]) -> float:
    x, y = axis
    return float(np.mean([reach(shape, spot, np.array(across)) for across in ((-y, x), (y, -x))]))


def sides_of(shape: MultiPolygon) -> NDArray[np.float64]:
    """The two sides of the tightest rectangle around a part, px."""
    corners = np.array(shape.minimum_rotated_rectangle.exterior.coords)[:3]
    return np.asarray(np.linalg.norm(corners[1:] - corners[:-1], axis=1))


def reach(shape: MultiPolygon, start: Point, direction: NDArray[np.float64]) -> float:
    """How far one can go from a spot before leaving a shape, px; 0 where it lies outside."""
    left, top, right, bottom = shape.bounds
    far = np.asarray(start) + direction * (right - left + bottom - top)
    inside = LineString([start, far]).intersection(shape)
    spot = Spot(start)
    for piece in getattr(inside, "geoms", [inside]):
        if piece.length > 0 and piece.distance(spot) < 0.5:
            return float(piece.length)
    return 0.0
