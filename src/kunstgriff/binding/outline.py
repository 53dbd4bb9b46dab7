"""The outline a mesh is laid in."""

from __future__ import annotations

from shapely.geometry import MultiPolygon
from shapely.geometry.base import BaseGeometry

from kunstgriff.artwork.outline import polygons_of

MARGIN = 2.0  # px a mesh reaches past the art, so that the picture's own alpha makes the edge (measured)
SLACK = 0.2  # of the edge length by which the outline is smoothed


def mesh_outline(outline: MultiPolygon, edge_length: float, margin: float = MARGIN) -> MultiPolygon:
    """The outline a mesh of this edge length is laid in: smoother, and at least `margin` outside the art.

    It closes gaps narrower than `closing` tells; there the mesh is cut (see `slits`). Corners sharper than 60° are cut
    off (mitre limit 2), since no triangle in them could have a good angle.
    """
    tolerance = 0.12 * edge_length
    slack = SLACK * edge_length
    outline = _multi(outline.simplify(min(0.4 * tolerance, MARGIN / 2)))
    wide = outline.buffer(margin + slack, join_style="round", quad_segs=4)
    smooth = wide.buffer(slack, join_style="round", quad_segs=4).buffer(-slack, join_style="mitre", mitre_limit=2.0)
    return _multi(smooth.simplify(min(tolerance, slack)).buffer(0))


def closing(edge_length: float, margin: float) -> float:
    """Half the width (px) of the widest gap the outline of a mesh of this edge length may close, with some room."""
    return margin + 2.5 * SLACK * edge_length + 2.0


def _multi(shape: BaseGeometry) -> MultiPolygon:
    return MultiPolygon([one for one in polygons_of(shape) if one.area > 0.1])
