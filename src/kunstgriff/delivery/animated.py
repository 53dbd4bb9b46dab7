"""A motion as a picture that moves, WebP or PNG with alpha, through Pillow."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path

from PIL import Image

from kunstgriff.artwork.sheet import Progress
from kunstgriff.delivery.frames import Filmed

QUALITY = 88  # of 100; flat drawn art shows no loss at this, measured by eye on the demo
WAYS: dict[str, dict[str, object]] = {"WEBP": {"quality": QUALITY, "method": 2}, "PNG": {"default_image": False}}


def write_animated(target: Path, film: Filmed, rate: int, kind: str, progress: Progress) -> None:
    """Write a motion as `kind` (WEBP, PNG), looping for ever; frame times are whole milliseconds that sum to its
    length."""
    first, *others = (Image.fromarray(one) for one in film.pictures)
    count = 1 + len(others)
    marks = [round(number * 1000 / rate) for number in range(count + 1)]
    progress(count, count, f"packing the {kind}")
    times = [after - before for before, after in pairwise(marks)]
    first.save(target, kind, save_all=True, append_images=others, duration=times, loop=0, **WAYS[kind])
