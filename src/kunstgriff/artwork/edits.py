"""Edits of the Artwork stage: what parts are called, whether they show, how they lie over one another."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Literal

from pydantic import Field

from kunstgriff.figure.edit import Edit, EditRefused, PartKeys, need_part, these
from kunstgriff.figure.model import Figure, Group, Name, Part, Share
from kunstgriff.figure.stores import Stores


def with_parts(figure: Figure, changed: dict[str, Part]) -> Figure:
    """The figure with parts replaced by id."""
    return figure.replace(parts=tuple(changed.get(part.id, part) for part in figure.parts))


def with_group(figure: Figure, group: Group) -> Figure:
    """The figure with a group replaced by id."""
    return figure.replace(groups=tuple(group if one.id == group.id else one for one in figure.groups))


def with_all(figure: Figure, keys: tuple[str, ...], **changes: object) -> Figure:
    """The figure with the same fields changed on every part named. Raises EditRefused for one that is not there."""
    parts = [need_part(figure, key) for key in keys]
    return with_parts(figure, {part.id: part.model_copy(update=changes) for part in parts})


def with_all_drawings(figure: Figure, keys: tuple[str, ...], **changes: object) -> Figure:
    """The figure with the same fields changed of every named part's drawing. Raises EditRefused likewise."""
    parts = [need_part(figure, key) for key in keys]
    return with_parts(figure, {part.id: part.with_drawing(**changes) for part in parts})


def each_part(
    figure: Figure, keys: tuple[str, ...], change: Callable[[Figure, Part, Stores], Figure], stores: Stores
) -> Figure:
    """The figure after a change made to one part after the other. Raises EditRefused as `change` does."""
    for ref in [need_part(figure, key).id for key in keys]:
        figure = change(figure, need_part(figure, ref), stores)
    return figure


class RenamePart(Edit):
    """Give a part another name; names are unique among parts."""

    kind: Literal["rename_part"] = "rename_part"
    part: str
    name: Name

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        part = need_part(figure, self.part)
        if any(other.name == self.name and other.id != part.id for other in figure.parts):
            raise EditRefused(f"Another part is called “{self.name}” already.")
        return with_parts(figure, {part.id: part.model_copy(update={"name": self.name})})

    def describe(self, figure: Figure) -> str:
        return f"rename {need_part(figure, self.part).name}"


class ShowParts(Edit):
    """Show or hide parts; hidden parts are neither painted nor delivered."""

    kind: Literal["show_parts"] = "show_parts"
    parts: PartKeys
    visible: bool

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return with_all(figure, self.parts, visible=self.visible)

    def describe(self, figure: Figure) -> str:
        return ("show " if self.visible else "hide ") + these(figure, self.parts)


class SetOpacity(Edit):
    """Set how opaque parts are, from 0 to 1."""

    kind: Literal["set_opacity"] = "set_opacity"
    parts: PartKeys
    opacity: Share

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return with_all(figure, self.parts, opacity=self.opacity)

    def describe(self, figure: Figure) -> str:
        return f"opacity of {these(figure, self.parts)}"


class OrderPart(Edit):
    """Move a part in the draw order to `position`, counted from the back, 0 being hindmost."""

    kind: Literal["order_part"] = "order_part"
    part: str
    position: Annotated[int, Field(ge=0)]

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        part = need_part(figure, self.part)
        others = [other for other in figure.parts if other.id != part.id]
        others.insert(min(self.position, len(others)), part)
        return figure.replace(parts=tuple(others))

    def describe(self, figure: Figure) -> str:
        return f"draw order of {need_part(figure, self.part).name}"
