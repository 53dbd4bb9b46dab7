"""Taking hold of a part or a group on the posed side: where its pivot is, and what moving it by itself does."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from kunstgriff.binding.placing import after, rows_of
from kunstgriff.binding.riders import Riding
from kunstgriff.evaluate.frame import Frame
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.edit import group_path
from kunstgriff.figure.model import Figure
from kunstgriff.figure.pose import Pose


def gripped_at(rig: RigState, pose: Pose, ref: str) -> tuple[Frame, NDArray[np.float64]]:
    """A pose evaluated, and how a part or a group is carried in it (6,): x and y of its pivot as it is seen, and
    a b c d, which take what it is moved by itself to how it moves on the figure: x' = a x + c y, y' = b x + d y."""
    row = rows_of(rig.program.figure)[ref]
    rig.watched = row
    try:
        frame = rig.evaluate(pose)
    finally:
        rig.watched = -1
    x, y, c, s = rig.carried
    right, down = rig.placed_move[row]
    seen = np.array([c, s, -s, c, x + c * right - s * down, y + s * right + c * down])
    for group in _around(rig, ref, row):
        seen = after(seen, rig.placings[group])
    return frame, seen[[4, 5, 0, 1, 2, 3]]


def _around(rig: RigState, ref: str, row: int) -> tuple[int, ...]:
    """The rows of the groups that are done to a part or a group, from the inside out."""
    for node in rig.program.nodes:
        if isinstance(node, Riding) and node.placed.own == row:
            return node.placed.groups
    rows = rows_of(rig.program.figure)
    return tuple(rows[one] for one in reversed(group_path(rig.program.figure, _group_of(rig.program.figure, ref))))


def _group_of(figure: Figure, ref: str) -> str | None:
    part = figure.part(ref)
    if part is not None:
        return part.group
    return next(one.parent for one in figure.groups if one.id == ref)
