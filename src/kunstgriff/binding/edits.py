"""Edits of the Binding stage: what follows what, and in which way."""

from __future__ import annotations

from contextlib import suppress
from typing import Annotated, Literal

from pydantic import AliasChoices, Field

from kunstgriff.artwork.edits import with_group, with_parts
from kunstgriff.binding.auto_binding import DEFAULT_COUNT, BindingOptions, auto_bind
from kunstgriff.binding.contained import bound, nearest_binding, with_contained
from kunstgriff.binding.influences import default_influences
from kunstgriff.binding.mesh import COUNT_LIMIT
from kunstgriff.binding.outline import MARGIN
from kunstgriff.binding.tuning import tuned
from kunstgriff.figure.edit import Edit, EditRefused, PartKeys, need_bone, need_group, need_part, these
from kunstgriff.figure.model import (
    Binding,
    Bone,
    DeltaMush,
    Figure,
    Margin,
    Part,
    Point,
    Rider,
    Rigid,
    Unbound,
    Weighted,
    WeightWay,
)
from kunstgriff.figure.stores import Stores

UNSOLVABLE = (ValueError, ArithmeticError, RuntimeError, MemoryError)  # what a strange shape can make of the solvers


def _told(figure: Figure, keys: tuple[str, ...], how: str) -> str:
    return f"bind {these(figure, keys)} {how}"


def with_binding(figure: Figure, keys: tuple[str, ...], binding: Binding) -> Figure:
    """The figure with one binding for all the parts named."""
    parts = [need_part(figure, key) for key in keys]
    return with_parts(figure, {part.id: bound(part, binding) for part in parts})


class BindRigid(Edit):
    """Let whole parts follow one bone."""

    kind: Literal["bind_rigid"] = "bind_rigid"
    parts: PartKeys
    bone: str

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone = need_bone(figure, self.bone)
        if bone.connector:
            raise EditRefused(f"“{bone.name}” only links other bones; a part cannot follow it.")
        return with_binding(figure, self.parts, Rigid(bone=bone.id))

    def describe(self, figure: Figure) -> str:
        return _told(figure, self.parts, f"to {need_bone(figure, self.bone).name}")


class BindWeighted(Edit):
    """Give parts a mesh of about `count` vertices, or of edges of about `edge` px, weighted between bones.

    `influences` are the bones that may move the parts; left out, they are those that run through each part. `way` is
    how weights are found: biharmonic, or for comparison heat or distance; the mesh reaches `margin` px past the art.
    """

    kind: Literal["bind_weighted"] = "bind_weighted"
    parts: PartKeys
    influences: Annotated[tuple[str, ...], Field(min_length=1)] | None = None
    count: Annotated[int, Field(ge=12, le=COUNT_LIMIT)] = DEFAULT_COUNT
    edge: Annotated[float, Field(ge=1, le=1_000)] | None = None
    way: WeightWay = "biharmonic"
    margin: Margin = MARGIN

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        chosen = [need_bone(figure, key) for key in self.influences] if self.influences is not None else None
        changed = {}
        for key in self.parts:
            part = need_part(figure, key)
            bones = default_influences(figure, part, stores) if chosen is None else chosen
            options = BindingOptions(count=self.count, edge=self.edge, way=self.way, margin=self.margin)
            changed[part.id] = bound(part, auto_bind(figure, part, bones, options, stores))
        return with_parts(figure, changed)

    def describe(self, figure: Figure) -> str:
        return _told(figure, self.parts, "by weights")


class BindFigure(Edit):
    """Bind every part that follows nothing, in one go: rigid where one bone runs through it, weighted where several do.

    A part no bone runs through that lies within another follows what that one follows there; any other is left as it
    is. With `anew` parts bound already are bound again. Weighted parts are tuned unless `tune` says otherwise. A part
    that cannot be bound is left with the reason why, all others are bound.
    """

    kind: Literal["bind_figure"] = "bind_figure"
    anew: bool = False
    tune: bool = True
    count: Annotated[int, Field(ge=12, le=COUNT_LIMIT)] = DEFAULT_COUNT

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        if not figure.bones:
            raise EditRefused("There are no bones yet; draw a chain first.")
        asked = [part for part in figure.parts if self._asks(part)]
        changed = {}
        for part in asked:
            bones = [bone for bone in default_influences(figure, part, stores) if not bone.connector]
            if bones:
                changed[part.id] = bound(part, self._binding(figure, part, bones, stores))
        before, figure = figure, with_parts(figure, changed)
        for ref in changed if self.tune else ():
            with suppress(*UNSOLVABLE):  # it stays as it was bound
                figure = tuned(figure, ref, None, stores)
        figure = with_contained(figure, [part.id for part in asked if part.id not in changed], stores)
        if figure.parts == before.parts:
            raise EditRefused("No bone runs through any part that follows nothing yet.")
        return figure

    def _asks(self, part: Part) -> bool:
        return not part.left_out and (self.anew or isinstance(part.binding, Unbound))

    def _binding(self, figure: Figure, part: Part, bones: list[Bone], stores: Stores) -> Binding:
        if len(bones) == 1:
            return Rigid(bone=bones[0].id)
        try:
            return auto_bind(figure, part, bones, BindingOptions(count=self.count), stores)
        except EditRefused as error:
            return Unbound(why=str(error)[:300])
        except UNSOLVABLE:
            return Unbound(
                why=f"“{part.name}” could not be weighted between {len(bones)} bones; bind it to one of them."
            )

    def describe(self, figure: Figure) -> str:
        return "bind the whole figure"


class StackBones(Edit):
    """Say what of weighted parts lies in front where they lie over themselves.

    It is what follows these bones, the last over those before. Without bones a child lies over its parent.
    """

    kind: Literal["stack_bones"] = "stack_bones"
    parts: PartKeys
    bones: Annotated[tuple[str, ...], Field(max_length=200)] = ()

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        refs = tuple(dict.fromkeys(need_bone(figure, key).id for key in self.bones))
        changed = {}
        for key in self.parts:
            part = need_part(figure, key)
            if not isinstance(part.binding, Weighted):
                raise EditRefused(f"“{part.name}” follows one bone as a whole and cannot lie over itself.")
            strange = next((ref for ref in refs if ref not in part.binding.influences), None)
            if strange is not None:
                raise EditRefused(f"“{need_bone(figure, strange).name}” does not move “{part.name}”.")
            changed[part.id] = part.model_copy(update={"binding": part.binding.model_copy(update={"stacked": refs})})
        return with_parts(figure, changed)

    def describe(self, figure: Figure) -> str:
        return f"order {these(figure, self.parts)} within itself"


class BindNearest(Edit):
    """Let parts that no bone runs through follow what lies next to them: the part they lie on, or the nearest bone."""

    kind: Literal["bind_nearest"] = "bind_nearest"
    parts: PartKeys

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        if not any(not bone.connector for bone in figure.bones):
            raise EditRefused("There are no bones yet; draw a chain first.")
        changed = {}
        for key in self.parts:
            part = need_part(figure, key)
            changed[part.id] = bound(part, nearest_binding(figure, part, stores))
        return with_parts(figure, changed)

    def describe(self, figure: Figure) -> str:
        return _told(figure, self.parts, "to what lies next to it")


class BindRider(Edit):
    """Let parts ride on a spot (figure space, at rest) of another part or bone.

    `carrier` is a part or a bone; on a bone the `spot` left out is its tip. With `turning` they turn as the art (or the
    bone) there turns, about the spot or about a `pivot` of their own.
    """

    kind: Literal["bind_rider"] = "bind_rider"
    parts: PartKeys
    carrier: str
    spot: Point | None = None
    turning: bool = True
    pivot: Point | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        by_part = any(self.carrier in (part.id, part.name) for part in figure.parts)
        by_bone = any(self.carrier in (bone.id, bone.name) for bone in figure.bones)
        if by_part and not (by_bone and self.spot is None):
            carrier = need_part(figure, self.carrier)
            if self.spot is None:
                raise EditRefused("Say on which spot of the part it rides.")
            ref, spot = carrier.id, self.spot
        else:
            bone = need_bone(figure, self.carrier)
            ref, spot = bone.id, self.spot if self.spot is not None else bone.tip
        changed = {}
        for key in self.parts:
            part = need_part(figure, key)
            _need_no_circle(figure, part, ref)
            changed[part.id] = bound(part, Rider(carrier=ref, spot=spot, turning=self.turning, pivot=self.pivot))
        return with_parts(figure, changed)

    def describe(self, figure: Figure) -> str:
        return _told(figure, self.parts, f"to ride on {_name(figure, self.carrier)}")


def _need_no_circle(figure: Figure, part: Part, carrier: str) -> None:
    """Raises EditRefused where a part rides on one that, through others or at once, rides on it."""
    route = [part.name]
    ref: str | None = carrier
    while ref is not None:
        one = figure.part(ref)
        if one is None:
            return
        route.append(one.name)
        if one.id == part.id:
            raise EditRefused("Nothing can ride on itself: " + " on ".join(f"“{name}”" for name in route) + ".")
        ref = one.binding.carrier if isinstance(one.binding, Rider) else None


def _name(figure: Figure, key: str) -> str:
    things: list[Part | Bone] = [*figure.parts, *figure.bones]
    return next((thing.name for thing in things if key in (thing.id, thing.name)), key)


class SetRider(Edit):
    """Change how riders ride: whether they turn, and about which `pivot` (figure space, at rest; none: the spot)."""

    kind: Literal["set_rider"] = "set_rider"
    parts: PartKeys
    turning: bool = True
    pivot: Point | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        changed = {}
        for key in self.parts:
            part = need_part(figure, key)
            if not isinstance(part.binding, Rider):
                raise EditRefused(f"“{part.name}” does not ride on anything.")
            binding = part.binding.model_copy(update={"turning": self.turning, "pivot": self.pivot})
            changed[part.id] = part.model_copy(update={"binding": binding})
        return with_parts(figure, changed)

    def describe(self, figure: Figure) -> str:
        return f"change how {these(figure, self.parts)} rides"


class Unbind(Edit):
    """Let parts follow nothing of their own; with `stays` not even the group around them that moves."""

    kind: Literal["unbind"] = "unbind"
    parts: PartKeys
    stays: bool = False

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return with_binding(figure, self.parts, Unbound(stays=self.stays))

    def describe(self, figure: Figure) -> str:
        return _told(figure, self.parts, "to nothing")


class FollowAgain(Edit):
    """Take up a binding of another kind that parts had before; the present one goes on the shelf."""

    kind: Literal["follow_again"] = "follow_again"
    parts: PartKeys
    binding: Annotated[Literal["rigid", "weighted", "rider"], Field(validation_alias=AliasChoices("binding", "way"))]

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        changed = {}
        for key in self.parts:
            part = need_part(figure, key)
            kept = next((one for one in part.shelved if one.kind == self.binding), None)
            if kept is None:
                raise EditRefused(f"“{part.name}” was never bound that way.")
            if isinstance(kept, Rider):
                _need_no_circle(figure, part, kept.carrier)
            changed[part.id] = bound(part, kept)
        return with_parts(figure, changed)

    def describe(self, figure: Figure) -> str:
        return _told(figure, self.parts, "as before")


class GroupFollows(Edit):
    """Let a group follow a bone (or none): all its parts that are bound to nothing else go along."""

    kind: Literal["group_follows"] = "group_follows"
    group: str
    bone: str | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        group = need_group(figure, self.group)
        bone = need_bone(figure, self.bone).id if self.bone is not None else None
        return with_group(figure, group.model_copy(update={"bone": bone}))

    def describe(self, figure: Figure) -> str:
        return f"let group {need_group(figure, self.group).name} follow"


class SetDeltaMush(Edit):
    """Smooth weighted parts after blending and restore their detail (delta mush), or with `rounds` 0 no more."""

    kind: Literal["set_delta_mush"] = "set_delta_mush"
    parts: PartKeys
    rounds: Annotated[int, Field(ge=0, le=50)] = 10
    amount: Annotated[float, Field(ge=0, le=1)] = 1.0

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        asked = (DeltaMush(rounds=self.rounds, amount=self.amount),) if self.rounds else ()
        changed = {}
        for key in self.parts:
            part = need_part(figure, key)
            if not isinstance(part.binding, Weighted):
                raise EditRefused(f"“{part.name}” has no weights to smooth; bind it by weights first.")
            others = tuple(one for one in part.deformers if not isinstance(one, DeltaMush))
            changed[part.id] = part.model_copy(update={"deformers": (*others, *asked)})
        return with_parts(figure, changed)

    def describe(self, figure: Figure) -> str:
        return f"smooth {these(figure, self.parts)}"
