"""Clip and knockout: a part drawn only inside another, or erased where another's shape is, by pose or always."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from kunstgriff.evaluate.items import DrawItem, Mask, item_of
from kunstgriff.evaluate.program import Build, Drawn
from kunstgriff.figure.edit import Edit, EditRefused, need_bone, need_part
from kunstgriff.figure.model import Figure
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.treatments import Clip, Switch
from kunstgriff.seam.recipes import new_id, with_treatment

DEEPEST = 4  # clips in one another; each costs two pictures of the whole view


def clipped(build: Build, figure: Figure, stores: Stores, entries: list[Drawn]) -> list[Drawn]:
    """Items with their clips as masks, those of what they are clipped by included; unseen shapes are not painted."""
    clips: tuple[Clip, ...] = figure.treated("clip")
    if not clips:
        return entries
    full = {item.id: item for _, item, _ in entries if item.variant == "full"}
    masks: dict[str, tuple[Mask, ...]] = {}

    def masks_of(ref: str) -> tuple[Mask, ...]:
        if ref not in masks:
            masks[ref] = tuple(mask_of(one) for one in clips if one.part == ref)
        return masks[ref]

    def mask_of(clip: Clip) -> Mask:
        part = figure.part(clip.by)
        assert part is not None
        item: DrawItem = full.get(clip.by) or item_of(figure, part)
        shape = replace(item, masks=(*item.masks, *masks_of(clip.by)), blend="normal", groups=(), layers=())
        pooled = build.pooled(shape, build.nets.blocks[clip.by].triangles)
        return Mask((pooled,), out=clip.erased, switches=build.switched(clip.switch))

    unseen = {one.by for one in clips if one.unseen}
    return [
        (depth, replace(item, masks=(*item.masks, *masks_of(item.part))), faces)
        for depth, item, faces in entries
        if item.part not in unseen
    ]


class ClipPart(Edit):
    """Draw a part only inside another, or erase it where the other is.

    `unseen` does not draw the other itself. With `switch` it holds only while a bone is turned so far.
    """

    kind: Literal["clip_part"] = "clip_part"
    part: str
    by: str
    erased: bool = False
    unseen: bool = False
    switch: Switch | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        part, by = need_part(figure, self.part), need_part(figure, self.by)
        kept = tuple(
            one
            for one in figure.treatments
            if not (isinstance(one, Clip) and (one.part, one.by, one.erased) == (part.id, by.id, self.erased))
        )
        around = {part.id}
        for _ in range(DEEPEST):
            around |= {one.part for one in kept if isinstance(one, Clip) and one.by in around}
        if by.id in around:
            raise EditRefused(f"“{by.name}” is clipped by “{part.name}” already, so it cannot clip it.")
        if _depth(kept, by.id) + _height(kept, part.id) >= DEEPEST:
            raise EditRefused(f"Clips may lie in one another {DEEPEST} deep, no deeper.")
        switch = switch_of(figure, self.switch)
        clip = Clip(id=new_id(figure), part=part.id, by=by.id, erased=self.erased, unseen=self.unseen, switch=switch)
        return with_treatment(figure.replace(treatments=kept), clip, stores)

    def describe(self, figure: Figure) -> str:
        part, by = need_part(figure, self.part).name, need_part(figure, self.by).name
        return f"erase {part} where {by} is" if self.erased else f"clip {part} to {by}"


def switch_of(figure: Figure, switch: Switch | None) -> Switch | None:
    """The switch with its bone by id. Raises EditRefused for a bone that is not there or a range turned round."""
    if switch is None:
        return None
    if switch.low >= switch.high:
        raise EditRefused("A switch goes from a smaller to a greater angle.")
    return switch.model_copy(update={"bone": need_bone(figure, switch.bone).id})


def _depth(treatments: tuple[object, ...], ref: str) -> int:
    """How many clips deep a part lies."""
    return max(
        (1 + _depth(treatments, one.by) for one in treatments if isinstance(one, Clip) and one.part == ref), default=0
    )


def _height(treatments: tuple[object, ...], ref: str) -> int:
    """How many clips deep others lie in a part."""
    return max(
        (1 + _height(treatments, one.part) for one in treatments if isinstance(one, Clip) and one.by == ref), default=0
    )
