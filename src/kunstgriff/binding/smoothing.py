"""Delta mush (Mancewicz, Derksen, Rijpkema, Wilson 2014): smoothing after blending that restores detail at rest.

At rest the mesh is smoothed, and what smoothing took from each vertex is noted in the frame of the smoothed surface
there. Posed, the blended mesh is smoothed alike and each vertex gets its own note back, turned with the surface. In the
plane the frame is the rotation that best takes the smoothed rest neighbours to the smoothed posed ones.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.binding.brush import Neighbours
from kunstgriff.evaluate.program import Build, Floats32, Ints32, Node
from kunstgriff.evaluate.stale import vertices_of
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.model import DeltaMush

STEP = 0.5  # of the way to the mean of its neighbours a vertex goes in one round; common practice, no source

Floats = NDArray[np.float64]


@njit(cache=True)
def smooth(points: Floats, other: Floats, starts: Ints32, others: Ints32, rounds: int) -> None:
    """Move each of `points` (n, 2) towards the mean of its neighbours, `rounds` times; `other` (n, 2) is scratch."""
    for _ in range(rounds):
        for v in range(points.shape[0]):
            first, last = starts[v], starts[v + 1]
            x = y = 0.0
            for k in range(first, last):
                x += points[others[k], 0]
                y += points[others[k], 1]
            count = max(last - first, 1)
            other[v, 0] = points[v, 0] + STEP * (x / count - points[v, 0]) if last > first else points[v, 0]
            other[v, 1] = points[v, 1] + STEP * (y / count - points[v, 1]) if last > first else points[v, 1]
        points[:] = other


@njit(cache=True)
def restore(
    smoothed: Floats, rest_smoothed: Floats, deltas: Floats, starts: Ints32, others: Ints32, start: int, amount: float,
    vertices: Floats32,
) -> None:  # fmt: skip
    """Mix into `vertices` from `start` on the smoothed mesh with each vertex's own delta (n, 2) turned back on."""
    for v in range(smoothed.shape[0]):
        c = s = 0.0
        for k in range(starts[v], starts[v + 1]):
            w = others[k]
            px, py = rest_smoothed[w, 0] - rest_smoothed[v, 0], rest_smoothed[w, 1] - rest_smoothed[v, 1]
            qx, qy = smoothed[w, 0] - smoothed[v, 0], smoothed[w, 1] - smoothed[v, 1]
            c += px * qx + py * qy
            s += px * qy - py * qx
        length = math.sqrt(c * c + s * s)
        c, s = (c / length, s / length) if length > 1e-12 else (1.0, 0.0)
        x = smoothed[v, 0] + c * deltas[v, 0] - s * deltas[v, 1]
        y = smoothed[v, 1] + s * deltas[v, 0] + c * deltas[v, 1]
        vertices[start + v, 0] += amount * (x - vertices[start + v, 0])
        vertices[start + v, 1] += amount * (y - vertices[start + v, 1])


class Smoothing:
    """One mesh with what smoothing takes from it at rest."""

    def __init__(self, ref: str, rest: Floats, triangles: NDArray[np.int32], start: int, mush: DeltaMush) -> None:
        net = Neighbours(triangles, len(rest))
        self.reads = self.writes = frozenset({vertices_of(ref)})
        self.starts, self.others = net.starts, net.others
        self.start, self.rounds, self.amount = start, mush.rounds, mush.amount
        self.rest_smoothed = rest.copy()
        smooth(self.rest_smoothed, np.empty_like(rest), self.starts, self.others, self.rounds)
        self.deltas = rest - self.rest_smoothed

    def _buffers(self) -> tuple[Floats, Floats]:
        return np.empty_like(self.deltas), np.empty_like(self.deltas)

    def run(self, rig: RigState) -> None:
        smoothed, scratch = rig.buffer(self, self._buffers)
        smoothed[:] = rig.vertices[self.start : self.start + len(smoothed)]
        smooth(smoothed, scratch, self.starts, self.others, self.rounds)
        restore(
            smoothed, self.rest_smoothed, self.deltas, self.starts, self.others, self.start, self.amount, rig.vertices
        )


def delta_mush(build: Build, ref: str, deformer: DeltaMush) -> Node:
    """The smoothing of one block of vertices."""
    block = build.nets.blocks[ref]
    rest = build.nets.rest[block.start : block.start + block.count].astype(np.float64)
    return Smoothing(ref, rest, block.triangles - block.start, block.start, deformer)
