"""The figure as layered artwork again: OpenRaster or a zip of PNGs, at rest as it came, or in a pose."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from kunstgriff.artwork.ora import write_ora
from kunstgriff.artwork.pngs import write_pngs
from kunstgriff.artwork.sheet import (
    FINDINGS_LAYER,
    NOT_A_PART,
    ArtSheet,
    GroupLook,
    Layer,
    Pixels,
    Progress,
    layer_of_part,
    no_progress,
)
from kunstgriff.artwork.sheet import Path as Groups
from kunstgriff.delivery.frames import painter
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.findings import Finding, findings
from kunstgriff.figure.model import Figure
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.sets import waiting
from kunstgriff.figure.stores import Stores
from kunstgriff.paint.painter import as_seen, sheet_view
from kunstgriff.reading.seams import seam_angles
from kunstgriff.reading.unhidden import unhidden
from kunstgriff.reading.voids import joints_behind, together, void_map
from kunstgriff.trial.around import side_in
from kunstgriff.trial.motion import Motion

WORDS = {"ink-less": "cover", "gusset": "gusset", "fold": "fold"}
VOID_STEP = 15.0  # degrees between the poses voids are looked for in
VOID_LEAST = 20  # px² of void from which it is told
PLUM, PAPER = (122, 59, 105, 255), (255, 254, 250, 230)
IN_FONT = str.maketrans({"×": "x", "²": "2"})  # what Pillow's own font lacks


def sheet_of(figure: Figure, stores: Stores, pose: Pose, progress: Progress = no_progress) -> ArtSheet:
    """The figure's parts as layers, from the facing the pose shows. At rest they are the very pictures; posed or in a
    mirror, each is painted where it is now, and covers come as layers of their own."""
    side = side_in(figure, pose)
    figure, pose = side.figure, side.pose
    sheet = ArtSheet((figure.sheet.width, figure.sheet.height), standing_point=figure.sheet.standing_point)
    paths = _group_paths(figure)
    sheet.looks = {
        paths[group.id]: GroupLook(group.opacity, group.blend, group.isolated)
        for group in figure.groups
        if not group.is_plain
    }
    if pose.at_rest and not side.mirrored:
        corner = (-figure.sheet.standing_point[0], -figure.sheet.standing_point[1])
        standing_by = {one.part for one in figure.treated("stand_in") if not one.switch.at_rest} | waiting(figure)
        names = {part.id: part.name for part in figure.parts}
        for part in figure.parts:
            layer = layer_of_part(part, corner, stores)
            name = f"{part.name}, leave out" if part.left_out else part.name
            if part.id in standing_by and part.alternate_of in names:
                name = f"{name}, alternate of {names[part.alternate_of]}"
            visible = layer.visible and part.id not in standing_by
            sheet.layers.append(replace(layer, name=name, visible=visible, groups=paths.get(part.group or "", ())))
        return sheet
    rig = compile_rig(figure, stores)
    frame = rig.evaluate(pose)
    view = sheet_view(figure)
    for group in figure.groups:
        if (share := frame.faded.get(group.id, 1.0)) < 1:  # painted by itself, as on the bench
            sheet.looks[paths[group.id]] = GroupLook(group.opacity * share, group.blend, isolated=True)
    for number, item in enumerate(frame.items):
        progress(number, len(frame.items), "painting the layers")
        if frame.opacity(item) <= 0:
            continue
        alone = replace(frame, items=(replace(item, blend="normal", groups=(), layers=()),))
        part = rig.program.blocks[item.part].part
        name = part.name if item.variant == "full" else f"{part.name} {WORDS[item.variant]}"
        painted = as_seen(painter(), rig, alone, view, stores, side.mirrored)
        sheet.layers.append(Layer.of(name, painted, (0, 0), paths.get(part.group or "", ()), blend=part.blend))
    return sheet


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


def write_with_findings(target: Path, figure: Figure, stores: Stores, progress: Progress = no_progress) -> None:
    """Write the figure at rest as OpenRaster with a layer in front: what was found, and what no treatment hides."""
    sheet = sheet_of(figure, stores, Pose())
    told = [*findings(figure, stores), *unhidden(figure, stores, painter(), progress)]
    sheet.layers.append(Layer.of(FINDINGS_LAYER, findings_picture(figure, told)))
    write_ora(target, sheet)


def write_with_voids(
    target: Path, figure: Figure, stores: Stores, progress: Progress = no_progress, motion: Motion | None = None
) -> None:
    """Write the figure at rest as OpenRaster with a layer over each part that lacks paint, where it lacks it over the
    range of its joints and in a motion.

    The illustrator paints the part there; layers of voids are no parts when the drawing comes back.
    """
    sheet = sheet_of(figure, stores, Pose())
    behind = joints_behind(figure, stores)
    done, count = 0, sum(len(joints) for joints in behind.values())
    for number, part in reversed(list(enumerate(figure.parts))):  # from the front, so that places stay what they are
        maps = []
        for bone in behind.get(part.id, ()):
            progress(done, count, "looking for what is not painted")
            maps.append(void_map(figure, stores, bone, painter(), seam_angles(figure, bone, VOID_STEP), motion))
            done += 1
        if maps and (found := together(maps)).area >= VOID_LEAST:
            x, y = np.add(found.corner, figure.sheet.standing_point)
            layer = Layer.of(f"void of {part.name}{NOT_A_PART}", found.picture(), (round(x), round(y)))
            sheet.layers.insert(number + 1, layer)
    write_ora(target, sheet)


def findings_picture(figure: Figure, found: Sequence[Finding]) -> Pixels:
    """A see-through sheet (h, w, 4) with a numbered frame around the parts of each finding and a list of them all."""
    size = (figure.sheet.width, figure.sheet.height)
    letter = max(min(size) // 60, 11)
    font = ImageFont.load_default(letter)
    image = Image.new("RGBA", size)
    pen = ImageDraw.Draw(image)
    lines = []
    for number, item in enumerate((one for one in found if one.parts), 1):
        lines.append(f"{number}  {item.sentence}")
        joints = [bone.joint for bone in figure.bones if bone.id in item.bones]
        for joint in joints:
            x, y = (float(at) for at in np.add(joint, figure.sheet.standing_point))
            pen.ellipse((x - 2 * letter, y - 2 * letter, x + 2 * letter, y + 2 * letter), outline=PLUM, width=3)
            pen.text((x + 2 * letter, y - letter), str(number), PLUM, font, stroke_width=2, stroke_fill=PAPER)
        for ref in item.parts if not joints else ():
            part = figure.part(ref)
            if part is None:
                continue
            x, y = np.add(part.drawing.place, figure.sheet.standing_point)
            left, top = (int(np.clip(at, 2, side - 2)) for at, side in zip((x, y), size, strict=True))
            right = int(np.clip(x + part.drawing.size[0], left + 2, size[0] - 1))
            bottom = int(np.clip(y + part.drawing.size[1], top + 2, size[1] - 1))
            pen.rectangle((left, top, right, bottom), outline=PLUM, width=max(letter // 6, 2))
            pen.text(
                (left + letter // 2, top + letter // 4), str(number), PLUM, font, stroke_width=2, stroke_fill=PAPER
            )
    if lines:
        told = "\n".join(lines).translate(IN_FONT)
        spot = (letter, size[1] - letter - round(1.35 * letter * len(lines)))
        box = pen.multiline_textbbox(spot, told, font, spacing=letter // 3)
        pen.rectangle((box[0] - 8, box[1] - 8, box[2] + 8, box[3] + 8), fill=PAPER, outline=PLUM)
        pen.multiline_text(spot, told, PLUM, font, spacing=letter // 3)
    return np.asarray(image)
