"""The figure archive: a zip with figure.json, its JSON Schema, pictures as PNG and arrays as .npy.

Writing the same figure twice gives the same bytes. Reading trusts nothing: counts, sizes and digests are checked.
"""

from __future__ import annotations

import json
import zipfile
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError

from kunstgriff.figure.edit import tell
from kunstgriff.figure.model import Figure, Solved, Weighted
from kunstgriff.figure.references import content
from kunstgriff.figure.refusal import Refusal
from kunstgriff.figure.stores import MemoryStores, Stores, decode_png, digest_of, pack_array, unpack_array
from kunstgriff.figure.zips import reading_zip, take

MIMETYPE = "application/vnd.kunstgriff.figure+zip"
ENTRIES_LIMIT = 10_000
DOCUMENT_LIMIT = 32 * 1024 * 1024
ENTRY_LIMIT = 256 * 1024 * 1024
TOTAL_LIMIT = 2 * 1024 * 1024 * 1024
STAMP = (1980, 1, 1, 0, 0, 0)  # the earliest a zip can say; keeps archives equal byte for byte


class ArchiveRefused(Refusal, ValueError):
    """The file is no sound figure archive."""

    code = "archive-refused"


def schema() -> dict[str, Any]:
    """The published JSON Schema of figure.json (draft 2020-12)."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **Figure.model_json_schema()}


def write_archive(target: Path | BinaryIO, figure: Figure, stores: Stores) -> None:
    """Write `figure` with all it refers to."""
    document = figure.model_dump(mode="json")
    pictures, arrays = content(figure)
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as archive:

        def add(name: str, data: bytes, stored: bool = False) -> None:
            info = zipfile.ZipInfo(name, STAMP)
            info.external_attr = 0o644 << 16
            info.compress_type = zipfile.ZIP_STORED if stored else zipfile.ZIP_DEFLATED
            archive.writestr(info, data)

        add("mimetype", MIMETYPE.encode(), stored=True)
        add("figure.json", json.dumps(document, indent=1, ensure_ascii=False).encode())
        add("figure.schema.json", json.dumps(schema(), indent=1).encode())
        for digest in sorted(pictures):
            add(f"pictures/{digest}.png", stores.get_picture(digest), stored=True)
        for digest in sorted(arrays):
            add(f"arrays/{digest}.npy", pack_array(stores.get_array(digest)))


def is_archive(source: Path) -> bool:
    """Whether a file says it is a figure archive, as against any other zip."""
    try:
        with reading_zip(source, ArchiveRefused, "") as archive:
            return "figure.json" in archive.namelist()
    except ArchiveRefused:
        return False


def read_archive(source: Path | BinaryIO) -> tuple[Figure, MemoryStores]:
    """Read an archive. Raises ArchiveRefused with a sentence; keeps nothing of a file it refuses."""
    with reading_zip(source, ArchiveRefused, "This is no figure archive, or it is cut off.") as archive:
        return _read(archive)


def _read(archive: zipfile.ZipFile) -> tuple[Figure, MemoryStores]:
    entries = {info.filename: info for info in archive.infolist()}
    if len(entries) > ENTRIES_LIMIT or sum(info.file_size for info in entries.values()) > TOTAL_LIMIT:
        raise ArchiveRefused("The archive holds more than any figure needs.")
    if "figure.json" not in entries:
        raise ArchiveRefused("The archive lacks figure.json.")
    document = take(archive, entries["figure.json"], DOCUMENT_LIMIT, ArchiveRefused)
    try:
        figure = Figure.model_validate_json(document)
    except ValidationError as error:
        raise ArchiveRefused(f"figure.json is not a figure: {tell(error)}") from error
    stores = MemoryStores()
    pictures, arrays = content(figure)
    wanted = [(f"pictures/{digest}.png", digest, stores.pictures) for digest in pictures]
    wanted += [(f"arrays/{digest}.npy", digest, stores.arrays) for digest in arrays]
    for name, digest, shelf in wanted:
        if name not in entries:
            raise ArchiveRefused(f"The archive lacks {name[:24]}…, which the figure refers to.")
        data = take(archive, entries[name], ENTRY_LIMIT, ArchiveRefused)
        if digest_of(data) != digest:
            raise ArchiveRefused(f"{name[:24]}… is not what it says it is.")
        shelf[digest] = data
    _require_fitting(figure, stores)
    return figure, stores


def _require_fitting(figure: Figure, stores: MemoryStores) -> None:
    """Shapes of pictures and arrays must agree with what the document says of them."""
    try:
        if figure.reference is not None:
            decode_png(stores.pictures[figure.reference.picture])
        for part in figure.drawn_parts:
            pictures = [part.drawing.picture]
            if part.drawing.split is not None:
                pictures += [part.drawing.split.ink_picture, part.drawing.split.fill_picture]
            for digest in pictures:
                height, width = decode_png(stores.pictures[digest]).shape[:2]
                if (width, height) != part.drawing.size:
                    raise ArchiveRefused(f"The picture of part “{part.name}” has another size than the figure says.")
            if part.drawing.strip is not None:
                decode_png(stores.pictures[part.drawing.strip.picture])
            for binding in (part.binding, *part.shelved):
                if isinstance(binding, Weighted):
                    _require_mesh(part.name, binding, stores)
            if part.mesh is not None and not _is_net(part.mesh.vertices, part.mesh.triangles, stores):
                raise ArchiveRefused(f"The mesh of part “{part.name}” is none.")
        sculpts = [sculpt for shape in figure.shapes for sculpt in shape.sculpts]
        sculpts += [sculpt for one in figure.all_correctives for sample in one.samples for sculpt in sample.sculpts]
        for sculpt in sculpts:
            offsets = unpack_array(stores.arrays[sculpt.offsets])
            count = len(unpack_array(stores.arrays[sculpt.vertices]))
            if not (_is_net(sculpt.vertices, sculpt.triangles, stores) and _is_plane(offsets, count)):
                raise ArchiveRefused("What is pulled at a part does not fit the mesh that it was pulled on.")
    except ValueError as error:
        raise error if isinstance(error, ArchiveRefused) else ArchiveRefused(str(error)) from error


def _require_mesh(name: str, binding: Weighted, stores: MemoryStores) -> None:
    vertices = unpack_array(stores.arrays[binding.mesh.vertices])
    triangles = unpack_array(stores.arrays[binding.mesh.triangles])
    weights = unpack_array(stores.arrays[binding.weights])
    count = binding.mesh.vertex_count
    sound = (
        vertices.shape == (count, 2)
        and triangles.ndim == 2
        and triangles.shape[1] == 3
        and weights.shape == (count, len(binding.influences))
        and triangles.dtype.kind == "i"
        and vertices.dtype.kind == weights.dtype.kind == "f"
        and bool(np.isfinite(vertices).all() and np.isfinite(weights).all())
        and (triangles.size == 0 or (triangles.min() >= 0 and triangles.max() < count))
        and (binding.manual_mask is None or unpack_array(stores.arrays[binding.manual_mask]).shape == (count,))
        and (binding.mesh.kept is None or _names_edges(unpack_array(stores.arrays[binding.mesh.kept]), count))
        and all(_fits(zone.solved, count, stores) for zone in binding.zones if zone.solved is not None)
    )
    if not sound:
        raise ArchiveRefused(f"The mesh of part “{name}” does not fit its weights.")


def _is_plane(points: NDArray[Any], count: int) -> bool:
    """Whether these are so many finite pairs of numbers."""
    return bool(points.shape == (count, 2) and points.dtype.kind == "f" and np.isfinite(points).all())


def _is_net(vertices: str, triangles: str, stores: MemoryStores) -> bool:
    """Whether these arrays are vertices and the triangles between them, one at least."""
    points, faces = unpack_array(stores.arrays[vertices]), unpack_array(stores.arrays[triangles])
    shaped = faces.ndim == 2 and faces.shape[1:] == (3,) and faces.dtype.kind == "i" and len(faces) > 0
    return bool(shaped and _is_plane(points, len(points)) and faces.min() >= 0 and faces.max() < len(points))


def _names_edges(kept: NDArray[Any], count: int) -> bool:
    shaped = kept.ndim == 2 and kept.shape[1] == 2 and kept.dtype.kind == "i"
    return bool(shaped and (kept.size == 0 or (kept.min() >= 0 and kept.max() < count)))


def _fits(solved: Solved, count: int, stores: MemoryStores) -> bool:
    """Whether the shapes of a bend are such of so many vertices."""
    members, shapes = unpack_array(stores.arrays[solved.members]), unpack_array(stores.arrays[solved.shapes])
    return bool(
        members.ndim == 1
        and members.dtype.kind == "i"
        and (members.size == 0 or (members.min() >= 0 and members.max() < count))
        and shapes.ndim == 3
        and shapes.shape[0] >= 2
        and shapes.shape[1:] == (len(members), 2)
        and shapes.dtype.kind == "f"
        and np.isfinite(shapes).all()
    )
