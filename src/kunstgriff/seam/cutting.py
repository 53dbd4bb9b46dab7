"""A part cut in two at a line or a joint: two pieces that overlap by a round end each, and the cut joined again."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field
from shapely.geometry import Point as Spot

from kunstgriff.artwork.arranging import without_parts
from kunstgriff.artwork.limbs import axis_from, half_width
from kunstgriff.artwork.outline import part_outline
from kunstgriff.artwork.remaking import before, side_of_line, with_step
from kunstgriff.artwork.repaint import redrawn_by_us
from kunstgriff.figure.edit import Edit, EditRefused, free_name, need_bone, need_part
from kunstgriff.figure.model import Bone, Figure, Name, Part, Point, Rigid, Severed, Unbound
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.treatments import Line
from kunstgriff.seam.cover_edits import LayCover
from kunstgriff.seam.joints import joint_on

ACROSS = 1.6  # half widths to each side that the line of a cut at a joint is long


class CutPart(Edit):
    """Cut a part in two along a `line` across it (figure space), or across the joint of a `bone`.

    Both pieces get a round end there, painted from their own fill and ink, so that they overlap; at a joint the piece
    beyond it follows the bone, the other one its parent, and a cover hides the line between them. `names` are those of
    the piece that stays what it was and of the new one. A new drawing of the part is cut alike.
    """

    kind: Literal["cut_part"] = "cut_part"
    part: str
    line: Line | None = None
    bone: str | None = None
    names: tuple[Name, Name] | None = None
    radius: Annotated[float, Field(ge=0, le=10_000)] | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        part = need_part(figure, self.part)
        bone = need_bone(figure, self.bone) if self.bone is not None else None
        if part.drawing.strip is not None:
            raise EditRefused(f"“{part.name}” is straightened; leave it curved to cut it.")
        line = self._line(part, bone, stores)
        stays_left = self._stays_left(part, bone, line, stores)
        names = self._names(figure, part)
        step = Severed(
            picture=part.drawing.picture,
            size=part.drawing.size,
            offset=(0, 0),
            line=line,
            left=stays_left,
            radius=self.radius,
        )
        stays = with_step(part, step, stores).model_copy(update={"name": names[0]})
        new = part.with_drawing(remade=(), pivot=None)
        new = new.model_copy(update={"id": f"p{figure.next_id}", "name": names[1], "shelved": ()})
        new = with_step(new, step.model_copy(update={"left": not stays_left, "of": part.id}), stores)
        new = new.model_copy(update={"binding": new.binding if isinstance(new.binding, Rigid) else Unbound()})
        if bone is not None and bone.parent is not None:
            stays = stays.model_copy(update={"binding": Rigid(bone=bone.parent)})
            new = new.model_copy(update={"binding": Rigid(bone=bone.id)})
        at = figure.parts.index(part)
        figure = redrawn_by_us(figure, stays, stores)
        parts = (*figure.parts[: at + 1], new, *figure.parts[at + 1 :])
        figure = figure.replace(parts=parts, next_id=figure.next_id + 1)
        if bone is not None and bone.parent is not None and self.radius != 0:
            figure = LayCover(bone=bone.id, source=stays.id, over=new.id).apply(figure, stores)
        return figure

    def _line(self, part: Part, bone: Bone | None, stores: Stores) -> tuple[Point, ...]:
        """The line in px of the part's picture."""
        if self.line is not None:
            return tuple((x - part.drawing.place[0], y - part.drawing.place[1]) for x, y in self.line)
        if bone is None:
            raise EditRefused("Say where to cut: along a line, or at a bone's joint.")
        outline, at = part_outline(part, stores), joint_on(part, bone)
        if not outline.buffer(2).contains(Spot(at)):
            raise EditRefused(f"The joint of “{bone.name}” does not lie on “{part.name}”.")
        direction = np.subtract(bone.tip, bone.joint)
        if bone.parent is None or not np.hypot(*direction):
            direction = axis_from(outline, at)
        direction = direction / np.hypot(*direction)
        reach = ACROSS * max(half_width(outline, at), 4.0)
        aside = np.array([-direction[1], direction[0]]) * reach
        ends = np.array([at - aside, at + aside])
        return tuple((round(float(x), 2), round(float(y), 2)) for x, y in ends)

    def _stays_left(self, part: Part, bone: Bone | None, line: tuple[Point, ...], stores: Stores) -> bool:
        """Which side stays the part: the one the bone does not go to, else the larger one."""
        if bone is not None:
            (ax, ay), (bx, by) = line[0], line[-1]
            tip = (bone.tip[0] - part.drawing.place[0], bone.tip[1] - part.drawing.place[1])
            return (bx - ax) * (tip[1] - ay) - (by - ay) * (tip[0] - ax) > 0
        alpha = stores.get_pixels(part.drawing.picture)[..., 3] > 127
        left = side_of_line(alpha.shape, line, True, 0.0) > 127
        return bool((alpha & left).sum() * 2 >= alpha.sum())

    def _names(self, figure: Figure, part: Part) -> tuple[str, str]:
        taken = {one.name for one in figure.parts if one.id != part.id}
        first, second = self.names or (part.name, free_name(part.name[:76], {*taken, part.name}))
        if first == second or {first, second} & taken:
            raise EditRefused("Give the two pieces names of their own that no other part has.")
        return first, second

    def describe(self, figure: Figure) -> str:
        return f"cut {need_part(figure, self.part).name} in two"


class JoinAgain(Edit):
    """Join a part again that was cut in two: it is as it was drawn, and the piece cut off it last is gone."""

    kind: Literal["join_again"] = "join_again"
    part: str

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        part = need_part(figure, self.part)
        first = part.drawing.remade[0] if part.drawing.remade else None
        if isinstance(first, Severed) and first.of is not None and figure.part(first.of) is not None:
            part = need_part(figure, first.of)
        last = part.drawing.remade[-1] if part.drawing.remade else None
        if not isinstance(last, Severed) or last.of is not None:
            raise EditRefused(f"“{part.name}” was not cut in two, or something else was done to it since.")
        whole = before(part, last)
        gone = [
            one.id
            for one in figure.parts
            for step in one.drawing.remade[:1]
            if isinstance(step, Severed) and step.of == part.id and step.picture == last.picture
        ]
        return redrawn_by_us(without_parts(figure, set(gone)), whole, stores)

    def describe(self, figure: Figure) -> str:
        return f"join {need_part(figure, self.part).name} again"
