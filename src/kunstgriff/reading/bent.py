"""What one drawn limb would look like bent at a joint: the silhouette a bend is held against.

The limb's outline is cut across the joint, from the nearest spot of the one side to that of the other (its feet). What
lies beyond is turned about the joint: on the inner side both outlines go on until they meet in a crease, on the outer
one an arc about the joint joins them.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import affinity
from shapely.geometry import LineString, MultiPolygon, Polygon
from shapely.geometry import Point as Spot
from shapely.geometry.base import BaseGeometry
from shapely.ops import split, substring

from kunstgriff.artwork.outline import polygons_of

SPACING = 0.5  # px between the spots of an outline among which its feet are looked for
ASIDE = math.cos(math.radians(50))  # least cosine between the way to a foot and straight across the limb
OVER = 1.02  # of the way to a foot that the cut reaches, so that it surely parts the outline
ODD = 6.0  # times as far one foot may be as the other for the joint still to lie in a limb
SPREADS = 1.8  # times its width at the joint that a limb may have half of it further on; beyond, it is a body or a tuft
GRID = 1 / 64  # px outlines are rounded to

Floats = NDArray[np.float64]


class Bent:
    """A limb's outline parted at a joint. `half_width` in px; all about the joint."""

    def __init__(self, parent: BaseGeometry, child: BaseGeometry, feet: tuple[Floats, Floats]) -> None:
        self.parent, self.child, self.feet = parent, child, feet
        cut = LineString([feet[0], (0, 0), feet[1]]).buffer(0.05)
        self.rims = tuple(_longest(shapely.difference(one.boundary, cut)) for one in (parent, child))
        self.half_width = float(np.mean([np.hypot(*foot) for foot in feet]))

    @classmethod
    def at(cls, outline: MultiPolygon, joint: Sequence[float], back: Floats, ahead: Floats) -> Bent | None:
        """Cut an outline at a joint with the directions of both bones, away from it; None where no limb lies there.

        Holes are painted over: what becomes of them is no matter of the silhouette.
        """
        about = [Polygon(one.exterior) for one in polygons_of(affinity.translate(outline, -joint[0], -joint[1]))]
        limb = next((one for one in about if one.contains(Spot(0, 0))), None)
        along = ahead - back
        if limb is None or np.hypot(*along) < 0.1:
            return None
        along /= np.hypot(*along)
        across = np.array([-along[1], along[0]])
        ring = np.asarray(limb.exterior.segmentize(SPACING).coords)
        feet = [foot for side in (across, -across) if (foot := _foot(ring, side)) is not None]
        if len(feet) < 2:
            return None
        near, far = sorted(float(np.hypot(*foot)) for foot in feet)
        if far > ODD * near or any(
            _width_at(limb, sign * (near + far) / 2 * along, across) > SPREADS * (near + far) for sign in (-1, 1)
        ):
            return None
        pieces = polygons_of(split(limb, LineString([OVER * feet[0], (0, 0), OVER * feet[1]])))
        beyond = [one for one in pieces if one.distance(Spot(*(along * near / 2))) == 0]
        if len(pieces) < 2 or len(beyond) != 1:
            return None
        child = beyond[0]
        parent = shapely.unary_union([one for one in pieces if one is not child], grid_size=GRID)
        return cls(parent, child, (feet[0], feet[1]))

    def ideal(self, angle: float) -> BaseGeometry:
        """The outline with the joint turned by `angle` degrees, clockwise as seen."""
        parent, child = self.parent, affinity.rotate(self.child, angle, origin=(0, 0))
        outer = self.feet[1] if angle > 0 else self.feet[0]
        turned = np.asarray(affinity.rotate(Spot(outer), angle, origin=(0, 0)).coords[0])
        shapes = []
        crease = self.crease(angle)
        for shape, foot in ((parent, outer), (child, turned)):
            shapes.append(shape if crease is None else _up_to(shape, crease, foot))
        if abs(angle) > 0.5:
            turns = np.radians(np.linspace(0, angle, 2 + int(abs(angle)))) + math.atan2(outer[1], outer[0])
            arc = np.hypot(*outer) * np.c_[np.cos(turns), np.sin(turns)]
            shapes.append(Polygon([(0.0, 0.0), *arc.tolist()]))
        # a hair's breadth: pieces that touch along a line leave a slit between their rounded corners
        return shapely.unary_union([one.buffer(2 * GRID) for one in shapes], grid_size=GRID)

    def crease(self, angle: float) -> Floats | None:
        """Where the outlines of both sides meet on the inner side with the joint turned by `angle` degrees (x, y); None
        where they do not."""
        if abs(angle) <= 0.5:
            return None
        foot = Spot(self.feet[0] if angle > 0 else self.feet[1])
        one, other = (_from(rim, foot) for rim in self.rims)
        other = affinity.rotate(other, angle, origin=(0, 0))
        met = shapely.intersection(one, other)
        spots = [piece.centroid for piece in getattr(met, "geoms", [met]) if not piece.is_empty]
        if not spots:
            return None
        first = min(spots, key=lambda spot: one.project(spot) + other.project(spot))
        return np.array([first.x, first.y])


def _longest(line: BaseGeometry) -> LineString:
    """The longest piece of what is left of an outline, as one line."""
    merged = shapely.line_merge(line)
    return LineString(max(getattr(merged, "geoms", [merged]), key=lambda one: one.length))


def _from(rim: LineString, foot: Spot) -> LineString:
    """Half of an open outline, from the end next to a foot on."""
    if rim.project(foot) > rim.length / 2:
        rim = rim.reverse()
    return substring(rim, 0, rim.length / 2)


def _up_to(shape: BaseGeometry, crease: Floats, foot: Floats) -> BaseGeometry:
    """What of a side lies to the side of its outer foot of a line from the joint to the crease."""
    pieces = polygons_of(split(shape, LineString([(0, 0), OVER * crease]))) if isinstance(shape, Polygon) else []
    if len(pieces) < 2:
        return shape
    return min(pieces, key=lambda one: one.distance(Spot(*(foot / 2))))


def _width_at(limb: Polygon, spot: Floats, across: Floats) -> float:
    """How wide a limb is across a spot of it."""
    far = sum(limb.bounds[2:]) - sum(limb.bounds[:2])
    chord = LineString([spot - far * across, spot + far * across]).intersection(limb)
    pieces = [one for one in getattr(chord, "geoms", [chord]) if one.length > 0]
    return float(min(pieces, key=lambda one: one.distance(Spot(spot))).length) if pieces else 0.0


def _foot(ring: Floats, side: Floats) -> Floats | None:
    """The spot of an outline (n, 2) nearest to the origin among those that lie towards one side."""
    away = np.hypot(*ring.T)
    towards = ring @ side > ASIDE * away
    if not towards.any():
        return None
    return np.asarray(ring[np.where(towards, away, np.inf).argmin()])
