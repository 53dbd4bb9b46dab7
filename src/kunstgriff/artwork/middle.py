"""The middle line of a long part: the way through it that keeps furthest from its edge."""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
import scipy
from numpy.typing import NDArray

from kunstgriff.artwork.lines import Floats, runs_along, spots_at
from kunstgriff.artwork.outline import part_alpha, part_outline
from kunstgriff.figure.model import Part
from kunstgriff.figure.stores import Beside, Stores

COARSE_SIDE = 120  # px of the longer side of the small picture the way is looked for in
LONG = 3.0  # length by width from which a part is a lock or a strip
SPACING = 6.0  # px between points of the line
STEPS = ((0, 1), (1, 0), (1, 1), (1, -1))


def middle_line(alpha: NDArray[np.uint8]) -> tuple[Floats, float] | None:
    """Points (n, 2) px about `SPACING` apart along a picture's (h, w) middle, end to end, and its mean half width.

    The two ends of the part are the furthest apart by way of the inside; between them the way is the shortest when
    each step costs the inverse square of the distance from the edge. It stops about half a width before the ends.
    None where nothing is painted.
    """
    scale = max(max(alpha.shape) / COARSE_SIDE, 1.0)
    small = cv2.resize(alpha, None, fx=1 / scale, fy=1 / scale, interpolation=cv2.INTER_AREA) >= 100
    if small.sum() < 4:
        return None
    depth = cv2.distanceTransform(np.pad(small.astype(np.uint8), 1), cv2.DIST_L2, 5)[1:-1, 1:-1]
    rows, columns = np.nonzero(small)
    number = np.full(small.shape, -1)
    number[rows, columns] = np.arange(len(rows))
    plain, ridge = _graph(small, number, depth)
    start = int(np.argmax(depth[rows, columns]))
    for _ in range(2):
        away = scipy.sparse.csgraph.dijkstra(plain, directed=False, indices=start)
        away[~np.isfinite(away)] = -1
        start, other = int(np.argmax(away)), start
    _, before = scipy.sparse.csgraph.dijkstra(ridge, directed=False, indices=start, return_predecessors=True)
    way, here = [], other
    while here >= 0:
        way.append(here)
        here = int(before[here])
    pixels = np.column_stack([columns[way], rows[way]]).astype(np.float64) + 0.5
    points = _without_ends(pixels, depth[rows[way], columns[way]]) * scale
    half_width = float(np.median(depth[rows[way], columns[way]]) * scale)
    return smoothed(points, max(half_width, SPACING)), half_width


def smoothed(points: Floats, over: float) -> Floats:
    """A way through points (n, 2), even and smooth over so many px, its ends kept; points lie `SPACING` px apart."""
    line = _even(points, SPACING)
    ends = line[[0, -1]].copy()
    line = scipy.ndimage.gaussian_filter1d(line, over / SPACING, axis=0, mode="nearest")
    line[[0, -1]] = ends
    return _even(line, SPACING)


def _without_ends(points: Floats, depth: NDArray[np.float32]) -> Floats:
    """The way without its first and last bit, where it turns off into a corner: as long as the part is deep near it."""
    runs = runs_along(points)
    back, near = runs[-1] - runs, 1.5 * float(np.median(depth))
    kept = (runs >= depth[runs <= near].max()) & (back >= depth[back <= near].max())
    return points[kept] if kept.sum() >= 4 else points


def _graph(
    small: NDArray[np.bool_], number: NDArray[np.int_], depth: NDArray[np.float32]
) -> tuple[scipy.sparse.csr_matrix, scipy.sparse.csr_matrix]:
    """Neighbouring pixels joined, by their distance and by what a step there costs."""
    pairs, length, cost = [], [], []
    for dy, dx in STEPS:
        here = small[: small.shape[0] - dy, max(-dx, 0) : small.shape[1] - max(dx, 0)]
        there = small[dy:, max(dx, 0) : small.shape[1] + min(dx, 0)]
        rows, columns = np.nonzero(here & there)
        columns = columns + max(-dx, 0)
        a, b = number[rows, columns], number[rows + dy, columns + dx]
        step = np.hypot(dx, dy)
        mean = (depth[rows, columns] + depth[rows + dy, columns + dx]) / 2
        pairs.append((a, b))
        length.append(np.full(len(a), step))
        cost.append(step / mean**2)
    where = np.concatenate(pairs, axis=1)
    shape = (number.max() + 1,) * 2
    return scipy.sparse.csr_matrix((np.concatenate(length), (where[0], where[1])), shape), scipy.sparse.csr_matrix(
        (np.concatenate(cost), (where[0], where[1])), shape
    )


def _even(points: Floats, spacing: float) -> Floats:
    """The same way with points an even distance apart, near `spacing` px."""
    runs = runs_along(points)
    count = max(round(runs[-1] / spacing), 1) + 1
    return spots_at(points, runs, np.linspace(0, runs[-1], count))


def total_bend(line: Floats) -> float:
    """Degrees between the two most differing directions along a line (n, 2), its ends aside."""
    inner = line[max(len(line) // 10, 1) : -max(len(line) // 10, 1)]
    if len(inner) < 4:
        return 0.0
    steps = np.diff(inner, axis=0)
    directions = np.unwrap(np.arctan2(steps[:, 1], steps[:, 0]))
    return float(np.degrees(np.ptp(directions)))


def bend_of(part: Part, stores: Stores) -> float | None:
    """How far a long part bends along its middle line, degrees; None for one that is not long."""
    return _bend(part.drawing.picture, Beside((part, stores)))


@lru_cache(maxsize=4096)
def _bend(_picture: str, beside: Beside[tuple[Part, Stores]]) -> float | None:
    outline = part_outline(*beside.value)
    # a strip's area is about its length times its width, its border about twice its length
    length = outline.length / 2
    if length**2 <= LONG * outline.area or len(outline.geoms) > 1:
        return None
    found = middle_line(part_alpha(*beside.value))
    if found is None or len(found[0]) * SPACING <= LONG * 2 * found[1]:
        return None
    return total_bend(found[0])
