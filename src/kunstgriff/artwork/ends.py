"""The round end of a limb about the pivot it turns on, which need not lie on its middle.

A turn shows an end on one side of the limb, its outer one, and there it must be round about the pivot by that side's
distance: what keeps its distance from the pivot stays where it was (plane geometry). Where the pivot lies off the
middle, the two sides ask for two radii, and what is round by the further one stands out when the nearer one is outside.
So each reaches as far behind the pivot as its own side's share of the range, and goes on straight from there.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import MultiPolygon, Polygon
from shapely.geometry import Point as Spot
from shapely.geometry.base import BaseGeometry

from kunstgriff.artwork.ink import Floats
from kunstgriff.artwork.limbs import axis_from, half_width, reach
from kunstgriff.figure.model import Point

# half widths from the limb's middle at the pivot up to which what lies behind it is the limb's end; a square end has
# its corners at 1.41, or at 1.56 where it overlaps a fifth more
END = 1.65
ROUNDING = 0.85  # of a side's distance further in under which it is nearer at the pivot for its old end's sake
TURNS = (120.0, 120.0)  # degrees by which a joint without limits is taken to turn to either side
LEAST = np.radians(5)  # of the half turn behind the pivot that is round on either side, for smooth sides
EVEN = 0.02  # px by which shapes that touch are drawn over one another
STEADIED = 3  # rounds in which the limb's direction is looked for
ASTRAY = np.cos(np.radians(50))  # a direction further from the part's middle than that is none of the limb


@dataclass(frozen=True)
class RoundEnd:
    """An end about `at` (px of the picture) of a limb that lies towards `axis` (unit), its sides `left` and `right` px
    from there; in front of the pivot they are carried on for `inner` px, where the old end was narrower, or go over
    into the limb's own width `further` on (left, right, px). `turns` is how far the joint turns so that the left side
    is outside, and the right one, degrees."""

    at: Point
    axis: Point
    left: float
    right: float
    inner: float = 0.0
    turns: tuple[float, float] = TURNS
    further: tuple[float, float] | None = None

    @classmethod
    def of(
        cls,
        outline: MultiPolygon,
        at: Point,
        radius: float | None = None,
        turns: tuple[float, float] = TURNS,
        widens: float | None = None,
    ) -> RoundEnd:
        """The round end of a part at a pivot, as wide as the part is there, or one of that radius, to which the part
        `widens` over so many px."""
        axis = limb_axis(outline, at)
        half = radius or half_width(outline, at)
        across = np.array([-axis[1], axis[0]])
        further = np.add(at, half * axis)
        sides, inner = [], 0.0
        for side in (across, -across):
            there, beyond = reach(outline, at, side), reach(outline, (float(further[0]), float(further[1])), side)
            if there < ROUNDING * beyond:  # the old end begins to round further in: the limb is carried on
                there, inner = beyond, half
            sides.append(there)
        if radius is not None or min(sides) <= 0:
            sides = [half, half]
        own = None
        if widens is not None:
            inner, spot = widens, np.add(at, widens * axis)
            own = reach(outline, (spot[0], spot[1]), across), reach(outline, (spot[0], spot[1]), -across)
        return cls(at, (float(axis[0]), float(axis[1])), float(sides[0]), float(sides[1]), inner, turns, own)

    @property
    def half(self) -> float:
        """Half the width of the limb at the pivot, px."""
        return (self.left + self.right) / 2

    @property
    def middle(self) -> Point:
        """The middle of the limb at the pivot."""
        shift = (self.left - self.right) / 2
        return self.at[0] - self.axis[1] * shift, self.at[1] + self.axis[0] * shift

    def behind(self, far: float) -> Polygon:
        """The half plane behind the pivot, as far as `far` px."""
        square = np.array([(-far, -far), (0.0, -far), (0.0, far), (-far, far)])
        return Polygon(self._placed(square))

    def corners(self, share: float = END) -> Polygon:
        """A disc of so many half widths about the limb's middle at the pivot."""
        return Spot(self.middle).buffer(share * self.half, 32)

    @property
    def shape(self) -> Polygon:
        """The end with the stretch in front of the pivot over which its sides are carried on."""
        turn = np.linspace(0.0, np.pi, 129)
        ring = np.column_stack([-np.sin(turn), np.cos(turn)]) * self.radius_at(turn)[:, None]
        front = [(self.inner, -self.right), (self.inner, self.left)] if self.inner else []
        return Polygon(self._placed(np.vstack([ring, np.array(front).reshape(-1, 2)])))

    def outside(self, left: bool) -> BaseGeometry:
        """What is seen of the end of one limb while that side is outside: a quarter of a disc about the pivot, beside
        one no wider on the other side, with the stretch over which the sides are carried on."""
        side, radius, other = (1.0, self.left, self.right) if left else (-1.0, self.right, self.left)
        turn = np.linspace(0.0, np.pi, 129)
        reach = np.where(turn < np.pi / 2, radius, min(radius, other))
        ring = np.column_stack([-np.sin(turn), side * np.cos(turn)]) * reach[:, None]
        front = max(self.inner, EVEN)
        band = [(-EVEN, -side * other), (front, -side * other), (front, side * radius), (-EVEN, side * radius)]
        return Polygon(self._placed(ring)).union(Polygon(self._placed(np.array(band))))

    def covers(self, x: Floats, y: Floats, thinner: float = 0.0) -> Floats:
        """How far pixels with their middles at `x` (1, w) and `y` (h, 1) are covered by the end, in [0, 1] (h, w);
        `thinner` px less all round."""
        along, aside = self.local(x, y)
        away = np.hypot(along, aside)
        turn = np.arctan2(-along, aside)
        radius = self.radius_at(turn)
        slope = (self.radius_at(turn + 0.01) - self.radius_at(turn - 0.01)) / 0.02
        steep = np.sqrt(1 + np.square(slope / np.maximum(away, 1)))
        behind = np.clip((radius - thinner - away) / steep + 0.5, 0, 1)
        left, right = self.sides_at(along)
        front = np.clip(np.minimum(left - aside, right + aside) - thinner + 0.5, 0, 1)
        return np.asarray(np.where(along < 0, behind, np.where(along < self.inner, front, 0)), np.float32)

    def local(self, x: Floats, y: Floats) -> tuple[Floats, Floats]:
        """How far pixels lie from the pivot along the limb and to its left, px (h, w)."""
        dx, dy = x - np.float32(self.at[0]), y - np.float32(self.at[1])
        ax, ay = np.float32(self.axis[0]), np.float32(self.axis[1])
        return dx * ax + dy * ay, dy * ax - dx * ay

    def sides_at(self, along: NDArray[np.floating]) -> tuple[NDArray[np.floating], NDArray[np.floating]]:
        """How far the sides lie from the pivot's line along the limb, px: evenly from those at the pivot to those
        `further` on, along the limb at both ends."""
        if self.further is None or not self.inner:
            return np.full_like(along, self.left), np.full_like(along, self.right)
        share = np.clip(along / self.inner, 0, 1)
        own = share * share * (3 - 2 * share)
        return self.left + own * (self.further[0] - self.left), self.right + own * (self.further[1] - self.right)

    def radius_at(self, turn: NDArray[np.floating]) -> NDArray[np.floating]:
        """Distance of the end from the pivot at a turn from its left side, rad."""
        whole = max(sum(self.turns), 1e-9)
        bound = np.full_like(turn, max(self.left, self.right))
        for side, most, away in ((self.left, self.turns[0], turn), (self.right, self.turns[1], np.pi - turn)):
            round_for = max(np.radians(most) * most / whole, LEAST)
            rest = np.minimum(np.maximum(away - round_for, 0), np.pi / 2 - 0.01)
            bound = np.minimum(bound, side / np.cos(rest))
        return bound

    @property
    def frame(self) -> NDArray[np.float64]:
        """What takes (along, left) px from the pivot to (x, y) px, for rows."""
        x, y = self.axis
        return np.array([[x, y], [-y, x]])

    def _placed(self, spots: NDArray[np.float64]) -> NDArray[np.float64]:
        """(along, left) px from the pivot as px of the picture (n, 2)."""
        return np.asarray(spots @ self.frame + self.at)


def limb_axis(outline: MultiPolygon, at: Point) -> NDArray[np.float64]:
    """Which way a limb runs on from a pivot: along its middle there, wherever between its sides the pivot lies."""
    towards = axis_from(outline, at)
    axis = towards
    half = half_width(outline, at)
    for _ in range(STEADIED):
        across = np.array([-axis[1], axis[0]])
        middles = []
        for share in (0.5, 1.5):
            spot = np.add(at, share * half * axis)
            left, right = (reach(outline, (float(spot[0]), float(spot[1])), side) for side in (across, -across))
            if min(left, right) <= 0:
                return towards
            middles.append(spot + across * (left - right) / 2)
        way = middles[1] - middles[0]
        axis = way / max(float(np.hypot(*way)), 1e-9)
        if axis @ towards < ASTRAY:
            return towards
    return axis
