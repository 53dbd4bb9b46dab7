"""The cover: an ink-less copy of one part near a joint, laid in front of its neighbour.

The neighbour's line across the joint disappears under the copy's fill; where both parts' side lines run, the copy has
no fill, so the line keeps its full width.
"""

from __future__ import annotations

import numpy as np

from kunstgriff.evaluate.items import around, item_of
from kunstgriff.evaluate.program import Build, Drawn
from kunstgriff.figure.model import Figure
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.treatments import reach_of
from kunstgriff.seam.drawn import triangles_near


def covers(build: Build, figure: Figure, stores: Stores) -> list[Drawn]:
    """Each cover half a step in front of the part it covers, later covers over earlier ones."""
    depth = {part.id: float(number) for number, part in enumerate(figure.parts)}
    found = []
    laid = figure.covers
    for number, cover in enumerate(laid):
        source, over = figure.part(cover.source), figure.part(cover.over)
        if source is None or over is None or not (source.is_shown and over.is_shown):
            continue
        block = build.nets.blocks[source.id]
        joint = np.asarray(build.skeleton.joints[build.skeleton.index[cover.bone]])
        near = triangles_near(build.nets.rest[block.triangles], joint, reach_of(cover))
        item = item_of(
            figure, source, id=cover.id, picture=cover.picture, variant="ink-less", anchor=over.id, blend="normal",
            **around(figure, over.group),
        )  # fmt: skip
        found.append((depth[over.id] + 0.5 + 0.4 * number / len(laid), item, block.triangles[near]))
    return found
