"""Laying one picture on another as W3C Compositing and Blending Level 1 and Porter & Duff 1984 define it.

Pictures here are premultiplied float (h, w, 4) in [0, 1]. `paint/shaders/composite.frag` does the same on the stage.

>>> import numpy as np
>>> half_red = np.array([[[0.5, 0.0, 0.0, 0.5]]])
>>> white = np.ones((1, 1, 4))
>>> laid("multiply", white, half_red)[0, 0].tolist()
[1.0, 0.5, 0.5, 1.0]
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, get_args

import cv2
import numpy as np
from numpy.typing import NDArray

from kunstgriff.figure.model import Blend

Floats = NDArray[np.floating[Any]]
MODES: tuple[str, ...] = get_args(Blend)
REACHES_PAST = ("destination-in", "destination-atop")  # these change the backdrop where the source is see-through, too


def laid(mode: str, backdrop: Floats, source: Floats) -> Floats:
    """`source` laid on `backdrop` by a mode of `MODES`; both premultiplied (h, w, 4). Raises KeyError for another."""
    over, under = source[..., 3:], backdrop[..., 3:]
    if mode == "normal":
        return np.asarray(source + backdrop * (1 - over))
    if mode == "plus-lighter":
        return np.minimum(source + backdrop, 1)
    if mode in _PORTER_DUFF:
        of_source, of_backdrop = _PORTER_DUFF[mode](over, under)
        return np.asarray(source * of_source + backdrop * of_backdrop)
    mixed = _BLENDS[mode](_straight(backdrop), _straight(source))
    colour = source[..., :3] * (1 - under) + backdrop[..., :3] * (1 - over) + over * under * mixed
    return np.concatenate([colour, over + under * (1 - over)], axis=-1)


def premultiplied(rgba: NDArray[np.uint8], opacity: float = 1.0) -> NDArray[np.float32]:
    """Straight uint8 pixels as premultiplied float in [0, 1]."""
    pixels = rgba.astype(np.float32) / np.float32(255)
    pixels[..., 3] *= opacity
    pixels[..., :3] *= pixels[..., 3:]
    return pixels


def straightened(pixels: Floats) -> NDArray[np.uint8]:
    """Premultiplied float as straight uint8; colours of see-through pixels are 0."""
    return np.asarray(np.rint(np.dstack([_straight(pixels), pixels[..., 3]]).clip(0, 1) * 255), np.uint8)


def resized(rgba: NDArray[np.uint8], size: tuple[int, int]) -> NDArray[np.uint8]:
    """Straight pixels in another size (w, h), mixed premultiplied: averaged where smaller, cubic where larger."""
    way = cv2.INTER_AREA if size[0] < rgba.shape[1] else cv2.INTER_CUBIC
    return straightened(np.clip(cv2.resize(premultiplied(rgba), size, interpolation=way), 0, 1))


def _straight(pixels: Floats) -> Floats:
    alpha = pixels[..., 3:]
    return np.divide(pixels[..., :3], alpha, out=np.zeros_like(pixels[..., :3]), where=alpha > 0)


_PORTER_DUFF: dict[str, Callable[[Floats, Floats], tuple[Floats | float, Floats | float]]] = {
    "source-atop": lambda over, under: (under, 1 - over),
    "destination-in": lambda over, under: (0.0, over),
    "destination-out": lambda over, under: (0.0, 1 - over),
    "destination-atop": lambda over, under: (1 - under, over),
}


def _screen(b: Floats, s: Floats) -> Floats:
    return np.asarray(b + s - b * s)


def _hard_light(b: Floats, s: Floats) -> Floats:
    return np.where(s <= 0.5, b * 2 * s, _screen(b, 2 * s - 1))


def _soft_light(b: Floats, s: Floats) -> Floats:
    deep = np.where(b <= 0.25, ((16 * b - 12) * b + 4) * b, np.sqrt(np.maximum(b, 0)))
    return np.where(s <= 0.5, b - (1 - 2 * s) * b * (1 - b), b + (2 * s - 1) * (deep - b))


def _dodge(b: Floats, s: Floats) -> Floats:
    return np.where(b <= 0, 0, np.where(s >= 1, 1, np.minimum(1, b / np.maximum(1 - s, 1e-6))))


def _burn(b: Floats, s: Floats) -> Floats:
    return np.where(b >= 1, 1, np.where(s <= 0, 0, 1 - np.minimum(1, (1 - b) / np.maximum(s, 1e-6))))


def _lum(colour: Floats) -> Floats:
    return np.asarray((colour * (0.3, 0.59, 0.11)).sum(-1, keepdims=True))


def _sat(colour: Floats) -> Floats:
    return np.asarray(colour.max(-1, keepdims=True) - colour.min(-1, keepdims=True))


def _set_lum(colour: Floats, lum: Floats) -> Floats:
    """The specification's SetLum with its ClipColor."""
    colour = colour + (lum - _lum(colour))
    light, low, high = _lum(colour), colour.min(-1, keepdims=True), colour.max(-1, keepdims=True)
    colour = np.where(low < 0, light + (colour - light) * light / np.maximum(light - low, 1e-6), colour)
    return np.where(high > 1, light + (colour - light) * (1 - light) / np.maximum(high - light, 1e-6), colour)


def _set_sat(colour: Floats, sat: Floats) -> Floats:
    low, span = colour.min(-1, keepdims=True), _sat(colour)
    return np.where(span > 0, (colour - low) * sat / np.maximum(span, 1e-6), 0)


_BLENDS: dict[str, Callable[[Floats, Floats], Floats]] = {
    "multiply": lambda b, s: b * s,
    "screen": _screen,
    "overlay": lambda b, s: _hard_light(s, b),
    "darken": np.minimum,
    "lighten": np.maximum,
    "color-dodge": _dodge,
    "color-burn": _burn,
    "hard-light": _hard_light,
    "soft-light": _soft_light,
    "difference": lambda b, s: np.abs(b - s),
    "exclusion": lambda b, s: b + s - 2 * b * s,
    "hue": lambda b, s: _set_lum(_set_sat(s, _sat(b)), _lum(b)),
    "saturation": lambda b, s: _set_lum(_set_sat(b, _sat(s)), _lum(b)),
    "color": lambda b, s: _set_lum(s, _lum(b)),
    "luminosity": lambda b, s: _set_lum(b, _lum(s)),
}


def painted_box(pixels: NDArray[np.uint8]) -> tuple[slice, slice] | None:
    """Rows and columns outside of which alpha is 0; None where nothing is painted."""
    alpha = pixels[..., 3]
    rows = np.flatnonzero(alpha.any(1))
    if not rows.size:
        return None
    columns = np.flatnonzero(alpha[rows[0] : rows[-1] + 1].any(0))
    return slice(int(rows[0]), int(rows[-1]) + 1), slice(int(columns[0]), int(columns[-1]) + 1)
