"""A seam shown: a joint through its range at twice its size, what should be hidden marked."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from kunstgriff.figure.model import Bone, Figure, Tolerances
from kunstgriff.figure.stores import Stores
from kunstgriff.paint.painter import Painter, unmultiply
from kunstgriff.reading.seam import SeamReader, SeamReading
from kunstgriff.reading.seams import across

MARK = np.array([122, 59, 105], np.float32)  # plum: findings that fail
REACH = 3.0  # half widths around the joint that are shown


def seam_strip(
    figure: Figure,
    stores: Stores,
    bone: Bone,
    painter: Painter,
    angles: Sequence[float],
    tile: int,
    marked: bool = True,
    radius: float | None = None,
) -> tuple[NDArray[np.uint8], tuple[SeamReading, ...]]:
    """Pictures of a seam at some angles side by side (tile, tile * n, 4), and what was read at each.

    Ink that crosses the limb and gaps are `marked` in plum where they are more than is tolerated. What is shown around
    the joint goes by half the limb's width there, or by another `radius` (px), for pictures of one scale of ways that
    change it. Raises EditRefused where no two parts meet.
    """
    reader = SeamReader(figure, stores, bone, painter)
    tiles, readings = [], []
    for angle in angles:
        (reading,) = reader.read([angle])
        tiles.append(seam_tile(reader, reading, tile, figure.tolerances if marked else None, radius))
        readings.append(reading)
    return np.concatenate(tiles, axis=1), tuple(readings)


def seam_tile(
    reader: SeamReader, reading: SeamReading, tile: int, tolerances: Tolerances | None, radius: float | None = None
) -> NDArray[np.uint8]:
    """The picture (tile, tile, 4) of a seam as its reader read it last, marked where more shows than is tolerated."""
    middle, reach = reader.view.size[0] // 2, round(REACH * (radius or reader.radius) * reader.scale)
    cut = slice(max(middle - reach, 0), middle + reach)
    pixels = reader.look()
    unmultiply(pixels)
    if tolerances is not None:
        ink, gap = reader.marks
        if across(reading) > tolerances.ink:
            _marked(pixels[ink[0]], ink[1])
        if reading.gap_disc > tolerances.gap:
            _marked(pixels[gap[0]], gap[1])
    return np.asarray(cv2.resize(pixels[cut, cut], (tile, tile), interpolation=cv2.INTER_AREA), np.uint8)


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
