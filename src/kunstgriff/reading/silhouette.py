"""What one limb in two pieces would look like at any angle: the silhouette a seam is held against.

Both outlines are continued; an end at the joint is round about it. Their union, the one piece turned about the joint,
is round on the outer side and creased on the inner one.
"""

from __future__ import annotations

import math
from functools import lru_cache

import cv2
import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import affinity
from shapely.geometry import MultiPolygon
from shapely.geometry.base import BaseGeometry

from kunstgriff.artwork.ends import RoundEnd
from kunstgriff.artwork.outline import part_solid, polygons_of
from kunstgriff.figure.model import Bone, Figure, Part, Rigid, Weighted
from kunstgriff.figure.stores import Beside, Stores
from kunstgriff.seam.cap import GRID, end_of, round_end
from kunstgriff.skeleton.bones import with_descendants

FINE = 8  # bits of a pixel that outlines are drawn with
DRAWN = 2.0  # px by which an ideal limb may be more than what was drawn at rest
CRUMBS = np.ones((3, 3), np.uint8)  # pixels, at twice the size: what is thinner is the soft edge in the crease

Mask = NDArray[np.bool_]


class Silhouette:
    """The ideal outline of two pieces that meet at a bone's joint and do not bend as it turns."""

    def __init__(self, child: Part, parent: Part, bone: Bone, stores: Stores) -> None:
        # turned clockwise the right side of the limb that turns is outside, which is the left one of the other
        self.child, self.parent = (
            {sign: _with_round_end(part, bone, stores, left is (sign < 0)) for sign in (-1, 1)}
            for part, left in ((child, True), (parent, False))
        )
        mine, theirs = (round_end(part, bone, stores).axis for part in (child, parent))
        self.bend = math.degrees(math.atan2(mine[0] * theirs[1] - mine[1] * theirs[0], -np.dot(mine, theirs)))

    @classmethod
    def of(cls, figure: Figure, pair: tuple[Part, Part], bone: Bone, stores: Stores) -> Silhouette | None:
        """None where one of the two bends as the bone turns, something stands in for them, or what would be one limb is
        more than was drawn at rest: then there is no such thing to be held against.

        `pair` is the part that follows the bone, then the one that follows its parent.
        """
        turning = {one.id for one in with_descendants(figure, bone.id)}
        stiff = len(pair[0].followed) == 1 and turning.isdisjoint(pair[1].followed)
        plain = all(isinstance(part.binding, Rigid | Weighted) and part.drawing.strip is None for part in pair)
        stands = any(one.switch.bone == bone.id for one in figure.treated("stand_in"))
        if not plain or not stiff or stands:
            return None
        found = cls(*pair, bone, stores)
        both = (
            affinity.translate(part_solid(one, stores), *np.subtract(one.drawing.place, bone.joint)) for one in pair
        )
        drawn_there = shapely.union_all(list(both)).buffer(DRAWN)
        more = [found.child[sign].union(found.parent[sign]).difference(drawn_there) for sign in (-1, 1)]
        return found if all(one.is_empty for one in more) else None

    def ideal(self, size: tuple[int, int], scale: float, angle: float) -> Mask:
        """The one limb with its joint, in the middle of a picture of such a size (h, w), turned by `angle` degrees."""
        middle = np.array(size[::-1]) / 2
        sign = 1 if self.bend + angle > 0 else -1  # a limb drawn bent has its outer side at rest already
        turned = affinity.rotate(self.child[sign], angle, origin=(0, 0))
        return drawn(self.parent[sign], size, scale, middle) | drawn(turned, size, scale, middle)


def departures(seen: Mask, ideal: Mask, within: Mask) -> tuple[float, float]:
    """How far what is seen (h, w) stands out beyond the ideal and falls short of it, px of the picture; looked at only
    `within` some pixels."""
    return deepest(seen & within, ideal), deepest(ideal & within, seen)


def drawn(shape: BaseGeometry, size: tuple[int, int], scale: float, middle: NDArray[np.float64]) -> Mask:
    """A shape painted at `scale` with its origin at pixel (x, y) `middle` of a picture of such a size (h, w)."""
    mask = np.zeros(size, np.uint8)
    for piece in polygons_of(shape):
        for ring, tone in [(piece.exterior, 1), *((hole, 0) for hole in piece.interiors)]:
            spots = (np.asarray(ring.coords) * scale + middle - 0.5) * (1 << FINE)
            cv2.fillPoly(mask, [np.rint(spots).astype(np.int32)], tone, shift=FINE)
    return np.asarray(mask > 0)


def deepest(shape: Mask, other: Mask) -> float:
    """How far the pixel of a shape that is farthest from another lies from it; crumbs aside."""
    off = cv2.morphologyEx((shape & ~other).astype(np.uint8), cv2.MORPH_OPEN, CRUMBS)
    if not off.any() or not other.any():
        return 0.0
    away = cv2.distanceTransform((~other).astype(np.uint8), cv2.DIST_L2, 5)
    return float(away[off > 0].max())


def _with_round_end(part: Part, bone: Bone, stores: Stores, left: bool) -> BaseGeometry:
    """A part's outline about a bone's joint, its end there, if it has one, round about it on the side that is outside:
    the left one as seen into the part, or the right one."""
    return _shaped(part.drawing.looks, round_end(part, bone, stores), left, Beside((part, stores)))


@lru_cache(maxsize=512)  # every way a joint is tried in is held against it
def _shaped(_drawing: object, made: RoundEnd, left: bool, beside: Beside[tuple[Part, Stores]]) -> BaseGeometry:
    outline = part_solid(*beside.value)
    end = end_of(outline, made)
    shape: BaseGeometry = outline
    if end is not None:
        shape = shapely.difference(outline, end, grid_size=GRID).union(made.outside(left), grid_size=GRID)
    placed = affinity.translate(shape, -made.at[0], -made.at[1])
    return placed if not placed.is_empty else MultiPolygon()


def tolerated(share: float, radius: float) -> float:
    """How far a silhouette may depart, px: a share of half the limb's width, but what is seen is told, and no more than
    what pixels can tell is asked.

    >>> [round(tolerated(0.06, radius), 2) for radius in (10, 30, 100)]
    [1.25, 1.8, 2.0]
    """
    return math.inf if math.isinf(share) else min(max(share * radius, 1.25), max(2.0, 2.0 * share / 0.06))
