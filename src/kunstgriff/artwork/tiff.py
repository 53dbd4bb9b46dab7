"""A TIFF of several pages as layered artwork: a page is a layer, the first one hindmost.

TIFF 6.0 says what a page is called (PageName, 285) and where it lies (XPosition and YPosition, 286 and 287, in units of
its resolution, 282, 283 and 296), and extensions in wide use how large the whole is (ImageFullWidth and
ImageFullLength, 33300 and 33301). A name may be a path of groups, "head/eye".
"""

from __future__ import annotations

import io
import warnings
from pathlib import Path as FilePath
from typing import Any, BinaryIO

import numpy as np
from PIL import Image, TiffImagePlugin

from kunstgriff.artwork.ora import ENTRIES_LIMIT, LAYER_PIXELS_LIMIT, SIDE_LIMIT
from kunstgriff.artwork.sheet import ArtSheet, ArtworkRefused, Layer, Progress, no_progress
from kunstgriff.figure.budget import DEPTH, Budget, budget

FILE_LIMIT = 1024 * 1024 * 1024  # bytes
PAGE_NAME, X_POSITION, Y_POSITION, X_RESOLUTION, Y_RESOLUTION = 285, 286, 287, 282, 283
FULL_WIDTH, FULL_LENGTH = 33300, 33301
DECODED = 12  # bytes a pixel while a page is decoded and cut
BROKEN = (OSError, SyntaxError, ValueError, KeyError, IndexError, TypeError, OverflowError, ZeroDivisionError)


def read_tiff(source: FilePath | BinaryIO, progress: Progress = no_progress) -> ArtSheet:
    """Read the pages of a TIFF into an art sheet. Raises ArtworkRefused with a sentence."""
    try:
        data = source.read_bytes() if isinstance(source, FilePath) else source.read()
    except OSError as error:
        raise ArtworkRefused(f"“{source}” cannot be read: {error.strerror}.") from error
    if len(data) > FILE_LIMIT:
        raise ArtworkRefused("The file is larger than Kunstgriff takes.")
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # a damaged tag is skipped; what matters of it is refused below
        try:
            image = Image.open(io.BytesIO(data), formats=["TIFF"])
        except (*BROKEN, Image.DecompressionBombError) as error:
            raise ArtworkRefused("This is no TIFF, or it is damaged.") from error
        assert isinstance(image, TiffImagePlugin.TiffImageFile)
        return _read(image, progress)


def _read(image: TiffImagePlugin.TiffImageFile, progress: Progress) -> ArtSheet:
    spending, layers, extent, groups = budget(), list[Layer](), [1, 1], {"": 0}
    for number in range(ENTRIES_LIMIT + 1):
        try:
            image.seek(number)
        except EOFError:
            break
        except BROKEN as error:
            raise ArtworkRefused(f"Page {number + 1} of the TIFF is damaged.") from error
        if number == ENTRIES_LIMIT:
            raise ArtworkRefused(f"The file holds more than the {ENTRIES_LIMIT} pages allowed.")
        layer = _page(image, number, groups, spending)
        layers.append(layer)
        reach = [at + size for at, size in zip(_place(image), image.size, strict=True)]
        full = [image.tag_v2.get(tag) for tag in (FULL_WIDTH, FULL_LENGTH)]
        extent = [max(a, b, _whole(c)) for a, b, c in zip(extent, reach, full, strict=True)]
        progress(number + 1, number + 2, "reading pages")
    if max(extent) > SIDE_LIMIT:
        raise ArtworkRefused(f"The sheet would be {extent[0]} x {extent[1]} px, larger than the {SIDE_LIMIT} allowed.")
    return ArtSheet((extent[0], extent[1]), layers)


def _page(image: TiffImagePlugin.TiffImageFile, number: int, groups: dict[str, int], spending: Budget) -> Layer:
    name = str(image.tag_v2.get(PAGE_NAME) or f"page {number + 1}").replace("\0", "").strip()
    width, height = image.size
    if width * height > LAYER_PIXELS_LIMIT or max(image.size) > SIDE_LIMIT:
        raise ArtworkRefused(f"Page “{name[:60]}” claims {width} x {height} px, more than allowed.")
    spending.decode(width * height)
    spending.need(width, height, DECODED, f"Page “{name[:60]}”")
    *around, own = [step.strip() for step in name.split("/", DEPTH + 2) if step.strip()] or [f"page {number + 1}"]
    spending.name(len(name), len(around))
    path, along = [], ""
    for step in around:
        along = f"{along}/{step}"
        path.append((groups.setdefault(along, len(groups)), step[:80]))
    try:
        pixels = np.array(image.convert("RGBA"))
    except (*BROKEN, Image.DecompressionBombError) as error:
        raise ArtworkRefused(f"Page “{name[:60]}” is damaged, or packed in a way Kunstgriff does not read.") from error
    return Layer.of(own[:80], pixels, _place(image), tuple(path))


def _place(image: TiffImagePlugin.TiffImageFile) -> tuple[int, int]:
    """Where a page lies, px: its position times its resolution."""
    found = []
    for at, per in ((X_POSITION, X_RESOLUTION), (Y_POSITION, Y_RESOLUTION)):
        position, resolution = (_number(image.tag_v2.get(tag)) for tag in (at, per))
        found.append(min(round(position * (resolution or 1.0)), SIDE_LIMIT))
    return found[0], found[1]


def _number(value: Any) -> float:
    """A tag as a number of 0 or more; 0 where it is none."""
    try:
        number = float(value)
    except BROKEN:
        return 0.0
    return number if 0 <= number < 1e9 else 0.0


def _whole(value: Any) -> int:
    return round(_number(value))
