"""A set of PNGs as layered artwork: a zip (or a folder) of pictures, with places.json or one shared canvas size.

`places.json` is a list, back to front, of {"file", "name", "x", "y", "opacity", "visible", "group"}; all but "file" may
be left out, "group" is a path of names such as "head/eye". Without it every picture must have the same size and lies at
the sheet's corner, in the order of the file names, the first one hindmost.
"""

from __future__ import annotations

import json
import zipfile
from pathlib import Path as FilePath
from pathlib import PurePosixPath
from typing import Annotated, BinaryIO

from pydantic import Field, TypeAdapter, ValidationError

from kunstgriff.artwork.ora import (
    EMPTY,
    ENTRIES_LIMIT,
    SIDE_LIMIT,
    STAMP,
    in_threads,
    layer_of_png,
    read_picture,
)
from kunstgriff.artwork.sheet import ArtSheet, ArtworkRefused, Layer, Path, Progress, no_progress
from kunstgriff.figure.budget import DEPTH, budget
from kunstgriff.figure.edit import tell
from kunstgriff.figure.model import Blend, Name, Point, Share, Value
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
    blend: Blend = "normal"
    group: Annotated[str, Field(max_length=100 * DEPTH)] = ""


class Places(Value):
    """The whole of places.json: the sheet's size and its pictures, back to front."""

    width: Annotated[int, Field(ge=1, le=SIDE_LIMIT)]
    height: Annotated[int, Field(ge=1, le=SIDE_LIMIT)]
    standing_point: Point | None = None
    places: Annotated[tuple[Place, ...], Field(max_length=ENTRIES_LIMIT)]


def read_pngs(source: FilePath | BinaryIO, progress: Progress = no_progress) -> ArtSheet:
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
    spending, groups, waiting = budget(), {"": 0}, []
    for place in places:
        if place.file not in entries:
            raise ArtworkRefused(f"places.json names “{place.file[:60]}”, which is not in the file.")
        path, along = [], ""
        steps = [step for step in place.group.split("/", DEPTH + 2) if step]
        spending.name(len(place.group), len(steps))
        for step in steps:
            along = f"{along}/{step}"
            path.append((groups.setdefault(along, len(groups)), step))
        waiting.append((place, tuple(path)))
    sizes = set[tuple[int, int]]()

    def one(place: Place, path: Path) -> Layer:
        name = place.name or PurePosixPath(place.file).stem[:80] or "part"
        png = take(archive, entries[place.file], PICTURE_LIMIT, ArtworkRefused)
        sizes.add((int.from_bytes(png[16:20], "big"), int.from_bytes(png[20:24], "big")))
        return layer_of_png(png, name, spending, (place.x, place.y), path, place.opacity, place.visible, place.blend)

    layers = list(in_threads(one, waiting, progress))
    if listed:
        return ArtSheet((listed.width, listed.height), layers, standing_point=listed.standing_point)
    if len(sizes) > 1:
        raise ArtworkRefused("The pictures differ in size; add a places.json that says where each one lies.")
    return ArtSheet(sizes.pop(), layers)


def write_pngs(target: FilePath | BinaryIO, sheet: ArtSheet) -> None:
    """Write the sheet as a zip of PNGs with places.json."""
    places, used = [], set[str]()
    with zipfile.ZipFile(target, "w", zipfile.ZIP_STORED) as archive:
        for number, layer in enumerate(sheet.layers):
            stem = "".join(letter if letter.isalnum() else "-" for letter in layer.name).strip("-") or "part"
            file = f"{stem}.png" if f"{stem}.png" not in used else f"{stem}-{number}.png"
            used.add(file)
            group = "/".join(name.replace("/", "-") for _, name in layer.groups)
            x, y = layer.offset
            place = Place(
                file=file, name=layer.name, x=x, y=y, opacity=layer.opacity, visible=layer.visible, group=group
            )
            places.append(place.model_copy(update={"blend": layer.blend}))
            archive.writestr(zipfile.ZipInfo(file, STAMP), layer.png or EMPTY)
        document = Places(
            width=sheet.size[0], height=sheet.size[1], standing_point=sheet.standing_point, places=tuple(places)
        )
        archive.writestr(zipfile.ZipInfo("places.json", STAMP), json.dumps(document.model_dump(), indent=1))


def single_picture(source: FilePath) -> ArtSheet:
    """One PNG as a sheet with one layer."""
    try:
        data = source.read_bytes()
    except OSError as error:
        raise ArtworkRefused(f"“{source}” cannot be read: {error.strerror}.") from error
    pixels = read_picture(data, source.stem, budget())
    return ArtSheet((pixels.shape[1], pixels.shape[0]), [Layer.of(source.stem[:80] or "part", pixels)])
