"""A stroke of the brush while it is drawn: the same dabs as the edit will lay, on a copy of the table."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kunstgriff.binding.brush import Neighbours, stroke
from kunstgriff.binding.weight_edits import PaintWeights, Table
from kunstgriff.figure.edit import EditRefused, need_bone, parse_edit
from kunstgriff.figure.model import Figure
from kunstgriff.figure.stores import Stores
from studio.bench.colours import bone_colours
from studio.bench.seen import Seen


class Stroke:
    """One stroke over one part of a figure as it is seen. Raises EditRefused as the edit would."""

    def __init__(self, figure: Figure, seen: Seen, edit: PaintWeights, stores: Stores) -> None:
        self.figure, self.seen = figure, seen
        self.table = Table(figure, edit.part, stores)
        self.part, self.edit, self.done = self.table.part.id, edit, 0
        self.column = self.table.unlocked(edit.bone)
        triangles = stores.get_array(self.table.binding.mesh.triangles)
        self.neighbours = Neighbours(triangles, len(self.table.weights))
        bone = need_bone(figure, edit.bone)
        self.axis = np.array(bone.joint), np.array(bone.tip)
        refs = [figure.bones.index(one) for ref in self.table.binding.influences if (one := figure.bone(ref))]
        self.palette = bone_colours(figure)[refs].astype(np.float32)

    def goes_on(self, seen: Seen, edit: PaintWeights) -> bool:
        """Whether what is asked is this stroke, carried on."""
        same = (edit.part, edit.bone, edit.brush) == (self.edit.part, self.edit.bone, self.edit.brush)
        return seen == self.seen and same and edit.spots[: self.done] == self.edit.spots[: self.done]

    def dabbed(self, edit: PaintWeights) -> NDArray[np.uint8]:
        """The part's colours (n, 4) after the dabs there are by now."""
        self.edit = edit
        new = self.edit.spots[self.done :]
        if new:
            table = self.table
            stroke(
                table.points, table.weights, self.neighbours, table.locked, self.column, self.edit.brush, new, self.axis
            )
            self.done = len(self.edit.spots)
        colours = np.full((len(self.table.weights), 4), 255, np.uint8)
        colours[:, :3] = self.table.weights @ self.palette + np.float32(0.5)
        return colours


def parse_stroke(asked: dict[str, Any]) -> PaintWeights:
    """What is asked of a stroke, as the edit it will be. Raises EditRefused."""
    edit = parse_edit({**asked, "kind": "paint_weights"})
    if not isinstance(edit, PaintWeights):
        raise EditRefused("That is no stroke of the brush.")
    return edit
