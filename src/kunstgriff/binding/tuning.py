"""Self-tuning: each joint is turned through its range with many settings, and keeps the one that looks best."""

from __future__ import annotations

import math

import numpy as np

from kunstgriff.artwork.edits import with_parts
from kunstgriff.binding.auto_binding import (
    SHORTEST,
    UNSOLVED,
    BindingOptions,
    Floats,
    settled,
    shares_at,
)
from kunstgriff.binding.bending import WIDEST, blended, range_of, turned
from kunstgriff.binding.judging import Judge, Looks, cost
from kunstgriff.binding.refit import relaid
from kunstgriff.binding.sweep import Sweep
from kunstgriff.binding.weights import strongest
from kunstgriff.binding.zones import JointFrame, influences_of, joint_frames, passed_over, points_of
from kunstgriff.figure.model import Bone, Figure, Part, Weighted, Zone
from kunstgriff.figure.stores import Stores

GOOD = 0.03  # cost at which nothing better is looked for: some 1 % of width, area and no fold
BETTER = 0.01  # by how much another setting must be better to be worth a change
LENGTHS = (3.0, 2.0, 1.2)  # lengths tried, half widths of the limb
POOR = 0.12  # cost at which blending without solved shapes is tried as well
BLENDS = ((2.5, 1.0), (2.5, 0.5))  # lengths and shares of rigid blending tried then


def tried_angles(bone: Bone, soft: bool = False) -> list[float]:
    """Degrees a joint is tried at, half way and all the way to both ends of its range; a `soft` one half as far."""
    low, high = range_of(bone)
    widest = WIDEST / 2 if soft else WIDEST
    low, high = max(low, -widest), min(high, widest)
    return [end * share for end in (low, high) if abs(end) >= 5 for share in (0.5, 1.0)]


def laid(zone: Zone, length: float) -> Zone:
    """The zone as long to both sides, with shapes to be solved."""
    return zone.model_copy(update={"inner": length, "outer": length, "curve": 0.0, "mix": 1.0, "solved": UNSOLVED})


def blent(zone: Zone, length: float, mix: float) -> Zone:
    """The zone as long to both sides, by blending alone."""
    return zone.model_copy(update={"inner": length, "outer": length, "curve": 0.0, "mix": mix, "solved": None})


class Bench:
    """One joint of one weighted part, to try settings on."""

    def __init__(
        self, figure: Figure, part: Part, bone: Bone, joint_frame: JointFrame, soft: bool, stores: Stores
    ) -> None:
        assert isinstance(part.binding, Weighted)
        assert bone.parent is not None
        parent = figure.bone(bone.parent)
        assert parent is not None
        self.figure, self.bone, self.joint_frame, self.binding = figure, bone, joint_frame, part.binding
        self.soft, self.angles = soft, tried_angles(bone, soft)
        self.points = points_of(part, part.binding, stores)
        self.influences = influences_of(figure, part.binding)
        self.weights = stores.get_array(part.binding.weights).astype(np.float64)
        self.ends = (_middle(parent), _middle(bone))
        self.triangles = stores.get_array(part.binding.mesh.triangles)
        self.judge = Judge(self.points, self.triangles, np.array(bone.joint), self.ends, joint_frame.half_width)

    def looks(self, zone: Zone) -> list[Looks]:
        """How the joint looks at the angles tried, with the weights passed over as the zone says."""
        passed = passed_over(
            self.figure,
            self.weights,
            self.influences,
            {self.bone.id: (self.joint_frame, zone)},
            self.points,
            self.triangles,
        )
        share, others = shares_at(self.figure, self.binding, strongest(passed, self.binding.most), self.bone)
        rigidity = np.full(len(self.points), zone.mix)
        bend = None
        if zone.solved:
            turns = range_of(self.bone)
            bend = Sweep(self.points, self.triangles, self.joint_frame, zone, share, others, rigidity, turns)
        seen = []
        for degrees in self.angles:
            turn = math.radians(degrees)
            posed = blended(self.points, self.joint_frame.at, share, turn, rigidity)
            if bend is not None:
                posed[bend.members] = bend.at(turn)
            end = turned(self.ends[1][None], self.joint_frame.at, np.full(1, turn))[0]
            seen.append(self.judge.look(posed, (self.ends[0], end)))
        return seen

    def best(self, zone: Zone) -> tuple[Zone, list[Looks]]:
        """The setting that looks best, and how: first how long the bend is, then without shapes."""
        best, seen = zone, self.looks(zone)
        least = cost(seen)

        def try_out(tried: Zone) -> None:
            nonlocal best, seen, least
            if least < GOOD or tried == best:
                return
            looks = self.looks(tried)
            if (bad := cost(looks)) < least - BETTER:
                best, seen, least = tried, looks, bad

        if self.joint_frame.longest >= SHORTEST:
            for length in LENGTHS:
                try_out(laid(zone, length))
        elif least > POOR:
            for length, mix in BLENDS:
                try_out(blent(zone, length, mix))
        return best, seen


def _middle(bone: Bone) -> Floats:
    return (np.array(bone.joint) + bone.tip) / 2


def tuned(figure: Figure, ref: str, only: set[str] | None, stores: Stores) -> Figure:
    """The figure with the joints of one weighted part tuned: all of its elbows, or those of the bones in `only`."""
    part = figure.part(ref)
    if part is None or not isinstance(part.binding, Weighted):
        return figure
    every = joint_frames(figure, part, influences_of(figure, part.binding), stores)
    zones = {zone.bone: zone for zone in part.binding.zones}
    for key, joint_frame in every.items():
        bone = figure.bone(key)
        if bone is not None and (only is None or key in only):
            bench = Bench(figure, part, bone, joint_frame, len(every) > 1, stores)
            zones[key] = bench.best(zones.get(key, Zone(bone=key, mix=0.0)))[0]
    return with_parts(figure, {ref: rezoned(figure, part, tuple(zones.values()), stores)})


def rezoned(figure: Figure, part: Part, zones: tuple[Zone, ...], stores: Stores) -> Part:
    """A weighted part with these zones instead: weights passed over anew there, but for vertices held by hand."""
    binding = part.binding
    assert isinstance(binding, Weighted)
    bones = influences_of(figure, binding)
    found = joint_frames(figure, part, bones, stores)
    before = {zone.bone: zone for zone in binding.zones}
    changed = {
        zone.bone: (found[zone.bone], zone)
        for zone in zones
        if zone.bone in found and _passes(zone) != _passes(before.get(zone.bone))
    }
    weights = stores.get_array(binding.weights)
    points, triangles = points_of(part, binding, stores), stores.get_array(binding.mesh.triangles)
    after = strongest(passed_over(figure, weights.astype(np.float64), bones, changed, points, triangles), binding.most)
    if binding.manual_mask is not None:
        after = np.where(stores.get_array(binding.manual_mask)[:, None], weights, after)
    known = tuple(zone for zone in zones if zone.bone in found)
    binding = binding.model_copy(update={"zones": known, "weights": stores.put_array(after)})
    return part.model_copy(update={"binding": settled(figure, part, binding, stores)})


def _passes(zone: Zone | None) -> tuple[float, ...] | None:
    return (zone.inner, zone.outer) if zone is not None else None


def with_rows(figure: Figure, part: Part, zones: tuple[Zone, ...], stores: Stores) -> Part:
    """A weighted part with its mesh laid anew for the rows of these zones, and weights found anew on it."""
    binding = part.binding
    assert isinstance(binding, Weighted)
    options = BindingOptions.as_bound(binding).model_copy(update={"zones": zones})
    return part.model_copy(update={"binding": relaid(figure, part, binding, options, stores, anew=True)})
