"""Limbs made once and mirrored to the other side."""

from __future__ import annotations

import math
from typing import Literal

from kunstgriff.figure.edit import BoneKeys, Edit, EditRefused, free_name, need_bone
from kunstgriff.figure.model import Bone, Figure, Point
from kunstgriff.figure.sides import other_side
from kunstgriff.figure.stores import Stores
from kunstgriff.skeleton.bones import bone_hue, parents_first, with_descendants
from kunstgriff.skeleton.chain_edits import these_bones
from kunstgriff.skeleton.edits import BONES_LIMIT


def mirrored_point(point: Point, on: Point, along: Point) -> Point:
    """The point on the other side of the line through `on` in the direction `along`."""
    length = along[0] ** 2 + along[1] ** 2
    share = ((point[0] - on[0]) * along[0] + (point[1] - on[1]) * along[1]) / length
    return (
        round(2 * (on[0] + share * along[0]) - point[0], 6),
        round(2 * (on[1] + share * along[1]) - point[1], 6),
    )


class MirrorBones(Edit):
    """Make bones, with all that hangs on them, again on the other side.

    They are mirrored `about` the figure's axis (the vertical through the standing point, or through `x`), or about the
    bone they hang on. With `swap` names change sides (near and far, left and right), limits turn round; a copy hangs
    where its original does, on the mirrored bone or the one of the other side's name where there is one.
    """

    kind: Literal["mirror_bones"] = "mirror_bones"
    bones: BoneKeys
    about: Literal["axis", "parent"] = "axis"
    x: float = 0.0
    swap: bool = True

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        chosen = {one.id for key in self.bones for one in with_descendants(figure, need_bone(figure, key).id)}
        if len(figure.bones) + len(chosen) > BONES_LIMIT:
            raise EditRefused(f"A figure may have {BONES_LIMIT} bones at most.")
        taken = {bone.name for bone in figure.bones}
        by_name = {bone.name: bone.id for bone in figure.bones}
        copies: dict[str, Bone] = {}
        for bone in figure.bones:
            if bone.id not in chosen:
                continue
            on, along = self._line(figure, bone, chosen)
            wanted = other_side(bone.name, figure.sides) if self.swap else bone.name
            name = free_name(wanted, taken)
            taken.add(name)
            parent = bone.parent
            if parent in copies:
                parent = copies[parent].id
            elif self.swap and parent is not None:
                namesake = by_name.get(other_side(need_bone(figure, parent).name, figure.sides))
                parent = namesake or parent
            limits = bone.limits and bone.limits.mirrored
            copies[bone.id] = bone.model_copy(
                update={
                    "id": f"b{figure.next_id + len(copies)}",
                    "name": name,
                    "parent": parent,
                    "joint": mirrored_point(bone.joint, on, along),
                    "tip": mirrored_point(bone.tip, on, along),
                    "limits": limits,
                    "hue": bone_hue(len(figure.bones) + len(copies)),
                }
            )
        bones = parents_first([*figure.bones, *copies.values()])
        return figure.replace(bones=tuple(bones), next_id=figure.next_id + len(copies))

    def _line(self, figure: Figure, bone: Bone, chosen: set[str]) -> tuple[Point, Point]:
        if self.about == "axis":
            return (self.x, 0.0), (0.0, 1.0)
        root = bone
        while root.parent in chosen:
            root = need_bone(figure, str(root.parent))
        if root.parent is None:
            raise EditRefused(f"“{root.name}” hangs on no bone to be mirrored about.")
        parent = need_bone(figure, root.parent)
        along = (parent.tip[0] - parent.joint[0], parent.tip[1] - parent.joint[1])
        if math.hypot(*along) == 0:
            raise EditRefused(f"“{parent.name}” has no direction to be mirrored about.")
        return parent.joint, along

    def describe(self, figure: Figure) -> str:
        return f"mirror {these_bones(figure, self.bones)}"
