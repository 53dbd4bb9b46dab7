"""Stand-ins: beyond some bend or stretch one part is drawn in the place of several, a straight arm in one piece."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from kunstgriff.artwork.blending import painted_box
from kunstgriff.binding.edits import BindWeighted
from kunstgriff.evaluate.program import Build, Drawn
from kunstgriff.figure.edit import Edit, EditRefused, PartKeys, free_name, need_bone, need_part
from kunstgriff.figure.model import Drawing, Figure, Name, Part
from kunstgriff.figure.renewal import redrawn
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.treatments import Degrees, StandIn, Switch
from kunstgriff.seam.clip import switch_of
from kunstgriff.seam.composite import laid_together
from kunstgriff.seam.joints import need_pair, need_unstraightened
from kunstgriff.seam.recipes import kept_picture, new_id, with_treatment


def stood_in(build: Build, figure: Figure, stores: Stores, entries: list[Drawn]) -> list[Drawn]:
    """A stand-in comes on over what it replaces, which goes when it is wholly there: nothing shines through between."""
    for stand_in in figure.treated("stand_in"):
        on, until = build.switched(stand_in.switch), build.switched(stand_in.switch, until=True)
        gone = set(stand_in.parts)
        dressed = []
        for depth, item, faces in entries:
            if item.part == stand_in.part or item.anchor == stand_in.part:
                item = replace(item, switches=(*item.switches, *on))
            elif item.part in gone or item.anchor in gone:
                item = replace(item, switches=(*item.switches, *until))
            dressed.append((depth, item, faces))
        entries = dressed
    return entries


class StandInFor(Edit):
    """Draw one part in the place of others while a switch is on.

    It is on while its bone is turned from `low` to `high` degrees from rest and stretched to `stretch` times or more,
    where that is given; it comes on over `fade` degrees.
    """

    kind: Literal["stand_in_for"] = "stand_in_for"
    part: str
    parts: PartKeys
    switch: Switch

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        part = need_part(figure, self.part)
        refs = tuple(dict.fromkeys(need_part(figure, key).id for key in self.parts))
        if part.id in refs:
            raise EditRefused("A part cannot stand in for itself.")
        switch = switch_of(figure, self.switch)
        assert switch is not None
        stand_in = StandIn(id=new_id(figure), part=part.id, parts=refs, switch=switch)
        return with_treatment(figure, stand_in, stores, lambda one: isinstance(one, StandIn) and one.part == part.id)

    def describe(self, figure: Figure) -> str:
        return f"let {need_part(figure, self.part).name} stand in"


class MakeStandIn(Edit):
    """Draw the two parts that meet at a bone's joint in one piece, bind it to both bones, and let it stand in for them.

    It stands in while the bone is turned from `low` to `high` degrees from rest and stretched to `stretch` times or
    more, where that is given. Where it was made before, it is drawn anew.
    """

    kind: Literal["make_stand_in"] = "make_stand_in"
    bone: str
    name: Name | None = None
    low: Degrees = -20.0
    high: Degrees = 20.0
    fade: Annotated[float, Field(ge=0, le=90)] = 6.0
    stretch: Annotated[float, Field(ge=1, le=20)] | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone = need_bone(figure, self.bone)
        behind, front = need_pair(figure, bone, stores)
        need_unstraightened(behind, front)
        lower, upper = (behind, front) if bone.id in behind.followed else (front, behind)
        switch = switch_of(
            figure, Switch(bone=bone.id, low=self.low, high=self.high, fade=self.fade, stretch=self.stretch)
        )
        assert switch is not None
        known = made_of(figure, {lower.id, upper.id})
        if known is not None:
            changed = known.model_copy(update={"switch": switch})
            treatments = tuple(changed if one == known else one for one in figure.treatments)
            return drawn_anew(figure.replace(treatments=treatments), changed, stores)
        part = _piece(figure, behind, front, stores).model_copy(
            update={
                "name": free_name(self.name or f"{upper.name} in one piece", {one.name for one in figure.parts}),
                "group": front.group,
            }
        )
        place = figure.parts.index(front) + 1
        parts = (*figure.parts[:place], part, *figure.parts[place:])
        figure = figure.replace(parts=parts, next_id=figure.next_id + 1)
        bones = tuple(ref for ref in (bone.parent, bone.id) if ref)
        figure = BindWeighted(parts=(part.id,), influences=bones).apply(figure, stores)
        stand_in = StandIn(id=new_id(figure), part=part.id, parts=(lower.id, upper.id), switch=switch, made=True)
        return with_treatment(figure, stand_in, stores)

    def describe(self, figure: Figure) -> str:
        return f"one piece for the parts at {need_bone(figure, self.bone).name}"


def made_of(figure: Figure, parts: set[str]) -> StandIn | None:
    """The stand-in that the program made of these two parts, if there is one."""
    made: tuple[StandIn, ...] = figure.treated("stand_in")
    return next((one for one in made if one.made and set(one.parts) == parts), None)


def drawn_anew(figure: Figure, one: StandIn, stores: Stores) -> Figure:
    """The figure with a stand-in drawn anew from the parts it was made of, its binding fitted to it."""
    behind, front = sorted((need_part(figure, ref) for ref in one.parts), key=figure.parts.index)
    piece, part = _piece(figure, behind, front, stores), need_part(figure, one.part)
    if (piece.drawing.picture, piece.drawing.place) == (part.drawing.picture, part.drawing.place):
        return figure
    drawn = piece.drawing
    look = part.with_drawing(picture=drawn.picture, place=drawn.place, size=drawn.size, split=None)
    return redrawn(figure, look, stores)


def _piece(figure: Figure, behind: Part, front: Part, stores: Stores) -> Part:
    """Two parts in one piece, as a part. Raises EditRefused where nothing is painted."""
    low = np.floor(np.minimum(behind.drawing.place, front.drawing.place)) - 2
    ends = [np.add(part.drawing.place, part.drawing.size) for part in (behind, front)]
    side = int(np.ceil((np.maximum(*ends) - low).max())) + 2
    whole = laid_together(figure, behind, front, low, side, stores)
    box = painted_box(whole)
    if box is None:
        raise EditRefused("Nothing is painted on the two parts.")
    rows, columns = box
    return Part(
        id=f"p{figure.next_id}",
        name="in one piece",
        drawing=Drawing(
            picture=kept_picture(whole[box], stores),
            place=(float(low[0] + columns.start), float(low[1] + rows.start)),
            size=(columns.stop - columns.start, rows.stop - rows.start),
        ),
    )
