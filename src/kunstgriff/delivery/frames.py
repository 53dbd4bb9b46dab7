"""Painted frames, for the writers that show the figure moving."""

from __future__ import annotations

import threading
from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from kunstgriff.artwork.sheet import Progress
from kunstgriff.figure.model import Figure
from kunstgriff.figure.stores import Stores
from kunstgriff.paint.painter import Painter, as_seen, sheet_view
from kunstgriff.trial.around import play_around
from kunstgriff.trial.motion import Motion, frame_count, rate_of

_here = threading.local()


def painter() -> Painter:
    """This thread's painter, made on first use: an OpenGL context belongs to one thread."""
    if not hasattr(_here, "painter"):
        _here.painter = Painter()
    found: Painter = _here.painter
    return found


def motion_pictures(
    figure: Figure, stores: Stores, size: tuple[int, int] | None, progress: Progress, motion: Motion, facing: int = 0
) -> Iterator[NDArray[np.uint8]]:
    """A motion painted frame by frame, straight alpha (h, w, 4), from `facing` wherever it says no other."""
    view = sheet_view(figure, size)
    count = frame_count(motion, rate_of(motion, figure))
    for number, (rig, frame, mirrored) in enumerate(play_around(figure, stores, motion, facing)):
        progress(number, count, f"painting the {motion.name}")
        yield as_seen(painter(), rig, frame, view, stores, mirrored)


def fitted_size(figure: Figure, width: int, height: int) -> tuple[int, int]:
    """The sheet's proportions, no larger than the sheet and within `width` x `height` px."""
    sheet = figure.sheet
    scale = min(1.0, width / sheet.width, height / sheet.height)
    return max(round(sheet.width * scale), 1), max(round(sheet.height * scale), 1)
