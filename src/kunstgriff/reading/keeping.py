"""What a limb keeps in a pose: its width, as that of discs that travel inside it, and its triangles, unturned."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray


def widest_disc(depth: NDArray[np.float32], start: tuple[int, int], end: tuple[int, int]) -> float:
    """Radius of the widest disc that travels inside a shape from one pixel (x, y) to another.

    `depth` (h, w) is how far each pixel lies inside (the distance transform); found as the greatest threshold that
    still joins the two, to a 250th of it.

    >>> bar = np.zeros((21, 60), np.uint8); bar[3:18] = 1
    >>> round(widest_disc(cv2.distanceTransform(bar, cv2.DIST_L2, 5), (10, 10), (50, 10)))
    8
    """
    low, high = 0.0, float(min(depth[start[1], start[0]], depth[end[1], end[0]]))
    for _ in range(8):
        middle = (low + high) / 2
        count, labels = cv2.connectedComponents((depth >= max(middle, 0.5)).astype(np.uint8))
        joined = labels[start[1], start[0]]
        if count > 1 and joined and joined == labels[end[1], end[0]]:
            low = middle
        else:
            high = middle
    return low


def signed_areas(vertices: NDArray[np.float32], faces: NDArray[np.int32]) -> NDArray[np.float64]:
    """Twice the areas (m,) of triangles (m, 3), negative where they are turned over."""
    a, b, c = (vertices[faces[:, k]].astype(np.float64) for k in range(3))
    return np.asarray((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0]))
