"""Delta mush (Mancewicz, Derksen, Rijpkema, Wilson 2014): smoothing after blending that restores detail at rest.

At rest the mesh is smoothed, and what smoothing took from each vertex is noted in the frame of the smoothed surface
there. Posed, the blended mesh is smoothed alike and each vertex gets its own note back, turned with the surface. In the
plane the frame is the rotation that best takes the smoothed rest neighbours to the smoothed posed ones.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.binding.brush import Neighbours
from kunstgriff.evaluate.rig import Floats32, Ints32, Rig, step
from kunstgriff.figure.model import Figure, Weighted
from kunstgriff.figure.stores import Stores

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


class Mushed:
    """One part's mesh with what smoothing takes from it at rest."""

    def __init__(self, rest: Floats, triangles: NDArray[np.int32], start: int, rounds: int, amount: float) -> None:
        net = Neighbours(triangles, len(rest))
        self.starts, self.others = net.starts, net.others
        self.start, self.rounds, self.amount = start, rounds, amount
        self.scratch, self.smoothed = np.empty_like(rest), rest.copy()
        smooth(self.smoothed, self.scratch, self.starts, self.others, rounds)
        self.rest_smoothed = self.smoothed.copy()
        self.deltas = rest - self.rest_smoothed

    def run(self, rig: Rig) -> None:
        self.smoothed[:] = rig.vertices[self.start : self.start + len(self.smoothed)]
        smooth(self.smoothed, self.scratch, self.starts, self.others, self.rounds)
        restore(
            self.smoothed, self.rest_smoothed, self.deltas, self.starts, self.others, self.start, self.amount,
            rig.vertices,
        )  # fmt: skip


@dataclass(frozen=True)
class Smoothing:
    parts: tuple[Mushed, ...]

    def run(self, rig: Rig) -> None:
        for part in self.parts:
            part.run(rig)


@step(95)
def smoothing(rig: Rig, figure: Figure, stores: Stores) -> Smoothing | None:
    made = []
    for part in figure.parts:
        mush = part.binding.mush if isinstance(part.binding, Weighted) else None
        if mush is not None:
            block = rig.blocks[part.id]
            rest = rig.rest[block.start : block.start + block.count].astype(np.float64)
            made.append(Mushed(rest, block.triangles - block.start, block.start, mush.rounds, mush.amount))
    return Smoothing(tuple(made)) if made else None
