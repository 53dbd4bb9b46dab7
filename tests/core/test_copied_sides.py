"""A set-up copied to the other side, where the drawing is mirrored: all that has a side of its own changes it."""

from __future__ import annotations

import numpy as np
import pytest

from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.pose import parse_pose
from tests.art import at, drawn, edited, figure_of

MITTEN = '<path d="M100 60 L160 60 L160 130 L215 150 L205 180 L160 175 L160 280 L100 280 Z" fill="#a65"/>'


def mittens(**far):
    """A hand with a thumb to its right on two bones with limits, a lattice over it, and its mirror image bound alike."""
    figure, stores = figure_of({"near hand": drawn(MITTEN)})
    figure = edited(
        figure, stores,
        {"kind": "draw_chain", "name": "near palm", "joints": at(figure, (130, 70), (130, 270))},
        {"kind": "draw_chain", "name": "near thumb", "parent": "near palm", "joints": at(figure, (150, 140), (212, 165))},
        {"kind": "set_limits", "bones": ["near thumb"], "limits": {"low": -50, "high": 15, "soft": 0}},
        {"kind": "bind_weighted", "parts": ["near hand"], "influences": ["near palm", "near thumb"], "count": 150},
        {"kind": "lay_lattice", "parts": ["near hand"], "name": "swell", "columns": 3, "rows": 3},
        {"kind": "move_handles", "handles": ["swell 3,2"], "by": [20, 6]},
        {"kind": "copy_parts", "parts": ["near hand"], "find": "near", "put": "far", "mirror": True, "axis": 90},
        {"kind": "copy_setup", "bone": "near palm", "find": "near", "put": "far"},
    )  # fmt: skip
    return figure, stores


def test_bones_limits_and_warps_are_mirrored_with_the_drawing():
    figure, stores = mittens()
    bones = {one.name: one for one in figure.bones}
    for name in ("palm", "thumb"):
        near, far = bones[f"near {name}"], bones[f"far {name}"]
        for one, other in ((near.joint, far.joint), (near.tip, far.tip)):
            assert np.subtract(other, (180 - one[0], one[1])) == pytest.approx([0, 0], abs=4)
    assert (bones["far thumb"].limits.low, bones["far thumb"].limits.high) == (-15, 50)
    near, far = figure.warps
    moved = [np.array([one.place for one in warp.handles]) for warp in (near, far)]
    assert np.abs(moved[1] - (180 - moved[0][:, 0])[:, None] * (1, 0) - moved[0] * (0, 1)).max() < 4


def test_a_mirrored_pose_of_both_looks_mirrored():
    figure, stores = mittens()
    rig = compile_rig(figure, stores)
    pose = {"near palm.turn": 25, "far palm.turn": -25, "near thumb.turn": -40, "far thumb.turn": 40}
    rig.evaluate(parse_pose(pose).by_id(figure))
    near, far = (rig.program.blocks[one.id] for one in sorted(figure.parts, key=lambda one: one.name, reverse=True))
    seen = [rig.vertices[one.start : one.start + one.count].astype(float) for one in (near, far)]
    low, high = seen[0].min(0), seen[0].max(0)
    assert seen[1].min(0) == pytest.approx([180 - high[0], low[1]], abs=5)
    assert seen[1].max(0) == pytest.approx([180 - low[0], high[1]], abs=5)


def test_a_drawing_that_is_not_mirrored_keeps_its_side():
    figure, stores = figure_of({"near hand": drawn(MITTEN), "far hand": drawn(MITTEN)})
    figure = edited(
        figure, stores,
        {"kind": "draw_chain", "name": "near palm", "joints": at(figure, (130, 70), (130, 270))},
        {"kind": "draw_chain", "name": "near thumb", "parent": "near palm", "joints": at(figure, (150, 140), (212, 165))},
        {"kind": "bind_weighted", "parts": ["near hand"], "influences": ["near palm", "near thumb"], "count": 150},
        {"kind": "copy_setup", "bone": "near palm", "find": "near", "put": "far"},
    )  # fmt: skip
    bones = {one.name: one for one in figure.bones}
    assert np.subtract(bones["far thumb"].tip, bones["near thumb"].tip) == pytest.approx([0, 0], abs=2)
