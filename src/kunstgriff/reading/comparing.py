"""Two revisions of a figure played through the same motion: how far what is seen departs, frame by frame."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from kunstgriff.artwork.sheet import Progress, no_progress
from kunstgriff.figure.model import Figure
from kunstgriff.figure.refusal import EditRefused
from kunstgriff.figure.stores import Stores
from kunstgriff.paint.painter import Painter, View, as_seen, laid_on
from kunstgriff.trial.around import play_around
from kunstgriff.trial.feet import LONGEST
from kunstgriff.trial.motion import frame_count, motion_named, rate_of

Pixels = NDArray[np.uint8]
HIGH = 480  # px of the pictures that are compared
SEEN, OTHER = 127, 24  # of the alpha where an outline lies; of a colour that is another
PAPER = np.array([247, 242, 232], np.uint8)
PLUM = np.array([122, 59, 105], np.float32)


@dataclass(frozen=True)
class Compared:
    """One frame: how far the outlines lie apart at the most (px of the figure), the area that looks otherwise (px²),
    and both pictures with what differs, side by side (h, 3 w, 3)."""

    frame: int
    apart: float
    otherwise: float
    pictures: Pixels


def compare(
    one: tuple[Figure, Stores], other: tuple[Figure, Stores], motion: str | None, painter: Painter,
    progress: Progress = no_progress,
) -> Iterator[Compared]:  # fmt: skip
    """Every frame of a motion of two revisions. Raises EditRefused where one of them does not have it, or it is too
    long."""
    motions = [motion_named(figure, motion) for figure, _ in (one, other)]
    rate = rate_of(motions[0], one[0])
    count = min(frame_count(each, rate) for each in motions)
    if count > LONGEST:
        raise EditRefused(f"“{motions[0].name}” has {count:,} frames; {LONGEST:,} at most are compared.")
    view = _view(one[0])
    played = [
        play_around(figure, stores, each, rate=rate)
        for (figure, stores), each in zip((one, other), motions, strict=True)
    ]
    for number in range(count):
        seen = list[Pixels]()
        for (_, stores), frames in zip((one, other), played, strict=True):
            rig, frame, mirrored = next(frames)
            seen.append(as_seen(painter, rig, frame, view, stores, mirrored))
        progress(number, count, "comparing frames")
        yield _compared(number, seen[0], seen[1], view.scale)


def _view(figure: Figure) -> View:
    """The sheet, with as much room again to the right: motions go there."""
    sheet = figure.sheet
    scale = HIGH / sheet.height
    x, y = sheet.standing_point
    return View((max(round(1.5 * sheet.width * scale), 1), HIGH), scale, (-x - 0.25 * sheet.width, -y))


def _compared(number: int, one: Pixels, other: Pixels, scale: float) -> Compared:
    solid = [picture[..., 3] > SEEN for picture in (one, other)]
    apart = max(_furthest(solid[0], solid[1]), _furthest(solid[1], solid[0])) / scale
    flat = [laid_on(picture, PAPER) for picture in (one, other)]
    differs = np.abs(flat[0].astype(int) - flat[1].astype(int)).max(2) > OTHER
    marked = flat[1].astype(np.float32) * 0.35 + PAPER * 0.65
    marked[differs] = PLUM
    pictures = np.concatenate([*flat, marked.astype(np.uint8)], axis=1)
    return Compared(number, round(apart, 2), round(float(differs.sum()) / scale**2, 1), pictures)


def _furthest(one: NDArray[np.bool_], other: NDArray[np.bool_]) -> float:
    """How far the pixel of one shape that is farthest from another lies from it; the picture's height where that is
    nowhere."""
    if not (one & ~other).any():
        return 0.0
    if not other.any():
        return float(one.shape[0])
    away = cv2.distanceTransform((~other).astype(np.uint8), cv2.DIST_L2, 5)
    return float(away[one & ~other].max())
