"""The outline a mesh is laid in."""

from __future__ import annotations

from shapely.geometry import MultiPolygon
from shapely.geometry.base import BaseGeometry

from kunstgriff.artwork.outline import polygons_of

MARGIN = 2.0  # px a mesh reaches past the art, so that the picture's own alpha makes the edge (measured)
GAP_MARGIN = 1.0  # px of margin left on each side of a narrow gap


def mesh_outline(outline: MultiPolygon, edge_length: float, margin: float = MARGIN) -> MultiPolygon:
    """The outline a mesh of this edge length is laid in: smoother, and at least `margin` outside the art.

    Corners sharper than 60° are cut off (mitre limit 2), since no triangle in them could have a good angle.
    """
    tolerance = 0.12 * edge_length
    slack = 0.2 * edge_length
    outline = _multi(outline.simplify(min(0.4 * tolerance, MARGIN / 2)))
    wide = outline.buffer(margin + slack, join_style="round", quad_segs=4)
    smooth = wide.buffer(slack, join_style="round", quad_segs=4).buffer(-slack, join_style="mitre", mitre_limit=2.0)
    simple = smooth.simplify(min(tolerance, slack)).difference(_gaps(outline, margin + slack, edge_length))
    return _multi(simple.buffer(0))


def _gaps(outline: MultiPolygon, reach: float, edge_length: float) -> BaseGeometry:
    """What must stay open between parts of the outline nearer to one another than their margins reach.

    Without it weights would leak across the gap. The region is the closing of the outline by `reach`, carried on past
    the gap's mouth, less a little margin. Dents shallower than two edges are left to close.
    """
    closed = outline.buffer(reach).buffer(-reach).difference(outline)
    deep = [one for one in polygons_of(closed) if one.length > 4 * edge_length and one.area > edge_length]
    return MultiPolygon(deep).buffer(2 * reach).difference(outline.buffer(GAP_MARGIN)).simplify(GAP_MARGIN / 4)


def _multi(shape: BaseGeometry) -> MultiPolygon:
    return MultiPolygon([one for one in polygons_of(shape) if one.area > 0.1])
