"""A triangle mesh over a part: even triangles, no small angles, vertices along the bones."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import pythoncdt
import shapely
from numpy.typing import NDArray
from scipy.spatial import cKDTree
from shapely.geometry import MultiLineString, MultiPolygon
from shapely.geometry.base import BaseGeometry

from kunstgriff.artwork.straight import strip_net
from kunstgriff.binding.fineness import FINEST, Fine, joint_rows, shares_at, with_corners
from kunstgriff.binding.outline import MARGIN, closing, mesh_outline
from kunstgriff.binding.slits import cut, laid_with, slit_lines
from kunstgriff.binding.triangles import signed_areas
from kunstgriff.figure.model import Part

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]

ANGLE = 28.6  # degrees asked of the refinement, so that 28 is reached in spite of rounding; Ruppert 1995
ROUNDS = 2  # of centroid smoothing on one triangulation
COUNT_LIMIT = 20_000
BANDS = (1.0, 0.71, 0.5)  # edge lengths nets of inner points are laid at, as shares


@dataclass(frozen=True)
class PartMesh:
    """`vertices` (n, 2) px of the picture, `triangles` (m, 3), wound clockwise as seen (y down)."""

    vertices: Floats
    triangles: Ints


def build_mesh(
    outline: MultiPolygon,
    count: int,
    spines: list[tuple[Floats, float]] | None = None,
    fine: tuple[Fine, ...] = (),
    edge: float | None = None,
    margin: float = MARGIN,
    solid: MultiPolygon | None = None,
) -> PartMesh:
    """A mesh of about `count` vertices over `outline`, or of about this `edge` length (px) where one is given.

    `spines` are rows of points (k, 2) that must lie on vertices, such as points along bones, each with the least
    distance wanted between them; `fine` tells where edges are shorter, `margin` how far past the art it reaches (px).
    Where `solid`, the outline at half opacity (`outline` unless given), leaves gaps that the margin closes, it is cut.
    Raises ValueError when the part is too small for any triangle.
    """
    solid = outline if solid is None else solid
    if not 3 <= count <= COUNT_LIMIT:
        raise ValueError(f"A mesh may have 3 to {COUNT_LIMIT} vertices; {count} were asked for.")
    if edge is not None:
        expected = outline.area * 2 / math.sqrt(3) / edge**2 + outline.length / (2 * edge)
        if expected > 1.3 * COUNT_LIMIT:
            raise ValueError(f"Edges of {edge:g} px would take more than {COUNT_LIMIT} vertices.")
        mesh = _mesh_at(outline, solid, edge, spines or [], fine, margin)
        if len(mesh.vertices) > COUNT_LIMIT:
            raise ValueError(f"Edges of {edge:g} px would take more than {COUNT_LIMIT} vertices.")
        return mesh
    edge = _edge_length(outline.area, outline.length, count)
    best: PartMesh | None = None
    for _ in range(3):
        mesh = _mesh_at(outline, solid, edge, spines or [], fine, margin)
        reached = len(mesh.vertices)
        if best is None or abs(math.log(reached / count)) < abs(math.log(len(best.vertices) / count)):
            best = mesh
        if abs(reached - count) <= 0.06 * count + 2:
            break
        edge *= math.sqrt(reached / count)
    assert best is not None
    return best


def _edge_length(area: float, perimeter: float, count: int) -> float:
    """Edge length at which an even net over the area has `count` vertices: n = A/(h²√3/2) + P/(2h)."""
    a, b, c = count, -perimeter / 2, -area * 2 / math.sqrt(3)
    return max((-b + math.sqrt(b * b - 4 * a * c)) / (2 * a), 1.0)


def _mesh_at(
    outline: MultiPolygon,
    solid: MultiPolygon,
    edge: float,
    spines: list[tuple[Floats, float]],
    fine: tuple[Fine, ...],
    margin: float,
) -> PartMesh:
    laid = mesh_outline(outline, edge, margin)
    if laid.is_empty:
        raise ValueError("The part is too small for a mesh.")
    narrow = 2 * closing(edge, margin)
    laid, slits = laid_with(laid, solid, slit_lines(solid, 1.2 * narrow / 2, 0.1 * edge), narrow, edge)
    shapely.prepare(laid)
    rows, ends = joint_rows(laid, slits, edge, fine)
    rings = [
        _resampled(
            with_corners(with_corners(np.asarray(ring.coords)[:-1], ends, 0.3 * FINEST * edge), _ends(slits), 0.0),
            edge,
            fine,
        )
        for one in laid.geoms
        for ring in (one.exterior, *one.interiors)
    ]
    lines = [_resampled_line(np.asarray(line.coords), edge, fine) for line in slits.geoms]
    ring_points = np.concatenate([*rings, *lines])
    fixed = [
        rows,
        *(_spaced(points, max(edge * FINEST * 0.9 if fine else edge * 0.9, least)) for points, least in spines),
    ]
    kept = np.concatenate([points for points in fixed if len(points)] or [np.zeros((0, 2))])
    if len(kept):
        kept = kept[shapely.contains_xy(laid, kept)]
        kept = kept[cKDTree(ring_points).query(kept)[0] > 0.45 * edge * shares_at(kept, fine)]
        kept = _apart(kept, 0.62 * edge * shares_at(kept, fine))
    inner = _hexagons(laid, edge, fine)
    if len(inner):
        near = cKDTree(np.concatenate([ring_points, kept])).query(inner)[0]
        inner = inner[near > 0.72 * edge * shares_at(inner, fine)]
    points = np.concatenate([ring_points, kept, inner])
    edges, start = [], 0
    for ring in rings:
        index = np.arange(len(ring)) + start
        edges.append(np.stack([index, np.roll(index, -1)], 1))
        start += len(ring)
    for line in lines:
        index = np.arange(len(line)) + start
        edges.append(np.stack([index[:-1], index[1:]], 1))
        start += len(line)
    constraints = np.concatenate(edges)
    held = len(ring_points) + len(kept)
    if not lines:
        return _triangulated(_smoothed(points, constraints, held), constraints)
    points, constraints, held = _once_each(points, constraints, held)
    within = shapely.build_area(MultiLineString([np.rint(ring[[*range(len(ring)), 0]] * 64) / 64 for ring in rings]))
    mesh = _triangulated(_smoothed(points, constraints, held, within), constraints, within)
    return _tidy(*cut(mesh.vertices, mesh.triangles, MultiLineString([np.rint(line * 64) / 64 for line in lines])))


def _ends(slits: MultiLineString) -> Floats:
    """Where slits begin and end (e, 2)."""
    return np.array([spot for line in slits.geoms for spot in (line.coords[0], line.coords[-1])]).reshape(-1, 2)


def _resampled_line(line: Floats, edge: float, fine: tuple[Fine, ...]) -> Floats:
    """An open line cut into pieces of about `edge`, shorter where it is fine, its own corners kept."""
    pieces = [_resampled(np.array([here, there]), edge, fine, closed=False) for here, there in pairwise(line)]
    return np.concatenate([*pieces, line[-1:]])


def _once_each(points: Floats, constraints: NDArray[np.int64], held: int) -> tuple[Floats, NDArray[np.int64], int]:
    """Points on the grid with none twice, constraints renumbered; those `held` stay first."""
    spots, first, again = np.unique(np.rint(points * 64), axis=0, return_index=True, return_inverse=True)
    order = np.argsort(first, kind="stable")
    number = np.empty(len(spots), np.int64)
    number[order] = np.arange(len(spots))
    edges = number[again.ravel()[constraints]]
    edges = np.unique(np.sort(edges[edges[:, 0] != edges[:, 1]], 1), axis=0)
    return points[first[order]], edges, int((first < held).sum())


def _resampled(ring: Floats, edge: float, fine: tuple[Fine, ...] = (), closed: bool = True) -> Floats:
    """The ring cut into pieces of about `edge`, shorter where it is fine, its own corners kept; of a line that is not
    `closed` all but its last corner."""
    following = np.roll(ring, -1, 0)
    points = []
    for here, there in list(zip(ring, following, strict=True))[: None if closed else -1]:
        length = float(np.hypot(*(there - here)))
        probes = here + (there - here) * np.linspace(0, 1, max(int(length / edge * 4), 1) + 1)[:, None]
        density = 1.0 / (edge * shares_at(probes, fine))
        runs = np.concatenate([[0.0], np.cumsum((density[1:] + density[:-1]) / 2 * length / (len(probes) - 1))])
        pieces = max(round(float(runs[-1])), 1)
        share = np.interp(np.arange(pieces) * runs[-1] / pieces, runs, np.linspace(0, 1, len(runs)))
        points.append(here + (there - here) * share[:, None])
    return np.concatenate(points)


def _spaced(points: Floats, step: float) -> Floats:
    """Every point of a row that is at least `step` after the last one kept; first and last always."""
    if len(points) < 2:
        return points
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))])
    count = max(int(along[-1] // step), 1)
    at = np.linspace(0, along[-1], count + 1)
    return np.stack([np.interp(at, along, points[:, 0]), np.interp(at, along, points[:, 1])], 1)


def _apart(points: Floats, distance: Floats) -> Floats:
    """The points without those that come within their `distance` (n,) of an earlier one that stays."""
    gone: set[int] = set()
    for early, late in sorted(cKDTree(points).query_pairs(float(distance.max(initial=0.0)))):
        if early not in gone and np.hypot(*(points[early] - points[late])) < distance[late]:
            gone.add(late)
    return points[[number for number in range(len(points)) if number not in gone]]


def _hexagons(laid: MultiPolygon, edge: float, fine: tuple[Fine, ...]) -> Floats:
    """Points of hexagonal nets inside the polygons, the densest even packing; a net of its own for each band."""
    if not fine:
        return even_net(laid, edge)
    found = []
    for number, band in enumerate(BANDS):
        net = even_net(laid, edge * band)
        share = shares_at(net, fine)
        nearest = np.abs(share[:, None] - BANDS).argmin(1) if len(net) else np.zeros(0, int)
        found.append(net[nearest == number])
    points = np.concatenate(found)  # the points of one band may be too near to another's
    return _apart(points, 0.72 * edge * shares_at(points, fine)) if len(points) else points


def even_net(laid: BaseGeometry, edge: float) -> Floats:
    """Points (n, 2) inside a polygon, in rows of equilateral triangles of this edge length."""
    left, top, right, bottom = laid.bounds
    rows = np.arange(top, bottom, edge * math.sqrt(3) / 2)
    columns = np.arange(left, right, edge)
    x, y = np.meshgrid(columns, rows)
    x = x + (np.arange(len(rows)) % 2)[:, None] * edge / 2
    points = np.stack([x.ravel(), y.ravel()], 1)
    return np.asarray(points[shapely.contains_xy(laid, points)])


def _net(points: Floats, constraints: NDArray[np.int64]) -> pythoncdt.Triangulation:
    """Constrained Delaunay triangulation.

    Points are put on a grid of 1/64 px first: halving an edge is then exact, without which refinement gives up on
    some edges and leaves thin triangles (measured).
    """
    net = pythoncdt.Triangulation(
        pythoncdt.VertexInsertionOrder.AUTO, pythoncdt.IntersectingConstraintEdges.TRY_RESOLVE, 0.0
    )
    try:
        net.insert_vertices(np.ascontiguousarray(np.rint(points * 64) / 64))
        net.insert_edges(np.ascontiguousarray(constraints, np.uint32))
    except RuntimeError as error:
        raise ValueError("Its outline is too fine for a mesh.") from error
    return net


def _triangulated(points: Floats, constraints: NDArray[np.int64], within: BaseGeometry | None = None) -> PartMesh:
    """Refined triangles inside the closed lines of the constraints, or where those are slits too, `within` polygons."""
    net = _net(points, constraints)
    outside = net.collect_outer_triangles_and_holes() if within is None else _outside(net, within)
    net.refine_triangles(2 * COUNT_LIMIT, pythoncdt.RefinementCriterion.SMALLEST_ANGLE, math.radians(ANGLE), outside)
    return _tidy(*_inside(net, within))


def _inside(net: pythoncdt.Triangulation, within: BaseGeometry | None) -> tuple[Floats, Ints]:
    """Vertices and the triangles that are no ground outside."""
    if within is None:
        net.erase_outer_triangles_and_holes()
    else:
        net.erase_super_triangle()
        shapely.prepare(within)
    vertices = net.vertices_array()
    vertices = np.stack([vertices["x"], vertices["y"]], 1)
    triangles = np.asarray(net.triangles_array()["vertices"], np.int32)
    if within is not None:
        triangles = triangles[shapely.contains_xy(within, *vertices[triangles].mean(1).T)]
    return vertices, triangles


def _outside(net: pythoncdt.Triangulation, within: BaseGeometry) -> set[int]:
    """The triangles of a net that do not lie within polygons."""
    spots = net.vertices_array()
    corners = np.stack([spots["x"], spots["y"]], 1)[net.triangles_array()["vertices"]]
    return set(np.flatnonzero(~shapely.contains_xy(within, *corners.mean(1).T)).tolist())


def _tidy(vertices: Floats, triangles: Ints) -> PartMesh:
    """Without unused vertices, wound one way. Raises ValueError when no triangle is left."""
    if not len(triangles):
        raise ValueError("The part is too small for a mesh.")
    area = 2 * signed_areas(vertices, triangles)
    triangles = triangles[np.abs(area) > 1e-9]
    area = area[np.abs(area) > 1e-9]
    triangles[area < 0] = triangles[area < 0][:, ::-1]
    used, again = np.unique(triangles, return_inverse=True)
    return PartMesh(vertices[used], again.reshape(triangles.shape).astype(np.int32))


def _smoothed(points: Floats, constraints: NDArray[np.int64], held: int, within: BaseGeometry | None = None) -> Floats:
    """Inner points moved to the middle of their neighbours, weighted by triangle area (centroid smoothing)."""
    if len(points) == held:
        return points
    vertices, triangles = _inside(_net(points, constraints), within)
    if len(vertices) != len(points):
        return points
    free = np.arange(len(points)) >= held
    moved = points.copy()
    for _ in range(ROUNDS):
        corners = moved[triangles]
        a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
        area = np.abs((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0]))
        centre = corners.mean(1) * area[:, None]
        flat = triangles.ravel()
        weight = np.bincount(flat, np.repeat(area, 3), len(points))
        middle = np.stack([np.bincount(flat, np.repeat(centre[:, axis], 3), len(points)) for axis in (0, 1)], 1)
        moving = free & (weight > 0)
        moved[moving] = middle[moving] / weight[moving, None]
    return moved


def mesh_edges(triangles: Ints) -> tuple[Ints, NDArray[np.int64]]:
    """Each edge once (e, 2), smaller index first, and how many triangles have it (e,)."""
    ends = np.sort(np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]]), 1)
    count = int(ends.max(initial=0)) + 1
    keys, counts = np.unique(ends[:, 0] * np.int64(count) + ends[:, 1], return_counts=True)
    return np.stack(np.divmod(keys, count), 1).astype(np.int32), counts


def boundary_edges(triangles: Ints) -> Ints:
    """Edges (e, 2) of one triangle only."""
    edges, counts = mesh_edges(triangles)
    return np.asarray(edges[counts == 1])


def smallest_angles(mesh: PartMesh) -> Floats:
    """The smallest angle of each triangle in degrees (m,); Shewchuk 2002 names it among the quality measures."""
    corners = mesh.vertices[mesh.triangles]
    angles = []
    for k in range(3):
        u = corners[:, (k + 1) % 3] - corners[:, k]
        v = corners[:, (k + 2) % 3] - corners[:, k]
        angles.append(np.arctan2(np.abs(u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]), (u * v).sum(1)))
    return np.asarray(np.degrees(np.min(angles, 0)))


def strip_mesh(part: Part) -> PartMesh | None:
    """The net of a straightened part as its mesh, so that it bends by even rows; None for other parts."""
    if part.drawing.strip is None:
        return None
    net = strip_net(part.drawing.strip)
    return PartMesh(net.vertices, net.triangles)


def barycentric(corners: Floats, points: Floats) -> Floats:
    """Shares (m, 3) of the corners of each triangle (m, 3, 2) that make up its point (m, 2), or one point (2,)."""
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    u, v, w = b - a, c - a, points - a
    area = u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]
    second = (w[:, 0] * v[:, 1] - w[:, 1] * v[:, 0]) / area
    third = (u[:, 0] * w[:, 1] - u[:, 1] * w[:, 0]) / area
    return np.stack([1 - second - third, second, third], 1)


def spots_on(vertices: Floats, triangles: Ints, points: Floats, near: int | None = None) -> tuple[Ints, Floats]:
    """The corners (k, 3) and shares (k, 3) of the triangles of a mesh (n, 2) that points (k, 2) lie over, or next to:
    of all its triangles, or of so many `near` each."""
    middles = vertices[triangles].mean(1) if near is not None else None
    corners, shares = np.empty((len(points), 3), np.int32), np.empty((len(points), 3))
    for number, point in enumerate(points):
        faces = triangles
        if middles is not None:
            faces = triangles[np.argsort(((middles - point) ** 2).sum(1))[:near]]
        inside = barycentric(vertices[faces], point)
        best = int(np.nan_to_num(inside.min(1), nan=-np.inf).argmax())
        corners[number], shares[number] = faces[best], inside[best]
    return corners, shares


def mean_edge(mesh: PartMesh) -> float:
    """Mean length of the edges, px."""
    edges, _ = mesh_edges(mesh.triangles)
    return float(np.hypot(*(mesh.vertices[edges[:, 0]] - mesh.vertices[edges[:, 1]]).T).mean())
