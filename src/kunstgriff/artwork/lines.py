"""Ways of points: how far along they run, and spots on them at given runs."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


def runs_along(points: Floats) -> Floats:
    """How far along a way (n, 2) each of its points lies, px (n,).

    >>> runs_along(np.array([[0.0, 0.0], [3.0, 4.0], [3.0, 5.0]])).tolist()
    [0.0, 5.0, 6.0]
    """
    return np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])


def spots_at(points: Floats, runs: Floats, at: Floats) -> Floats:
    """Spots (k, 2) of a way (n, 2) `at` so many px along it (k,); `runs` are those of its points."""
    return np.column_stack([np.interp(at, runs, points[:, axis]) for axis in (0, 1)])
