"""OpenRaster (freedesktop.org), read as from a stranger and written as the specification says.

Nothing in the file is trusted: every size, count, depth and name is checked before memory is spent on it, no path
of the archive is ever used as a path, and its XML may declare neither a document type nor entities.
"""

from __future__ import annotations

import io
import math
import re
import zipfile
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any, BinaryIO
from xml.etree.ElementTree import Element, ParseError, SubElement, tostring

import numpy as np
from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import iterparse
from numpy.typing import NDArray
from PIL import Image

from kunstgriff.artwork.sheet import PLAIN, ArtSheet, ArtworkRefused, GroupLook, Layer, Progress, composite, no_progress
from kunstgriff.artwork.sheet import Path as GroupPath
from kunstgriff.figure.budget import Budget, budget
from kunstgriff.figure.model import GROUP_LAYERS_LIMIT, Blend
from kunstgriff.figure.stores import encode_png
from kunstgriff.figure.zips import reading_zip, take

MIMETYPE = b"image/openraster"
STANDING = (
    "{https://kunstgriff.example/ora}standing-point"  # our own attribute; the specification lets readers pass it over
)
EMPTY = encode_png(np.zeros((1, 1, 4), np.uint8))
STAMP = (1980, 1, 1, 0, 0, 0)  # the earliest a zip can say; the same sheet gives the same bytes
FILE_LIMIT = 512 * 1024 * 1024
ENTRIES_LIMIT = 4_000
XML_LIMIT = 4 * 1024 * 1024
ENTRY_LIMIT = 256 * 1024 * 1024
DEPTH_LIMIT = 64
LAYERS_LIMIT = 1_000
SIDE_LIMIT = 30_000
LAYER_PIXELS_LIMIT = 100_000_000
READERS = 2  # threads that decode and encode pictures; each holds the pixels of one layer
OFFSET_LIMIT = 100_000  # px a layer may lie off the sheet's corner


@dataclass(frozen=True)
class _Entry:
    name: str
    source: str
    offset: tuple[int, int]
    groups: GroupPath
    opacity: float
    visible: bool
    blend: Blend = "normal"


# the specification's names for blending, as far as it has them; from memory
COMPOSITE_OPS: dict[str, Blend] = {
    "svg:src-over": "normal",
    **{f"svg:{mode}": mode for mode in (
        "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn", "hard-light", "soft-light",
        "difference", "exclusion", "hue", "saturation", "color", "luminosity",
    )},
    "svg:plus": "plus-lighter",
    "svg:src-atop": "source-atop",
    "svg:dst-in": "destination-in",
    "svg:dst-out": "destination-out",
    "svg:dst-atop": "destination-atop",
}  # fmt: skip
OP_OF = {blend: op for op, blend in COMPOSITE_OPS.items()}


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
    waiting = []
    for entry in listed:
        info = entries.get(entry.source.lstrip("/"))
        if info is None:
            raise ArtworkRefused(f"Layer “{entry.name}” names a picture that is not in the file.")
        waiting.append((entry, info))
    spending = budget()

    def one(entry: _Entry, info: zipfile.ZipInfo) -> Layer:
        png = take(archive, info, ENTRY_LIMIT, ArtworkRefused)
        return layer_of_png(
            png, entry.name, spending, entry.offset, entry.groups, entry.opacity, entry.visible, entry.blend
        )

    sheet.layers.extend(in_threads(one, waiting, progress))
    return sheet


def in_threads(read: Callable[..., Layer], waiting: list[tuple[Any, ...]], progress: Progress) -> Iterator[Layer]:
    """Layers read side by side, in their order; the first refusal or stop ends all."""
    with ThreadPoolExecutor(READERS) as readers:
        begun = [readers.submit(read, *arguments) for arguments in waiting]
        try:
            for number, future in enumerate(begun):
                progress(number, len(begun), "reading the layers")
                yield future.result()
        finally:
            for future in begun:
                future.cancel()


def layer_of_png(png: bytes, name: str, spending: Budget, offset: tuple[int, int], *look: Any) -> Layer:
    """A layer from a PNG; where all of it is painted its very bytes are kept. Raises ArtworkRefused."""
    pixels = read_picture(png, name, spending)
    height, width = pixels.shape[:2]
    if pixels[0, :, 3].any() and pixels[-1, :, 3].any() and pixels[:, 0, 3].any() and pixels[:, -1, 3].any():
        plain = plain_png(png)
        if plain is not None:
            return Layer(name, plain, (width, height), offset, *look)
    return Layer.of(name, pixels, offset, *look)


def plain_png(png: bytes) -> bytes | None:
    """The PNG with nothing but its pixels, if they are 8-bit red, green, blue and alpha in rows; else None."""
    if png[16:29][8:13] != bytes([8, 6, 0, 0, 0]):
        return None
    kept, at = [png[:8]], 8
    while at + 12 <= len(png):
        end = at + 12 + int.from_bytes(png[at : at + 4], "big")
        if png[at + 4 : at + 8] in (b"IHDR", b"IDAT", b"IEND"):
            kept.append(png[at:end])
        at = end
    return b"".join(kept)


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
    listed = [entry for stack in image.findall("stack") for entry in _walk(stack, sheet)]
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


def _walk(top: Element, sheet: ArtSheet) -> Iterator[_Entry]:
    """Layers of a stack, front to back as they stand in the file; offsets and visibility inherited."""
    number = 0
    pending: list[tuple[Element, _Entry, int]] = [(top, _Entry("", "", (0, 0), (), 1.0, True), 0)]
    while pending:
        element, outer, layered = pending.pop()
        offset = (
            outer.offset[0] + _whole(element.get("x", "0"), "offset"),
            outer.offset[1] + _whole(element.get("y", "0"), "offset"),
        )
        if max(map(abs, offset)) > OFFSET_LIMIT:
            raise ArtworkRefused(f"stack.xml puts a layer {max(map(abs, offset))} px off the sheet's corner.")
        opacity = _fraction(element.get("opacity", "1"))
        visible = outer.visible and element.get("visibility", "visible") != "hidden"
        name = " ".join(element.get("name", "").split())
        blend = _blend(element, name or "A group", sheet.notices)
        if element.tag == "layer":
            number += 1
            name = name or f"layer {number}"
            opacity *= outer.opacity
            yield _Entry(name, element.get("src", ""), offset, outer.groups, opacity, visible, blend)
        elif element.tag == "stack":
            number += 1
            groups = outer.groups if element is top else (*outer.groups, (number, name or "group"))
            budget().name(len(name), len(groups))
            look = GroupLook(opacity, blend, element.get("isolation") == "isolate")
            if element is top or look == PLAIN:
                look, opacity = PLAIN, opacity * outer.opacity
            elif layered == GROUP_LAYERS_LIMIT:
                sheet.notices.append(f"Group “{name}” lies in {layered} blended groups; it is laid on plainly.")
                look, opacity = PLAIN, opacity * outer.opacity
            else:
                sheet.looks[groups] = GroupLook(opacity * outer.opacity, look.blend, look.isolated)
                layered, opacity = layered + 1, 1.0
            inner = _Entry(name, "", offset, groups, opacity, visible)
            pending.extend((child, inner, layered) for child in reversed(element))


def _blend(element: Element, name: str, notices: list[str]) -> Blend:
    op = element.get("composite-op", "svg:src-over")
    if op not in COMPOSITE_OPS:
        notices.append(f"“{name}” is blended by {op[:40]}, which no standard defines; it is laid on plainly.")
    return COMPOSITE_OPS.get(op, "normal")


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


def read_picture(data: bytes, name: str, spending: Budget) -> NDArray[np.uint8]:
    """A layer's PNG as straight-alpha pixels; its claimed size is judged before anything is decoded."""
    try:
        with Image.open(io.BytesIO(data), formats=["PNG"]) as image:
            pixels = image.width * image.height
            if pixels > LAYER_PIXELS_LIMIT or max(image.size) > SIDE_LIMIT:
                raise ArtworkRefused(f"Layer “{name}” claims {image.width} x {image.height} px, more than allowed.")
            spending.decode(pixels)
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
    here: list[tuple[GroupPath, Element]] = [((), SubElement(image, "stack"))]
    with zipfile.ZipFile(target, "w", zipfile.ZIP_STORED) as archive:

        def add(name: str, data: bytes) -> None:
            archive.writestr(zipfile.ZipInfo(name, STAMP), data)

        add("mimetype", MIMETYPE)
        for number, layer in enumerate(reversed(sheet.layers)):
            while here[-1][0] != layer.groups[: len(here) - 1]:
                here.pop()
            while len(here) <= len(layer.groups):  # a group that draw order takes apart becomes several stacks
                path = layer.groups[: len(here)]
                here.append((path, SubElement(here[-1][1], "stack", _group_attributes(path, sheet))))
            source = f"data/layer{number}.png"
            SubElement(
                here[-1][1],
                "layer",
                {
                    "name": layer.name,
                    "src": source,
                    "x": str(layer.offset[0]),
                    "y": str(layer.offset[1]),
                    "opacity": f"{layer.opacity:g}",
                    "visibility": "visible" if layer.visible else "hidden",
                    "composite-op": OP_OF[layer.blend],
                },
            )
            add(source, layer.png or EMPTY)
        add("stack.xml", tostring(image, encoding="UTF-8", xml_declaration=True))
        add("mergedimage.png", encode_png(merged))
        thumbnail = Image.fromarray(merged)
        thumbnail.thumbnail((256, 256))
        add("Thumbnails/thumbnail.png", encode_png(np.asarray(thumbnail)))


def _group_attributes(path: GroupPath, sheet: ArtSheet) -> dict[str, str]:
    look = sheet.looks.get(path, PLAIN)
    attributes = {"name": path[-1][1]}
    if look != PLAIN:
        attributes |= {"opacity": f"{look.opacity:g}", "composite-op": OP_OF[look.blend]}
        attributes["isolation"] = "isolate" if look.isolated else "auto"
    return attributes
