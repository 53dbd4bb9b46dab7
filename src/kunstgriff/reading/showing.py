"""A seam shown: a joint through its range at twice its size, what should be hidden marked."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from kunstgriff.figure.model import Bone, Figure
from kunstgriff.figure.stores import Stores
from kunstgriff.paint.painter import Painter, unmultiply
from kunstgriff.reading.seam import SeamReader, SeamReading

MARK = np.array([122, 59, 105], np.float32)  # plum: findings that fail
REACH = 2.1  # half widths around the joint that are shown


def seam_strip(
    figure: Figure,
    stores: Stores,
    bone: Bone,
    painter: Painter,
    angles: Sequence[float],
    tile: int,
    marked: bool = True,
) -> tuple[NDArray[np.uint8], tuple[SeamReading, ...]]:
    """Pictures of a seam at some angles side by side (tile, tile * n, 4), and what was read at each.

    Ink that crosses the limb and gaps are `marked` in plum. Raises EditRefused where no two parts meet.
    """
    reader = SeamReader(figure, stores, bone, painter)
    middle, reach = reader.view.size[0] // 2, round(REACH * reader.radius * reader.scale)
    cut = slice(max(middle - reach, 0), middle + reach)
    tiles, readings = [], []
    for angle in angles:
        (reading,) = reader.read([angle])
        pixels = reader.look()
        unmultiply(pixels)
        if marked:
            for window, where in reader.marks:
                _marked(pixels[window], where)
        small = cv2.resize(pixels[cut, cut], (tile, tile), interpolation=cv2.INTER_AREA)
        tiles.append(np.asarray(small, np.uint8))
        readings.append(reading)
    return np.concatenate(tiles, axis=1), tuple(readings)


def _marked(picture: NDArray[np.uint8], where: NDArray[np.bool_]) -> None:
    """Lay plum over some pixels, with a rim around them that shows on any art."""
    rim = cv2.dilate(where.astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
    picture[rim & ~where, :3] = np.rint(0.55 * picture[rim & ~where, :3] + 0.45 * 255).astype(np.uint8)
    picture[where, :3] = MARK.astype(np.uint8)
    picture[where, 3] = 255


def angles_shown(angles: Sequence[float], worst: float | None, count: int = 5) -> list[float]:
    """So many angles of a range to look at: its ends, some between, and the worst one in the place of the nearest."""
    even = [float(one) for one in np.linspace(min(angles), max(angles), count)]
    if worst is not None:
        even[int(np.argmin(np.abs(np.array(even) - worst)))] = worst
    return even
