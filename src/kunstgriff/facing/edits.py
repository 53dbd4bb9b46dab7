"""Facings as they are made, drawn, mirrored and lifted, and every other edit as it is made on one of them."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field

from kunstgriff.figure.edit import Edit, EditRefused, PartKeys, apply_edit, free_name, need_part, parse_edit
from kunstgriff.figure.facings import MOST_FACINGS, Facing, Turnaround
from kunstgriff.figure.mirroring import mirrored_pose
from kunstgriff.figure.model import Figure, Name, Part
from kunstgriff.figure.pose import parse_pose
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.turning import apart, turned_to

Angle = Annotated[float, Field(allow_inf_nan=False, ge=-180, le=180)]
FacingNumber = Annotated[int, Field(ge=1, le=99)]
FRONT = "front"
TOLD_AS_SEEN = ("keep_pose", "set_keys")  # edits whose pose is for all facings alike
AXIS = 0.5  # degrees from front or back within which a facing is its own mirror


def need_turnaround(figure: Figure) -> Turnaround:
    """The turnaround of a figure, else EditRefused."""
    if figure.turnaround is None:
        raise EditRefused("This figure is seen from one side only; add a facing first.")
    return figure.turnaround


def need_facing(figure: Figure, number: int) -> Facing:
    """The facing of that number, else EditRefused."""
    turnaround = need_turnaround(figure)
    found = turnaround.facing(number)
    if found is None:
        there = ", ".join(f"{one.number} ({one.name})" for one in turnaround.facings)
        raise EditRefused(f"There is no facing {number}; there are {there}.")
    return found


class OfTurnaround(Edit):
    """Base of edits of all facings together, which are the same on whichever is shown."""

    heeds_locks: ClassVar[bool] = False


class AddFacing(OfTurnaround):
    """Add a side to see the figure from.

    It is turned by `angle` degrees from the front; with `mirrors`, the number of another, it is that in a mirror. It
    has all drawings and places on loan from the nearest side until it gets its own. With the first one added the figure
    as it is becomes a facing too, called front.
    """

    kind: Literal["add_facing"] = "add_facing"
    name: Name
    angle: Angle
    mirrors: FacingNumber | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        turnaround = figure.turnaround
        if turnaround is None:
            if self.mirrors is not None:
                raise EditRefused("There is no facing to mirror yet.")
            front = Facing(number=1, name=FRONT)
            turnaround = Turnaround(id=f"v{figure.next_id}", first=1, shown=1, facings=(front,))
            figure = figure.model_copy(update={"next_id": figure.next_id + 1})
        _need_room(turnaround, self.name, self.angle)
        number = 1 + max(one.number for one in turnaround.facings)
        if number > 99:
            raise EditRefused("The numbers of facings have run out.")
        if self.mirrors is not None:
            figure_now = figure.model_copy(update={"turnaround": turnaround})
            _need_mirrorable(need_facing(figure_now, self.mirrors))
        added = Facing(number=number, name=self.name, angle=self.angle, mirrors=self.mirrors)
        return _with_facings(figure, turnaround, (*turnaround.facings, added))

    def describe(self, figure: Figure) -> str:
        return f"add the facing {self.name}"


class MirrorFacings(OfTurnaround):
    """Add the mirror picture of each facing but the front and the back, where there is none: five become eight.

    Sides change places in names, order and bends."""

    kind: Literal["mirror_facings"] = "mirror_facings"

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        turnaround = need_turnaround(figure)
        facings = list(turnaround.facings)
        for one in turnaround.facings:
            lopsided = AXIS < apart(one.angle, 0.0) < 180 - AXIS
            if one.mirrors is not None or not lopsided or any(apart(each.angle, -one.angle) < 1 for each in facings):
                continue
            _need_count(len(facings))
            name = free_name(f"{one.name[:70]}, {_way(-one.angle)}", {each.name for each in facings})
            number = 1 + max(each.number for each in facings)
            facings.append(Facing(number=number, name=name, angle=-one.angle, mirrors=one.number))
        if len(facings) == len(turnaround.facings):
            raise EditRefused("Every facing that can be mirrored is mirrored.")
        return _with_facings(figure, turnaround, tuple(facings))

    def describe(self, figure: Figure) -> str:
        return "mirror the facings"


class SetFacing(OfTurnaround):
    """Change a facing's name or its angle."""

    kind: Literal["set_facing"] = "set_facing"
    facing: FacingNumber
    name: Name | None = None
    angle: Angle | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        turnaround, one = need_turnaround(figure), need_facing(figure, self.facing)
        said = {key: value for key in ("name", "angle") if (value := getattr(self, key)) is not None}
        after = one.model_copy(update=said)
        others = tuple(each for each in turnaround.facings if each.number != one.number)
        _need_room(turnaround.model_copy(update={"facings": others}), after.name, after.angle)
        facings = tuple(after if each.number == one.number else each for each in turnaround.facings)
        mirrored = tuple(
            each.model_copy(update={"angle": -after.angle}) if each.mirrors == one.number else each for each in facings
        )
        return _with_facings(figure, turnaround, mirrored)

    def describe(self, figure: Figure) -> str:
        return f"the facing {need_facing(figure, self.facing).name}"


class LiftFacing(OfTurnaround):
    """Take a facing away with all drawings that are its own, and those that mirror it.

    The first one stays; where it alone is left, the figure is seen from one side only again."""

    kind: Literal["lift_facing"] = "lift_facing"
    facing: FacingNumber

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        turnaround, one = need_turnaround(figure), need_facing(figure, self.facing)
        if one.number == turnaround.first:
            raise EditRefused(f"“{one.name}” is the first facing, which all others lend from; it stays.")
        figure = turned_to(figure, turnaround.first)
        turnaround = need_turnaround(figure)
        left = tuple(each for each in turnaround.facings if one.number not in (each.number, each.mirrors))
        if len(left) > 1:
            return _with_facings(figure, turnaround, left)
        return figure.model_copy(update={"turnaround": None}).without([turnaround.id])

    def describe(self, figure: Figure) -> str:
        return f"take the facing {need_facing(figure, self.facing).name} away"


class LendParts(Edit):
    """Give up what parts have of their own on the facing shown; they are as the nearest side lends them."""

    kind: Literal["lend_parts"] = "lend_parts"
    parts: PartKeys

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        turnaround = need_turnaround(figure)
        facing = need_facing(figure, turnaround.shown)
        refs = {need_part(figure, key).id for key in self.parts}
        others = {part.id for one in turnaround.facings if one.number != facing.number for part in one.parts}
        if alone := refs - others:
            raise EditRefused(f"No other facing has a drawing of “{need_part(figure, min(alone)).name}” to lend.")
        beside = next(one for one in turnaround.facings if one.mirrors is None and one.number != facing.number)
        away = turned_to(figure, beside.number)  # laid by, what is this side's own can be given up
        laid_by = need_turnaround(away)
        facings = tuple(
            one.model_copy(update={"parts": tuple(part for part in one.parts if part.id not in refs)})
            if one.number == facing.number
            else one
            for one in laid_by.facings
        )
        return turned_to(_with_facings(away, laid_by, facings), facing.number)

    def describe(self, figure: Figure) -> str:
        return f"give {len(self.parts)} drawings up"


class TakeNamedFacings(OfTurnaround):
    """Make facings of the parts that say in their name that they are another side of one.

    Of “head side, facing of head” what the name says more is the facing's name; it becomes the head's drawing there."""

    kind: Literal["take_named_facings"] = "take_named_facings"
    angles: Annotated[dict[Name, Angle], Field(max_length=MOST_FACINGS)] = {}

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        drawn = list(named_facings(figure))
        if not drawn:
            raise EditRefused("No part says in its name that it is another facing of one.")
        first = figure.turnaround.shown if figure.turnaround is not None else 1
        for word in dict.fromkeys(word for word, _, _ in drawn):
            if figure.turnaround is None or all(one.name != word for one in figure.turnaround.facings):
                angle = self.angles.get(word, ANGLES.get(word.casefold()))
                if angle is None:
                    raise EditRefused(f"Say by how many degrees the figure is turned in the facing “{word}”.")
                figure = AddFacing(name=word, angle=angle).apply(figure, stores)
            assert figure.turnaround is not None
            number = next(one.number for one in figure.turnaround.facings if one.name == word)
            figure = turned_to(figure, number)
            for each, of, part in drawn:
                if each == word:
                    figure = _with_drawing(figure, of, part)
        return turned_to(figure, first).without([part.id for _, _, part in drawn])

    def describe(self, figure: Figure) -> str:
        return "facings from the names of parts"


# how far figures are turned in facings by their usual names; common practice, no source
ANGLES = {
    "front": 0.0, "half front": 45.0, "three quarter": 45.0, "side": 90.0, "half back": 135.0, "back": 180.0,
}  # fmt: skip


def named_facings(figure: Figure) -> Iterable[tuple[str, str, Part]]:
    """The parts that are drawings of others on another facing: the facing's name, whose they are, and the part."""
    for part in figure.parts:
        of = figure.part(part.facing_of) if part.facing_of is not None else None
        if of is not None:
            word = " ".join(one for one in part.name.split() if one not in of.name.split())
            yield word or part.name, of.id, part


def _with_drawing(figure: Figure, ref: str, drawn: Part) -> Figure:
    """The figure with a part drawn as another is."""

    def redrawn(part: Part) -> Part:
        drawing = drawn.drawing.model_copy(update={"pivot": part.drawing.pivot, "strip": part.drawing.strip})
        return part.model_copy(update={"drawing": drawing, "visible": True})

    parts = tuple(redrawn(part) if part.id == ref else part for part in figure.parts)
    return figure.model_copy(update={"parts": parts})


class InFacing(Edit):
    """Make another edit on the figure as it is seen from one side, by the facing's number.

    What differs from side to side is changed on that one; all else on all. On a side that mirrors another the drawing
    that it mirrors is changed.
    """

    heeds_locks: ClassVar[bool] = False
    kind: Literal["in_facing"] = "in_facing"
    facing: FacingNumber
    edit: dict[str, Any]

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        turnaround = need_turnaround(figure)
        need_facing(figure, self.facing)
        inner = self._inner()
        if isinstance(inner, OfTurnaround):
            return apply_edit(inner, figure, stores)
        seen = turned_to(figure, self.facing)
        if turnaround.is_mirrored(self.facing) and self.edit.get("kind") in TOLD_AS_SEEN:
            pose = mirrored_pose(seen, parse_pose(self.edit.get("pose")))
            inner = parse_edit({**self.edit, "pose": pose.model_dump(mode="json")})
        return turned_to(apply_edit(inner, seen, stores), turnaround.shown)

    def _inner(self) -> Edit:
        inner = parse_edit(self.edit)
        if isinstance(inner, InFacing):
            raise EditRefused("An edit is made on one facing at a time.")
        return inner

    def describe(self, figure: Figure) -> str:
        inner = self._inner()
        if isinstance(inner, OfTurnaround):
            return inner.describe(figure)
        return f"{inner.describe(turned_to(figure, self.facing))}, {need_facing(figure, self.facing).name}"


def _way(angle: float) -> str:
    return "left" if angle < 0 else "right"


def _need_count(count: int) -> None:
    if count >= MOST_FACINGS:
        raise EditRefused(f"A figure has {MOST_FACINGS} facings at most.")


def _need_room(turnaround: Turnaround, name: str, angle: float) -> None:
    """Raise EditRefused for one facing more of a name or an angle that another has."""
    _need_count(len(turnaround.facings))
    for one in turnaround.facings:
        if one.name == name:
            raise EditRefused(f"A facing is called “{name}” already.")
        if apart(one.angle, angle) < 1:
            raise EditRefused(f"“{one.name}” is turned by {one.angle:g}° already.")


def _need_mirrorable(facing: Facing) -> None:
    if facing.mirrors is not None:
        raise EditRefused(f"“{facing.name}” is a mirror picture itself.")


def _with_facings(figure: Figure, turnaround: Turnaround, facings: tuple[Facing, ...]) -> Figure:
    return figure.replace(
        turnaround=Turnaround(
            id=turnaround.id, name=turnaround.name, first=turnaround.first, shown=turnaround.shown, facings=facings
        )
    )
