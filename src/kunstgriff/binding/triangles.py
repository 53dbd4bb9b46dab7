"""Triangles of meshes: their areas with signs, and how many are turned over."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray


def signed_areas(points: NDArray[Any], triangles: NDArray[Any]) -> NDArray[np.float64]:
    """Areas (m,) in px² of triangles (m, 3) of points (n, 2), positive where they run clockwise as seen.

    >>> signed_areas(np.array([[0, 0], [4, 0], [0, 3]]), np.array([[0, 1, 2], [0, 2, 1]])).tolist()
    [6.0, -6.0]
    """
    a, b, c = (points[triangles[:, k]].astype(np.float64) for k in range(3))
    return np.asarray(((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])) / 2)


def turned_over(areas: NDArray[np.float64], posed: NDArray[Any], triangles: NDArray[Any]) -> int:
    """How many triangles (m, 3) lie the other way round with their points `posed` (n, 2) than at rest, where they have
    these `areas` (m,)."""
    return int((signed_areas(posed, triangles) * areas < 0).sum())
