"""Edits of the Follow-through stage."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from kunstgriff.figure.edit import Edit, EditRefused, need_bone
from kunstgriff.figure.model import Figure, Spring
from kunstgriff.figure.stores import Stores
from kunstgriff.skeleton.bones import chain_from


class SetSpring(Edit):
    """Make the chain that begins at a bone springy, or change its spring.

    `frequency` in Hz, `damping_ratio` 1 being critical, `gravity` in px/s².
    """

    kind: Literal["set_spring"] = "set_spring"
    bone: str
    frequency: Annotated[float, Field(ge=0.1, le=20)] = 1.6
    damping_ratio: Annotated[float, Field(ge=0, le=2)] = 0.25
    gravity: Annotated[float, Field(ge=0, le=20_000)] = 980.0

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone = need_bone(figure, self.bone)
        if bone.parent is None:
            raise EditRefused(f"“{bone.name}” hangs on nothing that could swing it; hang it on another bone first.")
        chain = tuple(one.id for one in chain_from(figure, bone.id))
        others = tuple(spring for spring in figure.springs if spring.bones[0] != bone.id)
        for spring in others:
            if set(chain) & set(spring.bones):
                raise EditRefused(f"Part of the chain of “{bone.name}” is springy already; take that spring off first.")
        spring = Spring(
            id=f"s{figure.next_id}",
            bones=chain,
            frequency=self.frequency,
            damping_ratio=self.damping_ratio,
            gravity=self.gravity,
        )
        return figure.replace(springs=(*others, spring), next_id=figure.next_id + 1)

    def describe(self, figure: Figure) -> str:
        return f"spring on {need_bone(figure, self.bone).name}"


class RemoveSpring(Edit):
    """Take the spring off the chain a bone belongs to."""

    kind: Literal["remove_spring"] = "remove_spring"
    bone: str

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone = need_bone(figure, self.bone)
        left = tuple(spring for spring in figure.springs if bone.id not in spring.bones)
        if len(left) == len(figure.springs):
            raise EditRefused(f"“{bone.name}” is not springy.")
        return figure.replace(springs=left)

    def describe(self, figure: Figure) -> str:
        return f"take the spring off {need_bone(figure, self.bone).name}"


def springs_alike(figure: Figure, bones: dict[str, str], parts: dict[str, str], stores: Stores) -> Figure:
    """Springs of one limb made on the other too, where it has none."""
    for spring in figure.springs:
        mapped = tuple(bones.get(ref, "") for ref in spring.bones)
        springy = {ref for one in figure.springs for ref in one.bones}
        if all(mapped) and not springy & set(mapped):
            copy = spring.model_copy(update={"id": f"s{figure.next_id}", "bones": mapped})
            figure = figure.replace(springs=(*figure.springs, copy), next_id=figure.next_id + 1)
    return figure
