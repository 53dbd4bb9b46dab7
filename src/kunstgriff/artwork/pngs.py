"""A set of PNGs as layered artwork: a zip (or a folder) of pictures, with places.json or one shared canvas size.

`places.json` is a list, back to front, of {"file", "name", "x", "y", "opacity", "visible", "group"}; all but "file" may
be left out, "group" is a path of names such as "head/eye". Without it every picture must have the same size and lies at
the sheet's corner, in the order of the file names, the first one hindmost.
"""

from __future__ import annotations

import json
import zipfile
from pathlib import Path, PurePosixPath
from typing import Annotated, BinaryIO

from pydantic import Field, TypeAdapter, ValidationError

from kunstgriff.artwork.ora import ENTRIES_LIMIT, SIDE_LIMIT, STAMP, TOTAL_PIXELS_LIMIT, read_picture
from kunstgriff.artwork.sheet import ArtSheet, ArtworkRefused, Layer, Progress, no_progress
from kunstgriff.figure.edit import tell
from kunstgriff.figure.model import Name, Point, Share, Value
from kunstgriff.figure.stores import encode_png
from kunstgriff.figure.zips import reading_zip, take

PLACES_LIMIT = 1024 * 1024
PICTURE_LIMIT = 256 * 1024 * 1024
Offset = Annotated[int, Field(ge=-100_000, le=100_000)]


class Place(Value):
    """Where one picture of the set lies."""

    file: str
    name: Name | None = None
    x: Offset = 0
    y: Offset = 0
    opacity: Share = 1.0
    visible: bool = True
    group: str = ""


class Places(Value):
    """The whole of places.json: the sheet's size and its pictures, back to front."""

    width: Annotated[int, Field(ge=1, le=SIDE_LIMIT)]
    height: Annotated[int, Field(ge=1, le=SIDE_LIMIT)]
    standing_point: Point | None = None
    places: tuple[Place, ...]


def read_pngs(source: Path | BinaryIO, progress: Progress = no_progress) -> ArtSheet:
    """Read a zip of PNGs into an art sheet. Raises ArtworkRefused with a sentence."""
    with reading_zip(source, ArtworkRefused, "This is no zip of PNG pictures, or it is cut off.") as archive:
        return _read(archive, progress)


def _read(archive: zipfile.ZipFile, progress: Progress) -> ArtSheet:
    entries = {info.filename.lstrip("/"): info for info in archive.infolist() if not info.is_dir()}
    if len(entries) > ENTRIES_LIMIT:
        raise ArtworkRefused(f"The file holds {len(entries)} entries, more than the {ENTRIES_LIMIT} allowed.")
    pictures = sorted(name for name in entries if name.lower().endswith(".png"))
    if not pictures:
        raise ArtworkRefused("The file holds no PNG pictures.")
    listed: Places | None = None
    if "places.json" in entries:
        try:
            listed = TypeAdapter(Places).validate_json(
                take(archive, entries["places.json"], PLACES_LIMIT, ArtworkRefused)
            )
        except ValidationError as error:
            raise ArtworkRefused(f"places.json is wrong: {tell(error)}") from error
    places = listed.places if listed else tuple(Place(file=name) for name in pictures)
    layers, pixels_left, groups = [], TOTAL_PIXELS_LIMIT, {"": 0}
    for number, place in enumerate(places):
        progress(number, len(places), "reading the pictures")
        if place.file not in entries:
            raise ArtworkRefused(f"places.json names “{place.file[:60]}”, which is not in the file.")
        name = place.name or PurePosixPath(place.file).stem[:80] or "part"
        pixels = read_picture(take(archive, entries[place.file], PICTURE_LIMIT, ArtworkRefused), name, pixels_left)
        pixels_left -= pixels.shape[0] * pixels.shape[1]
        path, along = [], ""
        for step in filter(None, place.group.split("/")):
            along = f"{along}/{step}"
            path.append((groups.setdefault(along, len(groups)), step))
        layers.append(Layer(name, pixels, (place.x, place.y), tuple(path), place.opacity, place.visible))
    if listed:
        return ArtSheet((listed.width, listed.height), layers, standing_point=listed.standing_point)
    sizes = {layer.pixels.shape[1::-1] for layer in layers}
    if len(sizes) > 1:
        raise ArtworkRefused("The pictures differ in size; add a places.json that says where each one lies.")
    return ArtSheet(sizes.pop(), layers)


def write_pngs(target: Path | BinaryIO, sheet: ArtSheet) -> None:
    """Write the sheet as a zip of PNGs with places.json."""
    places, used = [], set[str]()
    with zipfile.ZipFile(target, "w", zipfile.ZIP_STORED) as archive:
        for number, layer in enumerate(sheet.layers):
            stem = "".join(letter if letter.isalnum() else "-" for letter in layer.name).strip("-") or "part"
            file = f"{stem}.png" if f"{stem}.png" not in used else f"{stem}-{number}.png"
            used.add(file)
            group = "/".join(name.replace("/", "-") for _, name in layer.groups)
            x, y = layer.offset
            places.append(
                Place(file=file, name=layer.name, x=x, y=y, opacity=layer.opacity, visible=layer.visible, group=group)
            )
            archive.writestr(zipfile.ZipInfo(file, STAMP), encode_png(layer.pixels))
        document = Places(
            width=sheet.size[0], height=sheet.size[1], standing_point=sheet.standing_point, places=tuple(places)
        )
        archive.writestr(zipfile.ZipInfo("places.json", STAMP), json.dumps(document.model_dump(), indent=1))


def single_picture(source: Path) -> ArtSheet:
    """One PNG as a sheet with one layer."""
    try:
        data = source.read_bytes()
    except OSError as error:
        raise ArtworkRefused(f"“{source}” cannot be read: {error.strerror}.") from error
    pixels = read_picture(data, source.stem, TOTAL_PIXELS_LIMIT)
    return ArtSheet((pixels.shape[1], pixels.shape[0]), [Layer(source.stem[:80] or "part", pixels, (0, 0))])
