"""Facings brought to agree: joints where the other sides say they go round, bindings as they are on another side."""

from __future__ import annotations

import math
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from kunstgriff.artwork.edits import with_parts
from kunstgriff.binding.auto_binding import BindingOptions, auto_bind
from kunstgriff.binding.contained import bound
from kunstgriff.facing.around import expected
from kunstgriff.facing.edits import FacingNumber, OfTurnaround, need_facing, need_turnaround
from kunstgriff.figure.edit import Edit, EditRefused, PartKeys, need_bone, need_part
from kunstgriff.figure.model import Binding, Figure, Part, Rigid, Weighted
from kunstgriff.figure.references import carried
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.treatments import Treatment
from kunstgriff.figure.turning import carrying, turned_to
from kunstgriff.figure.warps import Warp
from kunstgriff.skeleton.bones import SHORTEST_BONE, with_descendants

STILL = 0.05  # px

Floats = NDArray[np.float64]


class LineUp(OfTurnaround):
    """Move what a facing shows to where the other facings say its joints are.

    That is level with theirs and, where they are seen from two directions, as far aside as a joint is that goes round.
    All of it at once, drawings and bones alike; only what hangs on some `bones`, each limb by itself; or `without_art`
    each joint by itself, while the drawings stay: those that came new to this facing are bound anew then, as they were.
    """

    heeds_locks: ClassVar[bool] = True
    kind: Literal["line_up"] = "line_up"
    facing: FacingNumber
    bones: Annotated[tuple[str, ...], Field(max_length=2_000)] = ()
    without_art: bool = False

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        turnaround, facing = need_turnaround(figure), need_facing(figure, self.facing)
        if facing.mirrors is not None:
            raise EditRefused(f"“{facing.name}” is a mirror picture; line up what it mirrors.")
        asked = [need_bone(figure, key).id for key in self.bones]
        there = turned_to(figure, facing.number)
        ends = np.array([(bone.joint, bone.tip) for bone in there.bones]).reshape(-1, 2, 2)
        told = expected(figure, facing.number)[0] - ends
        by = np.nan_to_num(told)
        if self.without_art:
            after = _bound_anew(_placed(there, ends + by, set(asked)), stores)
        elif asked:
            after = there
            for ref in asked:
                row = [bone.id for bone in there.bones].index(ref)
                after = _moved(after, {bone.id for bone in with_descendants(after, ref)}, by[row, 0])
        else:
            after = _moved(there, None, _middle(told[:, 0]))
        if after == there:
            raise EditRefused("It lies as the other facings say already.")
        return turned_to(after.replace(), turnaround.shown)

    def describe(self, figure: Figure) -> str:
        return f"line the facing {need_facing(figure, self.facing).name} up"


def _middle(by: Floats) -> Floats:
    """The median (2,) of what is told of how far each joint is off, by (bones, 2); nothing where nothing is."""
    return np.array([np.median(one[~np.isnan(one)]) if (~np.isnan(one)).any() else 0.0 for one in by.T])


def _placed(figure: Figure, ends: Floats, refs: set[str]) -> Figure:
    """The figure with joints and tips of bones, of all or of some, at `ends` (bones, 2, 2)."""
    bones = []
    for bone, (joint, tip) in zip(figure.bones, np.round(ends, 2).tolist(), strict=True):
        if (refs and bone.id not in refs) or math.dist(joint, tip) < SHORTEST_BONE:
            bones.append(bone)
        else:
            bones.append(bone.model_copy(update={"joint": tuple(joint), "tip": tuple(tip)}))
    return figure.model_copy(update={"bones": tuple(bones)})


def _bound_anew(figure: Figure, stores: Stores) -> Figure:
    """The figure with parts that were redrawn since they were bound bound to the same bones where these are now."""
    changed = {}
    for part in figure.parts:
        by_hand = isinstance(part.binding, Weighted) and part.binding.manual_mask is not None
        if part.shifted and part.is_shown and not by_hand and isinstance(part.binding, Rigid | Weighted):
            changed[part.id] = bound(part, _like(figure, part, part.binding, stores))
    return with_parts(figure, changed)


def _moved(figure: Figure, refs: set[str] | None, by: Floats) -> Figure:
    """The figure with some bones, and what follows nothing but these, moved; with all that is a facing's own without
    any."""
    if max(abs(by[0]), abs(by[1])) < STILL:
        return figure

    def move(at: tuple[float, float]) -> tuple[float, float]:
        return round(at[0] + float(by[0]), 2), round(at[1] + float(by[1]), 2)

    if refs is None:
        shared = {"turnaround": figure.turnaround, "reference": figure.reference, "shapes": figure.shapes}
        moved = carried(figure.model_copy(update={"turnaround": None, "reference": None}), move)
        return moved.model_copy(update=shared)
    bones = tuple(
        bone.model_copy(update={"joint": move(bone.joint), "tip": move(bone.tip)}) if bone.id in refs else bone
        for bone in figure.bones
    )
    there = {part.id: part for part in figure.parts}
    goes = {
        part.id
        for part in figure.parts
        if (set(part.followed) <= refs if part.followed else carrying(there, part) in refs)
    }
    lists: dict[str, Any] = {
        name: tuple(carried(one, move) if used(one) and used(one) <= goes else one for one in getattr(figure, name))
        for name, used in (("treatments", _treated), ("warps", _warped))
    }
    after = figure.model_copy(update={"bones": bones, **lists})
    return with_parts(after, {ref: carried(there[ref], move) for ref in goes})


def _treated(one: Treatment) -> frozenset[str]:
    return one.used_parts


def _warped(one: Warp) -> frozenset[str]:
    return frozenset(one.of)


class BindAsOn(Edit):
    """Bind parts on the facing that is shown as they are bound on another one."""

    kind: Literal["bind_as_on"] = "bind_as_on"
    parts: PartKeys
    facing: FacingNumber

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        facing = need_facing(figure, self.facing)
        there = turned_to(figure, facing.number)
        changed = {}
        for key in self.parts:
            part = need_part(figure, key)
            like = there.part(part.id)
            if like is None or not isinstance(like.binding, Rigid | Weighted):
                raise EditRefused(f"“{part.name}” follows no bone on “{facing.name}” either.")
            changed[part.id] = bound(part, _like(figure, part, like.binding, stores))
        return with_parts(figure, changed)

    def describe(self, figure: Figure) -> str:
        return f"bind {len(self.parts)} parts as on {need_facing(figure, self.facing).name}"


def _like(figure: Figure, part: Part, binding: Rigid | Weighted, stores: Stores) -> Binding:
    if isinstance(binding, Rigid):
        return binding
    options = BindingOptions(count=binding.mesh.vertex_count, way=binding.way, margin=binding.margin)
    bones = [need_bone(figure, ref) for ref in binding.influences]
    return auto_bind(figure, part, bones, options, stores)
