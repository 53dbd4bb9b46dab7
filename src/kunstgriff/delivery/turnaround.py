"""The figure from all of its sides: each painted as it is seen, and all side by side on one sheet."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from kunstgriff.artwork.sheet import Progress, no_progress
from kunstgriff.delivery.frames import painter
from kunstgriff.evaluate.state import RigState, compile_rig
from kunstgriff.facing.checks import turnaround_findings
from kunstgriff.figure.channels import addressed
from kunstgriff.figure.model import Figure
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.refusal import DeliveryRefused
from kunstgriff.figure.stores import Stores, encode_png
from kunstgriff.paint.painter import Painter, View, as_seen
from kunstgriff.trial.around import side_in

Pixels = NDArray[np.uint8]
INK, PAPER, LINE, PLUM = (43, 42, 51, 255), (255, 254, 250, 255), (216, 204, 178, 255), (122, 59, 105, 255)
IN_FONT = str.maketrans({"×": "x", "²": "2", "“": '"', "”": '"', "–": "-", "…": "..."})  # what Pillow's own font lacks
AT_REST = Pose()
ROOM = 1.06  # times as much as is drawn that a figure of the sheet has room
MOST_ACROSS = 8  # figures in a row of the sheet
SHEET_WIDTH = 2400  # px of the whole sheet, unless another is asked for


def even_view(figure: Figure, scale: float = 1.0) -> View:
    """A view of the whole sheet, as wide to both sides of where the figure stands, so that it can be mirrored."""
    sheet = figure.sheet
    half = math.ceil(max(sheet.standing_point[0], sheet.width - sheet.standing_point[0]))
    size = max(round(2 * half * scale), 1), max(round(sheet.height * scale), 1)
    return View(size, size[0] / (2 * half), (-half, -sheet.standing_point[1]))


def art_view(figure: Figure, width: int) -> View:
    """A view so wide of all that is drawn on any facing, as wide to both sides of where the figure stands."""
    boxes = [
        (*part.drawing.place, *np.add(part.drawing.place, part.drawing.size))
        for part in figure.drawn_parts
        if part.is_shown
    ]
    if not boxes:
        return even_view(figure, width / even_view(figure).size[0])
    low, high = np.min(boxes, 0)[:2], np.max(boxes, 0)[2:]
    half = ROOM * max(abs(low[0]), abs(high[0]), 1.0)
    top, bottom = float(low[1]), max(float(high[1]), 0.0)
    room = (ROOM - 1) * (bottom - top)
    scale = width / (2 * half)
    return View((width, max(round((bottom - top + 2 * room) * scale), 1)), scale, (-half, top - room))


def facing_picture(
    figure: Figure,
    number: int,
    stores: Stores,
    pose: Pose = AT_REST,
    view: View | None = None,
    by: Painter | None = None,
    rigs: dict[int, RigState] | None = None,
) -> Pixels:
    """The figure in a pose from the facing of that number, straight alpha (h, w, 4), as it is seen; all of the sheet,
    unless another view is asked for. `rigs` keeps what was compiled, by the number of the facing that is drawn."""
    side = side_in(figure, at_facing(figure, pose, number))
    rigs = {} if rigs is None else rigs
    drawn = figure.turnaround.drawn(number).number if figure.turnaround is not None else 0
    if drawn not in rigs:
        rigs[drawn] = compile_rig(side.figure, stores)
    rig = rigs[drawn]
    view = view or even_view(figure)
    return as_seen(by or painter(), rig, rig.evaluate(side.pose), view, stores, side.mirrored)


def at_facing(figure: Figure, pose: Pose, number: int) -> Pose:
    """A pose that shows the facing of that number."""
    turnaround = figure.turnaround
    if turnaround is None:
        return pose
    return pose.merged(Pose(channels={addressed(turnaround.id, "facing"): number}))


def turnaround_sheet(
    figure: Figure,
    stores: Stores,
    pose: Pose = AT_REST,
    width: int = SHEET_WIDTH,
    progress: Progress = no_progress,
    by: Painter | None = None,
) -> Pixels:
    """All facings side by side (h, w, 4), from the one that looks furthest to the left: each with its name and angle,
    on one ground, and what is wrong under them. Raises DeliveryRefused for a figure that has no turnaround."""
    if figure.turnaround is None:
        raise DeliveryRefused("This figure is seen from one side only; add a side first.")
    facings = figure.turnaround.around
    across = min(len(facings), MOST_ACROSS)
    rows = math.ceil(len(facings) / across)
    cell = width // across
    view = art_view(figure, cell) if pose.at_rest else even_view(figure, cell / even_view(figure).size[0])
    head, letter = 48, 15
    font = ImageFont.load_default(letter)
    lines = [one.sentence for one in turnaround_findings(figure)]
    tall = rows * (view.size[1] + head) + (len(lines) + 1) * round(1.5 * letter)
    image = Image.new("RGBA", (across * cell, tall), PAPER)
    pen = ImageDraw.Draw(image)
    rigs = dict[int, RigState]()
    for place, one in enumerate(facings):
        progress(place, len(facings), f"painting the {one.name}")
        left, top = place % across * cell, place // across * (view.size[1] + head)
        picture = Image.fromarray(facing_picture(figure, one.number, stores, pose, view, by, rigs))
        ground = top + head + round(-view.origin[1] * view.scale)
        pen.line((left, ground, left + cell, ground), LINE, 2)
        image.alpha_composite(picture, (left, top + head))
        words = f"{one.name}\n{one.angle:g}°" + (", mirrored" if one.mirrors is not None else "")
        pen.text((left + 8, top + 8), words.translate(IN_FONT), INK, font)
    for place, line in enumerate(lines):
        pen.text((8, rows * (view.size[1] + head) + round(1.5 * letter * place)), line.translate(IN_FONT), PLUM, font)
    return np.asarray(image)


def write_turnaround(
    target: Path, figure: Figure, stores: Stores, pose: Pose, size: tuple[int, int] | None, progress: Progress
) -> None:
    """Write all facings side by side as PNG, as wide as asked for."""
    pixels = turnaround_sheet(figure, stores, pose, size[0] if size is not None else SHEET_WIDTH, progress)
    target.write_bytes(encode_png(pixels))
