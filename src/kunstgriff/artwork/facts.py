"""What can be read from a part's picture alone: its line, its pieces and holes, how hard its edge is.

All of it is kept by the drawing, so nothing is read twice.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray
from shapely.geometry import Polygon

from kunstgriff.artwork.ink import line_widths, part_ink
from kunstgriff.artwork.outline import part_outline
from kunstgriff.figure.model import Figure, Part
from kunstgriff.figure.stores import Beside, Stores

READERS = 2  # threads; OpenCV lets go of the interpreter
STRAY = 0.005  # share of the part's area below which an island is a stray
STRAY_AREA = 400.0  # px² above which it is not
STRAY_AWAY = 6.0  # px from everything else from which it is
ISLAND = 0.04  # share of the part's area from which an island is a piece of its own
HOLE = 0.003  # share from which a hole is one
SOFT = 2.2  # px of half see-through edge from which it shows as a halo; a hard edge has about 1
ONE_COLOUR = 4  # steps of 255 within which all colours of a part are one


@dataclass(frozen=True)
class PartFacts:
    """Readings of one part: `line_width` and `line_spread` (interquartile range) in px, `inked` the share of its edge
    that has a line, `islands` and `holes` in px² largest first, `strays` in px², `softness` of its edge in px, whether
    it is one colour filling its whole rectangle."""

    line_width: float
    line_spread: float
    inked: float
    islands: tuple[float, ...]
    holes: tuple[float, ...]
    strays: tuple[float, ...]
    softness: float
    is_plain_block: bool


def facts_of(part: Part, stores: Stores) -> PartFacts:
    """The readings of a part."""
    return _facts(part.drawing.looks, Beside((part, stores)))


def facts_of_all(figure: Figure, stores: Stores) -> dict[str, PartFacts]:
    """The readings of all parts that take part, by id; what is new is read side by side."""
    parts = [part for part in figure.parts if not part.left_out]
    with ThreadPoolExecutor(READERS) as readers:
        read = readers.map(lambda part: facts_of(part, stores), parts)
        return {part.id: facts for part, facts in zip(parts, read, strict=True)}


@lru_cache(maxsize=4096)
def _facts(_drawing: object, beside: Beside[tuple[Part, Stores]]) -> PartFacts:
    part, stores = beside.value
    rgba = stores.get_pixels(part.drawing.picture)
    split = part_ink(part, stores)
    widths = line_widths(rgba, split)
    inked = widths[widths > 0]
    outline = part_outline(part, stores)
    pieces = sorted(outline.geoms, key=lambda one: -one.area)
    area = outline.area
    main = pieces[0]
    strays = tuple(one.area for one in pieces[1:] if is_stray(one, main, area))
    return PartFacts(
        line_width=float(np.median(inked)) if inked.size else 0.0,
        line_spread=float(np.subtract(*np.percentile(inked, [75, 25]))) if inked.size else 0.0,
        inked=float(inked.size / max(widths.size, 1)),
        islands=tuple(one.area for one in pieces if one.area > ISLAND * area),
        holes=tuple(sorted((a for one in pieces for a in _holes(one) if a > HOLE * area), reverse=True)),
        strays=strays,
        softness=softness(rgba[..., 3]),
        is_plain_block=_is_plain_block(rgba),
    )


def is_stray(piece: Polygon, main: Polygon, area: float) -> bool:
    """Whether an island of a part is only a few stray pixels, away from the rest."""
    return bool(piece.area < min(STRAY * area, STRAY_AREA) and piece.distance(main) > STRAY_AWAY)


def _holes(piece: Polygon) -> list[float]:
    return [Polygon(ring).area for ring in piece.interiors]


def softness(alpha: NDArray[np.uint8]) -> float:
    """Mean width in px of the half see-through band along a picture's edge (h, w)."""
    band = np.minimum(alpha, 255 - alpha.astype(int)) > 12
    # what is half see-through far from any edge is drawn so and no soft edge
    edge = cv2.morphologyEx((alpha >= 128).astype(np.uint8), cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8))
    length = np.count_nonzero(edge) / 2
    near = cv2.dilate(edge, np.ones((25, 25), np.uint8)) > 0
    return float(np.count_nonzero(band & near) / max(length, 1))


def _is_plain_block(rgba: NDArray[np.uint8]) -> bool:
    if rgba[..., 3].min() < 250 or rgba.shape[0] * rgba.shape[1] < 64:
        return False
    colours = rgba[..., :3].reshape(-1, 3)
    return bool((np.ptp(colours, axis=0) <= ONE_COLOUR).all())
