"""A set taken over from another figure, drawings and all."""

from __future__ import annotations

import math
from typing import Annotated, Any, Literal

from pydantic import Field

from kunstgriff.artwork.remaking import with_step
from kunstgriff.artwork.sets import need_set
from kunstgriff.figure.edit import Edit, EditRefused, free_name, need_bone
from kunstgriff.figure.model import (
    Figure,
    Group,
    Name,
    Part,
    Point,
    SetDrawing,
    Turned,
    Unbound,
)
from kunstgriff.figure.references import carried
from kunstgriff.figure.sets import parts_of_drawing, within
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.turning import carrying

SAME_SIZE = 0.02  # share by which another size is taken for the same
LEAST, MOST = 0.1, 10.0  # times


class TakeSet(Edit):
    """Take a set over from another figure, its drawings as they are there.

    Their pictures are in the stores already. They are carried by a `bone` of this figure, and lie about its joint as
    they lay about `joint` there, `scale` times as large; without one they lie where they lay. Names that are taken get
    a number.
    """

    kind: Literal["take_set"] = "take_set"
    name: Name
    drawings: Annotated[tuple[SetDrawing, ...], Field(min_length=2, max_length=200)]
    parts: Annotated[tuple[Part, ...], Field(min_length=1, max_length=500)]
    groups: Annotated[tuple[Group, ...], Field(max_length=200)] = ()
    joint: Point | None = None
    bone: str | None = None
    scale: Annotated[float, Field(allow_inf_nan=False, ge=LEAST, le=MOST)] = 1.0

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone = need_bone(figure, self.bone) if self.bone is not None else None
        there = {one.id for one in self.parts} | {one.id for one in self.groups}
        if strange := [one.of for one in self.drawings if one.of not in there]:
            raise EditRefused(f"The set has no drawing {strange[0]}.")
        ids = {ref: f"{ref[0]}{figure.next_id + 1 + k}" for k, ref in enumerate(sorted(there))}
        names = {part.name for part in figure.parts}
        called = free_name(self.name, {group.name for group in figure.groups})
        group = Group(id=f"g{figure.next_id}", name=called, bone=bone.id if bone is not None else None)
        group = group.model_copy(
            update={
                "drawings": tuple(one.model_copy(update={"of": ids[one.of], "since": None}) for one in self.drawings)
            }
        )
        parts = []
        for part in self.parts:
            part = self._laid(part, bone.joint if bone is not None else None, stores)
            name = free_name(part.name, names)
            names.add(name)
            around = ids.get(part.group or "", group.id)
            parts.append(part.model_copy(update={"id": ids[part.id], "name": name, "group": around}))
        inner = tuple(
            one.model_copy(
                update={
                    "id": ids[one.id],
                    "parent": ids.get(one.parent or "", group.id),
                    "bone": None,
                    "taken_by": None,
                }
            )
            for one in self.groups
        )
        return figure.replace(
            groups=(*figure.groups, group, *inner),
            parts=(*figure.parts, *parts),
            next_id=figure.next_id + 1 + len(ids),
        )

    def _laid(self, part: Part, to: Point | None, stores: Stores) -> Part:
        """A drawing as it is laid on this figure, bound to nothing by itself."""
        bare: dict[str, Any] = {
            "binding": Unbound(), "mesh": None, "shelved": (), "deformers": (),
            "alternate_of": None, "facing_of": None, "shifted": 0.0, "locked": False, "visible": True,
        }  # fmt: skip
        part = part.with_drawing(strip=None, remade=()).model_copy(update=bare)
        height, width = stores.get_pixels(part.drawing.picture).shape[:2]
        if (width, height) != part.drawing.size:
            raise EditRefused(f"The picture of “{part.name}” has another size than the set says.")
        if self.joint is not None and to is not None:
            dx, dy = to[0] - self.joint[0], to[1] - self.joint[1]
            part = carried(part, lambda at: (at[0] + dx, at[1] + dy))
            if abs(self.scale - 1) > SAME_SIZE:
                about = (to[0] - part.drawing.place[0], to[1] - part.drawing.place[1])
                step = Turned(
                    picture=part.drawing.picture, size=part.drawing.size, offset=(0.0, 0.0), about=about,
                    scale=(self.scale, self.scale),
                )  # fmt: skip
                part = with_step(part, step, stores)
        return part

    def describe(self, figure: Figure) -> str:
        return f"take the set {self.name} over"


def taken_from(other: Figure, key: str, onto: Figure) -> TakeSet:
    """The edit that takes a set of another figure over: carried by the bone that is called as the one that carries it
    there, if there is one. Raises EditRefused where it is no set."""
    group = need_set(other, key)
    inside = within(other, group.id)
    refs = {part.id for one in group.drawings for part in parts_of_drawing(other, one.of)}
    parts = tuple(part for part in other.parts if part.id in refs)
    groups = tuple(one for one in other.groups if one.id in inside and one.id != group.id)
    there_parts = {part.id: part for part in other.parts}
    carriers = (carrying(there_parts, part) for part in parts)
    carrier = next((bone for bone in carriers if bone is not None), group.bone)
    there = other.bone(carrier) if carrier is not None else None
    here = next((bone for bone in onto.bones if there is not None and bone.name == there.name), None)
    scale = 1.0
    if there is not None and here is not None:
        lengths = [math.dist(bone.joint, bone.tip) for bone in (here, there)]
        scale = min(max(lengths[0] / max(lengths[1], 1e-6), LEAST), MOST)
    return TakeSet(
        name=group.name, drawings=group.drawings, parts=parts, groups=groups,
        joint=there.joint if there is not None else None, bone=here.id if here is not None else None,
        scale=round(scale, 3),
    )  # fmt: skip
