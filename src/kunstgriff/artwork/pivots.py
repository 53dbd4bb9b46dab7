"""Edits of where parts turn, and of the colours of their lines."""

from __future__ import annotations

from typing import Literal

import numpy as np

from kunstgriff.artwork.edits import with_all_drawings, with_group, with_parts
from kunstgriff.artwork.ink import rgb_of
from kunstgriff.artwork.meetings import suggested_pivot
from kunstgriff.figure.edit import Edit, EditRefused, PartKeys, need_group, need_part, these
from kunstgriff.figure.model import Figure, Ink, Point
from kunstgriff.figure.stores import Stores

SAME_INK = 24.0  # RGB distance within which a picked colour is one that is known already


class SetPivot(Edit):
    """Say where a part turns: a point of figure space; without one, it has no pivot of its own."""

    kind: Literal["set_pivot"] = "set_pivot"
    part: str
    to: Point | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return with_all_drawings(figure, (self.part,), pivot=self.to)

    def describe(self, figure: Figure) -> str:
        return f"pivot of {need_part(figure, self.part).name}"


class SetGroupPivot(Edit):
    """Say where a group turns when it is posed by itself.

    It is a point of figure space; without one, it turns at its bone's joint, or about its middle.
    """

    kind: Literal["set_group_pivot"] = "set_group_pivot"
    group: str
    to: Point | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        group = need_group(figure, self.group)
        return with_group(figure, group.model_copy(update={"pivot": self.to}))

    def describe(self, figure: Figure) -> str:
        return f"pivot of {need_group(figure, self.group).name}"


class SuggestPivots(Edit):
    """Set the pivots of parts where their overlaps or bones say they turn; the others stay as they are."""

    kind: Literal["suggest_pivots"] = "suggest_pivots"
    parts: PartKeys

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        found = {}
        for key in self.parts:
            part = need_part(figure, key)
            pivot = suggested_pivot(figure, part, stores)
            if pivot is not None:
                to = (round(pivot[0], 1), round(pivot[1], 1))
                found[part.id] = part.with_drawing(pivot=to)
        if not found:
            raise EditRefused(f"No overlap says where {these(figure, self.parts)} would turn; click the pivot.")
        return with_parts(figure, found)

    def describe(self, figure: Figure) -> str:
        return f"suggest pivots of {these(figure, self.parts)}"


class SetInks(Edit):
    """Say which colours the lines of parts have, each on or off; with none given they are found by themselves."""

    kind: Literal["set_inks"] = "set_inks"
    parts: PartKeys
    inks: tuple[Ink, ...] | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return with_all_drawings(figure, self.parts, inks=self.inks)

    def describe(self, figure: Figure) -> str:
        return f"ink colours of {these(figure, self.parts)}"


class PickInk(Edit):
    """Take the colour of a part's picture at a spot (figure space, at rest) as one of its inks."""

    kind: Literal["pick_ink"] = "pick_ink"
    part: str
    at: Point

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        part = need_part(figure, self.part)
        pixels = stores.get_pixels(part.drawing.picture)
        x, y = (int(np.floor(self.at[axis] - part.drawing.place[axis])) for axis in (0, 1))
        if not (0 <= x < part.drawing.size[0] and 0 <= y < part.drawing.size[1]) or pixels[y, x, 3] < 128:
            raise EditRefused(f"“{part.name}” has nothing painted there.")
        around = pixels[max(y - 1, 0) : y + 2, max(x - 1, 0) : x + 2].reshape(-1, 4)
        colour = np.median(around[around[:, 3] >= 128][:, :3], axis=0)
        known = part.drawing.inks or ()
        for ink in known:
            if np.linalg.norm(rgb_of(ink.colour) - colour) < SAME_INK:
                raise EditRefused(f"That colour is among the inks of “{part.name}” already.")
        red, green, blue = (int(value) for value in colour)
        return with_all_drawings(figure, (part.id,), inks=(*known, Ink(colour=f"#{red:02x}{green:02x}{blue:02x}")))

    def describe(self, figure: Figure) -> str:
        return f"pick an ink of {need_part(figure, self.part).name}"
