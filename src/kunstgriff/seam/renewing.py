"""Covers when a drawing changed: the recipe stays, the ink-less picture is made anew from the new one."""

from __future__ import annotations

import numpy as np

from kunstgriff.artwork.ink import part_ink
from kunstgriff.figure.model import Cover, Figure, Part
from kunstgriff.figure.renewal import renewer, rest_setter, setup_copier
from kunstgriff.figure.stores import Stores, decode_png, encode_png
from kunstgriff.seam.cover import cover_picture
from kunstgriff.seam.edits import LayCover


@rest_setter
def covers_at_rest(before: Figure, after: Figure, stores: Stores) -> Figure:
    """Covers made anew where the part they copy was redrawn."""
    for part in after.parts:
        was = before.part(part.id)
        if was is not None and was.picture != part.picture:
            after = remake_covers(after, was, part.id, stores)
    return after


@setup_copier
def covers_alike(figure: Figure, bones: dict[str, str], parts: dict[str, str], stores: Stores) -> Figure:
    """Covers at the joints of one limb laid at those of the other too."""
    for cover in figure.covers:
        if cover.bone in bones and cover.source in parts and cover.over in parts:
            laid = LayCover(bone=bones[cover.bone], source=parts[cover.source], over=parts[cover.over])
            figure = laid.apply(figure, stores)
    return figure


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
