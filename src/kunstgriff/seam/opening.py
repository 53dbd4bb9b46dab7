"""Open outlines: a part's line fades or tapers to nothing where it melts into another part."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Literal

from kunstgriff.evaluate.program import Build, Drawn
from kunstgriff.figure.edit import Edit, EditRefused, need_part
from kunstgriff.figure.model import Figure, Point
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.treatments import Inks, Opening, Softness
from kunstgriff.seam.drawn import drawn, opened, opening_share
from kunstgriff.seam.joints import need_unstraightened
from kunstgriff.seam.recipes import UNMADE, kept_picture, made_anew, new_id, with_treatment


def made_opening(figure: Figure, opening: Opening, stores: Stores) -> dict[str, Any]:
    """The picture of a part with its outline taken off along an opening."""
    part = need_part(figure, opening.part)
    rgba, split = drawn(figure, part, stores, opening.inks, before=opening.id)
    return {"picture": kept_picture(opened(rgba, split, opening, part, stores)[0], stores)}


def opened_parts(build: Build, figure: Figure, stores: Stores, entries: list[Drawn]) -> list[Drawn]:
    """Parts with openings, painted as their last one left them."""
    pictures = {one.part: one.picture for one in figure.treated("opening")}
    return [
        (depth, replace(item, picture=pictures[item.id]), faces)
        if item.variant == "full" and item.id in pictures
        else (depth, item, faces)
        for depth, item, faces in entries
    ]


class OpenOutline(Edit):
    """Take the ink off a part's edge from `start` to `end` (figure space at rest), the shorter way round.

    `longer` takes the longer way. Over `soft` px at both ends the line tapers, or fades with `tapers` off. `inks` are
    the lines it is about (all, unless given).
    """

    kind: Literal["open_outline"] = "open_outline"
    part: str
    start: Point
    end: Point
    longer: bool = False
    tapers: bool = True
    soft: Softness = 12.0
    inks: Inks | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        part = need_part(figure, self.part)
        need_unstraightened(part)
        if self.start == self.end:
            raise EditRefused("An outline is opened along a stretch: its two ends must differ.")
        given = self.model_dump(exclude={"kind", "part"})
        opening = Opening(id=new_id(figure), part=part.id, picture=UNMADE, **given)
        rgba, split = drawn(figure, part, stores, self.inks)
        if not (opening_share(split, opening, part, stores) * split.at_edge).any():
            raise EditRefused(f"The edge of “{part.name}” has no ink along that stretch.")
        return made_anew(with_treatment(figure, opening, stores), [part.id], stores)

    def describe(self, figure: Figure) -> str:
        return f"open the outline of {need_part(figure, self.part).name}"
