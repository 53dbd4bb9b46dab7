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


def deepest_from(depth: NDArray[np.float32], start: tuple[int, int]) -> tuple[int, int]:
    """The pixel (x, y) on the middle of a shape that one comes to by going ever deeper into it from another.

    Each step goes to the deepest pixel within two thirds of the depth: along the middle of a limb that hardly widens.

    >>> bar = np.zeros((21, 60), np.uint8); bar[3:18] = 1
    >>> deepest_from(cv2.distanceTransform(bar, cv2.DIST_L2, 5), (30, 5))
    (30, 10)
    """
    x, y = start
    for _ in range(8):
        reach = max(int(depth[y, x] * 2 / 3), 1)
        top, left = max(y - reach, 0), max(x - reach, 0)
        around = depth[top : y + reach + 1, left : x + reach + 1]
        gain = around - 0.02 * np.hypot(
            *np.ogrid[top - y : top - y + around.shape[0], left - x : left - x + around.shape[1]]
        )
        row, column = np.unravel_index(int(gain.argmax()), gain.shape)
        if depth[top + row, left + column] <= depth[y, x] + 0.5:
            break
        x, y = left + int(column), top + int(row)
    return x, y
