"""What an edit would make of the drawing, before it is made: before, after, and where they differ."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.edit import Edit, EditRefused, apply_edit
from kunstgriff.figure.model import Figure, Part
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import Stores, Trying
from kunstgriff.paint.painter import Painter, View, unmultiply

ROOM = 14.0  # px around what changes
LARGEST = 2.0  # px painted for one of the figure at most
CHANGED = 12  # of 255 by which a pixel must differ to be told as another
MARK = np.array([122, 59, 105, 255], np.uint8)  # plum, as what is marked in seams

Pixels = NDArray[np.uint8]


def preview(figure: Figure, stores: Stores, edit: Edit | dict[str, object], painter: Painter, tile: int) -> Pixels:
    """Pictures (tile, 3 * tile, 4), straight alpha, of what an edit repaints: before, after, and what differs in plum
    over the rest made pale. Raises EditRefused as the edit does, or where it repaints nothing."""
    trying = Trying(stores)
    after = apply_edit(edit, figure, trying)
    box = _changed_box(figure, after)
    if box is None:
        raise EditRefused("Nothing of the drawing would look otherwise.")
    low, high = box
    scale = min(LARGEST, tile / float((high - low).max()))
    middle = (low + high) / 2
    view = View((tile, tile), scale, (middle[0] - tile / 2 / scale, middle[1] - tile / 2 / scale))
    pictures = []
    for item in (figure, after):
        rig = compile_rig(item, trying)
        pictures.append(painter.paint_premultiplied(rig, rig.evaluate(Pose()), view, trying).copy())
    differs = np.abs(pictures[0].astype(np.int16) - pictures[1]).max(2) > CHANGED
    told = (pictures[1] * 0.35).astype(np.uint8)
    told[differs] = MARK
    for picture in (*pictures, told):
        unmultiply(picture)
    return np.concatenate([*pictures, told], axis=1)


def _changed_box(before: Figure, after: Figure) -> tuple[NDArray[np.float64], NDArray[np.float64]] | None:
    """The corners of what the pictures that come, go or change cover, px of the figure."""
    old, new = ({part.id: part for part in figure.parts} for figure in (before, after))
    changed: list[Part] = []
    for ref in {*old, *new}:
        one, other = old.get(ref), new.get(ref)
        if (
            one is None
            or other is None
            or one.drawing.looks != other.drawing.looks
            or one.drawing.place != other.drawing.place
        ):
            changed += [part for part in (one, other) if part is not None]
    if not changed:
        return None
    low = np.min([part.drawing.place for part in changed], 0) - ROOM
    high = np.max([np.add(part.drawing.place, part.drawing.size) for part in changed], 0) + ROOM
    return (low, high) if math.isfinite(float(np.ptp([low, high]))) else None
