"""Riders: rigid parts carried by a spot on another part, which may bend, or by a spot on a bone."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.binding.mesh import barycentric
from kunstgriff.evaluate.rig import Block, Floats32, Ints32, Rig, step
from kunstgriff.figure.model import Figure, Part, Rider
from kunstgriff.figure.stores import Stores

Floats = NDArray[np.float64]


@njit(cache=True)
def moved_rigidly(
    rest: Floats32, vertices: Floats32, start: int, count: int, pivot: Floats, x: float, y: float, c: float, s: float
) -> None:
    """Turn vertices by cosine and sine about `pivot`, which comes to lie at (x, y)."""
    for vertex in range(start, start + count):
        px, py = rest[vertex, 0] - pivot[0], rest[vertex, 1] - pivot[1]
        vertices[vertex, 0] = x + c * px - s * py
        vertices[vertex, 1] = y + s * px + c * py


@njit(cache=True)
def turn_about(
    rest: Floats32, vertices: Floats32, corners: Ints32, shares: Floats, spot: Floats, ring: Ints32
) -> tuple[float, float, float, float]:
    """Where a spot on a mesh is now, and cosine and sine of the best rotation of the vertices around it.

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
    if length > 1e-12:
        return x, y, c / length, s / length
    return x, y, 1.0, 0.0


@dataclass(frozen=True)
class OnPart:
    """A rider's block, and its carrier's triangle (vertex indices) with the spot's barycentric shares."""

    block: Block
    corners: Ints32
    shares: Floats
    spot: Floats
    ring: Ints32
    turning: bool
    pivot: Floats

    def run(self, rig: Rig) -> None:
        x, y, c, s = turn_about(rig.rest, rig.vertices, self.corners, self.shares, self.spot, self.ring)
        _place(rig, self, x, y, c, s)


@dataclass(frozen=True)
class OnBone:
    """A rider's block and the bone that carries its spot."""

    block: Block
    bone: int
    spot: Floats
    turning: bool
    pivot: Floats

    def run(self, rig: Rig) -> None:
        a, b, c, d, e, f = rig.matrices[self.bone]
        x, y = self.spot
        turn = rig.turns[self.bone]
        _place(rig, self, a * x + c * y + e, b * x + d * y + f, float(turn[0]), float(turn[1]))


def _place(rig: Rig, one: OnPart | OnBone, x: float, y: float, c: float, s: float) -> None:
    """Put a rider where its spot came to lie, its pivot at the offset it had from the spot."""
    if not one.turning:
        c, s = 1.0, 0.0
    dx, dy = one.pivot - one.spot
    moved_rigidly(rig.rest, rig.vertices, one.block.start, one.block.count, one.pivot, x + dx, y + dy, c, s)


@dataclass(frozen=True)
class Riders:
    riding: tuple[OnPart | OnBone, ...]

    def run(self, rig: Rig) -> None:
        for one in self.riding:
            one.run(rig)


@step(110)
def riders(rig: Rig, figure: Figure, stores: Stores) -> Riders | None:
    riding = tuple(_riding(rig, part, part.binding) for part in figure.parts if isinstance(part.binding, Rider))
    return Riders(riding) if riding else None


def _riding(rig: Rig, part: Part, binding: Rider) -> OnPart | OnBone:
    spot = np.asarray(binding.spot, np.float64)
    pivot = np.asarray(binding.pivot, np.float64) if binding.pivot is not None else spot
    block = rig.blocks[part.id]
    if binding.carrier in rig.bone_index:
        return OnBone(block, rig.bone_index[binding.carrier], spot, binding.turning, pivot)
    carrier = rig.blocks[binding.carrier]
    shares = barycentric(rig.rest[carrier.triangles].astype(np.float64), spot)
    best = int(shares.min(1).argmax())
    near = np.isin(carrier.triangles, carrier.triangles[best]).any(1)
    ring = np.unique(carrier.triangles[near]).astype(np.int32)
    corners = carrier.triangles[best].astype(np.int32)
    return OnPart(block, corners, shares[best], spot, ring, binding.turning, pivot)
