"""Where a mesh is finer than elsewhere, and the rows of vertices laid across a limb at its joints."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import LineString, MultiLineString, MultiPolygon
from shapely.geometry import Point as Spot

Floats = NDArray[np.float64]

FINEST = 0.5  # share of the edge length that is right at a joint; common practice, no source


@dataclass(frozen=True)
class Fine:
    """Where a mesh is finer: within `reach` px of `centre` edges have `FINEST` of their length, at twice that all.

    `rows` lie across the limb there, each told by its point on the bone and one far out on either side; vertices lie on
    them, as many on the one side of the bone as on the other.
    """

    centre: tuple[float, float]
    reach: float
    rows: tuple[tuple[Floats, Floats, Floats], ...] = ()


def shares_at(points: Floats, fine: tuple[Fine, ...]) -> Floats:
    """Share (n,) of the edge length that is right at each point (n, 2)."""
    share = np.ones(len(points))
    for place in fine:
        away = np.hypot(*(points - place.centre).T) / place.reach
        share = np.minimum(share, np.clip(FINEST + (1 - FINEST) * (away - 1), FINEST, 1.0))
    return share


def joint_rows(
    laid: MultiPolygon, slits: MultiLineString, edge: float, fine: tuple[Fine, ...]
) -> tuple[Floats, Floats]:
    """Points (k, 2) of all joint rows inside the polygons, and where the rows meet the edge (e, 2) or a slit."""
    points, ends = [np.zeros((0, 2))], [np.zeros((0, 2))]
    step = max(edge * FINEST, 1.0)
    laid = laid if slits.is_empty or not fine else laid.difference(slits.buffer(0.01))
    for place in fine:
        for middle, left, right in place.rows:
            if not shapely.contains_xy(laid, *middle):
                continue
            sides = [_first_leg(laid, middle, end) for end in (left, right)]
            pieces = max(round(float(np.mean([np.hypot(*(end - middle)) for end in sides])) / step), 1)
            shares = np.arange(1, pieces)[:, None] / pieces
            points += [middle[None], *(middle + shares * (end - middle) for end in sides)]
            ends.append(np.array(sides))
    return np.concatenate(points), np.concatenate(ends)


def _first_leg(laid: MultiPolygon, start: Floats, end: Floats) -> Floats:
    """The point where the way from `start` (inside) to `end` first leaves the polygons."""
    inside = LineString([start, end]).intersection(laid)
    pieces = [one for one in getattr(inside, "geoms", [inside]) if one.geom_type == "LineString"]
    first = min(pieces, key=lambda one: one.distance(Spot(start)))
    return np.asarray(max(first.coords, key=lambda one: math.dist(one, start)), np.float64)


def with_corners(ring: Floats, ends: Floats, apart: float) -> Floats:
    """The ring with those of `ends` that lie on it as corners of its own, where none is within `apart` px already."""
    if not len(ends):
        return ring
    line = LineString(np.concatenate([ring, ring[:1]]))
    on = ends[shapely.distance(line, shapely.points(ends)) < 1e-6]
    runs = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(np.asarray(line.coords), axis=0).T))])
    kept, taken = [], runs.tolist()
    for run, end in zip(shapely.line_locate_point(line, shapely.points(on)).tolist(), on, strict=True):
        if min(abs(run - other) for other in taken) > apart:
            taken.append(run)
            kept.append((run, end))
    if not kept:
        return ring
    every = np.concatenate([runs[:-1], [run for run, _ in kept]])
    return np.concatenate([ring, [end for _, end in kept]])[np.argsort(every, kind="stable")]
