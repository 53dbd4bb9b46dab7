"""Weights drawn like heights on a walker's map: where they cross 25, 50 and 75 per cent."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

LEVELS = (0.25, 0.5, 0.75)


def contour_crossings(
    triangles: NDArray[np.int32], weight: NDArray[np.float32], level: float
) -> tuple[NDArray[np.int32], NDArray[np.float32]]:
    """Line segments along which `weight` (n,) equals `level`, as (k, 2, 2) mesh edges and (k, 2) shares along them.

    A crossing lies at share t between an edge's two vertices, so it can be posed with them (marching triangles).

    >>> edges, shares = contour_crossings(np.array([[0, 1, 2]]), np.array([0, 0, 1], np.float32), 0.5)
    >>> shares.tolist()
    [[0.5, 0.5]]
    """
    above = weight[triangles] > level
    number = above.sum(1)
    cut = triangles[(number == 1) | (number == 2)]
    if not len(cut):
        return np.zeros((0, 2, 2), np.int32), np.zeros((0, 2), np.float32)
    side = weight[cut] > level
    lone_above = side.sum(1) == 1
    lone = np.where(lone_above[:, None], side, ~side).argmax(1)
    rows = np.arange(len(cut))
    corner = cut[rows, lone]
    edges = np.stack(
        [np.stack([corner, cut[rows, (lone + 1) % 3]], 1), np.stack([corner, cut[rows, (lone + 2) % 3]], 1)], 1
    )
    start, stop = weight[edges[..., 0]], weight[edges[..., 1]]
    return edges.astype(np.int32), ((level - start) / (stop - start)).astype(np.float32)
