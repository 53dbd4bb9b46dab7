"""Two parts in one drawing, as they lie at rest: one fill, one line around both."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from kunstgriff.artwork.ink import InkSplit, Pixels, edge_depth, nearest_colour
from kunstgriff.figure.model import Figure, Part
from kunstgriff.figure.stores import Stores
from kunstgriff.seam.drawn import drawn


def laid_together(
    figure: Figure,
    upper: Part,
    lower: Part,
    corner: NDArray[np.float64],
    side: int,
    stores: Stores,
    inks: tuple[str, ...] | None = None,
) -> Pixels:
    """Two parts at rest in one drawing (side, side, 4) whose top left is `corner`, with one line around both."""
    both = [_laid(figure, part, corner, side, stores, inks) for part in (upper, lower)]
    return _together(both[0], both[1])


def _laid(
    figure: Figure, part: Part, corner: NDArray[np.float64], side: int, stores: Stores, inks: tuple[str, ...] | None
) -> tuple[Pixels, InkSplit]:
    """A part's picture and ink on a square of `side` px at `corner`."""
    rgba, split = drawn(figure, part, stores, inks)
    x, y = np.subtract(part.place, corner)
    move = np.array([[1, 0, x], [0, 1, y]], np.float64)

    def moved(array: NDArray[Any]) -> NDArray[Any]:
        return np.asarray(cv2.warpAffine(array, move, (side, side), flags=cv2.INTER_LINEAR))

    alpha = rgba[..., 3:].astype(np.float32) / 255
    colour = moved(np.dstack([rgba[..., :3] * alpha, alpha]).astype(np.float32))
    fill = moved(split.fill)
    straight = np.divide(
        colour[..., :3], colour[..., 3:], out=np.zeros_like(colour[..., :3]), where=colour[..., 3:] > 0.01
    )
    picture = np.dstack([np.rint(straight), np.rint(colour[..., 3] * 255)]).astype(np.uint8)
    return picture, InkSplit(moved(split.coverage), fill, moved(split.depth), split.line_width)


def _together(upper: tuple[Pixels, InkSplit], lower: tuple[Pixels, InkSplit]) -> Pixels:
    """One drawing of two parts (each (h, w, 4)): the lower's fill over the upper's, a line along what they cover."""
    widths = [split.line_width for _, split in (upper, lower) if split.line_width]
    width = float(np.mean(widths)) if widths else 0.0
    alpha = np.maximum(upper[0][..., 3], lower[0][..., 3])
    over = (lower[0][..., 3:] / 255.0) * (lower[1].depth[..., None] > lower[1].line_width / 2)
    fill = (upper[1].fill * (1 - over) + lower[1].fill * over).astype(np.float32)
    core = np.zeros(alpha.shape, bool)
    for picture, split in (upper, lower):
        core |= (split.coverage < 0.01) & (picture[..., 3] > 250)
    if core.any():
        fill = nearest_colour(fill, core)
    depth = edge_depth(np.dstack([fill.astype(np.uint8), alpha]))
    inked = [(picture[..., :3][(split.at_edge > 0.9) & (picture[..., 3] > 250)]) for picture, split in (upper, lower)]
    colours = np.concatenate(inked).astype(np.float64)
    line = np.clip(width + 0.5 - depth, 0, 1)[..., None] * (len(colours) > 0)
    colour = fill * (1 - line) + (colours.mean(0) if len(colours) else 0.0) * line
    return np.dstack([np.rint(colour), alpha]).astype(np.uint8)
