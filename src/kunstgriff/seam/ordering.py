"""Draw order: parts moved to the front, to the back, past one another; and order that changes with the pose."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from kunstgriff.binding.geometries import ranks_of, stacked
from kunstgriff.evaluate.program import Build, Drawn
from kunstgriff.evaluate.switching import Rule
from kunstgriff.figure.edit import BoneKeys, Edit, EditRefused, PartKeys, need_bone, need_part, these
from kunstgriff.figure.model import Figure, Weighted
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.treatments import Cover, Order, Stacking, Switch, Trim
from kunstgriff.seam.clip import switch_of
from kunstgriff.seam.cover_edits import LayCover
from kunstgriff.seam.recipes import new_id, with_treatment
from kunstgriff.seam.trim import LayTrim

STEP_OVER = 1e-4  # of a place in the draw order between the two orders of one part


def ordered(build: Build, figure: Figure, stores: Stores, entries: list[Drawn]) -> list[Drawn]:
    """Nothing is changed at rest; the rig learns which parts pass which others in which poses."""
    for order in figure.treated("order"):
        build.rules.append(Rule(order.part, order.in_front_of, build.switched(order.switch)[0]))
    return entries


def stacked_by_pose(build: Build, figure: Figure, stores: Stores, entries: list[Drawn]) -> list[Drawn]:
    """A part stacked by pose comes twice, its triangles in one order and in the other; one of the two is on."""
    for stacking in figure.treated("stacking"):
        found = []
        for depth, item, faces in entries:
            found.append((depth, item, faces))
            if item.part == stacking.part and item.variant == "full":
                ranks = ranks_of(figure, stacking.bones)
                other = stacked(faces, build.nets.bones, build.nets.weights, ranks).astype(np.int32)
                until, on = build.switched(stacking.switch, until=True), build.switched(stacking.switch)
                found[-1] = (depth, replace(item, switches=(*item.switches, *until)), faces)
                turned = replace(item, id=f"{item.id}{stacking.id}", switches=(*item.switches, *on))
                found.append((depth + STEP_OVER, turned, other))
        entries = found
    return entries


class StackByPose(Edit):
    """Where a weighted part lies over itself, let what follows some bones lie in front while one is turned so far."""

    kind: Literal["stack_by_pose"] = "stack_by_pose"
    part: str
    bones: BoneKeys
    switch: Switch

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        part = need_part(figure, self.part)
        if not isinstance(part.binding, Weighted):
            raise EditRefused(f"“{part.name}” follows one bone as a whole and cannot lie over itself.")
        bones = tuple(need_bone(figure, key) for key in self.bones)
        strange = next((one for one in bones if one.id not in part.binding.influences), None)
        if strange is not None:
            raise EditRefused(f"“{strange.name}” does not move “{part.name}”.")
        switch = switch_of(figure, self.switch)
        assert switch is not None
        one = Stacking(id=new_id(figure), part=part.id, bones=tuple(bone.id for bone in bones), switch=switch)
        return with_treatment(
            figure, one, stores,
            lambda other: isinstance(other, Stacking) and (other.part, other.switch) == (part.id, switch),
        )  # fmt: skip

    def describe(self, figure: Figure) -> str:
        return f"order {need_part(figure, self.part).name} within itself by pose"


class ReorderParts(Edit):
    """Move parts in the draw order.

    They go to the `front` or `back`, one step `forward` or `backward`, or `just_in_front_of` or `just_behind` another
    part. Several keep their order among themselves.
    """

    kind: Literal["reorder_parts"] = "reorder_parts"
    parts: PartKeys
    to: Literal["front", "back", "forward", "backward", "just_in_front_of", "just_behind"]
    other: str | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        chosen = {need_part(figure, key).id for key in self.parts}
        moved = [part for part in figure.parts if part.id in chosen]
        left = [part for part in figure.parts if part.id not in chosen]
        first = figure.parts.index(moved[0])
        below = sum(part.id not in chosen for part in figure.parts[:first])
        if self.to in ("just_in_front_of", "just_behind"):
            other = need_part(figure, self.other or "") if self.other else None
            if other is None or other.id in chosen:
                raise EditRefused("Say which other part they go in front of or behind.")
            place = left.index(other) + (self.to == "just_in_front_of")
        else:
            place = {"front": len(left), "back": 0, "forward": below + 1, "backward": below - 1}[self.to]
        place = min(max(place, 0), len(left))
        after = (*left[:place], *moved, *left[place:])
        if after == figure.parts:
            raise EditRefused(f"{these(figure, self.parts)} lies there already.")
        return figure.replace(parts=after)

    def describe(self, figure: Figure) -> str:
        return f"draw order of {these(figure, self.parts)}"


class OrderByPose(Edit):
    """Draw a part just in front of another while a bone is turned so far; as drawn at rest otherwise."""

    kind: Literal["order_by_pose"] = "order_by_pose"
    part: str
    in_front_of: str
    switch: Switch

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        part, other = need_part(figure, self.part), need_part(figure, self.in_front_of)
        if part.id == other.id:
            raise EditRefused("A part cannot lie in front of itself.")
        switch = switch_of(figure, self.switch)
        assert switch is not None
        order = Order(id=new_id(figure), part=part.id, in_front_of=other.id, switch=switch)
        figure = with_treatment(
            figure, order, stores,
            lambda one: isinstance(one, Order) and (one.part, one.in_front_of) == (part.id, other.id),
        )  # fmt: skip
        return _hidden_both_ways(figure, {part.id, other.id}, stores)

    def describe(self, figure: Figure) -> str:
        return f"{need_part(figure, self.part).name} in front of {need_part(figure, self.in_front_of).name} by pose"


def _hidden_both_ways(figure: Figure, pair: set[str], stores: Stores) -> Figure:
    """The figure with what hides the line between two parts laid the other way round as well, where it is not."""
    laid = [one for one in figure.treatments if isinstance(one, Cover | Trim) and one.bone is not None]
    ways = {(one.kind, one.bone, *_behind_and_before(one)) for one in laid}
    for item in laid:
        behind, before = _behind_and_before(item)
        if {behind, before} != pair or (item.kind, item.bone, before, behind) in ways:
            continue
        if isinstance(item, Cover):
            cover = LayCover(bone=item.bone, source=before, over=behind, half_line=item.half_line, blend=item.blend)
            figure = cover.apply(figure, stores)
        else:
            figure = LayTrim(bone=item.bone or "", part=behind, by=before, whole=item.whole).apply(figure, stores)
    return figure


def _behind_and_before(one: Cover | Trim) -> tuple[str, str]:
    return (one.source, one.over) if isinstance(one, Cover) else (one.by, one.part)
