"""The cover: an ink-less copy of one part near a joint, laid in front of its neighbour.

The neighbour's line across the joint disappears under the copy's fill; where both parts' side lines run, the copy has
no fill, so the line keeps its full width.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from kunstgriff.artwork.ink import InkSplit
from kunstgriff.evaluate.rig import DrawItem, Ints32, Rig, drawing, item_of, layers_around
from kunstgriff.figure.model import Figure
from kunstgriff.figure.stores import Stores

REACH = 2.0  # half widths of the limb; at 120° the side line enters the neighbour at r / cos 60° = 2 r from the joint
SOFT = 0.15  # half widths over which the limit around the joint fades


def cover_picture(
    rgba: NDArray[np.uint8], split: InkSplit, joint: tuple[float, float], radius: float, soft: float
) -> NDArray[np.uint8]:
    """The ink-less copy of a part's picture (h, w, 4), kept within `radius` px of `joint` (px of the picture).

    Ink is taken off by its coverage. Where the part is open (no ink along its edge) the fill is drawn in by half a
    line width, so that it does not thin the neighbour's side lines.
    """
    height, width = rgba.shape[:2]
    y, x = np.ogrid[:height, :width]
    distance = np.hypot(x + 0.5 - joint[0], y + 0.5 - joint[1])
    near = np.clip((radius - distance) / max(soft, 1e-6) + 0.5, 0, 1)
    inset = np.clip(split.depth - split.line_width / 2, 0, 1) if split.line_width else 1.0
    alpha = rgba[..., 3] * (1 - split.at_edge) * near * inset
    colour = np.where(split.at_edge[..., None] > 0.01, split.fill, rgba[..., :3])
    return np.dstack([colour, np.rint(alpha).astype(np.uint8)])


@drawing
def covers(rig: Rig, figure: Figure, stores: Stores) -> list[tuple[float, DrawItem, Ints32]]:
    """Each cover half a step in front of the part it covers, later covers over earlier ones."""
    depth = {part.id: float(number) for number, part in enumerate(figure.parts)}
    found = []
    for number, cover in enumerate(figure.covers):
        source, over = figure.part(cover.source), figure.part(cover.over)
        if source is None or over is None or not (source.is_shown and over.is_shown):
            continue
        block = rig.blocks[source.id]
        joint = rig.joints[rig.bone_index[cover.bone]]
        corners = rig.rest[block.triangles]
        reach = cover.radius + cover.soft
        near = ((corners.min(1) < joint + reach) & (corners.max(1) > joint - reach)).all(1)
        layers = layers_around(figure, over.group)
        item = item_of(figure, source, id=cover.id, picture=cover.picture, variant="ink-less", layers=layers)
        found.append((depth[over.id] + 0.5 + 0.4 * number / len(figure.covers), item, block.triangles[near]))
    return found
