"""SVG with layers as groups, read as from a stranger: cleaned first, then rendered in a process of its own.

A group with an id (or a label in any namespace) and no such group inside it is a layer; those around it are groups of
parts; loose shapes between them become layers of their own. The renderer itself would follow references to local files
and can be brought down by deep nesting, so nothing but `#ids` and small data pictures may be referred to (W3C SVG 1.1).
"""

from __future__ import annotations

import copy
import io
import json
import math
import re
import subprocess
import sys
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO, cast
from xml.etree.ElementTree import Element, ParseError, register_namespace, tostring

import numpy as np
from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import iterparse
from numpy.typing import NDArray
from PIL import Image

from kunstgriff.artwork import svg_child, svg_paint
from kunstgriff.artwork.blending import MODES
from kunstgriff.artwork.sheet import ArtSheet, ArtworkRefused, GroupLook, Layer, Progress, no_progress
from kunstgriff.figure.model import GROUP_LAYERS_LIMIT, Blend

SVG = "http://www.w3.org/2000/svg"
FILE_LIMIT = 16 * 1024 * 1024
ELEMENTS_LIMIT = 50_000
DEPTH_LIMIT = 64
LAYERS_LIMIT = 400
SIDE_LIMIT = 16_000
SHEET_PIXELS_LIMIT = 64_000_000
DATA_PICTURE_LIMIT = 4 * 1024 * 1024  # characters
STYLES_LIMIT = 256 * 1024  # characters; every layer is told by all of them
SHARED = "What the layers of this SVG share is too much to be drawn for each of them."
PAGES_LIMIT = 96 * 1024 * 1024  # characters of all layers, each with what it refers to
SECONDS_LIMIT = 50
TOO_LONG = f"Drawing this SVG took longer than {SECONDS_LIMIT} s; it was given up."
CHILDREN = 2  # processes that render side by side
BATCH = 12  # layers a process renders; its start costs 0.1 s
SCALES = (1, 2, 4)
BARRED = {
    "script",
    "foreignObject",
    "animate",
    "animateTransform",
    "animateMotion",
    "set",
    "iframe",
    "audio",
    "video",
    "a",
}
UNDRAWN = {
    "defs",
    "style",
    "title",
    "desc",
    "metadata",
    "symbol",
    "clipPath",
    "mask",
    "filter",
    "pattern",
    "marker",
    "namedview",
}
register_namespace("", SVG)
INNER = re.compile(r"#([^)\"'\s]+)")

Groups = tuple[tuple[int, str], ...]


@dataclass(frozen=True)
class _Found:
    """A layer still to be rendered: its element and the elements around it, outermost first."""

    name: str
    element: Element
    around: tuple[Element, ...]
    groups: Groups
    opacity: float
    visible: bool
    blend: Blend


def read_svg(source: Path | BinaryIO, scale: int = 1, progress: Progress = no_progress) -> ArtSheet:
    """Read an SVG into an art sheet at 1, 2 or 4 times its size. Raises ArtworkRefused with a sentence."""
    if scale not in SCALES:
        raise ArtworkRefused("An SVG is read at 1, 2 or 4 times its size.")
    ends = time.monotonic() + SECONDS_LIMIT
    try:
        data = source.read_bytes() if isinstance(source, Path) else source.read(FILE_LIMIT + 1)
    except OSError as error:
        raise ArtworkRefused(f"“{source}” cannot be read: {error.strerror}.") from error
    if len(data) > FILE_LIMIT:
        raise ArtworkRefused("The SVG is larger than 16 MB.")
    root = _parse(data)
    sheet = ArtSheet(_size(root, scale), scale=scale)
    _clean(root, sheet.notices)
    looks: dict[Groups, GroupLook] = {}
    found = list(_layers(root, looks))
    if len(found) > LAYERS_LIMIT:
        raise ArtworkRefused(f"The SVG has {len(found)} layers, more than the {LAYERS_LIMIT} allowed.")
    if sum(len(one.text or "") for one in root.iter(f"{{{SVG}}}style")) > STYLES_LIMIT:
        raise ArtworkRefused("The SVG's style sheets are larger than Kunstgriff takes.")
    definitions = _Definitions(root)
    frame = _frame(root, sheet.size, scale)
    alone = [_page(root, item, definitions) for item in found]
    if sum(_least(one, definitions.sizes) for page, _ in alone for one in page[0]) > PAGES_LIMIT:
        raise ArtworkRefused(SHARED)
    pages: list[list[str]] = []
    size = 0
    for number, (page, shown) in enumerate(alone):
        progress(number, len(found), "taking the layers apart")
        versions = (page, *(svg_paint.variants(page, shown) or []))
        pages.append([_framed(version) for version in versions])
        size += sum(len(version) for version in pages[-1])
        if time.monotonic() > ends:
            raise ArtworkRefused(TOO_LONG)
        if size > PAGES_LIMIT:
            raise ArtworkRefused(SHARED)
    for item, (offset, pngs) in zip(found, _rendered(pages, frame, scale, ends, progress), strict=True):
        whole, *parted = (_pixels(png) for png in pngs)
        split = svg_paint.ink_and_fill(whole, *parted) if parted else None
        sheet.layers.append(
            Layer.of(item.name, whole, offset, item.groups, item.opacity, item.visible, item.blend, split)
        )
    sheet.looks = looks
    return sheet


def _frame(root: Element, size: tuple[int, int], scale: int) -> dict[str, object]:
    """What a child needs to draw a piece of the sheet alone: its size in px at scale 1 and its view box."""
    width, height = (side / scale for side in size)
    box = _view_box(root)
    if len(box) != 4 or box[2] <= 0 or box[3] <= 0:
        box = [0.0, 0.0, width, height]
    even = abs(box[2] / width - box[3] / height) < 1e-6 * box[2] / width
    return {"size": [width, height], "box": box, "may_cut": even and root.get("preserveAspectRatio") is None}


def _framed(page: Element) -> str:
    """A page as text with places for its size and view box, see `svg_child`."""
    page.attrib.update(zip(("width", "height", "viewBox"), svg_child.PLACES, strict=True))
    return tostring(page, encoding="unicode")


def _pixels(png: bytes) -> NDArray[np.uint8]:
    with Image.open(io.BytesIO(png), formats=["PNG"]) as image:
        return np.asarray(image.convert("RGBA"))


def _parse(data: bytes) -> Element:
    depth, count = 0, 0
    root: Element | None = None
    try:
        for event, element in iterparse(io.BytesIO(data), events=("start", "end"), forbid_dtd=True):
            depth += 1 if event == "start" else -1
            count += event == "start"
            root = element if root is None else root
            if depth > DEPTH_LIMIT:
                raise ArtworkRefused(f"The SVG is nested deeper than the {DEPTH_LIMIT} levels allowed.")
            if count > ELEMENTS_LIMIT:
                raise ArtworkRefused(f"The SVG has more than the {ELEMENTS_LIMIT} elements allowed.")
    except (ParseError, DefusedXmlException, ValueError, LookupError) as error:
        if isinstance(error, ArtworkRefused):
            raise
        raise ArtworkRefused(
            "This is no SVG, or it declares a document type, which Kunstgriff does not follow."
        ) from error
    if root is None or root.tag != f"{{{SVG}}}svg":
        raise ArtworkRefused("This is no SVG.")
    return root


def _size(root: Element, scale: int) -> tuple[int, int]:
    """The sheet in px: width and height, or the view box where they are missing or in per cent."""
    box = _view_box(root)
    sides = []
    for axis, name in enumerate(("width", "height")):
        match = re.fullmatch(r"\s*(\d+(?:\.\d+)?)(px)?\s*", root.get(name, ""))
        if match:
            sides.append(float(match[1]))
        elif len(box) == 4:
            sides.append(box[2 + axis])
        else:
            raise ArtworkRefused("The SVG gives neither a size in px nor a view box.")
    if max(sides) > SIDE_LIMIT:
        raise ArtworkRefused(f"The SVG claims more than {SIDE_LIMIT} px a side.")
    width, height = (round(side * scale) for side in sides)
    if not (1 <= width <= SIDE_LIMIT and 1 <= height <= SIDE_LIMIT) or width * height > SHEET_PIXELS_LIMIT:
        raise ArtworkRefused(
            f"The SVG claims {width} x {height} px; {SIDE_LIMIT} a side and 64 megapixels are allowed."
        )
    return width, height


def _view_box(root: Element) -> list[float]:
    """The numbers of the view box, four in a sound one."""
    return [float(one) for one in re.findall(r"-?\d{1,12}(?:\.\d{1,12})?", root.get("viewBox", "")[:200])]


def _local(tag: object) -> str:
    return str(tag).rsplit("}", 1)[-1]


def _clean(root: Element, notices: list[str]) -> None:
    """Take out what could run, reach outside or swallow the machine, and say so once for each kind."""
    said: set[str] = set()
    for element in list(root.iter()):
        for child in list(element):
            if not isinstance(child.tag, str) or _local(child.tag) in BARRED:
                element.remove(child)
                if isinstance(child.tag, str):
                    said.add(f"“{_local(child.tag)}” elements were left out.")
            elif _local(child.tag) in ("text", "tspan"):
                said.add("Text is not drawn; turn it into outlines in the drawing program.")
        for key, value in list(element.attrib.items()):
            name = _local(key).lower()
            outside = name == "href" and not _may_refer(value)
            if name.startswith("on") or outside or _reaches_out(value):
                del element.attrib[key]
                said.add("References to anything outside the file were left out.")
        if (
            _local(element.tag) == "style"
            and element.text
            and (_reaches_out(element.text) or "@import" in element.text)
        ):
            element.text = ""
            said.add("A style sheet that refers to something outside the file was left out.")
    notices.extend(sorted(said))


def _may_refer(value: str) -> bool:
    value = value.strip()
    picture = re.match(r"data:image/(png|jpeg);base64,", value)
    return value.startswith("#") or (picture is not None and len(value) <= DATA_PICTURE_LIMIT)


def _reaches_out(value: str) -> bool:
    return any(not _may_refer(one.strip(" \"'")) for one in re.findall(r"url\(([^)]*)\)", value, re.IGNORECASE))


def _name_of(element: Element) -> str:
    """Its label in any namespace, or its id; nothing for an unnamed group."""
    label = next((value for key, value in element.attrib.items() if _local(key) == "label"), "")
    return " ".join((label or element.get("id", "")).split())


def _is_named_group(element: Element) -> bool:
    return _local(element.tag) == "g" and bool(_name_of(element))


def _layers(root: Element, looks: dict[Groups, GroupLook]) -> Iterator[_Found]:
    """Layers back to front, as SVG paints them; visibility is inherited. Groups that are not plain go into `looks`."""
    names: dict[str, int] = {}

    def walk(
        element: Element, around: tuple[Element, ...], groups: Groups, opacity: float, visible: bool, layered: int
    ) -> Iterator[_Found]:
        for number, child in enumerate(element):
            if _local(child.tag) in UNDRAWN or _local(child.tag).endswith("Gradient"):
                continue
            shown = visible and child.get("display") != "none" and child.get("visibility") != "hidden"
            if any(_is_named_group(inner) for inner in child.iter() if inner is not child):
                name = _name_of(child)
                deeper = (*groups, (number, name)) if name else groups
                clear, blend = opacity * _fraction(child.get("opacity", "1")), _blend(child)
                deep = layered
                if name and (clear, blend) != (1.0, "normal") and layered < GROUP_LAYERS_LIMIT:
                    looks[deeper] = GroupLook(clear, blend)
                    clear, deep = 1.0, layered + 1
                yield from walk(child, (*around, child), deeper, clear, shown, deep)
            else:
                name = _name_of(child) or f"{groups[-1][1] if groups else 'sheet'} shape"
                names[name] = names.get(name, 0) + 1
                yield _Found(name, child, around, groups, opacity, shown, _blend(child))

    top = list(root)
    # a single group around everything says nothing about the figure
    lone = [one for one in top if _local(one.tag) == "g"]
    if len(lone) == 1 and any(_is_named_group(inner) for inner in lone[0].iter() if inner is not lone[0]):
        yield from walk(lone[0], (lone[0],), (), _fraction(lone[0].get("opacity", "1")), True, 0)
    else:
        yield from walk(root, (), (), 1.0, True, 0)


def _blend(element: Element) -> Blend:
    """The element's `mix-blend-mode`, whose names are those of W3C Compositing."""
    match = re.search(r"mix-blend-mode\s*:\s*([a-z-]+)", element.get("style", ""))
    mode = match[1] if match else element.get("mix-blend-mode", "normal")
    return cast(Blend, mode) if mode in MODES else "normal"


def _fraction(text: str) -> float:
    try:
        share = float(text.rstrip("%")) / (100 if text.endswith("%") else 1)
    except ValueError:
        return 1.0
    return min(max(share, 0.0), 1.0) if math.isfinite(share) else 1.0


class _Definitions:
    """What layers may refer to, each with what it refers to itself, looked up once."""

    def __init__(self, root: Element) -> None:
        self.named = {element.get("id"): element for element in root.iter() if element.get("id")}
        self.styles = list(root.iter(f"{{{SVG}}}style"))
        self.referring: dict[str | None, set[str | None]] = {}
        self.sizes: dict[Element, int] = {}

    def reached_from(self, wanted: set[str | None], own: set[str | None]) -> list[Element]:
        """All that is needed for `wanted`, but what is there already by its `own` id."""
        found, taken, waiting = [], set(own), list(wanted - own)
        while waiting:
            ref = waiting.pop()
            if ref in taken or ref not in self.named:
                continue
            taken.add(ref)
            found.append(self.named[ref])
            if ref not in self.referring:
                self.referring[ref] = _references(self.named[ref])
            waiting += self.referring[ref] - taken
        return found


def _page(root: Element, one: _Found, definitions: _Definitions) -> tuple[Element, Element]:
    """An SVG of one layer alone, and the layer in it: what stands around it, and whatever it refers to."""
    page = Element(root.tag, dict(root.attrib))
    inner = page
    for outer in one.around:
        kept = {
            key: value for key, value in outer.attrib.items() if key not in ("opacity", "display", "visibility", "id")
        }
        wrapper = Element(outer.tag, kept)
        inner.append(wrapper)
        inner = wrapper
    shown = copy.deepcopy(one.element)
    shown.attrib.pop("display", None)
    shown.attrib.pop("visibility", None)
    if one.blend != "normal":
        shown.set("style", re.sub(r"mix-blend-mode\s*:[^;]*;?", "", shown.get("style", "")))
        shown.attrib.pop("mix-blend-mode", None)
    inner.append(shown)
    own = {element.get("id") for element in shown.iter()}
    needed = Element(f"{{{SVG}}}defs")
    # shared with all other pages, never changed: what is told apart is told on copies
    needed.extend(definitions.reached_from(_references(page), own))
    needed.extend(definitions.styles)
    page.insert(0, needed)
    return page, shown


def _least(shared: Element, known: dict[Element, int]) -> int:
    """How many characters something that layers share takes in each of them, at the least."""
    if shared not in known:
        known[shared] = sum(
            len(one.tag.rpartition("}")[2])
            + 4
            + sum(len(key.rpartition("}")[2]) + len(value) + 4 for key, value in one.attrib.items())
            for one in shared.iter()
        )
    return known[shared]


def _references(element: Element) -> set[str | None]:
    return {
        ref
        for inner in element.iter()
        for value in inner.attrib.values()
        if "#" in value
        for ref in INNER.findall(value)
    }


def _rendered(
    pages: list[list[str]], frame: dict[str, object], scale: int, ends: float, progress: Progress
) -> Iterator[tuple[tuple[int, int], list[bytes]]]:
    """For each layer its place and the PNGs of its versions, in their order, from child processes."""
    batches = [pages[start : start + BATCH] for start in range(0, len(pages), BATCH)]
    done = 0
    with ThreadPoolExecutor(CHILDREN) as waiting:
        begun = [waiting.submit(_child, {"scale": scale, "pages": batch, **frame}, ends) for batch in batches]
        try:
            for batch, future in zip(batches, begun, strict=True):
                out = io.BytesIO(future.result())
                for versions in batch:
                    progress(done, len(pages), "drawing the layers")
                    done += 1
                    x, y = (int.from_bytes(out.read(8), "little") for _ in range(2))
                    yield (x, y), [out.read(int.from_bytes(out.read(8), "little")) for _ in versions]
        finally:
            for future in begun:
                future.cancel()


def _child(job: dict[str, object], ends: float) -> bytes:
    """What one child process writes for some layers. Raises ArtworkRefused when it fails or the time is over."""
    try:
        child = subprocess.run(
            [sys.executable, "-m", "kunstgriff.artwork.svg_child"],
            input=json.dumps(job).encode(),
            capture_output=True,
            timeout=max(ends - time.monotonic(), 0.1),
            check=False,
        )
    except subprocess.TimeoutExpired as error:
        raise ArtworkRefused(TOO_LONG) from error
    if child.returncode:
        raise ArtworkRefused("The SVG could not be rendered; it asks for more than it may, or is damaged.")
    return child.stdout
