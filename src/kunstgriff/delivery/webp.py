"""A motion as an animated WebP with alpha, through Pillow."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path

from PIL import Image

from kunstgriff.artwork.sheet import Progress, no_progress
from kunstgriff.delivery.frames import motion_pictures
from kunstgriff.figure.model import Figure
from kunstgriff.figure.stores import Stores
from kunstgriff.trial.motion import SWING, Motion, rate_of

QUALITY = 88  # of 100; flat drawn art shows no loss at this, measured by eye on the demo


def write_webp(
    target: Path,
    figure: Figure,
    stores: Stores,
    size: tuple[int, int] | None = None,
    progress: Progress = no_progress,
    motion: Motion = SWING,
    facing: int = 0,
) -> None:
    """Write the motion, looping for ever; frame times are whole milliseconds that sum to its length."""
    pictures = (Image.fromarray(one) for one in motion_pictures(figure, stores, size, progress, motion, facing))
    first, *others = pictures
    count = 1 + len(others)
    marks = [round(number * 1000 / rate_of(motion, figure)) for number in range(count + 1)]
    progress(count, count, "packing the WebP")
    first.save(
        target,
        "WEBP",
        save_all=True,
        append_images=others,
        duration=[after - before for before, after in pairwise(marks)],
        loop=0,
        quality=QUALITY,
        method=2,
    )
