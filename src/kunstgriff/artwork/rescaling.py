"""A figure at another scale: everything in px grows or shrinks alike, pictures are drawn in another size."""

from __future__ import annotations

from functools import cache
from typing import Any

from kunstgriff.artwork.blending import resized
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.model import Figure
from kunstgriff.figure.references import Found, mapped
from kunstgriff.figure.stores import PICTURE_PIXELS_LIMIT, Missing, Stores, encode_png

LEAST, MOST = 0.1, 8.0  # times


def rescaled(figure: Figure, by: float, stores: Stores) -> Figure:
    """The figure `by` times as large, pictures resampled. Raises EditRefused for a scale that makes no sense."""
    if by == 1:
        return figure
    if not LEAST <= by <= MOST:
        raise EditRefused(f"A figure is rescaled by {LEAST:g} to {MOST:g} times.")
    if any(part.drawing.size[0] * part.drawing.size[1] * by * by > PICTURE_PIXELS_LIMIT for part in figure.parts):
        raise EditRefused("At that scale a picture would be larger than Kunstgriff takes.")

    def pixels(count: int) -> int:
        return max(round(count * by), 1)

    @cache
    def picture(digest: str) -> str:
        drawn = stores.get_pixels(digest)
        return stores.put_picture(encode_png(resized(drawn, (pixels(drawn.shape[1]), pixels(drawn.shape[0])))))

    def at_scale(found: Found) -> Any:
        means, value = found.means, found.value
        match means.kind:
            case "place" | "move" | "own place":
                return value[0] * by, value[1] * by
            case "length" | "own length":
                return value * by
            case "pixels":
                return pixels(value) if isinstance(value, int) else tuple(pixels(one) for one in value)
            case "picture":
                try:
                    return picture(value)
                except Missing:
                    if means.kept:
                        raise
                    return value
            case "array" if means.in_px:
                array = stores.get_array(value)
                return stores.put_array((array * by).astype(array.dtype))
            case _:
                return value

    return mapped(figure, at_scale).replace()
