"""Bend zones: how the weights of two bones pass over at their joint.

The passage is told along the two banks of the limb (see `banks`): a vertex has the share of the bone that its place
along them says, between one end of the zone and the other.

                     \\  1   |  0  /          inner and outer are told as lengths along the limb's banks, in half widths
        parent  ------*======J======*------ bone      of the limb: the inner bank is the one the joint closes on.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import MultiPolygon

from kunstgriff.artwork.outline import part_solid
from kunstgriff.binding.banks import Bank, banks_at
from kunstgriff.binding.weights import islands
from kunstgriff.figure.model import Bone, Figure, Part, Weighted, Zone
from kunstgriff.figure.stores import Stores
from kunstgriff.skeleton.bones import length_of

NARROWEST = 1.5  # px of half width under which a joint has no bend zone: there is nothing to shape
LEFT_ALONE = 0.9  # of the shorter bone a zone may take at most, so that it does not run into the next joint's
SHARED = 0.7  # the same where the next joint bends the same part, so that both bent at once do not wave; measured
BESIDE = (1.25, 1.6)  # widths of limb across which what is not limb is left alone
OUTSIDE = 0.5  # half widths (at least 6 px) that a vertex may lie outside the banks and still be of the limb

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class JointFrame:
    """A joint as a zone sees it, in figure space: where it is, the directions of both limbs (rad), the limb's half
    width there (px), on which side it closes when it bends (1 clockwise), how long a zone may be (half widths), and the
    limb's two banks, the one clockwise of the bone first."""

    at: tuple[float, float]
    ahead: float
    back: float
    half_width: float
    inner_side: int
    longest: float
    banks: tuple[Bank, Bank] = field(compare=False, repr=False)

    def coordinates(self, points: Floats) -> tuple[Floats, Floats]:
        """How far along both banks and how deep inside points (n, 2) lie, px (2, n) each."""
        found = [bank.coordinates(points) for bank in self.banks]
        return np.stack([runs for runs, _ in found]), np.stack([depths for _, depths in found])

    def of_limb(self, depths: Floats) -> Floats:
        """How much points at such depths (2, n) are of the limb, in [0, 1]: not far outside, and no wider body."""
        low, high = BESIDE
        across = np.clip((high - depths.sum(0) / (2 * self.half_width)) / (high - low), 0.0, 1.0)
        return np.asarray(across * (depths.min(0) > -max(6.0, OUTSIDE * self.half_width)))

    def reaches(self, zone: Zone) -> tuple[tuple[float, float], tuple[float, float]]:
        """How far a zone reaches along each bank: on the parent's side and on the bone's, px."""
        inner, outer = (self.within(length) * self.half_width for length in (zone.inner, zone.outer))
        first, second = (
            (min(length, bank.ends[0]), min(length, bank.ends[1]))
            for length, bank in zip((inner, outer) if self.inner_side > 0 else (outer, inner), self.banks, strict=True)
        )
        return first, second

    def passage(self, zone: Zone, runs: Floats, depths: Floats) -> Floats:
        """Share (n,) of the bone, as against its parent, at coordinates as `coordinates` gives them."""
        second = nearer_second(depths)
        shares = []
        for run, (before, after) in zip(runs, self.reaches(zone), strict=True):
            along = np.where(run < 0, run / max(before, 1e-9), run / max(after, 1e-9))
            shares.append(np.clip((along + 1) / 2, 0.0, 1.0))
        even = (1 - second) * shares[0] + second * shares[1]
        return np.asarray((1 - zone.curve) * even + zone.curve * even * even * (3 - 2 * even))

    def reach(self, zone: Zone) -> float:
        """How far from the joint the zone decides alone, px."""
        return self.half_width * math.hypot(1.0, max(self.within(zone.inner), self.within(zone.outer)))

    def within(self, length: float) -> float:
        return min(length, self.longest)


def nearer_second(depths: Floats) -> Floats:
    """How far the second bank says where points at such depths (2, n) lie, in [0, 1]: smoothly, by relative depth."""
    deep = np.clip(depths, 0.0, None)
    relative = deep[0] / np.maximum(deep.sum(0), 1e-9)
    return np.asarray(relative * relative * (3 - 2 * relative))


def influences_of(figure: Figure, binding: Weighted) -> list[Bone]:
    """The bones that may move a weighted part, in the order of its columns."""
    return [bone for ref in binding.influences if (bone := figure.bone(ref)) is not None]


def points_of(part: Part, binding: Weighted, stores: Stores) -> Floats:
    """The vertices (n, 2) of a part's mesh in figure space."""
    return np.asarray(stores.get_array(binding.mesh.vertices) + np.asarray(part.drawing.place))


def joint_frame_of(
    figure: Figure, bone: Bone, outline: MultiPolygon, place: tuple[float, float], known: set[str]
) -> JointFrame | None:
    """The elbow of a bone in a part with this outline that the bones `known` move; None where the joint lies outside it
    or the limb is too thin."""
    parent = figure.bone(bone.parent) if bone.parent is not None else None
    if parent is None:
        return None
    ahead = bone.direction
    back = math.atan2(parent.joint[1] - parent.tip[1], parent.joint[0] - parent.tip[0])
    sector = (back - ahead) % (2 * math.pi)
    if min(sector, 2 * math.pi - sector) < math.radians(15):
        return None  # folded back onto its parent: there is no elbow to speak of
    followed = any(one.parent == bone.id and one.id in known for one in figure.bones)
    room = [(length_of(bone), followed), (length_of(parent), parent.parent in known)]
    shorter = min(length * (SHARED if shared else LEFT_ALONE) for length, shared in room)
    joint = (bone.joint[0] - place[0], bone.joint[1] - place[1])
    banks = banks_at(outline, joint, ahead, back, max(shorter, 4.0), place)
    if banks is None:
        return None
    half_width = (banks[0].radius + banks[1].radius) / 2
    if half_width < NARROWEST:
        return None
    bends_clockwise = bone.limits is None or bone.limits.high >= -bone.limits.low
    longest = max(shorter / half_width, 0.3)
    return JointFrame(bone.joint, ahead, back, half_width, 1 if bends_clockwise else -1, longest, banks)


def joint_frames(figure: Figure, part: Part, bones: list[Bone], stores: Stores) -> dict[str, JointFrame]:
    """The elbows inside a part: joints of bones whose parent moves it too and that no other bone branches from."""
    outline = part_solid(part, stores)
    known = {bone.id for bone in bones}
    found: dict[str, JointFrame] = {}
    for bone in bones:
        if bone.parent not in known:
            continue
        joint_frame = joint_frame_of(figure, bone, outline, part.drawing.place, known)
        rivals = [other for other in bones if other.parent == bone.parent and other.id != bone.id]
        if joint_frame and all(
            math.dist(one.joint, bone.joint) > joint_frame.reach(Zone(bone=bone.id)) for one in rivals
        ):
            found[bone.id] = joint_frame
    return found


def passed_over(
    figure: Figure,
    weights: Floats,
    influences: list[Bone],
    zones: dict[str, tuple[JointFrame, Zone]],
    points: Floats,
    triangles: NDArray[np.int32],
) -> Floats:
    """Weights (n, influences) with the share of each pair of bones at a zone as the zone says, at the vertices `points`
    (n, 2) of a mesh of `triangles` (m, 3)."""
    column = {bone.id: number for number, bone in enumerate(influences)}
    weights = weights.copy()
    for ref, (joint_frame, zone) in zones.items():
        bone = figure.bone(ref)
        assert bone is not None
        child, parent = column[ref], column[bone.parent or ""]
        both = weights[:, child] + weights[:, parent]
        found = np.where(both > 1e-9, weights[:, child] / np.maximum(both, 1e-12), 0.0)
        runs, depths = joint_frame.coordinates(points)
        say = joint_frame.of_limb(depths) * connected(joint_frame, points, triangles)
        share = say * joint_frame.passage(zone, runs, depths) + (1 - say) * found
        weights[:, child], weights[:, parent] = both * share, both * (1 - share)
    return weights


def connected(joint_frame: JointFrame, points: Floats, triangles: NDArray[np.int32]) -> NDArray[np.bool_]:
    """Which vertices (n,) lie on the piece of the mesh the joint lies in: an island beside a limb does not bend."""
    island = islands(triangles, len(points))
    return np.asarray(island == island[np.hypot(*(points - joint_frame.at).T).argmin()])


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
