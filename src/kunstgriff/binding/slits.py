"""Slits: lines along the middle of narrow see-through ground, at which a mesh is cut so that it never crosses it.

A mesh reaches past the art, so that it would close gaps narrower than twice its margin, and with them neighbouring
fingers, strands or the ends of an open ring would drag one another. It is cut along the middle of each such gap
instead: the medial axis of the ground between two banks, read off the Voronoi diagram of spots along the outline
(Brandt 1994). Triangles meet at the slit without refinement seeing the opposite bank, and stay as even as elsewhere.
"""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components
from scipy.spatial import QhullError, Voronoi, cKDTree
from shapely.geometry import LineString, MultiLineString, MultiPolygon
from shapely.geometry import Point as Spot
from shapely.geometry.base import BaseGeometry
from shapely.ops import linemerge, substring

from kunstgriff.artwork.lines import runs_along, spots_at
from kunstgriff.artwork.outline import polygons_of

SPACING = 0.7  # px between the spots of an outline near gaps; a gap of 2 px is then followed within 0.2 px
MOST_SPOTS = 12_000  # beyond it spots lie further apart
APART = 2.0  # times their distance that two spots must lie apart along the outline to be on two banks of a gap
OPEN = 0.2  # px each bank of a slit is drawn back, so that no two vertices lie on one spot
ON_EDGE = 1e-6  # px within which a slit ends on the outline
NEXT = 0.3  # of the edge length within which a corner of the outline takes a slit's end
ON_SLIT = 1 / 24  # px within which a vertex lies on a slit, on a grid of 1/64 px
CRUMB = 4.0  # px² of ground that is but steps of pixels
SHORTEST = 1.5  # px of the shortest slit worth a cut

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]


def slit_lines(solid: MultiPolygon, reach: float, tolerance: float) -> MultiLineString:
    """The middle lines of all see-through ground less than twice `reach` px wide between two banks of the art.

    `solid` is the art's outline at half opacity. Lines are simplified by `tolerance` px or an eighth of the gap, what
    is less. They run on past the mouth of a gap as far as it is that narrow.
    """
    ground = narrow_ground(solid, reach, 5 * tolerance)
    return MultiLineString([] if ground.is_empty else _middle_lines(ground, solid, reach, tolerance))


def narrow_ground(solid: MultiPolygon, reach: float, least: float) -> MultiPolygon:
    """The see-through ground less than twice `reach` px wide: what closing fills, but for crumbs of `least` px²."""
    closed = solid.buffer(reach, quad_segs=6).buffer(-reach, quad_segs=6)
    return MultiPolygon([one for one in polygons_of(closed.difference(solid)) if one.area > max(least, CRUMB)])


def laid_with(
    laid: MultiPolygon, solid: MultiPolygon, lines: MultiLineString, narrow: float, edge_length: float
) -> tuple[MultiPolygon, MultiLineString]:
    """The polygons a mesh is laid in and the slits inside them, for lines as `slit_lines` gives them.

    Gaps less than `narrow` px wide that have a slit are filled, so that where margins just touch no line runs in and
    out of what is laid.
    """
    if lines.is_empty:
        return laid, lines
    ground = [one for one in narrow_ground(solid, narrow / 2, CRUMB).geoms if one.intersects(lines)]
    if ground:
        filled = laid.union(MultiPolygon(ground).buffer(0.3))
        laid = MultiPolygon(polygons_of(filled.simplify(0.1 * edge_length).buffer(0)))
    return laid, _at_corners(_only_lines(lines.intersection(laid)), laid, NEXT * edge_length)


def _at_corners(slits: MultiLineString, laid: MultiPolygon, within: float) -> MultiLineString:
    """Slits that end on the outline near a corner of it end in that corner, so that no short edge is left between."""
    corners = shapely.get_coordinates(laid)
    tree = cKDTree(corners)
    made = []
    for line in slits.geoms:
        spots = np.asarray(line.coords)
        for _ in ("start", "end"):
            spots = spots[::-1]
            away, nearest = tree.query(spots[-1])
            on_edge = laid.boundary.distance(Spot(spots[-1])) < ON_EDGE
            whole = LineString(spots)
            if on_edge and away < within and whole.length > 6 * within:
                kept = substring(whole, 0, whole.length - 2 * within)  # all but its last bit stays where it is
                spots = np.array([*kept.coords, corners[nearest]])
        made.append(LineString(_without_short(spots, within / 2)))
    return MultiLineString(made)


def _without_short(spots: Floats, least: float) -> Floats:
    """A line without its inner corners nearer than `least` px to the one before or to its end."""
    kept = [spots[0]]
    for spot in spots[1:-1]:
        if min(np.hypot(*(spot - kept[-1])), np.hypot(*(spot - spots[-1]))) >= least:
            kept.append(spot)
    return np.array([*kept, spots[-1]])


def _only_lines(shape: BaseGeometry) -> MultiLineString:
    parts = getattr(shape, "geoms", [shape])
    return MultiLineString([one for one in parts if isinstance(one, LineString) and one.length > SHORTEST])


def _middle_lines(ground: MultiPolygon, solid: MultiPolygon, reach: float, tolerance: float) -> list[LineString]:
    spots, rings, runs, lengths = _spots_along(solid, ground)
    if len(spots) < 8:
        return []
    try:
        diagram = Voronoi(spots)
    except QhullError:
        return []
    one, other = diagram.ridge_points.T
    ends = np.array(diagram.ridge_vertices)
    finite = (ends >= 0).all(1)
    chord = np.hypot(*(spots[one] - spots[other]).T)
    along = np.abs(runs[one] - runs[other])
    along = np.minimum(along, lengths[one] - along)
    across = (rings[one] != rings[other]) | (along > APART * chord)
    kept = np.flatnonzero(finite & across)
    if not len(kept):
        return []
    nodes = diagram.vertices
    shapely.prepare(ground)
    middles = nodes[ends[kept]].mean(1)
    kept = kept[shapely.contains_xy(ground, middles)]
    if not len(kept):
        return []
    pieces = [LineString(nodes[ends[k]]) for k in kept if np.hypot(*np.subtract(*nodes[ends[k]])) > 1e-9]
    merged = linemerge(MultiLineString(pieces))
    lines = list(getattr(merged, "geoms", [merged]))
    widest = float(np.median(chord[kept]))
    simple = [one.simplify(min(tolerance, widest / 8)) for one in lines]
    return _carried_on(_without_twigs(simple), solid, reach)


def _spots_along(solid: MultiPolygon, ground: MultiPolygon) -> tuple[Floats, Ints, Floats, Floats]:
    """Spots (n, 2) along the outline near some ground, with the ring each lies on, how far along it, and its length."""
    beside = ground.buffer(1.0)
    shapely.prepare(beside)
    rings = [ring for one in solid.geoms for ring in (one.exterior, *one.interiors) if beside.intersects(ring)]
    step = max(SPACING, sum(ring.length for ring in rings) / MOST_SPOTS)
    spots, numbers = [np.zeros((0, 2))], [np.zeros(0, np.int32)]
    runs, lengths = [np.zeros(0)], [np.zeros(0)]
    for number, ring in enumerate(rings):
        line = np.asarray(ring.coords)
        along = runs_along(line)
        at = np.arange(0.0, along[-1], step)
        found = spots_at(line, along, at)
        close = shapely.intersects_xy(beside, found)
        spots.append(found[close])
        runs.append(at[close])
        numbers.append(np.full(int(close.sum()), number, np.int32))
        lengths.append(np.full(int(close.sum()), along[-1]))
    return np.concatenate(spots), np.concatenate(numbers), np.concatenate(runs), np.concatenate(lengths)


def _carried_on(lines: list[LineString], solid: MultiPolygon, reach: float) -> list[LineString]:
    """Lines whose free ends lie at the mouth of a gap, where nothing is ahead, carried on by `reach` px."""
    ends = [spot for line in lines for spot in (line.coords[0], line.coords[-1])]
    made = []
    for line in lines:
        spots = list(line.coords)
        for _ in ("start", "end"):
            spots.reverse()
            here = np.array(spots[-1])
            behind = np.array(LineString(spots[::-1]).interpolate(min(reach / 2, line.length)).coords[0])
            direction = (here - behind) / max(np.hypot(*(here - behind)), 1e-9)
            ahead = LineString([here, here + reach * direction])
            if ends.count(spots[-1]) == 1 and not ahead.intersects(solid):
                spots.append(tuple(ahead.coords[1]))
        made.append(LineString(spots))
    return made


def _without_twigs(lines: list[LineString]) -> list[LineString]:
    """Lines worth a cut: short ones that end free on a longer one are noise of the pixels."""
    ends: dict[tuple[float, float], int] = {}
    for line in lines:
        for spot in (line.coords[0], line.coords[-1]):
            ends[spot] = ends.get(spot, 0) + 1
    return [
        line
        for line in lines
        if line.length > SHORTEST or all(ends[spot] > 1 for spot in (line.coords[0], line.coords[-1]))
    ]


def cut(vertices: Floats, triangles: Ints, slits: BaseGeometry) -> tuple[Floats, Ints]:
    """A mesh cut along lines its edges lie on: vertices there once for each side, drawn back a little.

    Corners of triangles that share an edge off the slits stay one vertex; all others come apart.
    """
    shapely.prepare(slits)
    on = shapely.dwithin(shapely.points(vertices), slits, ON_SLIT)
    if not on.any():
        return vertices, triangles
    count = len(triangles)
    corners = np.arange(3 * count).reshape(count, 3)
    starts, stops = corners.ravel(), np.roll(corners, -1, 1).ravel()
    a, b = triangles.ravel(), np.roll(triangles, -1, 1).ravel()
    key = np.minimum(a, b).astype(np.int64) * len(vertices) + np.maximum(a, b)
    order = np.argsort(key, kind="stable")
    same = np.flatnonzero(key[order][1:] == key[order][:-1])
    one, other = order[same], order[same + 1]
    slit = on[a[one]] & on[b[one]]
    middles = (vertices[a[one]] + vertices[b[one]]) / 2
    slit[slit] = shapely.dwithin(shapely.points(middles[slit]), slits, ON_SLIT)
    one, other = one[~slit], other[~slit]
    # the two triangles run along a shared edge in opposite directions
    left = np.concatenate([starts[one], stops[one]])
    right = np.concatenate([stops[other], starts[other]])
    links = coo_array((np.ones(len(left)), (left, right)), shape=(3 * count, 3 * count))
    _, owner = connected_components(links, directed=False)
    _, first = np.unique(owner, return_index=True)
    again = vertices[triangles.ravel()[first]]
    made = owner.reshape(count, 3).astype(np.int32)
    copies = np.bincount(triangles.ravel()[first], minlength=len(vertices))
    return _drawn_back(again, made, copies[triangles.ravel()[first]] > 1), made


def _drawn_back(vertices: Floats, triangles: Ints, which: NDArray[np.bool_]) -> Floats:
    """Vertices with some moved a little into the triangles they belong to."""
    middles = np.repeat(vertices[triangles].mean(1), 3, axis=0)
    flat = triangles.ravel()
    size = np.maximum(np.bincount(flat, minlength=len(vertices)), 1)
    towards = np.stack([np.bincount(flat, middles[:, k], len(vertices)) / size for k in (0, 1)], 1) - vertices
    length = np.maximum(np.hypot(*towards.T), 1e-9)[:, None]
    return np.where(which[:, None], vertices + towards / length * np.minimum(OPEN, 0.2 * length), vertices)
