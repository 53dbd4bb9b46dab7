"""Sets: the drawings that can be swapped for one another, of which one shows at a time.

A set is a group with a list of drawings, each a part, or a group where a drawing is made of several parts (lips, teeth
and tongue of one mouth). Which one shows is a channel of the group; the first of the list shows at rest.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Annotated, Literal

from pydantic import Field

from kunstgriff.artwork.edits import with_group, with_parts
from kunstgriff.figure.edit import Edit, EditRefused, free_name, group_path, need_bone, need_group
from kunstgriff.figure.findings import Finding, Remedy, meant
from kunstgriff.figure.model import Apart, Figure, Group, Name, Part, SetDrawing
from kunstgriff.figure.sets import parts_of_drawing, set_of
from kunstgriff.figure.sides import Sides, without_side
from kunstgriff.figure.stores import Stores

Since = Annotated[float, Field(allow_inf_nan=False, ge=0, le=360)]
DrawingKeys = Annotated[tuple[str, ...], Field(min_length=1, max_length=200)]  # parts or groups by id or name


def need_drawing(figure: Figure, key: str) -> Part | Group:
    """The part or group with this id or name, else EditRefused."""
    things: list[Part | Group] = [*figure.parts, *figure.groups]
    found = next((one for one in things if one.id == key), None)
    found = found or next((one for one in things if one.name == key), None)
    if found is None:
        raise EditRefused(f"There is no part or group “{key}”.")
    return found


def need_set(figure: Figure, key: str) -> Group:
    """The set with this id or name, else EditRefused."""
    group = need_group(figure, key)
    if not group.drawings:
        raise EditRefused(f"“{group.name}” is no set.")
    return group


def need_set_of(figure: Figure, one: Part | Group) -> Group:
    """The set that a part or group is a drawing of, else EditRefused."""
    group = set_of(figure, one.id)
    if group is None:
        raise EditRefused(f"“{one.name}” is in no set.")
    return group


def need_free(figure: Figure, one: Part | Group) -> None:
    """Raise EditRefused for a part or group that is a drawing of a set already."""
    known = set_of(figure, one.id)
    if known is not None:
        raise EditRefused(f"“{one.name}” is a drawing of the set “{known.name}” already.")


class MakeSet(Edit):
    """Make parts, or groups, the drawings of one set, of which one shows at a time: the first one at rest.

    They are put into a group of that name, unless they are all there is in a group of their own. What shows with a
    drawing is shown; hidden alternates are hidden no more, since the set says when they show.
    """

    kind: Literal["make_set"] = "make_set"
    drawings: DrawingKeys
    name: Name | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        found = list({one.id: one for one in (need_drawing(figure, key) for key in self.drawings)}.values())
        if len(found) < 2:
            raise EditRefused("A set has two drawings at least.")
        for item in found:
            need_free(figure, item)
            if any(other.id in group_path(figure, _around(item)) for other in found):
                raise EditRefused(f"“{item.name}” lies in another of the drawings.")
        figure, group = self._grouped(figure, found)
        drawings = tuple(SetDrawing(number=number + 1, of=one.id) for number, one in enumerate(found))
        return _as_drawings(with_group(figure, group.model_copy(update={"drawings": drawings})), drawings)

    def _grouped(self, figure: Figure, found: Sequence[Part | Group]) -> tuple[Figure, Group]:
        """The figure with the drawings in one group of their own, and that group."""
        group = _own_group(figure, found)
        if group is not None:
            return figure, group.model_copy(update={"name": self.name or group.name})
        name = free_name(self.name or common_name([one.name for one in found]), {one.name for one in figure.groups})
        group = Group(id=f"g{figure.next_id}", name=name[:80], parent=_around(found[0]))
        refs = {one.id for one in found}
        figure = figure.model_copy(update={"groups": (*figure.groups, group), "next_id": figure.next_id + 1})
        return _moved_into(figure, group.id, refs).replace(), group

    def describe(self, figure: Figure) -> str:
        return f"a set of {len(self.drawings)} drawings"


class AddToSet(Edit):
    """Make a part, or a group, one more drawing of a set; the last one, unless it is to be the first."""

    kind: Literal["add_to_set"] = "add_to_set"
    set: str
    drawing: str
    first: bool = False

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        group, one = need_set(figure, self.set), need_drawing(figure, self.drawing)
        need_free(figure, one)
        if one.id in group_path(figure, group.id):
            raise EditRefused(f"The set “{group.name}” lies in “{one.name}” itself.")
        added = SetDrawing(number=1 + max(drawing.number for drawing in group.drawings), of=one.id)
        drawings = (added, *group.drawings) if self.first else (*group.drawings, added)
        figure = with_group(figure, group.model_copy(update={"drawings": drawings}))
        return _as_drawings(_moved_into(figure, group.id, {one.id}).replace(), drawings)

    def describe(self, figure: Figure) -> str:
        return f"{need_drawing(figure, self.drawing).name} into {need_group(figure, self.set).name}"


class TakeFromSet(Edit):
    """Let a drawing be one of its set no more; where one alone is left, it is no set any more."""

    kind: Literal["take_from_set"] = "take_from_set"
    drawing: str

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one = need_drawing(figure, self.drawing)
        group = need_set_of(figure, one)
        left = tuple(drawing for drawing in group.drawings if drawing.of != one.id)
        left = left if len(left) > 1 else ()
        figure = with_group(figure, group.model_copy(update={"drawings": left}))
        gone = {part.id for part in parts_of_drawing(figure, one.id)}
        parts = {
            part.id: part.model_copy(update={"alternate_of": None})
            for part in figure.parts
            if part.id in gone or (part.alternate_of in gone)
        }
        return _as_drawings(with_parts(figure, parts), left)

    def describe(self, figure: Figure) -> str:
        return f"take {need_drawing(figure, self.drawing).name} out of its set"


class DissolveSet(Edit):
    """Let a set be a plain group again; its first drawing shows, the others are hidden."""

    kind: Literal["dissolve_set"] = "dissolve_set"
    set: str

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        group = need_set(figure, self.set)
        hidden = {part.id for one in group.drawings[1:] for part in parts_of_drawing(figure, one.of)}
        parts = {part.id: part.model_copy(update={"visible": False}) for part in figure.parts if part.id in hidden}
        return with_parts(with_group(figure, group.model_copy(update={"drawings": (), "taken_by": None})), parts)

    def describe(self, figure: Figure) -> str:
        return f"{need_group(figure, self.set).name} no set any more"


class OrderSet(Edit):
    """Move a drawing within its set to `position`, counted from 0, which shows at rest. Numbers stay as they are."""

    kind: Literal["order_set"] = "order_set"
    drawing: str
    position: Annotated[int, Field(ge=0)]

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one = need_drawing(figure, self.drawing)
        group = need_set_of(figure, one)
        others = [drawing for drawing in group.drawings if drawing.of != one.id]
        others.insert(min(self.position, len(others)), next(each for each in group.drawings if each.of == one.id))
        drawings = tuple(others)
        if drawings == group.drawings:
            raise EditRefused(f"“{one.name}” is there already.")
        return _as_drawings(with_group(figure, group.model_copy(update={"drawings": drawings})), drawings)

    def describe(self, figure: Figure) -> str:
        return f"order of {need_drawing(figure, self.drawing).name} in its set"


class TakeDrawings(Edit):
    """Let a set show its drawings by how far two bones are apart: each `since` so many degrees, its first at less.

    A drawing that is not named is shown by the set's channel only, and so are all of them without `bones`. One that has
    come goes again only `dead` degrees before where it came.
    """

    kind: Literal["take_drawings"] = "take_drawings"
    set: str
    bones: tuple[str, str] | None = None
    since: Annotated[dict[str, Since], Field(max_length=200)] = {}
    dead: Annotated[float, Field(allow_inf_nan=False, ge=0, le=90)] = 2.0

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        group = need_set(figure, self.set)
        apart = None
        if self.bones is not None:
            one, other = (need_bone(figure, key).id for key in self.bones)
            if one == other:
                raise EditRefused("A bone is never apart from itself; say which two.")
            if not self.since:
                raise EditRefused("Say since how many degrees at least one of the drawings shows.")
            apart = Apart(one=one, other=other, dead=self.dead)
        due = {need_drawing(figure, key).id: degrees for key, degrees in self.since.items()}
        if strange := due.keys() - {one.of for one in group.drawings}:
            raise EditRefused(f"“{need_drawing(figure, min(strange)).name}” is no drawing of “{group.name}”.")
        drawings = tuple(one.model_copy(update={"since": apart and due.get(one.of)}) for one in group.drawings)
        return with_group(figure, group.model_copy(update={"drawings": drawings, "taken_by": apart}))

    def describe(self, figure: Figure) -> str:
        return f"what {need_group(figure, self.set).name} shows by itself"


def set_from_kin(figure: Figure, stores: Stores) -> Figure:
    """The figure with each part that others are alternates of, by what was written into the layers' names, in a set
    with them."""
    for part in figure.parts:
        alike = [one.id for one in figure.parts if one.alternate_of == part.id and set_of(figure, one.id) is None]
        if not alike:
            continue
        known = set_of(figure, part.id)
        if known is None:
            drawings = (part.id, *alike)
            theirs = _own_group(figure, [need_drawing(figure, ref) for ref in drawings])
            figure = MakeSet(drawings=drawings, name=theirs.name if theirs else part.name).apply(figure, stores)
        else:
            for ref in alike:
                figure = AddToSet(set=known.id, drawing=ref).apply(figure, stores)
    return figure


def hidden_alternates(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Hidden parts that are called as one that shows, with other words behind: drawings to swap, perhaps."""
    elsewhere = {part.id for part in figure.drawn_parts if part.visible}  # hidden here, but seen from another side
    free = [
        part
        for part in figure.parts
        if not part.left_out and set_of(figure, part.id) is None and (part.visible or part.id not in elsewhere)
    ]
    for part in free:
        if not part.visible:
            continue
        alike = [one for one in free if not one.visible and _called_alike(part, one, figure.sides)]
        if not alike:
            continue
        key = "set:" + ":".join(one.id for one in (part, *alike))
        names = ", ".join(f"“{one.name}”" for one in alike)
        yield Finding(
            key=key,
            stage="binding",
            sentence=f"{names} {'is' if len(alike) == 1 else 'are'} hidden and called like “{part.name}”, which shows.",
            weight=0.2,
            parts=(part.id, *(one.id for one in alike)),
            remedies=(
                Remedy(word="Make a set of them", edit={
                    "kind": "make_set", "drawings": [part.id, *(one.id for one in alike)],
                }),
                meant(key),
            ),
        )  # fmt: skip


def common_name(names: Sequence[str]) -> str:
    """What names begin with in common, word by word, else the first.

    >>> common_name(["mouth smile", "mouth open"]), common_name(["fist", "palm"])
    ('mouth', 'fist')
    """
    return " ".join(common_words(names)) or names[0]


def common_words(names: Sequence[str]) -> list[str]:
    """The words that names begin with in common; none of no names."""
    words = [name.split() for name in names]
    count = 0
    while words and all(len(one) > count and one[count] == words[0][count] for one in words):
        count += 1
    return words[0][:count] if words else []


def _called_alike(shown: Part, hidden: Part, sides: Sides) -> bool:
    """Whether the hidden one of two parts of one group has the other's name, or its first words, with others behind;
    that both are on one side tells nothing."""
    if shown.group != hidden.group:
        return False
    one, other = shown.name.split(), hidden.name.split()
    stem = one if other[: len(one)] == one else one[:-1]
    says = bool(without_side(" ".join(stem), sides))
    return says and len(other) > len(stem) and other[: len(stem)] == stem


def _own_group(figure: Figure, found: Sequence[Part | Group]) -> Group | None:
    """The group that holds these and nothing else, unless it is a set already."""
    around = {_around(one) for one in found}
    ref = next(iter(around)) if len(around) == 1 else None
    inside = {one.id for one in figure.parts if one.group == ref}
    inside |= {one.id for one in figure.groups if one.parent == ref}
    group = next((one for one in figure.groups if one.id == ref), None)
    return group if group is not None and inside == {one.id for one in found} and not group.drawings else None


def _around(one: Part | Group) -> str | None:
    return one.group if isinstance(one, Part) else one.parent


def _moved_into(figure: Figure, group: str, refs: set[str]) -> Figure:
    """The figure, yet to be validated, with parts and groups put into a group, and groups before what lies in them."""
    groups = [one.model_copy(update={"parent": group}) if one.id in refs else one for one in figure.groups]
    parts = tuple(one.model_copy(update={"group": group}) if one.id in refs else one for one in figure.parts)
    return figure.model_copy(update={"groups": _outer_first(groups), "parts": parts})


def _outer_first(groups: Sequence[Group]) -> tuple[Group, ...]:
    """Groups with those around others before them."""
    left, placed = list(groups), list[Group]()
    while left:
        known = {None, *(one.id for one in placed)}
        ready = next(one for one in left if one.parent in known)
        left.remove(ready)
        placed.append(ready)
    return tuple(placed)


def _as_drawings(figure: Figure, drawings: tuple[SetDrawing, ...]) -> Figure:
    """The figure with all drawings of a set visible, and all but the first told to be alternates of it."""
    if not drawings:
        return figure
    inside = [parts_of_drawing(figure, one.of) for one in drawings]
    main = inside[0][0].id if inside[0] else None
    changed = {}
    for number, parts in enumerate(inside):
        for part in parts:
            stands_for = main if number > 0 else None
            changed[part.id] = part.model_copy(update={"alternate_of": stands_for, "visible": True})
    return with_parts(figure, changed)
