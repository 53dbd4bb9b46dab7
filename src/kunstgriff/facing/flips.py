"""Limbs that turn the other way round on a facing: told by a person, or by how they lie there."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

from kunstgriff.facing.around import Seen, all_seen
from kunstgriff.facing.edits import need_facing, need_turnaround
from kunstgriff.figure.channels import parted
from kunstgriff.figure.edit import BoneKeys, Edit, EditRefused, need_bone
from kunstgriff.figure.findings import Finding, Remedy, meant
from kunstgriff.figure.flipping import aimed_otherwise, flipped_ids, standing_otherwise, with_aims, with_flipped
from kunstgriff.figure.model import Bone, Figure
from kunstgriff.figure.references import walk
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.turning import apart, turned_to
from kunstgriff.skeleton.bones import with_descendants

SIDE = 90.0  # degrees a facing is turned by past which the figure is seen from behind
LEANS = 0.3  # of its length that a bone goes to one side where it is clear to which


class FlipBones(Edit):
    """Say on the facing shown that bones and all that hangs on them turn the other way round than on the first one.

    What poses them on the first facing, by hand, by a lever or in a motion, is then mirrored here. So are how far they
    may turn, the side that reaches bend them to, how far looks turn them, and where levers stand that hang on them."""

    kind: Literal["flip_bones"] = "flip_bones"
    bones: BoneKeys
    flipped: bool = True

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        turnaround = need_turnaround(figure)
        if turnaround.shown == turnaround.first:
            first = need_facing(figure, turnaround.first)
            raise EditRefused(f"“{first.name}” is the first facing, by which the others go; nothing is flipped on it.")
        asked = {bone.id for key in self.bones for bone in with_descendants(figure, need_bone(figure, key).id)}
        changed = {bone.id for bone in figure.bones if bone.id in asked and bone.flipped != self.flipped}
        if not changed:
            raise EditRefused("They turn that way already.")
        before, aims = flipped_ids(figure), with_aims(figure, changed) - changed
        bones = tuple(_flipped(bone, self.flipped) if bone.id in changed else bone for bone in figure.bones)
        reaches = tuple(aimed_otherwise(one) if one.id in aims else one for one in figure.reaches)
        there = {bone.id: bone for bone in bones if bone.id in changed}
        levers = tuple(standing_otherwise(one, there) for one in figure.levers)
        after = figure.model_copy(update={"bones": bones, "reaches": reaches, "levers": levers})
        return with_flipped(after, before ^ flipped_ids(after)).replace()

    def describe(self, figure: Figure) -> str:
        names = ", ".join(f"“{need_bone(figure, key).name}”" for key in self.bones[:3])
        return f"{names} {'turn the other way round' if self.flipped else 'turn as on the first facing'}"


def _flipped(bone: Bone, flipped: bool) -> Bone:
    limits = bone.limits and bone.limits.mirrored
    return bone.model_copy(update={"flipped": flipped, "limits": limits})


def turning_otherwise(first: Figure, there: Figure, turned: float) -> frozenset[str]:
    """The ids of bones that turn the other way round on a facing `turned` by so many degrees from the first one.

    A bone that leans to the one side on the first and to the other there does, and one that leans to the same side does
    not. One that stands upright on either does as what it hangs on; a root does where it is seen from behind."""
    before, found = {bone.id: bone for bone in first.bones}, set[str]()
    for bone in there.bones:
        leans, leant = bone.across, before[bone.id].across
        if min(abs(leans), abs(leant)) >= LEANS:
            other = leans * leant < 0
        else:
            other = bone.parent in found if bone.parent is not None else turned > SIDE
        if other:
            found.add(bone.id)
    return frozenset(found)


def posed_alike(figure: Figure) -> frozenset[str]:
    """The ids of what kept poses, levers, shapes and turns of bones pose on all facings alike."""
    some = (*figure.poses, *figure.levers, *figure.shapes, *figure.by_turns)
    return frozenset(parted(found.value)[0] for one in some for found in walk(one) if found.means.kind == "channel")


def turned_wrongly(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Facings on which limbs lie the other way round, but turn as on the first one when they are posed on all alike."""
    turnaround = figure.turnaround
    if turnaround is None:
        return
    if not (posed := posed_alike(figure)):
        return
    first = turned_to(figure, turnaround.first)
    front = need_facing(figure, turnaround.first)
    for one in all_seen(figure):
        key = f"facing-turns:{one.facing.number}"
        if one.mirrored or one.facing.number == turnaround.first or key in figure.accepted:
            continue
        wrong = turning_otherwise(first, one.figure, apart(one.facing.angle, front.angle)) - flipped_ids(one.figure)
        limbs = [bone for bone in one.figure.bones if bone.id in wrong and bone.parent not in wrong]
        if wrong & posed:
            yield _finding(key, front.name, one, limbs)


def _finding(key: str, first: str, seen: Seen, limbs: list[Bone]) -> Finding:
    names = ", ".join(f"“{bone.name}”" for bone in limbs[:3]) + (" and more" if len(limbs) > 3 else "")
    edit = {"kind": "flip_bones", "bones": [bone.id for bone in limbs]}
    return Finding(
        key=key,
        stage="controls",
        sentence=f"What raises a limb on “{first}” lowers it on “{seen.facing.name}”, where it lies mirrored: {names}.",
        weight=0.4,
        bones=tuple(bone.id for bone in limbs),
        remedies=(
            Remedy(
                word="Turn them the other way round",
                edit={"kind": "in_facing", "facing": seen.facing.number, "edit": edit},
            ),
            meant(key),
        ),
    )
