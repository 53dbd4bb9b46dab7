"""Edits of chains: bones split, joints dissolved, chains joined, limits, locks, colours."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Any, Literal

from pydantic import Field

from kunstgriff.figure.edit import BoneKeys, Edit, EditRefused, free_name, need_bone
from kunstgriff.figure.model import Bone, Figure, Limits, Point, Spring
from kunstgriff.figure.renewal import reboned
from kunstgriff.figure.stores import Stores
from kunstgriff.skeleton.bones import (
    SHORTEST_BONE,
    bone_hue,
    children_of,
    is_joined,
    length_of,
    parents_first,
    with_descendants,
)
from kunstgriff.skeleton.edits import BONES_LIMIT, MoveJoint, require_unlocked, with_all_bones


def on_bone(bone: Bone, share: float) -> Point:
    """The spot that lies this share of the way from a bone's joint to its tip."""
    return (
        bone.joint[0] + share * (bone.tip[0] - bone.joint[0]),
        bone.joint[1] + share * (bone.tip[1] - bone.joint[1]),
    )


def these_bones(figure: Figure, keys: tuple[str, ...]) -> str:
    """The one bone named, or how many there are, for telling what an edit did."""
    return need_bone(figure, keys[0]).name if len(keys) == 1 else f"{len(keys)} bones"


class SplitBone(Edit):
    """Put joints into a bone: at a share of its length, or so many that it falls into `pieces` equal ones.

    The new bones are named after it, what hung on its tip hangs on the last, and parts it moved are moved by all.
    """

    kind: Literal["split_bone"] = "split_bone"
    bone: str
    at: Annotated[float, Field(gt=0, lt=1)] | None = None
    pieces: Annotated[int, Field(ge=2, le=50)] = 2

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone = need_bone(figure, self.bone)
        require_unlocked([bone])
        cuts = [0.0, self.at, 1.0] if self.at is not None else [k / self.pieces for k in range(self.pieces + 1)]
        if min((b - a) * length_of(bone) for a, b in pairwise(cuts)) < SHORTEST_BONE:
            raise EditRefused(f"“{bone.name}” is too short to be split there.")
        if len(figure.bones) + len(cuts) > BONES_LIMIT:
            raise EditRefused(f"A figure may have {BONES_LIMIT} bones at most.")
        taken = {one.name for one in figure.bones}
        made = [bone.model_copy(update={"tip": on_bone(bone, cuts[1])})]
        for number, (start, stop) in enumerate(pairwise(cuts[1:])):
            name = free_name(bone.name, taken)
            taken.add(name)
            made.append(
                Bone(
                    id=f"b{figure.next_id + number}",
                    name=name,
                    parent=made[-1].id,
                    joint=on_bone(bone, start),
                    tip=on_bone(bone, stop),
                    hue=bone_hue(len(figure.bones) + number),
                )
            )
        bones: list[Bone] = []
        for each_bone in figure.bones:
            if each_bone.id == bone.id:
                bones += made
            elif each_bone.parent == bone.id and is_joined(each_bone, bone):
                bones.append(each_bone.model_copy(update={"parent": made[-1].id}))
            else:
                bones.append(each_bone)
        ids = tuple(one.id for one in made)
        figure = figure.replace(
            bones=tuple(parents_first(bones)),
            next_id=figure.next_id + len(made) - 1,
            springs=tuple(_stretched(spring, bone.id, ids) for spring in figure.springs),
        )
        return reboned(figure, {bone.id: ids}, stores)

    def describe(self, figure: Figure) -> str:
        return f"split {need_bone(figure, self.bone).name}"


def _stretched(spring: Spring, ref: str, ids: tuple[str, ...]) -> Spring:
    if ref not in spring.bones:
        return spring
    place = spring.bones.index(ref)
    return spring.model_copy(update={"bones": (*spring.bones[:place], *ids, *spring.bones[place + 1 :])})


class DissolveJoint(Edit):
    """Take out the joint a bone begins at: its parent reaches to its tip, and everything of it goes to the parent."""

    kind: Literal["dissolve_joint"] = "dissolve_joint"
    bone: str

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone = need_bone(figure, self.bone)
        parent = figure.bone(bone.parent) if bone.parent is not None else None
        if parent is None or not is_joined(bone, parent):
            raise EditRefused(f"“{bone.name}” does not begin at another bone's tip, so there is no joint to dissolve.")
        require_unlocked([bone, parent])
        rivals = [one.name for one in children_of(figure, parent.id) if one.id != bone.id and is_joined(one, parent)]
        if rivals:
            raise EditRefused(f"“{rivals[0]}” begins at that joint too; hang it elsewhere first.")
        longer = parent.model_copy(update={"tip": bone.tip})
        if length_of(longer) < SHORTEST_BONE:
            raise EditRefused(f"That would leave bone “{parent.name}” without length.")
        bones = [
            longer if one.id == parent.id else one.model_copy(update={"parent": parent.id})
            if one.parent == bone.id else one
            for one in figure.bones if one.id != bone.id
        ]  # fmt: skip
        whole = figure.replace(bones=tuple(bones) + (bone.model_copy(update={"parent": None}),))
        whole = reboned(whole, {bone.id: (parent.id,)}, stores)
        return whole.model_copy(update={"bones": tuple(bones)}).without([bone.id])

    def describe(self, figure: Figure) -> str:
        return f"dissolve the joint of {need_bone(figure, self.bone).name}"


class JoinChains(Edit):
    """Join a chain to another bone's tip.

    What is between is bridged by a connector that moves no part, or with `bridge` false the chain's first joint comes
    to the tip.
    """

    kind: Literal["join_chains"] = "join_chains"
    bone: str
    onto: str
    bridge: bool = True

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone, onto = need_bone(figure, self.bone), need_bone(figure, self.onto)
        if onto.id in {one.id for one in with_descendants(figure, bone.id)}:
            raise EditRefused(f"“{bone.name}” cannot hang on a bone that hangs on it.")
        require_unlocked([bone])
        gap = Bone(id=f"b{figure.next_id}", name="link", parent=onto.id, joint=onto.tip, tip=bone.joint, hue=0)
        bones, next_id, parent = list(figure.bones), figure.next_id, onto.id
        changes: dict[str, Any] = {}
        if length_of(gap) < SHORTEST_BONE or not self.bridge:
            changes["joint"] = onto.tip
        else:
            name = free_name(f"{onto.name} link", {one.name for one in bones})
            bones.append(gap.model_copy(update={"name": name, "connector": True, "hue": bone_hue(len(bones))}))
            parent, next_id = gap.id, next_id + 1
        after = bone.model_copy(update={**changes, "parent": parent})
        if length_of(after) < SHORTEST_BONE:
            raise EditRefused(f"That would leave bone “{bone.name}” without length.")
        bones = [after if one.id == bone.id else one for one in bones]
        return figure.replace(bones=tuple(parents_first(bones)), next_id=next_id)

    def describe(self, figure: Figure) -> str:
        return f"join {need_bone(figure, self.bone).name} to {need_bone(figure, self.onto).name}"


class SetLength(Edit):
    """Make a bone so many px long at rest; its tip goes out or in along it, with what sits there."""

    kind: Literal["set_length"] = "set_length"
    bone: str
    length: Annotated[float, Field(ge=SHORTEST_BONE, le=100_000)]

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone = need_bone(figure, self.bone)
        tip = on_bone(bone, self.length / length_of(bone))
        return MoveJoint(bone=bone.id, end="tip", to=tip).apply(figure, stores)

    def describe(self, figure: Figure) -> str:
        return f"set the length of {need_bone(figure, self.bone).name}"


class SetLimits(Edit):
    """Say how far joints turn from rest, degrees, `soft` before the end at which they begin to resist; or no more."""

    kind: Literal["set_limits"] = "set_limits"
    bones: BoneKeys
    limits: Limits | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        same: dict[str, tuple[str, ...]] = {ref: (ref,) for ref in (need_bone(figure, key).id for key in self.bones)}
        return reboned(with_all_bones(figure, self.bones, limits=self.limits), same, stores)

    def describe(self, figure: Figure) -> str:
        return f"limit {these_bones(figure, self.bones)}"


class LockBones(Edit):
    """Lock bones: they keep their place and are not turned by hand; or unlock them."""

    kind: Literal["lock_bones"] = "lock_bones"
    bones: BoneKeys
    locked: bool = True

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return with_all_bones(figure, self.bones, locked=self.locked)

    def describe(self, figure: Figure) -> str:
        return f"{'lock' if self.locked else 'unlock'} {these_bones(figure, self.bones)}"


class ColourBones(Edit):
    """Give bones a colour of their own: its hue on the OKLCH circle, degrees."""

    kind: Literal["colour_bones"] = "colour_bones"
    bones: BoneKeys
    hue: Annotated[float, Field(ge=0, lt=360)]

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return with_all_bones(figure, self.bones, hue=self.hue)

    def describe(self, figure: Figure) -> str:
        return f"colour {these_bones(figure, self.bones)}"


class OnlyLink(Edit):
    """Let bones only link others: they move no part; or let them move parts again."""

    kind: Literal["only_link"] = "only_link"
    bones: BoneKeys
    links: bool = True

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        chosen = [need_bone(figure, key) for key in self.bones]
        for bone in chosen if self.links else ():
            for part in figure.parts:
                if bone.id in part.followed:
                    raise EditRefused(f"“{part.name}” follows “{bone.name}”; bind it elsewhere first.")
        return with_all_bones(figure, self.bones, connector=self.links)

    def describe(self, figure: Figure) -> str:
        return f"let {these_bones(figure, self.bones)} only link"
