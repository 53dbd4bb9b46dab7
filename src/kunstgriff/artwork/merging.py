"""Edits that lay parts together into one."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from kunstgriff.artwork.arranging import without_parts
from kunstgriff.artwork.sheet import ArtSheet, Layer, composite, ink_over_fill, layer_of_part, split_of
from kunstgriff.figure.edit import Edit, EditRefused, PartKeys, need_part
from kunstgriff.figure.model import Figure, Name, Part
from kunstgriff.figure.renewal import redrawn
from kunstgriff.figure.stores import Stores


class MergeParts(Edit):
    """Lay parts together into the hindmost of them, blended as they are painted; what it follows stays.

    So a part that is multiplied or screened is flattened onto the one below it.
    """

    kind: Literal["merge_parts"] = "merge_parts"
    parts: PartKeys
    name: Name | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        chosen = {need_part(figure, key).id for key in self.parts}
        merged = [part for part in figure.parts if part.id in chosen]
        if len(merged) < 2:
            raise EditRefused("Choose at least 2 parts to merge.")
        lowest = merged[0]
        left, top = (int(np.floor(min(part.drawing.place[axis] for part in merged))) for axis in (0, 1))
        right, bottom = (
            int(np.ceil(max(part.drawing.place[axis] + part.drawing.size[axis] for part in merged))) for axis in (0, 1)
        )
        layers = [_layer(part, (left, top), stores) for part in merged]
        # the lowest keeps its own opacity and blending, so it is laid down fully
        layers[0] = _layer(lowest.model_copy(update={"opacity": 1.0, "blend": "normal"}), (left, top), stores)
        whole = Layer.of(lowest.name, composite(ArtSheet((right - left, bottom - top), layers)))
        if not whole.png:
            raise EditRefused("Nothing would be left of these parts.")
        return _as_one(figure, lowest, merged[1:], whole, (left, top), self.name, stores)

    def describe(self, figure: Figure) -> str:
        return f"merge {len(self.parts)} parts"


class JoinInkAndFill(Edit):
    """Make one part of two that hold its ink and its fill; it knows both exactly."""

    kind: Literal["join_ink_and_fill"] = "join_ink_and_fill"
    ink: str
    fill: str

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        ink, fill = need_part(figure, self.ink), need_part(figure, self.fill)
        if ink.id == fill.id:
            raise EditRefused("Ink and fill are two parts.")
        corner = (
            int(np.floor(min(ink.drawing.place[0], fill.drawing.place[0]))),
            int(np.floor(min(ink.drawing.place[1], fill.drawing.place[1]))),
        )
        whole = ink_over_fill(_layer(ink, corner, stores), _layer(fill, corner, stores), fill.name)
        return _as_one(figure, fill, [ink], whole, corner, None, stores)

    def describe(self, figure: Figure) -> str:
        return f"join ink and fill of {need_part(figure, self.fill).name}"


def _layer(part: Part, corner: tuple[int, int], stores: Stores) -> Layer:
    return replace(layer_of_part(part, corner, stores), visible=True)


def _as_one(
    figure: Figure,
    kept: Part,
    others: list[Part],
    whole: Layer,
    corner: tuple[int, int],
    name: str | None,
    stores: Stores,
) -> Figure:
    figure = without_parts(figure, {part.id for part in others})
    before = need_part(figure, kept.id)
    after = before.with_drawing(
        picture=stores.put_picture(whole.png),
        place=(corner[0] + whole.offset[0], corner[1] + whole.offset[1]),
        size=whole.size,
        split=split_of(whole, stores),
        remade=(),
    )
    return redrawn(figure, after.model_copy(update={"name": name or before.name, "tint": None}), stores)
