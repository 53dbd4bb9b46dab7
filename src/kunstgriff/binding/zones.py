"""Bend zones: how the weights of two bones pass over at their joint.

The passage is told in angles around the joint. Rigid blending turns a vertex about the joint by its share of the turn,
so a share that falls evenly from the bone's direction to its parent's turns every ray by its own amount: rays keep
their order, nothing folds as long as the turn is smaller than the angle over which the share passes.

                     \\  1   |  ..  /          inner and outer are told as lengths along the limb's edge: the passage
        parent  ------*======J======*------ bone      begins where the edge is inner (outer) half widths from the
                     /  ..  |   0  \\               joint, which is at the angle atan(1 / inner) off the bone.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import MultiPolygon
from shapely.geometry import Point as Spot

from kunstgriff.artwork.outline import part_outline
from kunstgriff.figure.model import Bone, Figure, Part, Weighted, Zone
from kunstgriff.figure.stores import Stores
from kunstgriff.skeleton.bones import length_of

NARROWEST = 1.5  # px of half width under which a joint has no bend zone: there is nothing to shape
BEYOND = 1.6  # times its own reach at which a zone has no say any more and the weights found by themselves have all
LEFT_ALONE = 0.9  # of the shorter bone a zone may take at most, so that it does not run into the next joint's

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Elbow:
    """A joint as a zone sees it, in figure space: where it is, the directions of both limbs (rad), the limb's half
    width there (px), on which side it closes when it bends (1 clockwise), and how long a zone may be (half widths)."""

    at: tuple[float, float]
    ahead: float
    back: float
    half_width: float
    inner_side: int
    longest: float

    def passage(self, zone: Zone, points: Floats) -> Floats:
        """Share (n,) of the bone, as against its parent, at `points` (n, 2)."""
        angle, sector = self._polar(points)
        inner = self._is_inner(angle, sector)
        size = np.where(angle < sector, sector, 2 * math.pi - sector)
        off = np.where(angle < sector, angle, 2 * math.pi - angle)
        length = np.where(inner, self.within(zone.inner), self.within(zone.outer))
        margin = np.minimum(np.arctan2(1.0, length), 0.45 * size)
        even = np.clip((size - margin - off) / (size - 2 * margin), 0.0, 1.0)
        return np.asarray((1 - zone.curve) * even + zone.curve * even * even * (3 - 2 * even))

    def along(self, points: Floats) -> tuple[Floats, Floats]:
        """Distance from the joint along the nearer limb and away from it to the inner side (negative: outer), px."""
        angle, sector = self._polar(points)
        away = np.hypot(*(points - self.at).T)
        size = np.where(angle < sector, sector, 2 * math.pi - sector)
        off = np.where(angle < sector, angle, 2 * math.pi - angle)
        off = np.minimum(off, size - off)
        side = np.where(self._is_inner(angle, sector), 1.0, -1.0)
        return away * np.cos(off), away * np.sin(off) * side

    def is_inside(self, zone: Zone, points: Floats) -> NDArray[np.bool_]:
        """Which points (n, 2) lie within the zone's length and not far beside the limb."""
        along, aside = self.along(points)
        length = np.where(aside > 0, self.within(zone.inner), self.within(zone.outer))
        return np.asarray((along < length * self.half_width) & (np.abs(aside) < 2.5 * self.half_width))

    def reach(self, zone: Zone) -> float:
        """How far from the joint the zone decides alone, px."""
        return self.half_width * math.hypot(1.0, max(self.within(zone.inner), self.within(zone.outer)))

    def within(self, length: float) -> float:
        return min(length, self.longest)

    def _polar(self, points: Floats) -> tuple[Floats, float]:
        """Angles (n,) of points, clockwise from the bone's direction, and that of the parent's, in [0, 2π)."""
        away = points - self.at
        angle = np.mod(np.arctan2(away[:, 1], away[:, 0]) - self.ahead, 2 * math.pi)
        return angle, (self.back - self.ahead) % (2 * math.pi)

    def _is_inner(self, angle: Floats, sector: float) -> NDArray[np.bool_]:
        return np.asarray((angle < sector) == (self.inner_side > 0))


def influences_of(figure: Figure, binding: Weighted) -> list[Bone]:
    """The bones that may move a weighted part, in the order of its columns."""
    return [bone for ref in binding.influences if (bone := figure.bone(ref)) is not None]


def points_of(part: Part, binding: Weighted, stores: Stores) -> Floats:
    """The vertices (n, 2) of a part's mesh in figure space."""
    return np.asarray(stores.get_array(binding.mesh.vertices) + np.asarray(part.place))


def elbow_of(figure: Figure, bone: Bone, outline: MultiPolygon, place: tuple[float, float]) -> Elbow | None:
    """The elbow of a bone in a part with this outline; None where the joint lies outside it or the limb is too thin."""
    parent = figure.bone(bone.parent) if bone.parent is not None else None
    if parent is None:
        return None
    spot = Spot(bone.joint[0] - place[0], bone.joint[1] - place[1])
    half_width = float(outline.boundary.distance(spot)) if outline.contains(spot) else 0.0
    if half_width < NARROWEST:
        return None
    ahead = math.atan2(bone.tip[1] - bone.joint[1], bone.tip[0] - bone.joint[0])
    back = math.atan2(parent.joint[1] - parent.tip[1], parent.joint[0] - parent.tip[0])
    sector = (back - ahead) % (2 * math.pi)
    if min(sector, 2 * math.pi - sector) < math.radians(15):
        return None  # folded back onto its parent: there is no elbow to speak of
    bends_clockwise = bone.limits is None or bone.limits.high >= -bone.limits.low
    longest = max(LEFT_ALONE * min(length_of(bone), length_of(parent)) / half_width, 0.3)
    return Elbow(bone.joint, ahead, back, half_width, 1 if bends_clockwise else -1, longest)


def elbows(figure: Figure, part: Part, bones: list[Bone], stores: Stores) -> dict[str, Elbow]:
    """The elbows inside a part: joints of bones whose parent moves it too and that no other bone branches from."""
    outline = part_outline(part, stores)
    known = {bone.id for bone in bones}
    found: dict[str, Elbow] = {}
    for bone in bones:
        if bone.parent not in known:
            continue
        elbow = elbow_of(figure, bone, outline, part.place)
        rivals = [other for other in bones if other.parent == bone.parent and other.id != bone.id]
        if elbow and all(math.dist(one.joint, bone.joint) > elbow.reach(Zone(bone=bone.id)) for one in rivals):
            found[bone.id] = elbow
    return found


def passed_over(
    figure: Figure, weights: Floats, influences: list[Bone], zones: dict[str, tuple[Elbow, Zone]], points: Floats
) -> Floats:
    """Weights (n, influences) with the share of each pair of bones at a zone as the zone says, at `points` (n, 2)."""
    column = {bone.id: number for number, bone in enumerate(influences)}
    weights = weights.copy()
    for ref, (elbow, zone) in zones.items():
        bone = figure.bone(ref)
        assert bone is not None
        child, parent = column[ref], column[bone.parent or ""]
        both = weights[:, child] + weights[:, parent]
        found = np.where(both > 1e-9, weights[:, child] / np.maximum(both, 1e-12), 0.0)
        away, reach = np.hypot(*(points - elbow.at).T), elbow.reach(zone)
        say = np.clip((BEYOND * reach - away) / ((BEYOND - 1) * reach), 0.0, 1.0)
        share = say * elbow.passage(zone, points) + (1 - say) * found
        weights[:, child], weights[:, parent] = both * share, both * (1 - share)
    return weights


def rigidity_of(figure: Figure, part: Part, points: Floats) -> Floats:
    """Share (n,) of rigid blending at `points` (n, 2) of a weighted part: that of its zones, the nearer the more.

    Between zones it is averaged by inverse square distance (Shepard 1968). Without zones blending is linear.
    """
    binding = part.binding
    assert isinstance(binding, Weighted)
    placed = [(zone, bone) for zone in binding.zones if (bone := figure.bone(zone.bone)) is not None]
    if not placed:
        return np.zeros(len(points))
    away = np.stack([((points - bone.joint) ** 2).sum(1) for _, bone in placed], 1)
    near = 1.0 / np.maximum(away, 1e-6)
    return np.asarray((near * [zone.mix for zone, _ in placed]).sum(1) / near.sum(1))
