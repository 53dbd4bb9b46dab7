"""Covers when a drawing changed: the recipe stays, the ink-less picture is made anew from the new one."""

from __future__ import annotations

import numpy as np

from kunstgriff.artwork.ink import part_ink
from kunstgriff.figure.model import Cover, Figure, Part
from kunstgriff.figure.renewal import renewer
from kunstgriff.figure.stores import Stores, decode_png, encode_png
from kunstgriff.seam.cover import cover_picture


@renewer(50)
def remake_covers(figure: Figure, before: Part, ref: str, stores: Stores) -> Figure:
    """Make the covers whose source this part is anew."""
    part = figure.part(ref)
    if part is None or all(cover.source != ref for cover in figure.covers):
        return figure
    rgba, split = decode_png(stores.get_picture(part.picture)), part_ink(part, stores)

    def remade(cover: Cover) -> Cover:
        bone = figure.bone(cover.bone)
        if cover.source != ref or bone is None:
            return cover
        x, y = np.subtract(bone.joint, part.place)
        picture = encode_png(cover_picture(rgba, split, (float(x), float(y)), cover.radius, cover.soft))
        return cover.model_copy(update={"picture": stores.put_picture(picture)})

    return figure.replace(covers=tuple(remade(cover) for cover in figure.covers))
