"""A film or numbered pictures to go by under a motion: read from outside within limits, kept as small stills."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import PurePath

import av
import numpy as np
from av.video.stream import VideoStream
from PIL import Image

from kunstgriff.figure.budget import Budget, budget
from kunstgriff.figure.motions import MOST_PICTURES, Film
from kunstgriff.figure.refusal import EditRefused
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.zips import take

LARGEST = 64 * 1024 * 1024  # bytes of what comes from outside, and of what is kept
SIDE, MOST_PIXELS = 720, 4096 * 4096  # px: what is kept at the most, what is decoded at the most
QUALITY = 72
CODECS = ("vp8", "vp9", "av1", "libvpx", "libvpx-vp9", "libdav1d")
MATROSKA = b"\x1a\x45\xdf\xa3"  # what WebM begins with: EBML, RFC 8794
NONE = "This is no film that could be read; take WebM, an animated WebP, PNG or GIF, or numbered pictures."
Shown = tuple[float, Image.Image]  # from which second on


@dataclass(frozen=True)
class Named:
    """A file from outside."""

    name: str
    data: bytes


def kept_film(stores: Stores, files: Sequence[Named], rate: float) -> Film:
    """A film, or pictures numbered by their names that go by at `rate` a second, in the stores. What is larger than 720
    px is made smaller. Raises EditRefused for what is none of these, too large or too long."""
    if not files:
        raise EditRefused("Choose a film or numbered pictures.")
    if sum(len(one.data) for one in files) > LARGEST:
        raise EditRefused(f"{LARGEST // 1024**2} MB of film are taken at most.")
    spent = Budget(EditRefused)
    try:
        if len(files) == 1 and files[0].data.startswith(MATROSKA):
            shown, rate = _of_webm(files[0].data, spent)
        elif len(files) == 1:
            shown, rate = _of_animated(files[0].data, rate, spent)
        else:
            shown = _of_numbered(files, rate, spent)
        return _kept(stores, PurePath(files[0].name).stem[:80] or "film", _even(shown, rate), rate)
    except (OSError, SyntaxError, ValueError, TypeError, av.FFmpegError, Image.DecompressionBombError) as error:
        if isinstance(error, EditRefused):
            raise
        raise EditRefused(NONE) from error


def still_of(stores: Stores, film: Film, number: int) -> bytes:
    """One of a film's pictures as WebP. Raises EditRefused where there is none such."""
    kept = stores.get_array(film.film)
    if kept.dtype != np.uint8 or kept.ndim != 1:
        raise EditRefused(f"What is kept of “{film.name}” is no film.")
    try:
        with zipfile.ZipFile(io.BytesIO(kept.tobytes())) as archive:
            return take(archive, archive.getinfo(_entry(number)), LARGEST, EditRefused)
    except (KeyError, zipfile.BadZipFile) as error:
        raise EditRefused(f"“{film.name}” has no picture {number + 1}.") from error


def _entry(number: int) -> str:
    return f"{number:05d}.webp"


def _of_webm(data: bytes, spent: Budget) -> tuple[Iterator[Shown], float]:
    opened = av.open(io.BytesIO(data), format="matroska")
    stream = next(iter(opened.streams.video), None)
    if stream is None or stream.codec_context.name not in CODECS:
        opened.close()
        raise EditRefused("This WebM has no pictures in VP8, VP9 or AV1.")
    if stream.width * stream.height > MOST_PIXELS:
        opened.close()
        raise EditRefused(f"A film of {stream.width} x {stream.height} px is too large.")
    return _decoded(opened, stream, spent), float(min(stream.average_rate or Fraction(24), 60))


def _decoded(opened: av.container.InputContainer, stream: VideoStream, spent: Budget) -> Iterator[Shown]:
    with opened:
        for frame in opened.decode(stream):
            spent.tick()
            if frame.width * frame.height > MOST_PIXELS:  # the size may change under way
                raise EditRefused(NONE)
            yield float(frame.time or 0.0), frame.to_image()


def _of_animated(data: bytes, rate: float, spent: Budget) -> tuple[Iterator[Shown], float]:
    image = Image.open(io.BytesIO(data), formats=["WEBP", "PNG", "GIF", "JPEG"])
    if image.width * image.height > MOST_PIXELS:
        raise EditRefused(f"Pictures of {image.width} x {image.height} px are too large.")
    count = getattr(image, "n_frames", 1)
    if count > MOST_PICTURES:
        raise EditRefused(f"A film of {count} pictures is too long; {MOST_PICTURES} at most are taken.")
    lasts = []
    for number in range(count if count > 1 else 0):
        image.seek(number)
        image.load()  # a WebP tells how long it lasts only then
        spent.tick()
        lasts.append(max(float(image.info.get("duration") or 0.0), 10.0) / 1000)
    mean = min(len(lasts) / sum(lasts), 60.0) if lasts else rate
    return _of_frames(image, lasts or [1 / rate], spent), mean


def _of_frames(image: Image.Image, lasts: Sequence[float], spent: Budget) -> Iterator[Shown]:
    begins = 0.0
    for number, seconds in enumerate(lasts):
        image.seek(number)
        spent.tick()
        yield begins, image.convert("RGBA")
        begins += seconds


def _of_numbered(files: Sequence[Named], rate: float, spent: Budget) -> Iterator[Shown]:
    if len(files) > MOST_PICTURES:
        raise EditRefused(f"{MOST_PICTURES} pictures at most make a film.")
    for number, one in enumerate(sorted(files, key=_number)):
        with Image.open(io.BytesIO(one.data), formats=["WEBP", "PNG", "JPEG"]) as image:
            if image.width * image.height > MOST_PIXELS:
                raise EditRefused(f"“{one.name[:80]}” is too large.")
            spent.tick()
            yield number / rate, image.convert("RGBA")


def _number(one: Named) -> tuple[str | int, ...]:
    """What files go by in order: 9 before 10."""
    return tuple(int(part) if part.isdigit() else part for part in re.split(r"(\d{1,18})", PurePath(one.name).stem))


def _even(shown: Iterator[Shown], rate: float) -> Iterator[Image.Image]:
    """What shows at even moments, `rate` a second."""
    before: Image.Image | None = None
    given = 0
    for begins, image in shown:
        while before is not None and given / rate < begins - 0.25 / rate:
            yield before
            given += 1
        before = image
    if before is not None:
        yield before


def _kept(stores: Stores, name: str, pictures: Iterator[Image.Image], rate: float) -> Film:
    buffer, size, count, given = io.BytesIO(), (0, 0), 0, budget()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_STORED) as archive:
        for count, picture in enumerate(pictures, 1):
            given.tick()
            if count > MOST_PICTURES:
                raise EditRefused(f"The film has more than {MOST_PICTURES} pictures.")
            if not size[0]:
                share = min(1.0, SIDE / max(picture.size))
                size = (max(round(picture.width * share), 1), max(round(picture.height * share), 1))
            still = io.BytesIO()
            picture.resize(size, Image.Resampling.BILINEAR).save(still, "WEBP", quality=QUALITY, method=0)
            archive.writestr(zipfile.ZipInfo(_entry(count - 1)), still.getvalue())
            if buffer.tell() > LARGEST:
                raise EditRefused(f"The film would take more than {LARGEST // 1024**2} MB; a shorter one is taken.")
    if not count:
        raise EditRefused("There is nothing to see in this film.")
    digest = stores.put_array(np.frombuffer(buffer.getvalue(), np.uint8))
    return Film(name=name, film=digest, pictures=count, size=size, rate=rate)
