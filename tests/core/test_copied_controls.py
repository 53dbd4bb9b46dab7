"""Controls of one hand made for the other: what they do there is the mirror image of what they do here."""

from __future__ import annotations

import numpy as np
import pytest

from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.mirroring import mirrored_pose
from kunstgriff.figure.pose import parse_pose
from tests.art import at, drawn, edited, figure_of
from tests.core.test_copied_sides import MITTEN, mittens

COPY = {"kind": "copy_setup", "bone": "near palm", "find": "near", "put": "far"}
CONTROLS = [
    {"kind": "lay_lever", "name": "near curl", "place": [20, -150], "hangs_on": "near palm"},
    {"kind": "drive", "by": "near curl", "channel": "near thumb.turn", "points": [[1, -35], [-1, 10]]},
    {"kind": "drive", "by": "near curl", "channel": "swell 3,2.shift.x", "points": [[1, 12]]},
    {"kind": "lay_lever", "name": "near sway", "axes": "x"},
    {"kind": "drive", "by": "near sway", "axis": "x", "channel": "near palm.move.x", "points": [[1, 30], [-1, -10]]},
    {"kind": "drive", "by": "near palm", "channel": "near thumb.turn", "points": [[30, -12]]},
    {"kind": "make_corrective", "name": "near web", "bones": ["near thumb"]},
    {"kind": "make_shape", "name": "near puff"},
]


def hands(*more):
    """Mittens, the near one with levers, a bone that drives, a corrective and a shape; `more` is done before the copy."""
    figure, stores = mittens()
    start = at(figure, (210, 160))[0]
    pull = {"kind": "pull", "parts": ["near hand"], "start": start, "radius": 40.0}
    figure = edited(
        figure, stores, *CONTROLS,
        {**pull, "into": "near web", "pose": {"near thumb.turn": -40}, "by": (-9, -14)},
        {**pull, "into": "near puff", "pose": {"near puff.amount": 1}, "by": (15, 4)},
        *more, COPY,
    )  # fmt: skip
    return figure, stores


def boxes(figure, stores, pose):
    """The near hand's vertices, and the corners (2, 2) of what is seen of it and, mirrored, of the far one."""
    rig = compile_rig(figure, stores)
    rig.evaluate(pose)
    shapes, found = [], []
    for name in ("near hand", "far hand"):
        block = rig.program.blocks[next(part.id for part in figure.parts if part.name == name)]
        seen = rig.vertices[block.start : block.start + block.count].astype(float)
        shapes.append(seen)
        found.append(np.array([seen.min(0), seen.max(0)]))
    found[1][:, 0] = 180 - found[1][::-1, 0]
    return shapes[0], *found


@pytest.mark.parametrize(
    "pose",
    [
        {"near curl.lever.y": 1},
        {"near curl.lever.y": -1},
        {"near sway.lever.x": 1},
        {"near sway.lever.x": -1},
        {"near palm.turn": 30},
        {"near thumb.turn": -40},
        {"near puff.amount": 1},
    ],
)
def test_each_control_does_on_the_far_hand_the_mirror_image_of_what_it_does_on_the_near_one(pose):
    figure, stores = hands()
    still, rest, mirrored_rest = boxes(figure, stores, parse_pose({}))
    assert mirrored_rest == pytest.approx(rest, abs=3)
    asked = parse_pose(pose).by_id(figure)
    both = asked.merged(mirrored_pose(figure, asked))
    posed, near, far = boxes(figure, stores, both)
    assert np.abs(posed - still).max() > 8, "it does something"
    assert far == pytest.approx(near, abs=5)


def test_what_is_there_already_is_not_made_again_and_levers_hang_on_their_own_side():
    figure, stores = hands()
    names = sorted(one.name for one in (*figure.levers, *figure.shapes, *figure.correctives))
    assert names == sorted([f"{side} {word}" for side in ("near", "far") for word in ("curl", "puff", "sway", "web")])
    curl = {one.name: one for one in figure.levers}
    bones = {bone.id: bone.name for bone in figure.bones}
    assert bones[curl["far curl"].hangs_on] == "far palm"
    assert np.subtract(curl["far curl"].place, (180 - 20, -150)) == pytest.approx([0, 0], abs=4)
    again = edited(figure, stores, COPY)
    for some in ("levers", "shapes", "correctives", "by_turns", "warps"):
        assert getattr(again, some) == getattr(figure, some), some


def test_a_control_of_more_than_the_limb_stays_the_only_one():
    lever = {"kind": "lay_lever", "name": "all"}
    figure, stores = hands(
        {"kind": "draw_chain", "name": "mast", "joints": [[0, 0], [0, -100]]}, lever,
        {"kind": "drive", "by": "all", "channel": "near thumb.turn", "points": [[1, 20]]},
        {"kind": "drive", "by": "all", "channel": "mast.turn", "points": [[1, 20]]},
    )  # fmt: skip
    assert [one.name for one in figure.levers if "all" in one.name] == ["all"]


def test_a_far_hand_drawn_the_same_way_round_is_driven_the_same_way():
    figure, stores = figure_of({"near hand": drawn(MITTEN), "far hand": drawn(MITTEN)})
    figure = edited(
        figure, stores,
        {"kind": "draw_chain", "name": "near palm", "joints": at(figure, (130, 70), (130, 270))},
        {"kind": "bind_weighted", "parts": ["near hand"], "influences": ["near palm"], "count": 60},
        {"kind": "lay_lever", "name": "near wave"},
        {"kind": "drive", "by": "near wave", "channel": "near palm.turn", "points": [[1, 25]]}, COPY,
    )  # fmt: skip
    near, far = (figure.levers[k].y.drives[0] for k in (0, 1))
    assert [knot.by for knot in far.knots] == [knot.by for knot in near.knots]
    assert far.channel != near.channel
