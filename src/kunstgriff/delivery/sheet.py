"""The figure as layered artwork again: OpenRaster or a zip of PNGs, at rest as it came, or in a pose."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from kunstgriff.artwork.ora import write_ora
from kunstgriff.artwork.pngs import write_pngs
from kunstgriff.artwork.sheet import ArtSheet, Layer, Progress, no_progress, trimmed
from kunstgriff.delivery.frames import painter
from kunstgriff.evaluate.pose import Pose
from kunstgriff.evaluate.rig import Frame, compile_rig
from kunstgriff.figure.model import Figure, Part
from kunstgriff.figure.stores import Stores, decode_png
from kunstgriff.paint.painter import sheet_view

Groups = tuple[tuple[int, str], ...]


def sheet_of(figure: Figure, stores: Stores, pose: Pose, progress: Progress = no_progress) -> ArtSheet:
    """The figure's parts as layers. At rest they are the very pictures; posed, each is painted where it is now, and
    covers come as layers of their own."""
    sheet = ArtSheet((figure.sheet.width, figure.sheet.height), standing_point=figure.sheet.standing_point)
    paths = _group_paths(figure)
    if not pose.turn and not pose.move:
        for part in figure.parts:
            pixels = decode_png(stores.get_picture(part.picture))
            sheet.layers.append(_layer(figure, part, pixels, paths))
        return sheet
    rig = compile_rig(figure, stores)
    frame = rig.evaluate(pose)
    view = sheet_view(figure)
    for number, item in enumerate(frame.items):
        progress(number, len(frame.items), "painting the layers")
        alone = Frame(frame.matrices, frame.vertices, (item,))
        part = rig.blocks[item.part].part
        cut = trimmed(painter().paint(rig, alone, view, stores))
        pixels, offset = cut if cut else (np.zeros((1, 1, 4), np.uint8), (0, 0))
        name = part.name if item.variant == "full" else f"{part.name} cover"
        sheet.layers.append(Layer(name, pixels, offset, paths.get(part.group or "", ()), 1.0, True))
    return sheet


def _layer(
    figure: Figure, part: Part, pixels: np.ndarray[tuple[int, ...], np.dtype[np.uint8]], paths: dict[str, Groups]
) -> Layer:
    x, y = np.rint(np.add(part.place, figure.sheet.standing_point)).astype(int)
    return Layer(part.name, pixels, (int(x), int(y)), paths.get(part.group or "", ()), part.opacity, part.visible)


def _group_paths(figure: Figure) -> dict[str, Groups]:
    """Each group's path of (number, name) from the outermost in."""
    paths: dict[str, Groups] = {}
    number = {group.id: place for place, group in enumerate(figure.groups, 1)}
    for group in figure.groups:  # outer groups stand before inner ones
        paths[group.id] = (*paths.get(group.parent or "", ()), (number[group.id], group.name))
    return paths


def write_openraster(
    target: Path, figure: Figure, stores: Stores, pose: Pose, progress: Progress = no_progress
) -> None:
    """Write the figure as OpenRaster, at rest or posed."""
    write_ora(target, sheet_of(figure, stores, pose, progress))


def write_png_set(target: Path, figure: Figure, stores: Stores, pose: Pose, progress: Progress = no_progress) -> None:
    """Write the figure as a zip of PNGs with places.json, at rest or posed."""
    write_pngs(target, sheet_of(figure, stores, pose, progress))
