"""The colours weights are shown in: all bones blended, the strongest, one bone alone, or what changed."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from kunstgriff.evaluate.program import RigProgram
from kunstgriff.figure.edit import need_bone
from kunstgriff.figure.model import Figure
from studio.bench.colours import Floats, blended_colours, bone_colours
from studio.bench.seen import Seen
from studio.bench.state import compiled

TintView = Literal["blend", "strongest", "single", "difference"]

PAPER = np.array([247.0, 242.0, 232.0])  # the paper token: no weight
MORE, LESS = np.array([31.0, 111.0, 104.0]), np.array([122.0, 59.0, 105.0])  # spruce and plum tokens


def tints(seen: Seen, view: str, bone: str, against: Seen | None) -> NDArray[np.uint8]:
    """Colours (n, 4) of all vertices; the last is 255 where a vertex follows anything. Raises EditRefused."""
    figure, program = compiled(seen)
    following = np.rint(program.nets.weights.sum(1)).astype(np.uint8) * 255
    if view == "strongest":
        colour = bone_colours(figure)[program.nets.bones[:, 0]]
    elif view == "single":
        column = program.bone_index[need_bone(figure, bone).id]
        share = share_of(program, column)[:, None]
        colour = PAPER + share * (bone_colours(figure)[column] - PAPER)
    elif view == "difference":
        colour = _difference(figure, program, need_bone(figure, bone).id, against)
    else:
        colour = blended_colours(figure, program.nets.bones, program.nets.weights)
    return np.column_stack([np.rint(colour).astype(np.uint8), following])


def share_of(program: RigProgram, column: int) -> Floats:
    """How much (n,) each vertex follows one bone."""
    return np.asarray((program.nets.weights * (program.nets.bones == column)).sum(1), np.float64)


def _difference(figure: Figure, program: RigProgram, bone: str, against: Seen | None) -> Floats:
    """Spruce where a vertex follows the bone more than it did, plum where less; paper where a mesh is another."""
    colour = np.tile(PAPER, (len(program.rest), 1))
    if against is None:
        return colour
    _, before = compiled(against)
    if bone not in before.bone_index:
        return colour
    now, was = share_of(program, program.bone_index[bone]), share_of(before, before.bone_index[bone])
    for ref, block in program.blocks.items():
        old: Any = before.blocks.get(ref)
        if old is None or old.count != block.count:
            continue
        rows, old_rows = slice(block.start, block.start + block.count), slice(old.start, old.start + old.count)
        change = now[rows] - was[old_rows]
        towards = np.where(change[:, None] > 0, MORE, LESS)
        colour[rows] = PAPER + np.minimum(np.abs(change) * 2, 1)[:, None] * (towards - PAPER)
    return colour
