"""Weights by hand: dabs of a brush on a table of weights, and what keeps such a table in order, in numba.

A table is (n, influences) float32, rows summing to 1. Whatever is done to one bone's share of a vertex, the others give
or take in proportion; shares of locked bones stay as they are.
"""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from numba import njit
from numpy.typing import NDArray
from pydantic import Field

from kunstgriff.binding.mesh import Ints, mesh_edges
from kunstgriff.figure.model import Point, Share, Value

Floats = NDArray[np.float64]
Floats32 = NDArray[np.float32]
Bools = NDArray[np.bool_]

Mode = Literal["add", "take", "even", "set", "pull"]
MODES: dict[Mode, int] = {"add": 0, "take": 1, "even": 2, "set": 3, "pull": 4}


class Brush(Value):
    """What a stroke does: to the share of one bone `add`, `take`, `set` it to `value`, `pull` vertices towards the bone
    where they follow it a little already, or `even` all shares out among neighbours.

    `radius` (px), `strength` of one dab, `fall_off` from a hard edge (0) to soft from the middle on (1); `mirrored`
    repeats every dab on the other side of the bone.
    """

    mode: Mode
    radius: Annotated[float, Field(gt=0, le=5_000)]
    strength: Share = 0.5
    fall_off: Share = 1.0
    value: Share = 1.0
    mirrored: bool = False


class Neighbours:
    """Which vertices share an edge with which: those of vertex k are `others[starts[k] : starts[k + 1]]`."""

    def __init__(self, triangles: Ints, count: int) -> None:
        edges, _ = mesh_edges(triangles)
        both = np.concatenate([edges, edges[:, ::-1]])
        both = both[np.argsort(both[:, 0], kind="stable")]
        self.others = np.ascontiguousarray(both[:, 1], np.int32)
        self.starts = np.searchsorted(both[:, 0], np.arange(count + 1)).astype(np.int32)


@njit(cache=True)
def share_out(row: Floats32, column: int, wanted: float, locked: Bools) -> None:
    """Give bone `column` the share `wanted` of one row (influences,); the unlocked others share what is left."""
    if locked[column]:
        return
    fixed = rest = 0.0
    for other in range(row.shape[0]):
        if other == column:
            continue
        if locked[other]:
            fixed += row[other]
        else:
            rest += row[other]
    wanted = min(max(wanted, 0.0), 1.0 - fixed)
    left = 1.0 - fixed - wanted
    if rest <= 1e-9 and left > 1e-9:
        # nobody to hand the remainder to in proportion: it stays with the bone
        wanted, left = 1.0 - fixed, 0.0
    scale = left / rest if rest > 1e-9 else 0.0
    for other in range(row.shape[0]):
        if other != column and not locked[other]:
            row[other] = np.float32(row[other] * scale)
    row[column] = np.float32(wanted)


@njit(cache=True)
def dab(
    points: Floats, weights: Floats32, starts: Ints, others: Ints, locked: Bools, touched: Bools,
    column: int, mode: int, x: float, y: float, radius: float, strength: float, fall_off: float, value: float,
) -> None:  # fmt: skip
    """One dab of the brush at (x, y) on `weights` (n, influences) of vertices at `points` (n, 2)."""
    count = weights.shape[1]
    mean = np.zeros(count)
    for vertex in range(points.shape[0]):
        away = np.hypot(points[vertex, 0] - x, points[vertex, 1] - y) / radius
        if away >= 1.0:
            continue
        soft = 1.0
        if fall_off > 0.0 and away > 1.0 - fall_off:
            u = (1.0 - away) / fall_off
            soft = u * u * (3.0 - 2.0 * u)
        by = strength * soft
        if by <= 0.0:
            continue
        row = weights[vertex]
        if mode == 2:
            first, last = starts[vertex], starts[vertex + 1]
            if last == first:
                continue
            mean[:] = 0.0
            for k in range(first, last):
                for c in range(count):
                    mean[c] += weights[others[k], c]
            free = fixed = 0.0
            for c in range(count):
                if locked[c]:
                    fixed += row[c]
                else:
                    row[c] = np.float32(row[c] + by * (mean[c] / (last - first) - row[c]))
                    free += row[c]
            if free > 1e-9:
                for c in range(count):
                    if not locked[c]:
                        row[c] = np.float32(row[c] * (1.0 - fixed) / free)
            touched[vertex] = True
            continue
        now = float(row[column])
        if mode == 0:
            wanted = now + by
        elif mode == 1:
            wanted = now - by
        elif mode == 3:
            wanted = now + by * (value - now)
        else:
            wanted = now + by * now * (1.0 - now) * 4.0
        share_out(row, column, wanted, locked)
        touched[vertex] = True


def stroke(
    points: Floats,
    weights: Floats32,
    neighbours: Neighbours,
    locked: Bools,
    column: int,
    brush: Brush,
    spots: tuple[Point, ...],
    axis: tuple[Floats, Floats],
) -> Bools:
    """Lay the dabs of a stroke on `weights`, which are changed; which vertices (n,) it touched.

    `axis` are two points of the bone across which a mirrored brush repeats its dabs.
    """
    touched = np.zeros(len(points), bool)
    for spot in spots:
        places = [np.asarray(spot, np.float64)]
        if brush.mirrored:
            places.append(across(places[0], axis))
        for x, y in places:
            dab(
                points, weights, neighbours.starts, neighbours.others, locked, touched, column, MODES[brush.mode],
                x, y, brush.radius, brush.strength, brush.fall_off, brush.value,
            )  # fmt: skip
    return touched


def across(point: Floats, axis: tuple[Floats, Floats]) -> Floats:
    """The point (2,) on the other side of the line through the two points of `axis`."""
    start, along = axis[0], axis[1] - axis[0]
    share = float((point - start) @ along) / max(float(along @ along), 1e-12)
    return np.asarray(2 * (start + share * along) - point)
