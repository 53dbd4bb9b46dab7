"""A part's outline as polygons, from its alpha."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray
from shapely.geometry import MultiPolygon, Polygon
from shapely.geometry.base import BaseGeometry

MARGIN = 2.0  # px a mesh reaches past the art, so that the picture's own alpha makes the edge (measured)
GAP_MARGIN = 1.0  # px of margin left on each side of a narrow gap
SPECK = 12.0  # px²; islands and holes smaller than this are left out of the outline


def outline_of(alpha: NDArray[np.uint8]) -> MultiPolygon:
    """Outline of everything painted, islands and holes kept, in px of the picture (pixel corners at whole numbers).

    Borders are followed by Suzuki & Abe 1985 (`cv2.findContours`) on a mask doubled in size, so that a polygon runs
    around the pixels and not through their centres. Raises ValueError where nothing is painted.
    """
    mask = np.pad((alpha > 0).astype(np.uint8), 1)
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
    whole = _polygons(shapes.simplify(0.5))
    kept = [
        Polygon(one.exterior, [hole for hole in one.interiors if Polygon(hole).area > SPECK])
        for one in whole
        if one.area > SPECK
    ]
    return MultiPolygon(kept or [max(whole, key=lambda one: one.area)])


def mesh_outline(outline: MultiPolygon, edge_length: float) -> MultiPolygon:
    """The outline a mesh of this edge length is laid in: smoother, and at least `MARGIN` outside the art.

    Corners sharper than 60° are cut off (mitre limit 2), since no triangle in them could have a good angle.
    """
    tolerance = 0.12 * edge_length
    slack = 0.2 * edge_length
    outline = _multi(outline.simplify(min(0.4 * tolerance, MARGIN / 2)))
    wide = outline.buffer(MARGIN + slack, join_style="round", quad_segs=4)
    smooth = wide.buffer(slack, join_style="round", quad_segs=4).buffer(-slack, join_style="mitre", mitre_limit=2.0)
    simple = smooth.simplify(min(tolerance, slack)).difference(_gaps(outline, MARGIN + slack, edge_length))
    return _multi(simple.buffer(0))


def _gaps(outline: MultiPolygon, reach: float, edge_length: float) -> BaseGeometry:
    """What must stay open between parts of the outline nearer to one another than their margins reach.

    Without it weights would leak across the gap. The region is the closing of the outline by `reach`, carried on past
    the gap's mouth, less a little margin. Dents shallower than two edges are left to close.
    """
    closed = outline.buffer(reach).buffer(-reach).difference(outline)
    deep = [one for one in _polygons(closed) if one.length > 4 * edge_length and one.area > edge_length]
    return MultiPolygon(deep).buffer(2 * reach).difference(outline.buffer(GAP_MARGIN)).simplify(GAP_MARGIN / 4)


def _multi(shape: BaseGeometry) -> MultiPolygon:
    return MultiPolygon([one for one in _polygons(shape) if one.area > 0.1])


def _polygons(shape: BaseGeometry) -> list[Polygon]:
    """The polygons of any geometry."""
    parts = getattr(shape, "geoms", [shape])
    return [one for one in parts if isinstance(one, Polygon) and not one.is_empty]
