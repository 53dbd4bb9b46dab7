"""Edits of the Bones stage."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable
from itertools import pairwise, takewhile
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field
from shapely.affinity import translate
from shapely.geometry import Point as Spot

from kunstgriff.artwork.outline import part_outline
from kunstgriff.figure.edit import Edit, EditRefused, free_name, need_bone
from kunstgriff.figure.model import (
    Binding,
    Bone,
    Figure,
    Name,
    Part,
    Point,
    Rider,
    Rigid,
    Unbound,
    Weighted,
)
from kunstgriff.figure.references import refs
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.warps import MOST_TIES, Warp
from kunstgriff.skeleton.bones import (
    SHORTEST_BONE,
    bone_hue,
    chain_from,
    is_joined,
    length_of,
    parents_first,
    with_descendants,
)

BONES_LIMIT = 2_000
UNNAMED = "bone"
NUMBERED = re.compile(r" \d+$")
ALONG = (0.25, 0.5, 0.75)  # of a bone's length where it is looked at which parts it runs through


def with_bones(figure: Figure, changed: dict[str, Bone]) -> Figure:
    """The figure with bones replaced by id."""
    return figure.replace(bones=tuple(changed.get(bone.id, bone) for bone in figure.bones))


def with_all_bones(figure: Figure, keys: tuple[str, ...], **changes: object) -> Figure:
    """The figure with the same fields changed on every bone named. Raises EditRefused for one that is not there."""
    bones = [need_bone(figure, key) for key in keys]
    return with_bones(figure, {bone.id: bone.model_copy(update=changes) for bone in bones})


class DrawChain(Edit):
    """Draw a chain of bones through `joints` (figure space px); the last point is the tip of the last bone.

    `parent` is the bone the chain branches from, if any. `name` names the first bone, the rest are numbered; without,
    each is named after the part it runs through.
    """

    kind: Literal["draw_chain"] = "draw_chain"
    joints: Annotated[tuple[Point, ...], Field(min_length=2, max_length=200)]
    parent: str | None = None
    name: Name | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        for number, (here, there) in enumerate(pairwise(self.joints), 1):
            if math.dist(here, there) < SHORTEST_BONE:
                raise EditRefused(f"Joints {number} and {number + 1} of the chain lie on one spot; move one of them.")
        if len(figure.bones) + len(self.joints) > BONES_LIMIT:
            raise EditRefused(f"A figure may have {BONES_LIMIT} bones at most.")
        parent = need_bone(figure, self.parent).id if self.parent is not None else None
        taken = {bone.name for bone in figure.bones}
        next_id, made = figure.next_id, list[Bone]()
        for here, there in pairwise(self.joints):
            name = free_name(self.name or through(figure, here, there, stores) or UNNAMED, taken)
            taken.add(name)
            hue = bone_hue(len(figure.bones) + len(made))
            made.append(Bone(id=f"b{next_id}", name=name, parent=parent, joint=here, tip=there, hue=hue))
            parent = made[-1].id
            next_id += 1
        return figure.replace(bones=(*figure.bones, *made), next_id=next_id)

    def describe(self, figure: Figure) -> str:
        return f"draw {self.name or UNNAMED}"


def through(figure: Figure, here: Point, there: Point, stores: Stores) -> str | None:
    """The name of the part a bone from here to there runs through: of those it runs through longest the one whose
    middle it lies nearest to."""
    spots = [Spot(np.add(here, np.multiply(share, np.subtract(there, here)))) for share in ALONG]
    found: tuple[int, float, str] | None = None
    for part in figure.parts:
        if part.is_shown:
            outline = part_outline(part, stores)
            inside = sum(
                outline.contains(translate(spot, -part.drawing.place[0], -part.drawing.place[1])) for spot in spots
            )
            one = (inside, -translate(outline.centroid, *part.drawing.place).distance(spots[1]), part.name)
            if inside >= 2 and (found is None or one > found):
                found = one
    return found[2] if found is not None else None


class MoveJoint(Edit):
    """Move a bone's joint, or with `end` "tip" its tip, to a place in figure space.

    What sits on the same spot (the parent's tip, joints of its other children) goes along, or stays behind where it is
    moved `apart`: a gap that the parent's turn carries along.
    """

    kind: Literal["move_joint"] = "move_joint"
    bone: str
    end: Literal["joint", "tip"] = "joint"
    to: Point
    apart: bool = False

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone = need_bone(figure, self.bone)
        parent = figure.bone(bone.parent) if bone.parent is not None else None
        changed: dict[str, Bone] = {}
        if self.end == "tip":
            hub: Bone | None = bone
        else:
            hub = parent if parent is not None and is_joined(bone, parent) else None
            changed[bone.id] = bone.model_copy(update={"joint": self.to})
        if self.apart:
            if self.end == "tip":
                changed[bone.id] = bone.model_copy(update={"tip": self.to})
        elif hub is not None:
            for other in figure.bones:
                if other.parent == hub.id and is_joined(other, hub):
                    changed[other.id] = other.model_copy(update={"joint": self.to})
            changed[hub.id] = hub.model_copy(update={"tip": self.to})
        require_unlocked(changed.values())
        for item in changed.values():
            if length_of(item) < SHORTEST_BONE:
                raise EditRefused(f"That would leave bone “{item.name}” without length.")
        return with_bones(figure, changed)

    def describe(self, figure: Figure) -> str:
        return f"move the {self.end} of {need_bone(figure, self.bone).name}"


class RenameBone(Edit):
    """Rename a bone; with `chain` those that carry on from it, numbered after it, go along (leg, leg 2, leg 3)."""

    kind: Literal["rename_bone"] = "rename_bone"
    bone: str
    name: Name
    chain: bool = True

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone = need_bone(figure, self.bone)
        renamed = [bone, *numbered_after(figure, bone)] if self.chain else [bone]
        taken = {other.name for other in figure.bones} - {one.name for one in renamed}
        if self.name in taken:
            raise EditRefused(f"Another bone is called “{self.name}” already.")
        changed = {}
        for item in renamed:
            name = free_name(self.name, taken)
            taken.add(name)
            changed[item.id] = item.model_copy(update={"name": name})
        return with_bones(figure, changed)

    def describe(self, figure: Figure) -> str:
        return f"rename {need_bone(figure, self.bone).name}"


def numbered_after(figure: Figure, bone: Bone) -> list[Bone]:
    """The bones that carry on from a bone and are called as it is with another number, up to the first that is not."""
    base = NUMBERED.sub("", bone.name)
    following = chain_from(figure, bone.id)[1:]
    return list(takewhile(lambda one: NUMBERED.sub("", one.name) == base and one.name != base, following))


class HangBone(Edit):
    """Hang a bone, with all that hangs on it, on another bone, or on nothing; it keeps its place.

    With `to_tip` it goes, with all that hangs on it, to the tip of the bone it hangs on instead.
    """

    kind: Literal["hang_bone"] = "hang_bone"
    bone: str
    parent: str | None = None
    to_tip: bool = False

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone = need_bone(figure, self.bone)
        parent = need_bone(figure, self.parent).id if self.parent is not None else None
        if parent in {one.id for one in with_descendants(figure, bone.id)}:
            raise EditRefused(f"“{bone.name}” cannot hang on a bone that hangs on it.")
        bones = [one.model_copy(update={"parent": parent}) if one.id == bone.id else one for one in figure.bones]
        figure = figure.replace(bones=tuple(parents_first(bones)))
        return _at_tip(figure, bone, parent) if self.to_tip and parent is not None else figure

    def describe(self, figure: Figure) -> str:
        return f"hang {need_bone(figure, self.bone).name} elsewhere"


def _at_tip(figure: Figure, bone: Bone, parent: str) -> Figure:
    """The figure with a bone and all that hangs on it moved so that it begins at its parent's tip."""
    on = need_bone(figure, parent)
    by = np.subtract(on.tip, bone.joint)
    moved = {
        one.id: one.model_copy(update={"joint": _shifted(one.joint, by), "tip": _shifted(one.tip, by)})
        for one in with_descendants(figure, bone.id)
    }
    require_unlocked(moved.values())
    return with_bones(figure, moved)


def _shifted(point: Point, by: np.ndarray[Any, Any]) -> Point:
    return (float(point[0] + by[0]), float(point[1] + by[1]))


def require_unlocked(bones: Iterable[Bone]) -> None:
    """EditRefused when one of the bones is locked."""
    for bone in bones:
        if bone.locked:
            raise EditRefused(f"“{bone.name}” is locked; unlock it first.")


class DeleteBones(Edit):
    """Delete bones. What hung on a deleted bone, bones, rigid parts and shares of weight, passes to its parent.

    Where there is no parent, rigid parts become unbound and weights are shared among the influences left.
    """

    kind: Literal["delete_bones"] = "delete_bones"
    bones: Annotated[tuple[str, ...], Field(min_length=1)]

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        gone = {need_bone(figure, key).id for key in self.bones}
        require_unlocked(bone for bone in figure.bones if bone.id in gone)
        heir = {bone.id: _heir(figure, bone.id, gone) for bone in figure.bones}
        bones = [
            bone.model_copy(update={"parent": heir[bone.parent] if bone.parent else None})
            for bone in figure.bones
            if bone.id not in gone
        ]
        parts = tuple(_inherit(part, gone, heir, stores) for part in figure.parts)
        groups = tuple(
            group.model_copy(update={"bone": heir[group.bone]}) if group.bone in gone else group
            for group in figure.groups
        )
        warps = tuple(_warp_without(warp, figure, gone, heir) for warp in figure.warps)
        passed_on = figure.model_copy(
            update={"bones": tuple(parents_first(bones)), "parts": parts, "groups": groups, "warps": warps}
        )
        return passed_on.without(gone)

    def describe(self, figure: Figure) -> str:
        return f"delete {need_bone(figure, self.bones[0]).name}" + (" and more" if len(self.bones) > 1 else "")


def _warp_without(warp: Warp, figure: Figure, gone: set[str], heir: dict[str, str | None]) -> Warp:
    """A warp that what its bone passes to carries, its handles told which bones they follow no more."""
    changes: dict[str, object] = {"bone": heir[warp.bone]} if warp.bone in gone else {}
    names = {bone.id: bone.name for bone in figure.bones}
    handles = []
    for one in warp.handles:
        lost = [names[ref] for ref in refs(one, "bone") if ref in gone and names[ref] not in one.lost]
        if lost:
            one = one.model_copy(update={"lost": (*one.lost, *lost)[:MOST_TIES]})
        handles.append(one)
    if tuple(handles) != warp.handles:
        changes["handles"] = tuple(handles)
    return warp.model_copy(update=changes) if changes else warp


def _heir(figure: Figure, ref: str, gone: set[str]) -> str | None:
    here: str | None = ref
    while here in gone:
        bone = figure.bone(here)
        here = bone.parent if bone is not None else None
    return here


def _inherit(part: Part, gone: set[str], heir: dict[str, str | None], stores: Stores) -> Part:
    binding = _passed_on(part.binding, gone, heir, stores)
    shelved = tuple(_passed_on(one, gone, heir, stores) for one in part.shelved)
    if binding == part.binding and shelved == part.shelved:
        return part
    kept = tuple(one for one in shelved if one.kind not in ("unbound", binding.kind))
    return part.model_copy(update={"binding": binding, "shelved": kept})


def _passed_on(binding: Binding, gone: set[str], heir: dict[str, str | None], stores: Stores) -> Binding:
    if isinstance(binding, Rigid) and binding.bone in gone:
        successor = heir[binding.bone]
        return Rigid(bone=successor) if successor is not None else Unbound()
    if isinstance(binding, Rider) and binding.carrier in gone:
        successor = heir[binding.carrier]
        return binding.model_copy(update={"carrier": successor}) if successor is not None else Unbound()
    if isinstance(binding, Weighted) and gone & set(binding.influences):
        return _reshare(binding, gone, heir, stores)
    return binding


def _reshare(binding: Weighted, gone: set[str], heir: dict[str, str | None], stores: Stores) -> Weighted | Unbound:
    """Weights of deleted bones go to the heir; rows with no heir at all are shared out evenly among the rest."""
    weights = stores.get_array(binding.weights)
    columns: dict[str, np.ndarray[Any, Any]] = {}
    for column, ref in enumerate(binding.influences):
        successor = heir[ref]
        if successor is not None:
            columns[successor] = columns.get(successor, np.zeros(len(weights), np.float64)) + weights[:, column]
    if not columns:
        return Unbound()
    table = np.stack(list(columns.values()), 1)
    total = table.sum(1, keepdims=True)
    table = np.where(total > 1e-6, table / np.maximum(total, 1e-12), 1.0 / table.shape[1])
    return binding.model_copy(
        update={
            "influences": tuple(columns),
            "weights": stores.put_array(table.astype(np.float32)),
            "zones": tuple(zone for zone in binding.zones if zone.bone not in gone),
            "locked": tuple(ref for ref in binding.locked if ref not in gone),
            "stacked": tuple(ref for ref in binding.stacked if ref not in gone),
        }
    )
