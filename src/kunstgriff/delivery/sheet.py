"""The figure as layered artwork again: OpenRaster or a zip of PNGs, at rest as it came, or in a pose."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np

from kunstgriff.artwork.looks import tinted
from kunstgriff.artwork.ora import write_ora
from kunstgriff.artwork.pngs import write_pngs
from kunstgriff.artwork.sheet import ArtSheet, GroupLook, Layer, Progress, no_progress
from kunstgriff.artwork.sheet import Path as Groups
from kunstgriff.delivery.frames import painter
from kunstgriff.evaluate.pose import Pose
from kunstgriff.evaluate.rig import Frame, compile_rig
from kunstgriff.figure.model import Figure, Part
from kunstgriff.figure.stores import Stores, decode_png, encode_png
from kunstgriff.paint.painter import sheet_view


def sheet_of(figure: Figure, stores: Stores, pose: Pose, progress: Progress = no_progress) -> ArtSheet:
    """The figure's parts as layers. At rest they are the very pictures; posed, each is painted where it is now, and
    covers come as layers of their own."""
    sheet = ArtSheet((figure.sheet.width, figure.sheet.height), standing_point=figure.sheet.standing_point)
    paths = _group_paths(figure)
    sheet.looks = {
        paths[group.id]: GroupLook(group.opacity, group.blend, group.isolated)
        for group in figure.groups
        if not group.is_plain
    }
    if not pose.turn and not pose.move:
        for part in figure.parts:
            sheet.layers.append(layer_of_part(figure, part, stores, paths.get(part.group or "", ())))
        return sheet
    rig = compile_rig(figure, stores)
    frame = rig.evaluate(pose)
    view = sheet_view(figure)
    for number, item in enumerate(frame.items):
        progress(number, len(frame.items), "painting the layers")
        alone = Frame(frame.matrices, frame.vertices, (replace(item, blend="normal", layers=()),))
        part = rig.blocks[item.part].part
        name = part.name if item.variant == "full" else f"{part.name} cover"
        painted = painter().paint(rig, alone, view, stores)
        sheet.layers.append(Layer.of(name, painted, (0, 0), paths.get(part.group or "", ()), blend=part.blend))
    return sheet


def layer_of_part(figure: Figure, part: Part, stores: Stores, groups: Groups) -> Layer:
    """The part's very picture as a layer, its tint painted in."""
    x, y = np.rint(np.add(part.place, figure.sheet.standing_point)).astype(int)
    png = stores.get_picture(part.picture)
    if part.tint is not None:
        png = encode_png(tinted(decode_png(png), part.tint))
    look = (part.opacity, part.visible, part.blend)
    name = f"{part.name}, leave out" if part.left_out else part.name
    return Layer(name, png, part.size, (int(x), int(y)), groups, *look)


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
