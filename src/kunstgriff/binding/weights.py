"""Weights: how much each vertex follows each bone, by biharmonic interpolation between bones, by heat or by distance.

The smoothness energy is that of Jacobson, Baran, Popović and Sorkine 2011 (bounded biharmonic weights) without its
inequality constraints: one sparse factorisation instead of a quadratic program; the small overshoots are clamped and
rows normalised. Heat (Baran & Popović 2007, with distances along the mesh in place of visibility) has guaranteed bounds
and is rougher; distance alone is there for comparison. Bones are held at weight 1 along their length, drawn back from
shared joints by `JOINT_TRIM` of the limb's local half width, which takes the crease out of the elbow (measured).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array, csc_array, csr_array, diags_array
from scipy.sparse.csgraph import connected_components, dijkstra
from scipy.sparse.linalg import splu
from scipy.spatial import cKDTree
from shapely.geometry import LineString, MultiPolygon, Point

from kunstgriff.binding.mesh import Floats, Ints, PartMesh
from kunstgriff.figure.model import WeightWay

JOINT_TRIM = 0.35  # of the local half width; measured (ARCHITECTURE)

Segment = tuple[tuple[float, float], tuple[float, float]]


class NoBoneTouches(ValueError):
    """No bone given runs through the part."""


def trimmed_bones(outline: MultiPolygon, bones: list[Segment]) -> list[Segment]:
    """Bones cut to the outline and drawn back from joints they share with one another, in the outline's space."""
    trimmed = []
    for number, (joint, tip) in enumerate(bones):
        others = [end for other, bone in enumerate(bones) if other != number for end in bone]
        line = LineString([joint, tip])
        back = [
            JOINT_TRIM * _half_width(outline, end)
            if any(np.hypot(*np.subtract(end, other)) < 1.0 for other in others)
            else 0.0
            for end in (joint, tip)
        ]
        shrink = min(1.0, 0.8 * line.length / max(sum(back), 1e-9))
        start, stop = back[0] * shrink, line.length - back[1] * shrink
        line = LineString([line.interpolate(start), line.interpolate(stop)]).intersection(outline)
        pieces = [piece for piece in getattr(line, "geoms", [line]) if piece.length > 0]
        if pieces:
            longest = max(pieces, key=lambda piece: float(piece.length))
            a, b = longest.coords[0], longest.coords[-1]
            trimmed.append(((a[0], a[1]), (b[0], b[1])))
        else:
            trimmed.append((joint, joint))
    return trimmed


def linked_bones(bones: list[Segment]) -> NDArray[np.bool_]:
    """Which bones (b, b) share a joint with which, themselves among them."""
    ends = np.array(bones, np.float64).reshape(-1, 2, 1, 1, 2)
    apart = np.hypot(*np.moveaxis(ends - ends.reshape(1, 1, -1, 2, 2), -1, 0))
    return np.asarray((apart.min((1, 3)) < 1.0) | np.eye(len(bones), dtype=bool))


def _half_width(outline: MultiPolygon, at: tuple[float, float]) -> float:
    """Distance to the nearest edge of the outline, in px; 0 outside it."""
    point = Point(at)
    return float(outline.boundary.distance(point)) if outline.contains(point) else 0.0


def spine_points(bones: list[Segment], step: float) -> list[tuple[Floats, float]]:
    """Points along bones that a mesh must have vertices on, for `build_mesh`."""
    rows = []
    for joint, tip in bones:
        length = float(np.hypot(*np.subtract(tip, joint)))
        if length > 0:
            rows.append((np.linspace(joint, tip, max(int(length / step), 1) + 1), step))
    return rows


def laplacian(mesh: PartMesh) -> tuple[csr_array, Floats]:
    """Cotangent Laplacian (n, n), positive semidefinite, and lumped vertex areas (n,) (Pinkall & Polthier 1993)."""
    count = len(mesh.vertices)
    corners = mesh.vertices[mesh.triangles]
    rows, columns, values = [], [], []
    area = np.zeros(count)
    for k in range(3):
        i, j = mesh.triangles[:, (k + 1) % 3], mesh.triangles[:, (k + 2) % 3]
        u, v = corners[:, (k + 1) % 3] - corners[:, k], corners[:, (k + 2) % 3] - corners[:, k]
        double_area = np.abs(u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0])
        half_cotangent = 0.5 * (u * v).sum(1) / double_area
        rows += [i, j, i, j]
        columns += [j, i, i, j]
        values += [-half_cotangent, -half_cotangent, half_cotangent, half_cotangent]
        np.add.at(area, mesh.triangles[:, k], double_area / 6)
    matrix = coo_array((np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))), shape=(count, count))
    return matrix.tocsr(), area


def automatic_weights(
    mesh: PartMesh,
    bones: list[Segment],
    edge: float,
    way: WeightWay = "biharmonic",
    linked: NDArray[np.bool_] | None = None,
) -> NDArray[np.float32]:
    """Weights (n, len(bones)) in [0, 1], rows summing to 1, for bones already trimmed.

    `linked` (b, b) are those that share a joint (see `linked_bones`); traces of others are faded out.

    Islands no bone touches take on the weights of the nearest vertex elsewhere, so that they move as one with it.
    Raises NoBoneTouches when `bones` is empty.
    """
    count = len(mesh.vertices)
    if not bones:
        raise NoBoneTouches("No bone runs through this part.")
    if len(bones) == 1:
        return np.ones((count, 1), np.float32)
    held_by = held_vertices(mesh.vertices, bones, edge)
    held = np.flatnonzero(held_by >= 0)
    reached, weights = _touched(mesh, held_by), np.zeros((count, len(bones)))
    weights[held, held_by[held]] = 1.0
    free = np.flatnonzero(reached & (held_by < 0))
    if free.size:
        weights[free] = _METHODS[way](mesh, held, free, weights[held])
    weights = _without_traces(weights, linked)
    if not reached.all():
        nearest = np.flatnonzero(reached)[cKDTree(mesh.vertices[reached]).query(mesh.vertices[~reached])[1]]
        weights[~reached] = weights[_one_per_island(mesh, ~reached, nearest)]
    total = weights.sum(1, keepdims=True)
    weights = np.where(total > 1e-9, weights / np.maximum(total, 1e-12), 1.0 / len(bones))
    return strongest(weights)


def _solved(matrix: csc_array, right: Floats) -> Floats:
    factor = splu(matrix, permc_spec="MMD_AT_PLUS_A", options={"SymmetricMode": True})
    return np.asarray(factor.solve(right))


def _biharmonic(mesh: PartMesh, held: NDArray[np.intp], free: NDArray[np.intp], values: Floats) -> Floats:
    stiffness, area = laplacian(mesh)
    energy = csc_array(stiffness @ diags_array(1.0 / area) @ stiffness)
    return _solved(energy[free][:, free].tocsc(), -(energy[free][:, held] @ values))


def _heat(mesh: PartMesh, held: NDArray[np.intp], free: NDArray[np.intp], values: Floats) -> Floats:
    """Heat that reaches each vertex from its nearest bone, the more the nearer it is, and evens out over the mesh."""
    stiffness, area = laplacian(mesh)
    lengths = _lengths_along(mesh, held)
    nearest = lengths[:, free].argmin(0)
    strength = area[free] / np.maximum(lengths[nearest, np.arange(len(lengths[0]))[free]], 1e-9) ** 2
    matrix = csc_array(stiffness[free][:, free] + diags_array(strength))
    return _solved(matrix, strength[:, None] * values[nearest] - stiffness[free][:, held] @ values)


def _distance_shares(mesh: PartMesh, held: NDArray[np.intp], free: NDArray[np.intp], values: Floats) -> Floats:
    """Shares falling with the square of the length along the mesh to each bone."""
    lengths = _lengths_along(mesh, held)[:, free]
    away = np.stack([lengths[values[:, bone] > 0].min(0, initial=np.inf) for bone in range(values.shape[1])], 1)
    near = 1.0 / np.maximum(away, 1e-6) ** 2
    return np.asarray(near / np.maximum(near.sum(1, keepdims=True), 1e-300))


def _lengths_along(mesh: PartMesh, held: NDArray[np.intp]) -> Floats:
    """Length (held, n) of the shortest path along edges from each held vertex, px; infinite to other islands."""
    ends = np.concatenate([mesh.triangles[:, [0, 1]], mesh.triangles[:, [1, 2]], mesh.triangles[:, [2, 0]]])
    lengths = np.hypot(*(mesh.vertices[ends[:, 0]] - mesh.vertices[ends[:, 1]]).T)
    count = len(mesh.vertices)
    net = coo_array((lengths, (ends[:, 0], ends[:, 1])), shape=(count, count)).tocsr()
    net = net.maximum(net.T)
    return np.asarray(dijkstra(net, directed=False, indices=held))


_METHODS = {"biharmonic": _biharmonic, "heat": _heat, "distance": _distance_shares}


def _without_traces(weights: Floats, linked: NDArray[np.bool_] | None) -> Floats:
    """Weights clamped, and those below 0.15 faded out smoothly (smoothstep from 0.02), so that traces of a bone do
    not reach across a gap; from 0.5 % to 7 % leak this way (measured on two legs 8 px apart).

    A bone linked to the strongest one of a vertex is no stranger there and keeps its traces."""
    fade = np.clip((weights - 0.02) / 0.13, 0.0, 1.0)
    fade = fade * fade * (3 - 2 * fade)
    if linked is not None:
        fade = np.where(linked[weights.argmax(1)], 1.0, fade)
    return np.asarray(np.clip(weights, 0.0, 1.0) * fade)


def strongest(weights: Floats, most: int = 4, least: float = 1e-4) -> NDArray[np.float32]:
    """Only the `most` largest weights of each row and none below `least`, float32, rows summing to 1 or all 0."""
    if weights.shape[1] > most:
        order = np.argsort(-weights, 1, kind="stable")
        weights = weights.copy()
        np.put_along_axis(weights, order[:, most:], 0.0, 1)
    kept = np.where(weights < least, 0.0, weights)
    kept = np.where(kept.any(1, keepdims=True), kept, weights)
    return np.asarray(kept / np.maximum(kept.sum(1, keepdims=True), 1e-12), np.float32)


def held_vertices(vertices: Floats, bones: list[Segment], edge: float) -> Ints:
    """Index of the bone each vertex lies on, or -1. Every bone holds at least its nearest vertex."""
    distances = np.stack([_distance(vertices, joint, tip) for joint, tip in bones], 1)
    nearest = distances.argmin(1)
    held = np.where(distances.min(1) < 0.3 * edge, nearest, -1).astype(np.int32)
    for number in range(len(bones)):
        if not (held == number).any():
            held[distances[:, number].argmin()] = number
    return held


def _distance(points: Floats, joint: tuple[float, float], tip: tuple[float, float]) -> Floats:
    start, along = np.asarray(joint), np.subtract(tip, joint)
    share = np.clip((points - start) @ along / max(float(along @ along), 1e-12), 0, 1)
    return np.asarray(np.hypot(*(points - start - share[:, None] * along).T))


def islands(triangles: Ints, count: int) -> Ints:
    """The number of the island each of `count` vertices lies on, by what edges connect."""
    t = triangles
    links = coo_array((np.ones(2 * len(t)), (np.r_[t[:, 0], t[:, 1]], np.r_[t[:, 1], t[:, 2]])), shape=(count, count))
    return np.asarray(connected_components(links, directed=False)[1], np.int32)


def _touched(mesh: PartMesh, held_by: Ints) -> NDArray[np.bool_]:
    """Which vertices lie on an island that some bone touches."""
    island = islands(mesh.triangles, len(mesh.vertices))
    return np.isin(island, np.unique(island[held_by >= 0]))


def _one_per_island(mesh: PartMesh, untouched: NDArray[np.bool_], nearest: NDArray[np.intp]) -> NDArray[np.intp]:
    """For every untouched vertex the reached vertex nearest to its island as a whole."""
    island = islands(mesh.triangles, len(mesh.vertices))[untouched]
    points = mesh.vertices[untouched]
    result = nearest.copy()
    for item in np.unique(island):
        members = np.flatnonzero(island == item)
        gaps = np.hypot(*(points[members] - mesh.vertices[nearest[members]]).T)
        result[members] = nearest[members[gaps.argmin()]]
    return result
