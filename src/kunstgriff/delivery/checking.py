"""A delivery read back before it is called done, by another library than wrote it.

What Pillow wrote is read by OpenCV, what PyAV wrote by OpenCV's own FFmpeg, glTF by its header and its parts as the
standard lays them out (Khronos glTF 2.0, binary container), zips by their checksums.
"""

from __future__ import annotations

import json
import struct
import zipfile
from collections.abc import Callable
from dataclasses import dataclass
from html.parser import HTMLParser
from pathlib import Path

import cv2
import numpy as np

from kunstgriff.figure.refusal import DeliveryRefused

MAGIC, JSON_CHUNK, BINARY_CHUNK = 0x46546C67, 0x4E4F534A, 0x004E4942
COMPONENTS = {5120: 1, 5121: 1, 5122: 2, 5123: 2, 5125: 4, 5126: 4}
NUMBERS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}


class Unreadable(Exception):
    """What was found wrong, in words."""


@dataclass(frozen=True)
class Found:
    """What was read of a film: its frames, or how long it is (s) where frames alike may have become one; their size."""

    size: tuple[int, int]
    frames: int | None = None
    seconds: float | None = None


def read_back(
    path: Path, ending: str, frames: int | None = None, rate: int = 24, size: tuple[int, int] | None = None
) -> None:
    """Read what was written at `path` as a file of that ending; with so many `frames` at a `rate`, that large, where it
    is a film. Raises DeliveryRefused where it cannot be read or is not what was to be written."""
    try:
        found = READERS[f".{ending.rpartition('.')[2]}"](path)
    except (Unreadable, OSError, ValueError, KeyError, struct.error, zipfile.BadZipFile, cv2.error) as error:
        raise DeliveryRefused(f"What was written could not be read back: {error}") from error
    if found is None or frames is None:
        return
    if found.frames not in (None, frames):
        raise DeliveryRefused(f"What was written was read back as {found.frames} frames, not as {frames}.")
    if found.seconds is not None and abs(found.seconds - frames / rate) > 0.5 / rate:
        raise DeliveryRefused(f"What was written lasts {found.seconds:.3f} s, not {frames / rate:.3f} s.")
    if size is not None and found.size != size:
        (width, height), (wide, tall) = found.size, size
        raise DeliveryRefused(f"What was written is {width} x {height} px, not {wide} x {tall}.")


def _picture(path: Path) -> Found | None:
    picture = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    if picture is None:
        raise Unreadable("it is no picture")
    return None


def _animation(path: Path) -> Found | None:
    read, animation = cv2.imreadanimation(str(path))
    if not read or not len(animation.frames):
        raise Unreadable("it has no frames")
    height, width = animation.frames[0].shape[:2]
    return Found((width, height), seconds=float(np.sum(animation.durations)) / 1000)


def _film(path: Path) -> Found | None:
    film = cv2.VideoCapture(str(path), cv2.CAP_FFMPEG)
    try:
        count, size = 0, (0, 0)
        while film.grab():
            if not count:
                _, picture = film.retrieve()
                size = picture.shape[1], picture.shape[0]
            count += 1
    finally:
        film.release()
    if not count:
        raise Unreadable("it has no frames")
    return Found(size, count)


def _zip(path: Path) -> Found | None:
    with zipfile.ZipFile(path) as archive:
        if (broken := archive.testzip()) is not None:
            raise Unreadable(f"{broken} in it is broken")
        names = archive.namelist()
        if "frames.json" not in names:
            return None
        told = json.loads(archive.read("frames.json"))
        first = cv2.imdecode(np.frombuffer(archive.read(told["files"][0]), np.uint8), cv2.IMREAD_UNCHANGED)
        if set(told["files"]) != set(names) - {"frames.json"} or first is None:
            raise Unreadable("its frames are not those it tells of")
        return Found((first.shape[1], first.shape[0]), len(told["files"]))


def _glb(path: Path) -> Found | None:
    data = path.read_bytes()
    magic, version, length = struct.unpack_from("<III", data)
    if (magic, version, length) != (MAGIC, 2, len(data)):
        raise Unreadable("its header is none of glTF 2.0")
    size, kind = struct.unpack_from("<II", data, 12)
    if kind != JSON_CHUNK:
        raise Unreadable("it does not begin with its JSON")
    told = json.loads(data[20 : 20 + size])
    long, kind = struct.unpack_from("<II", data, 20 + size)
    if kind != BINARY_CHUNK or long < told["buffers"][0]["byteLength"]:
        raise Unreadable("its buffer is short")
    views = told["bufferViews"]
    for view in views:
        if view.get("byteOffset", 0) + view["byteLength"] > long:
            raise Unreadable("a part of it lies outside its buffer")
    for one in told["accessors"]:
        needs = one["count"] * COMPONENTS[one["componentType"]] * NUMBERS[one["type"]]
        if one.get("byteOffset", 0) + needs > views[one["bufferView"]]["byteLength"]:
            raise Unreadable("numbers of it lie outside their part")
    return None


class _Page(HTMLParser):
    """A page, and what it refers to outside."""

    def __init__(self) -> None:
        super().__init__()
        self.outside = list[str]()

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        for name, value in attrs:
            if name in ("src", "href") and value and not value.startswith(("data:", "#")):
                self.outside.append(value)


def _page(path: Path) -> Found | None:
    page = _Page()
    page.feed(path.read_text())
    if page.outside:
        raise Unreadable(f"it refers to {page.outside[0][:80]}")
    return None


def _data(path: Path) -> Found | None:
    json.loads(path.read_text())
    return None


READERS: dict[str, Callable[[Path], Found | None]] = {
    ".png": _picture, ".webm": _film, ".webp": _animation, ".apng": _animation, ".zip": _zip,
    ".ora": _zip, ".glb": _glb, ".html": _page, ".json": _data,
}  # fmt: skip
