"""Linear blend skinning (Magnenat-Thalmann, Laperrière, Thalmann 1988) and riders, in numba."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.artwork.straight import strip_coordinates, strip_net
from kunstgriff.binding.mesh import barycentric
from kunstgriff.evaluate.rig import Block, DrawItem, Floats32, Geometry, Ints32, Rig, drawing, geometry, item_of, step
from kunstgriff.figure.model import Figure, Part, Rider, Rigid, Weighted
from kunstgriff.figure.stores import Stores


@njit(cache=True, fastmath=True)
def skin(rest: Floats32, bones: Ints32, weights: Floats32, matrices: NDArray[np.float64], vertices: Floats32) -> None:
    """Fill `vertices` (n, 2) from `rest` (n, 2), `bones` and `weights` (n, 4) and `matrices` (b, 6)."""
    for vertex in range(rest.shape[0]):
        x, y = np.float64(rest[vertex, 0]), np.float64(rest[vertex, 1])
        sum_x, sum_y = 0.0, 0.0
        for k in range(4):
            weight = weights[vertex, k]
            if weight == 0.0:
                break
            m = matrices[bones[vertex, k]]
            sum_x += weight * (m[0] * x + m[2] * y + m[4])
            sum_y += weight * (m[1] * x + m[3] * y + m[5])
        if weights[vertex, 0] == 0.0:
            sum_x, sum_y = x, y
        vertices[vertex, 0] = sum_x
        vertices[vertex, 1] = sum_y


class Skinning:
    def run(self, rig: Rig) -> None:
        skin(rig.rest, rig.bones, rig.weights, rig.matrices, rig.vertices)


@step(90)
def skinning(rig: Rig, figure: Figure, stores: Stores) -> Skinning | None:
    return Skinning() if figure.bones else None


def _still(part: Part) -> Geometry:
    """Two triangles over the picture, 1 px wider, standing still; a straightened part's own net."""
    if part.strip is not None:
        net = strip_net(part.strip)
        vertices = (net.vertices + np.asarray(part.place)).astype(np.float32)
        count = len(vertices)
        bones, weights = np.zeros((count, 4), np.int32), np.zeros((count, 4), np.float32)
        return Geometry(vertices, net.triangles, bones, weights, net.uv)
    (x, y), (w, h) = part.place, part.size
    corners = np.array([[x - 1, y - 1], [x + w + 1, y - 1], [x + w + 1, y + h + 1], [x - 1, y + h + 1]], np.float32)
    triangles = np.array([[0, 1, 2], [0, 2, 3]], np.int32)
    return Geometry(corners, triangles, np.zeros((4, 4), np.int32), np.zeros((4, 4), np.float32))


@geometry("unbound")
def unbound_geometry(part: Part, bone_index: dict[str, int], stores: Stores) -> Geometry:
    return _still(part)


@geometry("rider")
def rider_geometry(part: Part, bone_index: dict[str, int], stores: Stores) -> Geometry:
    return _still(part)


@geometry("rigid")
def rigid_geometry(part: Part, bone_index: dict[str, int], stores: Stores) -> Geometry:
    assert isinstance(part.binding, Rigid)
    shape = _still(part)
    shape.bones[:, 0] = bone_index[part.binding.bone]
    shape.weights[:, 0] = 1.0
    return shape


@geometry("weighted")
def weighted_geometry(part: Part, bone_index: dict[str, int], stores: Stores) -> Geometry:
    binding = part.binding
    assert isinstance(binding, Weighted)
    table = stores.get_array(binding.weights)
    order = np.argsort(-table, 1, kind="stable")[:, :4]
    count = len(table)
    bones, weights = np.zeros((count, 4), np.int32), np.zeros((count, 4), np.float32)
    columns = order.shape[1]
    influences = np.array([bone_index[ref] for ref in binding.influences], np.int32)
    bones[:, :columns] = influences[order]
    weights[:, :columns] = np.take_along_axis(table, order, 1)
    weights /= weights.sum(1, keepdims=True)
    vertices = stores.get_array(binding.mesh.vertices) + np.asarray(part.place)
    triangles = stores.get_array(binding.mesh.triangles)
    uv = None
    if part.strip is not None:
        uv = strip_coordinates(part.strip, stores.get_array(binding.mesh.vertices))
    return Geometry(vertices.astype(np.float32), triangles.astype(np.int32), bones, weights, uv)


@drawing
def parts(rig: Rig, figure: Figure, stores: Stores) -> list[tuple[float, DrawItem, Ints32]]:
    """Every visible part, at the depth of its place in the draw order."""
    return [
        (
            float(depth),
            item_of(figure, part),
            rig.blocks[part.id].triangles,
        )
        for depth, part in enumerate(figure.parts)
        if part.is_shown
    ]


@dataclass(frozen=True)
class Riding:
    """One rider: its block, and the carrier's triangle (vertex indices) with the spot's barycentric shares."""

    block: Block
    corners: Ints32
    shares: NDArray[np.float64]
    spot: NDArray[np.float64]
    ring: Ints32


@dataclass(frozen=True)
class Riders:
    riding: tuple[Riding, ...]

    def run(self, rig: Rig) -> None:
        for one in self.riding:
            carry(rig.rest, rig.vertices, one.corners, one.shares, one.spot, one.ring, one.block.start, one.block.count)


@njit(cache=True)
def carry(
    rest: Floats32,
    vertices: Floats32,
    corners: Ints32,
    shares: NDArray[np.float64],
    spot: NDArray[np.float64],
    ring: Ints32,
    start: int,
    count: int,
) -> None:
    """Move a rider with the spot and turn it by the best rotation of the carrier's vertices around the spot.

    The rotation in the plane that best takes rest to posed offsets in the least-squares sense is the angle of
    Σ conj(p) q over offsets p, q as complex numbers (Horn 1987 in two dimensions).
    """
    x, y = 0.0, 0.0
    for k in range(3):
        x += shares[k] * vertices[corners[k], 0]
        y += shares[k] * vertices[corners[k], 1]
    c, s = 0.0, 0.0
    for vertex in ring:
        px, py = rest[vertex, 0] - spot[0], rest[vertex, 1] - spot[1]
        qx, qy = vertices[vertex, 0] - x, vertices[vertex, 1] - y
        c += px * qx + py * qy
        s += px * qy - py * qx
    length = math.hypot(c, s)
    c, s = (c / length, s / length) if length > 1e-12 else (1.0, 0.0)
    for vertex in range(start, start + count):
        px, py = rest[vertex, 0] - spot[0], rest[vertex, 1] - spot[1]
        vertices[vertex, 0] = x + c * px - s * py
        vertices[vertex, 1] = y + s * px + c * py


@step(110)
def riders(rig: Rig, figure: Figure, stores: Stores) -> Riders | None:
    riding = tuple(_riding(rig, part, part.binding) for part in figure.parts if isinstance(part.binding, Rider))
    return Riders(riding) if riding else None


def _riding(rig: Rig, part: Part, binding: Rider) -> Riding:
    carrier = rig.blocks[binding.carrier]
    spot = np.asarray(binding.spot, np.float64)
    corners = rig.rest[carrier.triangles].astype(np.float64)
    shares = barycentric(corners, spot)
    best = int(shares.min(1).argmax())
    near = np.isin(carrier.triangles, carrier.triangles[best]).any(1)
    ring = np.unique(carrier.triangles[near]).astype(np.int32)
    return Riding(rig.blocks[part.id], carrier.triangles[best].astype(np.int32), shares[best], spot, ring)
