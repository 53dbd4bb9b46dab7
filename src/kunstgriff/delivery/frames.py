"""Painted frames, for the writers that show the figure moving."""

from __future__ import annotations

import threading
from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from kunstgriff.artwork.sheet import Progress
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.model import Figure
from kunstgriff.figure.stores import Stores
from kunstgriff.paint.painter import Painter, sheet_view
from kunstgriff.trial.motion import Motion, frame_count, play

_here = threading.local()


def painter() -> Painter:
    """This thread's painter, made on first use: an OpenGL context belongs to one thread."""
    if not hasattr(_here, "painter"):
        _here.painter = Painter()
    found: Painter = _here.painter
    return found


def motion_pictures(
    figure: Figure, stores: Stores, size: tuple[int, int] | None, progress: Progress, motion: Motion
) -> Iterator[NDArray[np.uint8]]:
    """A motion painted frame by frame, straight alpha (h, w, 4)."""
    rig = compile_rig(figure, stores)
    view = sheet_view(figure, size)
    count = frame_count(motion, figure.rate)
    for number, frame in enumerate(play(rig, motion)):
        progress(number, count, f"painting the {motion.name}")
        yield painter().paint(rig, frame, view, stores)


def fitted_size(figure: Figure, width: int, height: int) -> tuple[int, int]:
    """The sheet's proportions, no larger than the sheet and within `width` x `height` px."""
    sheet = figure.sheet
    scale = min(1.0, width / sheet.width, height / sheet.height)
    return max(round(sheet.width * scale), 1), max(round(sheet.height * scale), 1)
