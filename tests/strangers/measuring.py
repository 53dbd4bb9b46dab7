"""Painted pictures of a posed joint held against what the stranger drew.

Near the joint (1.5 half widths of two pieces, 3 where one bends, the whole part for fingers):
  hole   px² see-through where the two limb outlines, posed, are solid (drawn in by 1.5 px) and one limb would be: the
         corners of a square end are no limb
  line   px² of ink deeper than 1.3 line widths inside them (what gives the cut-out away)
  shape  two pieces: px² by which the silhouette is more than 2 px from the ideal one (both with round ends about the
         joint); one that bends: px² of area beyond 6 % more or less than the ideal; fingers: px of the rest of the part
         that are not as at rest
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from shapely import affinity
from shapely.geometry import Point
from shapely.geometry.base import BaseGeometry
from shapely.ops import unary_union

from tests.strangers.artist import Joint, Stranger
from tests.strangers.painting import Box, filled

ANGLES = (-100.0, -60.0, -30.0, 30.0, 60.0, 100.0)
FINGERS = (-20.0, -10.0, 10.0, 20.0)  # they must not cross
SOLID = 128  # alpha from which a pixel counts as painted
DARK = 0.45  # of the fill's brightness under which a pixel is ink

Pixels = NDArray[np.uint8]


@dataclass(frozen=True)
class Measured:
    hole: int
    line: int
    shape: int


def angles_of(joint: Joint) -> tuple[float, ...]:
    return FINGERS if joint.whole else ANGLES


class Truth:
    """One joint of a stranger: what it must look like at any angle, in a box of the sheet around it."""

    def __init__(self, one: Stranger, joint: Joint) -> None:
        self.one, self.joint = one, joint
        turned = one.hanging_on(joint.bone)
        self.moves = {piece.name for piece in one.pieces if set(piece.bones) <= turned}
        pieces = {piece.name: piece for piece in one.pieces}
        self.upper, self.lower = pieces[joint.upper], pieces[joint.lower]
        reach = 60 if joint.whole else (1.5 if joint.two_piece else 3) * joint.half
        area = self._whole(0.0).buffer(reach) if joint.whole else Point(joint.at).buffer(reach, 48)
        left, top, right, bottom = area.bounds
        self.circle = area
        self.box: Box = (math.floor(left) - 4, math.floor(top) - 4, math.ceil(right) + 4, math.ceil(bottom) + 4)

    def _turned(self, shape: BaseGeometry, angle: float) -> BaseGeometry:
        return affinity.rotate(shape, angle, origin=self.joint.at)

    def _posed(self, name: str, shape: BaseGeometry, angle: float) -> BaseGeometry:
        return self._turned(shape, angle) if name in self.moves else shape

    def _whole(self, angle: float, ideal: bool = True) -> BaseGeometry:
        """What the two sides of the joint cover together, posed."""
        if not self.joint.two_piece:
            return unary_union([self.joint.above, self._turned(self.joint.below, angle)])
        both = (self.upper, self.lower)
        return unary_union([self._posed(one.name, one.ideal if ideal else one.shape, angle) for one in both])

    def measure(self, picture: Pixels, rest: Pixels, angle: float) -> Measured:
        """Both pictures (h, w, 4) are of `box`, straight alpha."""
        one, joint, box = self.one, self.joint, self.box
        whole = self._whole(angle)
        union = self._whole(angle, ideal=False).intersection(whole)
        others = [
            self._posed(piece.name, piece.shape, angle)
            for piece in one.pieces
            if piece.name not in (joint.upper, joint.lower)
        ]
        circle = self.circle.union(whole.buffer(60)) if joint.whole else self.circle
        clear = filled(circle.difference(unary_union(others).buffer(one.line + 2)), box) > 0
        opaque = picture[..., 3] > SOLID
        ideal = whole.buffer(one.line / 2)
        solid = (filled(union.buffer(-1.5), box) > 0) & clear
        if joint.whole:
            return Measured(0, 0, self._disturbed(picture, rest, angle))
        line = self._line(picture, rest, union, clear) if one.line > 0 else 0
        if not joint.two_piece:
            area, due = int((clear & opaque).sum()), int((clear & (filled(ideal, box) > 0)).sum())
            return Measured(0, line, max(abs(area - due) - int(0.06 * due), 0))
        beyond = clear & opaque & (filled(ideal.buffer(2), box) == 0)
        short = clear & ~opaque & (filled(ideal.buffer(-2), box) > 0)
        return Measured(int((solid & ~opaque).sum()), line, int(beyond.sum() + short.sum()))

    def _line(self, picture: Pixels, rest: Pixels, union: BaseGeometry, clear: NDArray[np.bool_]) -> int:
        """px² of ink deep inside."""
        deep = (filled(union.buffer(-1.3 * self.one.line - 1), self.box) > 0) & clear
        if not deep.any():
            return 0
        still = filled(self._whole(0.0, ideal=False).buffer(-1.3 * self.one.line - 1), self.box) > 0
        bright = np.median(rest[still][:, :3].astype(int).sum(1)) if still.any() else 765
        ink = (picture[..., :3].astype(int).sum(2) < DARK * bright) & (picture[..., 3] > SOLID)
        return int((deep & ink).sum())

    def _disturbed(self, picture: Pixels, rest: Pixels, angle: float) -> int:
        """px of what does not hang on the turned bone that do not look as they did."""
        joint, edge = self.joint, self.one.line / 2
        around = Point(joint.at).buffer(2.5 * joint.half)
        moving = unary_union([self._turned(joint.below, angle), joint.below, around]).buffer(edge + 6)
        still = filled(joint.above.buffer(edge + 3).difference(moving), self.box) > 0
        return int((still & (np.abs(picture[..., 3].astype(int) - rest[..., 3]) > 100)).sum())

    def is_clean(self, found: Measured) -> bool:
        """What a rigger would pass: no hole, no line, a silhouette within 2 px but for 1 % of the joint's disc."""
        return found.hole <= 6 and found.line <= 12 and found.shape <= max(0.01 * math.pi * self.joint.half**2, 12)
