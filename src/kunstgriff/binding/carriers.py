"""Spots carried by what they lie on: a bone, or a mesh that may bend; and where they are in a pose."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.binding.mesh import spots_on
from kunstgriff.evaluate.program import Build, Floats32, Ints32
from kunstgriff.evaluate.state import RigState

Floats = NDArray[np.float64]
Carried = tuple[float, float, float, float]  # where a spot is now, cosine and sine of how far it is turned


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
class OnMesh:
    """A spot (2,) on a mesh: the corners of its triangle with their shares, and the vertices around it."""

    spot: Floats
    corners: Ints32
    shares: Floats
    ring: Ints32

    def now(self, rig: RigState) -> Carried:
        found: Carried = turn_about(rig.program.rest, rig.vertices, self.corners, self.shares, self.spot, self.ring)
        return found


@dataclass(frozen=True)
class OnBone:
    """A spot (2,) on a bone, by its number."""

    spot: Floats
    bone: int

    def now(self, rig: RigState) -> Carried:
        a, b, c, d, e, f = rig.matrices[self.bone]
        x, y = self.spot
        cosine, sine = rig.transforms[self.bone, :2]
        return a * x + c * y + e, b * x + d * y + f, float(cosine), float(sine)


@dataclass(frozen=True)
class Still:
    """A spot (2,) that nothing carries."""

    spot: Floats

    def now(self, rig: RigState) -> Carried:
        return float(self.spot[0]), float(self.spot[1]), 1.0, 0.0


Carrier = OnMesh | OnBone | Still


def on_mesh(build: Build, ref: str, spot: Floats) -> OnMesh:
    """A spot on the mesh of a part, or on the triangle nearest to it."""
    faces = build.nets.blocks[ref].triangles
    corners, shares = spots_on(build.nets.rest.astype(np.float64), faces, spot[None])
    near = np.isin(faces, corners).any(1)
    return OnMesh(spot, corners[0], shares[0], np.unique(faces[near]).astype(np.int32))
