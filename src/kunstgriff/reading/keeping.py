"""What a limb keeps of its width in a pose, as that of discs that travel inside it."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

FINE = 1 / 256  # of the radius to which it is told


def widest_disc(depth: NDArray[np.float32], start: tuple[int, int], end: tuple[int, int]) -> float:
    """Radius of the widest disc that travels inside a shape from one pixel (x, y) to another.

    `depth` (h, w) is how far each pixel lies inside (the distance transform); found as the greatest threshold that
    still joins the two.

    >>> bar = np.zeros((21, 60), np.uint8); bar[3:18] = 1
    >>> round(widest_disc(cv2.distanceTransform(bar, cv2.DIST_L2, 5), (10, 10), (50, 10)))
    8
    """
    low, high = 0.0, float(min(depth[start[1], start[0]], depth[end[1], end[0]]))
    middle = high * (1 - FINE)  # mostly nothing between is narrower than the ends
    while high - low > FINE * high:
        count, labels = cv2.connectedComponents((depth >= max(middle, 0.5)).astype(np.uint8))
        joined = labels[start[1], start[0]]
        if count > 1 and joined and joined == labels[end[1], end[0]]:
            low = middle
        else:
            high = middle
        middle = (low + high) / 2
    return low
