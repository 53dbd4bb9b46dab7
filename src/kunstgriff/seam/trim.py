"""Trims: a part's ink (or all of it) not drawn where a neighbour's fill lies; for whole groups, all along.

The line that is left is that of both parts' union. Nothing is doubled in the draw order: the part is painted with two
pictures, with and without its line, and a mask made of the neighbour's posed fill tells which one is seen where.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from kunstgriff.evaluate.items import DrawItem, Mask, item_of
from kunstgriff.evaluate.program import Build, Drawn, Ints32
from kunstgriff.figure.edit import Edit, EditRefused, group_path, need_bone, need_group, need_part, these
from kunstgriff.figure.model import Bone, Figure, Part
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.treatments import MOST_CUT, Cover, InkCut, Inks, Reach, Softness, Trim, reach_of
from kunstgriff.seam.drawn import bare_picture, drawn, fill_picture, near_joint, triangles_near
from kunstgriff.seam.joints import limit_at, need_pair, need_unstraightened
from kunstgriff.seam.recipes import UNMADE, kept_picture, new_id, with_treatment


def made_trim(figure: Figure, trim: Trim, stores: Stores) -> dict[str, Any]:
    """The pictures of a trim: the fill that takes away, and the part without its ink."""
    part, by = need_part(figure, trim.part), need_part(figure, trim.by)
    bone = figure.bone(trim.bone) if trim.bone else None
    near = near_joint(bone.joint, by.drawing.place, trim.radius, trim.soft) if bone else None
    return {
        "fill": kept_picture(fill_picture(*drawn(figure, by, stores), near), stores),
        "bare": kept_picture(bare_picture(*drawn(figure, part, stores, trim.inks)), stores),
    }


def made_ink_cut(figure: Figure, cut: InkCut, stores: Stores) -> dict[str, Any]:
    """The pictures of an ink cut: fills and parts without ink, in the order of its parts."""
    parts = [need_part(figure, ref) for ref in cut.parts]
    return {
        "fills": tuple(kept_picture(fill_picture(*drawn(figure, one, stores)), stores) for one in parts),
        "bares": tuple(kept_picture(bare_picture(*drawn(figure, one, stores, cut.inks)), stores) for one in parts),
    }


def trimmed(build: Build, figure: Figure, stores: Stores, entries: list[Drawn]) -> list[Drawn]:
    """Items of trimmed parts with the masks that take their ink, or all of them, away."""
    masks: dict[str, list[Mask]] = {}
    bare: dict[str, str] = {}
    shown = {part.id: part for part in figure.parts if part.is_shown}

    def fill_of(ref: str, picture: str, near: Cover | Trim | None = None) -> Mask | None:
        if ref not in shown:
            return None
        faces = build.nets.blocks[ref].triangles
        if near is not None and near.bone and (bone := figure.bone(near.bone)) is not None:
            faces = faces[triangles_near(build.nets.rest[faces], np.array(bone.joint), reach_of(near))]
        return Mask((fill_shape(build, figure, shown[ref], picture, faces),), out=True, ink_only=True)

    for treatment in figure.treatments:
        if isinstance(treatment, Trim):
            if (mask := fill_of(treatment.by, treatment.fill, treatment)) is not None:
                masks.setdefault(treatment.part, []).append(replace(mask, ink_only=not treatment.whole))
                bare.setdefault(treatment.part, treatment.bare)
        elif isinstance(treatment, Cover) and treatment.fill is not None and treatment.bare is not None:
            if (mask := fill_of(treatment.source, treatment.fill, treatment)) is not None:
                masks.setdefault(treatment.over, []).append(mask)
                bare.setdefault(treatment.over, treatment.bare)
        elif isinstance(treatment, InkCut):
            for ref, own in zip(treatment.parts, treatment.bares, strict=True):
                found = [
                    fill_of(by, fill) for by, fill in zip(treatment.parts, treatment.fills, strict=True) if by != ref
                ]
                shapes = tuple(shape for mask in found if mask for shape in mask.shapes)
                masks.setdefault(ref, []).append(Mask(shapes, out=True, ink_only=True))
                bare.setdefault(ref, own)
    return [
        (depth, replace(item, masks=(*item.masks, *masks[item.id]), bare=bare[item.id]), faces)
        if item.variant == "full" and item.id in masks
        else (depth, item, faces)
        for depth, item, faces in entries
    ]


def fill_shape(build: Build, figure: Figure, part: Part, fill: str, faces: Ints32) -> DrawItem:
    """What a part's fill covers, as a shape for masks."""
    item = item_of(figure, part, picture=fill, variant="ink-less", opacity=1.0, blend="normal", groups=(), layers=())
    return build.pooled(item, faces)


class LayTrim(Edit):
    """At a bone's joint, do not draw the ink of the part in front where the fill of the part behind lies.

    `part` and `by` name the two otherwise; without a bone they must be named, and the trim holds all along. `whole`
    leaves out ink and fill. `radius` and `soft` (px) limit it to the joint; left out, they follow the limb's width,
    unless it is meant `everywhere`. `inks` are the lines it is about (all, unless given).
    """

    kind: Literal["lay_trim"] = "lay_trim"
    bone: str | None = None
    part: str | None = None
    by: str | None = None
    whole: bool = False
    everywhere: bool = False
    radius: Reach | None = None
    soft: Softness | None = None
    inks: Inks | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone = need_bone(figure, self.bone) if self.bone is not None else None
        by, part = self._pair(figure, bone, stores)
        need_unstraightened(part, by)
        radius, soft = limit_at((part, by), bone, stores) if bone is not None else (None, 0.0)
        trim = Trim(
            id=new_id(figure),
            part=part.id,
            by=by.id,
            whole=self.whole,
            bone=bone.id if bone else None,
            radius=None if self.everywhere else self.radius or radius,
            soft=soft if self.soft is None else self.soft,
            inks=self.inks,
            fill=UNMADE,
            bare=UNMADE,
        )
        same = (trim.part, trim.by, trim.bone)
        return with_treatment(
            figure, trim, stores, lambda one: isinstance(one, Trim) and (one.part, one.by, one.bone) == same
        )

    def _pair(self, figure: Figure, bone: Bone | None, stores: Stores) -> tuple[Part, Part]:
        if bone is not None:
            return need_pair(figure, bone, stores, self.by, self.part)
        if self.part is None or self.by is None:
            raise EditRefused("Say at which joint, or which part is trimmed by which.")
        if need_part(figure, self.part).id == need_part(figure, self.by).id:
            raise EditRefused("A part cannot be trimmed by itself.")
        return need_part(figure, self.by), need_part(figure, self.part)

    def describe(self, figure: Figure) -> str:
        if self.bone is not None:
            return f"trim at {need_bone(figure, self.bone).name}"
        return f"trim {need_part(figure, self.part or '').name}"


class CutInk(Edit):
    """Cut the ink of each of some parts wherever the fill of another of them lies, all along.

    `groups` name all that lies in them, besides the `parts`.
    """

    kind: Literal["cut_ink"] = "cut_ink"
    parts: Annotated[tuple[str, ...], Field(max_length=MOST_CUT)] = ()
    groups: Annotated[tuple[str, ...], Field(max_length=MOST_CUT)] = ()
    inks: Inks | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        refs = self._refs(figure)
        if len(refs) < 2:
            raise EditRefused("Ink is cut by the fills of neighbours: choose at least two parts.")
        if len(refs) > MOST_CUT:
            raise EditRefused(f"Ink is cut among {MOST_CUT} parts at most; these are {len(refs)}.")
        need_unstraightened(*(need_part(figure, ref) for ref in refs))
        cut = InkCut(id=new_id(figure), parts=refs, inks=self.inks, fills=(), bares=())
        return with_treatment(figure, cut, stores, lambda one: isinstance(one, InkCut) and set(one.parts) == set(refs))

    def _refs(self, figure: Figure) -> tuple[str, ...]:
        groups = {need_group(figure, key).id for key in self.groups}
        inside = [part.id for part in figure.parts if part.is_shown and groups & set(group_path(figure, part.group))]
        return tuple(dict.fromkeys([*(need_part(figure, key).id for key in self.parts), *inside]))

    def describe(self, figure: Figure) -> str:
        return f"cut the ink of {these(figure, self._refs(figure))}"
