"""Two parts in one drawing, as they lie at rest, without the line that crosses them."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from kunstgriff.artwork.ink import Pixels
from kunstgriff.figure.model import Figure, Part
from kunstgriff.figure.stores import Stores
from kunstgriff.seam.drawn import bare_picture, drawn, fill_picture

Floats32 = NDArray[np.float32]


def laid_together(
    figure: Figure, behind: Part, front: Part, corner: NDArray[np.float64], side: int, stores: Stores
) -> Pixels:
    """Two parts at rest in one drawing (side, side, 4) whose top left is `corner`: the one in front over the other,
    trimmed by its fill as `trim` does."""
    below, above = drawn(figure, behind, stores), drawn(figure, front, stores)
    lower = _laid(below[0], behind, corner, side)
    fill = _laid(fill_picture(*below), behind, corner, side)[..., 3:]
    full, bare = (_laid(one, front, corner, side) for one in (above[0], bare_picture(*above)))
    upper = full * (1 - fill) + bare * fill
    whole = upper + lower * (1 - upper[..., 3:])
    alpha = whole[..., 3:]
    colour = np.divide(whole[..., :3], alpha, out=np.zeros_like(whole[..., :3]), where=alpha > 0)
    return np.asarray(np.rint(np.dstack([colour, alpha]) * 255), np.uint8)


def _laid(picture: Pixels, part: Part, corner: NDArray[np.float64], side: int) -> Floats32:
    """A part's picture, premultiplied in [0, 1], on a square of `side` px at `corner`."""
    x, y = np.subtract(part.drawing.place, corner)
    alpha = picture[..., 3:].astype(np.float32) / 255
    premultiplied = np.dstack([picture[..., :3] / np.float32(255) * alpha, alpha])
    return np.asarray(cv2.warpAffine(premultiplied, np.array([[1, 0, x], [0, 1, y]]), (side, side)), np.float32)
