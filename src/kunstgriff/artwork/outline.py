"""A part's outline as polygons, from its alpha."""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray
from shapely.geometry import MultiPolygon, Polygon
from shapely.geometry.base import BaseGeometry

from kunstgriff.figure.model import Part
from kunstgriff.figure.stores import Stores, decode_png

SOLID = 128  # alpha of half opacity
SPECK = 12.0  # px²; islands and holes smaller than this are left out of the outline


@lru_cache(maxsize=512)
def _outline(digest: str, picture: bytes, level: int) -> MultiPolygon:
    alpha = _alpha(digest, picture)
    return outline_of(alpha, level if (alpha >= level).any() else 1)


def part_outline(part: Part, stores: Stores) -> MultiPolygon:
    """The part's outline in px of its own picture: around everything painted, however faintly."""
    return _outline(part.drawing.picture, stores.get_picture(part.drawing.picture), 1)


def part_solid(part: Part, stores: Stores) -> MultiPolygon:
    """The outline at half opacity, px of the picture: a brush's soft edge does not close what is seen to be open."""
    return _outline(part.drawing.picture, stores.get_picture(part.drawing.picture), SOLID)


def part_alpha(part: Part, stores: Stores) -> NDArray[np.uint8]:
    """The alpha of the part's picture (h, w)."""
    return _alpha(part.drawing.picture, stores.get_picture(part.drawing.picture))


@lru_cache(maxsize=64)
def _alpha(digest: str, picture: bytes) -> NDArray[np.uint8]:
    return np.ascontiguousarray(decode_png(picture)[..., 3])


def outline_of(alpha: NDArray[np.uint8], level: int = 1) -> MultiPolygon:
    """Outline of all that is painted with an alpha of `level` and more, islands and holes kept, in px of the picture.

    Pixel corners are at whole numbers.

    Borders are followed by Suzuki & Abe 1985 (`cv2.findContours`) on a mask doubled in size, so that a polygon runs
    around the pixels and not through their centres. Raises ValueError where nothing is painted.
    """
    mask = np.pad((alpha >= level).astype(np.uint8), 1)
    doubled = cv2.resize(mask, None, fx=2, fy=2, interpolation=cv2.INTER_NEAREST)
    contours, hierarchy = cv2.findContours(doubled, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_SIMPLE)
    if hierarchy is None:
        raise ValueError("Nothing is painted on this part, so it has no outline.")
    rings = [(contour[:, 0, :].astype(np.float64) + 0.5) / 2 - 1.0 for contour in contours]
    outer: dict[int, list[NDArray[np.float64]]] = {}
    for number, (_, _, _, parent) in enumerate(hierarchy[0]):
        if parent >= 0 and len(rings[number]) >= 4:
            outer.setdefault(parent, []).append(rings[number])
    shapes: BaseGeometry = MultiPolygon()
    for number, (_, _, _, parent) in enumerate(hierarchy[0]):
        if parent < 0 and len(rings[number]) >= 4:
            shapes = shapes.union(Polygon(rings[number], outer.get(number, ())).buffer(0))
    whole = polygons_of(shapes.simplify(0.5).buffer(0))  # simplified rings may touch themselves
    kept = [
        Polygon(one.exterior, [hole for hole in one.interiors if Polygon(hole).area > SPECK])
        for one in whole
        if one.area > SPECK
    ]
    return MultiPolygon(kept or [max(whole, key=lambda one: one.area)])


def polygons_of(shape: BaseGeometry) -> list[Polygon]:
    """The polygons of any geometry."""
    parts = getattr(shape, "geoms", [shape])
    return [one for one in parts if isinstance(one, Polygon) and not one.is_empty]
