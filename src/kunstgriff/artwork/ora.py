"""OpenRaster (freedesktop.org), read as from a stranger and written as the specification says.

Nothing in the file is trusted: every size, count, depth and name is checked before memory is spent on it, no path
of the archive is ever used as a path, and its XML may declare neither a document type nor entities.
"""

from __future__ import annotations

import io
import math
import re
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO
from xml.etree.ElementTree import Element, ParseError, SubElement, tostring

import numpy as np
from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import iterparse
from numpy.typing import NDArray
from PIL import Image

from kunstgriff.artwork.sheet import ArtSheet, ArtworkRefused, Layer, Progress, composite, no_progress
from kunstgriff.figure.stores import encode_png
from kunstgriff.figure.zips import reading_zip, take

MIMETYPE = b"image/openraster"
STANDING = (
    "{https://kunstgriff.example/ora}standing-point"  # our own attribute; the specification lets readers pass it over
)
STAMP = (1980, 1, 1, 0, 0, 0)  # the earliest a zip can say; the same sheet gives the same bytes
FILE_LIMIT = 512 * 1024 * 1024
ENTRIES_LIMIT = 4_000
XML_LIMIT = 4 * 1024 * 1024
ENTRY_LIMIT = 256 * 1024 * 1024
DEPTH_LIMIT = 64
LAYERS_LIMIT = 1_000
SIDE_LIMIT = 30_000
LAYER_PIXELS_LIMIT = 100_000_000
TOTAL_PIXELS_LIMIT = 600_000_000  # 2.4 GB of straight RGBA would already be too much; a sheet of 100 layers has 400 M


@dataclass(frozen=True)
class _Entry:
    name: str
    source: str
    offset: tuple[int, int]
    groups: tuple[tuple[int, str], ...]
    opacity: float
    visible: bool


def read_ora(source: Path | BinaryIO, progress: Progress = no_progress) -> ArtSheet:
    """Read an OpenRaster file into an art sheet, layers back to front. Raises ArtworkRefused with a sentence."""
    with reading_zip(source, ArtworkRefused, "This is no OpenRaster file, or it is cut off.") as archive:
        if isinstance(source, Path) and source.stat().st_size > FILE_LIMIT:
            raise ArtworkRefused("The file is larger than 512 MB.")
        return _read(archive, progress)


def _read(archive: zipfile.ZipFile, progress: Progress) -> ArtSheet:
    infos = archive.infolist()
    if len(infos) > ENTRIES_LIMIT:
        raise ArtworkRefused(f"The file holds {len(infos)} entries, more than the {ENTRIES_LIMIT} allowed.")
    entries = {info.filename.lstrip("/"): info for info in infos}  # some writers put a slash in front
    if "mimetype" not in entries or take(archive, entries["mimetype"], 100, ArtworkRefused).strip() != MIMETYPE:
        raise ArtworkRefused("The file does not say that it is OpenRaster.")
    if "stack.xml" not in entries:
        raise ArtworkRefused("The file lacks stack.xml, the list of its layers.")
    sheet, listed = _read_stack(take(archive, entries["stack.xml"], XML_LIMIT, ArtworkRefused))
    pixels_left = TOTAL_PIXELS_LIMIT
    for number, entry in enumerate(listed):
        progress(number, len(listed), "reading the layers")
        info = entries.get(entry.source.lstrip("/"))
        if info is None:
            raise ArtworkRefused(f"Layer “{entry.name}” names a picture that is not in the file.")
        pixels = read_picture(take(archive, info, ENTRY_LIMIT, ArtworkRefused), entry.name, pixels_left)
        pixels_left -= pixels.shape[0] * pixels.shape[1]
        sheet.layers.append(Layer(entry.name, pixels, entry.offset, entry.groups, entry.opacity, entry.visible))
    return sheet


def _read_stack(xml: bytes) -> tuple[ArtSheet, list[_Entry]]:
    try:
        image = _parse(xml)
    except (ParseError, DefusedXmlException, ValueError) as error:
        if isinstance(error, ArtworkRefused):
            raise
        raise ArtworkRefused("stack.xml is damaged, or declares entities, which Kunstgriff does not follow.") from error
    if image.tag != "image":
        raise ArtworkRefused("stack.xml describes no image.")
    width, height = _whole(image.get("w"), "width"), _whole(image.get("h"), "height")
    if not (1 <= width <= SIDE_LIMIT and 1 <= height <= SIDE_LIMIT) or width * height > LAYER_PIXELS_LIMIT:
        raise ArtworkRefused(
            f"The sheet claims {width} x {height} px; {SIDE_LIMIT} a side and 100 megapixels are allowed."
        )
    sheet = ArtSheet((width, height), standing_point=_standing_point(image.get(STANDING)))
    listed = [entry for stack in image.findall("stack") for entry in _walk(stack, sheet.notices)]
    if len(listed) > LAYERS_LIMIT:
        raise ArtworkRefused(f"The file has {len(listed)} layers, more than the {LAYERS_LIMIT} allowed.")
    return sheet, listed[::-1]


def _standing_point(text: str | None) -> tuple[float, float] | None:
    match = re.fullmatch(r"(-?\d{1,6}(?:\.\d{1,6})?) (-?\d{1,6}(?:\.\d{1,6})?)", text or "")
    return (float(match[1]), float(match[2])) if match else None


def _parse(xml: bytes) -> Element:
    depth = 0
    root: Element | None = None
    for event, element in iterparse(io.BytesIO(xml), events=("start", "end"), forbid_dtd=True):
        depth += 1 if event == "start" else -1
        root = element if root is None else root
        if depth > DEPTH_LIMIT:
            raise ArtworkRefused(f"The layers are nested deeper than the {DEPTH_LIMIT} levels allowed.")
    if root is None:
        raise ArtworkRefused("stack.xml is empty.")
    return root


def _walk(top: Element, notices: list[str]) -> Iterator[_Entry]:
    """Layers of a stack, front to back as they stand in the file; offsets, opacity, visibility inherited."""
    number = 0
    pending: list[tuple[Element, _Entry]] = [(top, _Entry("", "", (0, 0), (), 1.0, True))]
    while pending:
        element, outer = pending.pop()
        offset = (
            outer.offset[0] + _whole(element.get("x", "0"), "offset"),
            outer.offset[1] + _whole(element.get("y", "0"), "offset"),
        )
        opacity = outer.opacity * _fraction(element.get("opacity", "1"))
        visible = outer.visible and element.get("visibility", "visible") != "hidden"
        name = " ".join(element.get("name", "").split())
        blend = element.get("composite-op", "svg:src-over")
        if blend != "svg:src-over":
            notices.append(f"“{name or 'A group'}” is blended by {blend[:40]}; it is laid on plainly for now.")
        if element.tag == "layer":
            number += 1
            name = name or f"layer {number}"
            yield _Entry(name, element.get("src", ""), offset, outer.groups, opacity, visible)
        elif element.tag == "stack":
            number += 1
            groups = outer.groups if element is top else (*outer.groups, (number, name or "group"))
            if element is not top and float(_fraction(element.get("opacity", "1"))) < 1:
                notices.append(f"Group “{name}” is half transparent; its parts are now so one by one.")
            inner = _Entry(name, "", offset, groups, opacity, visible)
            pending.extend((child, inner) for child in reversed(element))


def _whole(text: str | None, what: str) -> int:
    try:
        value = int(float(text or ""))
    except (ValueError, OverflowError) as error:
        raise ArtworkRefused(f"stack.xml gives a {what} that is no number.") from error
    if abs(value) > 10_000_000:
        raise ArtworkRefused(f"stack.xml gives a {what} of {value} px.")
    return value


def _fraction(text: str) -> float:
    try:
        value = float(text)
    except ValueError as error:
        raise ArtworkRefused("stack.xml gives an opacity that is no number.") from error
    if not math.isfinite(value):
        raise ArtworkRefused("stack.xml gives an opacity that is no number.")
    return min(max(value, 0.0), 1.0)


def read_picture(data: bytes, name: str, pixels_left: int) -> NDArray[np.uint8]:
    """A layer's PNG as straight-alpha pixels; its claimed size is judged before anything is decoded."""
    try:
        with Image.open(io.BytesIO(data), formats=["PNG"]) as image:
            pixels = image.width * image.height
            if pixels > LAYER_PIXELS_LIMIT or max(image.size) > SIDE_LIMIT:
                raise ArtworkRefused(f"Layer “{name}” claims {image.width} x {image.height} px, more than allowed.")
            if pixels > pixels_left:
                raise ArtworkRefused("The layers together have more pixels than Kunstgriff takes at once.")
            return np.asarray(image.convert("RGBA"))
    except (OSError, SyntaxError, ValueError, Image.DecompressionBombError) as error:
        if isinstance(error, ArtworkRefused):
            raise
        raise ArtworkRefused(f"The picture of layer “{name}” is damaged or is no PNG.") from error


def write_ora(target: Path | BinaryIO, sheet: ArtSheet) -> None:
    """Write the sheet as OpenRaster: mimetype first and stored, layers, merged picture and thumbnail."""
    merged = composite(sheet)
    image = Element("image", version="0.0.5", w=str(sheet.size[0]), h=str(sheet.size[1]))
    if sheet.standing_point is not None:
        image.set(STANDING, f"{sheet.standing_point[0]:g} {sheet.standing_point[1]:g}")
    stacks: dict[tuple[tuple[int, str], ...], Element] = {(): SubElement(image, "stack")}
    with zipfile.ZipFile(target, "w", zipfile.ZIP_STORED) as archive:

        def add(name: str, data: bytes) -> None:
            archive.writestr(zipfile.ZipInfo(name, STAMP), data)

        add("mimetype", MIMETYPE)
        for number, layer in enumerate(reversed(sheet.layers)):
            for depth in range(1, len(layer.groups) + 1):
                path = layer.groups[:depth]
                if path not in stacks:
                    stacks[path] = SubElement(stacks[path[:-1]], "stack", name=path[-1][1])
            source = f"data/layer{number}.png"
            SubElement(
                stacks[layer.groups],
                "layer",
                {
                    "name": layer.name,
                    "src": source,
                    "x": str(layer.offset[0]),
                    "y": str(layer.offset[1]),
                    "opacity": f"{layer.opacity:g}",
                    "visibility": "visible" if layer.visible else "hidden",
                    "composite-op": "svg:src-over",
                },
            )
            add(source, encode_png(layer.pixels))
        add("stack.xml", tostring(image, encoding="UTF-8", xml_declaration=True))
        add("mergedimage.png", encode_png(merged))
        thumbnail = Image.fromarray(merged)
        thumbnail.thumbnail((256, 256))
        add("Thumbnails/thumbnail.png", encode_png(np.asarray(thumbnail)))
