"""What becomes of the meshes of a figure in a pose: triangles turned over, area gained or lost, edges drawn out."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kunstgriff.evaluate.state import RigState

FOLDED = (
    0.015  # of a part's area that may be turned over: a tight good bend (ears at 140°) folds so much inside, measured
)
SHRUNK, GROWN = 0.6, 1.7  # of a part's area; beyond that it is no bend any more; common practice, no source
DRAWN_OUT = 4.0  # times as long as at rest an edge may become before something is left behind
LONGER = 0.02  # of the figure's height by which it must have grown for that


@dataclass(frozen=True)
class Strain:
    """A part in a pose: the share of its area that is `folded`, its `area` as a share of that at rest, and how many
    times the edge that is most drawn out is as `long` as at rest."""

    part: str
    folded: float
    area: float
    long: float

    def misses(self, name: str) -> Iterator[tuple[float, str]]:
        """How many times what is tolerated, and in words."""
        if self.folded > FOLDED:
            yield self.folded / FOLDED, f"{name} folds over on {self.folded:.1%} of its area"
        if self.area < SHRUNK:
            yield SHRUNK / max(self.area, 1e-3), f"{name} shrinks to {self.area:.0%} of its area"
        if self.area > GROWN:
            yield self.area / GROWN, f"{name} grows to {self.area:.0%} of its area"
        if self.long > DRAWN_OUT:
            yield self.long / DRAWN_OUT, f"{name} leaves something behind: an edge is {self.long:.1f} times as long"


class StrainReader:
    """Reads the meshes of a rig; what is at rest is known once."""

    def __init__(self, rig: RigState) -> None:
        self.rig, self.known = rig, {}
        rest = rig.program.rest.astype(np.float64)
        self.room = LONGER * float(np.ptp(rest[:, 1])) if len(rest) else 0.0
        shown = {part.id: part for part in rig.program.figure.parts if part.is_shown}
        for ref, block in rig.program.blocks.items():
            if ref in shown and len(block.triangles) and len(shown[ref].followed) > 1:
                faces = block.triangles
                edges = np.unique(np.sort(np.vstack([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]]), 1), axis=0)
                self.known[ref] = faces, _areas(rest, faces), edges, _lengths(rest, edges)

    def read(self) -> list[Strain]:
        """All bending parts in the pose that the rig was evaluated in last."""
        found, now = [], self.rig.vertices.astype(np.float64)
        for ref, (faces, rest, edges, lengths) in self.known.items():
            areas = _areas(now, faces) * np.sign(rest)
            whole = np.abs(rest).sum()
            if areas.sum() < 0:  # as a whole it is seen in a mirror
                areas = -areas
            longer = _lengths(now, edges)
            drawn = np.where(longer - lengths > self.room, longer / np.maximum(lengths, 1e-6), 1.0)
            folded = float(np.abs(rest)[areas < 0].sum() / whole)
            found.append(Strain(ref, folded, float(areas.sum() / whole), float(drawn.max(initial=1.0))))
        return found


def _areas(points: NDArray[np.float64], faces: NDArray[np.int32]) -> NDArray[np.float64]:
    a, b, c = (points[faces[:, k]] for k in range(3))
    u, v = b - a, c - a
    return np.asarray((u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]) / 2)


def _lengths(points: NDArray[np.float64], edges: NDArray[np.int32]) -> NDArray[np.float64]:
    return np.asarray(np.hypot(*(points[edges[:, 0]] - points[edges[:, 1]]).T))
