"""A motion as single pictures: a zip of numbered PNGs, or some of them side by side on one sheet."""

from __future__ import annotations

import json
import math
import zipfile
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from kunstgriff.delivery.frames import Filmed
from kunstgriff.figure.stores import encode_png
from kunstgriff.paint.painter import laid_on

CELLS, ACROSS, TALL = 24, 6, 300  # frames of a contact sheet at the most, in a row, px high each
BLACK = np.zeros(3, np.uint8)
PAPER, INK, GAP, LINE = (250, 246, 236), (43, 42, 51), 8, 22


def write_frames(target: Path, film: Filmed, rate: int, name: str, premultiplied: bool = False) -> None:
    """Write every frame as a PNG into a zip, with frames.json: the rate, where the first frame is in its motion, what
    place of the figure the upper left corner is (px from the standing point) and how alpha is told."""
    digits = max(len(str(film.numbers.stop - 1)), 4)
    told = {
        "motion": name, "frames_per_second": rate, "first": film.numbers.start, "count": len(film.numbers),
        "size": film.view.size, "corner": film.view.origin, "px_per_figure_px": film.view.scale,
        "alpha": "premultiplied" if premultiplied else "straight",
    }  # fmt: skip
    with zipfile.ZipFile(target, "w", zipfile.ZIP_STORED) as archive:
        names = list[str]()
        for number, picture in zip(film.numbers, film.pictures, strict=True):
            names.append(f"{number:0{digits}}.png")
            archive.writestr(names[-1], encode_png(_premultiplied(picture) if premultiplied else picture))
        archive.writestr("frames.json", json.dumps({**told, "files": names}, indent=1))


def _premultiplied(picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
    return np.dstack([laid_on(picture, BLACK), picture[..., 3]])


def write_contact(target: Path, film: Filmed) -> None:
    """Write frames evenly spread over a motion side by side, each with its number."""
    count = min(CELLS, len(film.numbers))
    wanted = set(np.linspace(film.numbers.start, film.numbers.stop - 1, count).round().astype(int).tolist())
    width, height = film.view.size
    across, cell = min(ACROSS, count), (max(round(width * TALL / height), 1), TALL)
    rows = math.ceil(len(wanted) / across)
    sheet = Image.new("RGB", (GAP + across * (cell[0] + GAP), GAP + rows * (cell[1] + LINE + GAP)), PAPER)
    pen, font, place = ImageDraw.Draw(sheet), ImageFont.load_default(14), 0
    for number, picture in zip(film.numbers, film.pictures, strict=True):
        if number not in wanted:
            continue
        small = Image.fromarray(picture).resize(cell, Image.Resampling.LANCZOS)
        x, y = GAP + place % across * (cell[0] + GAP), GAP + place // across * (cell[1] + LINE + GAP)
        sheet.paste(small, (x, y), small)
        pen.text((x + cell[0] / 2, y + cell[1] + LINE / 2), str(number), INK, font, anchor="mm")
        place += 1
    sheet.save(target, "PNG")
