"""Seams where more than one joint turns: neighbours at the ends of their range, and poses kept for trial."""

from __future__ import annotations

from dataclasses import asdict

import numpy as np
import pytest

from kunstgriff.delivery.frames import painter
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.pose import Pose
from kunstgriff.paint.painter import sheet_view
from kunstgriff.reading.around import figure_around, mark_of
from kunstgriff.reading.seam import SeamReader
from kunstgriff.reading.together import read_together, situations
from kunstgriff.seam.joints import limb_radius, need_meeting
from tests.art import at, capsule, drawn, edited, figure_of, two_piece_arm

JOINTS = (60, 180, 300, 380)


def three_piece_arm():
    """Hand behind forearm behind upper arm along x, round ends about their joints; the wrist turns 60° to each side."""
    pieces = {"hand": (300, 380), "forearm": (180, 300), "upper arm": (60, 180)}
    figure, stores = figure_of(
        {name: drawn(capsule((a, 200), (b, 200), 30, 8), (440, 400)) for name, (a, b) in pieces.items()}, (440, 400)
    )
    bound = zip(("upper arm", "forearm", "hand"), ("arm", "arm 2", "arm 3"), strict=True)
    return edited(
        figure, stores, {"kind": "draw_chain", "name": "arm", "joints": at(figure, *((x, 200) for x in JOINTS))},
        *({"kind": "bind_rigid", "parts": [part], "bone": bone} for part, bone in bound),
        {"kind": "set_limits", "bones": ["arm 3"], "limits": {"low": -60, "high": 60}},
        {"kind": "set_limits", "bones": ["arm 2"], "limits": {"low": -10, "high": 110}},
    ), stores  # fmt: skip


def bone_of(figure, name):
    return next(one for one in figure.bones if one.name == name)


def test_each_neighbouring_joint_is_turned_to_both_ends_of_its_range():
    figure, stores = three_piece_arm()
    elbow, wrist = bone_of(figure, "arm 2"), bone_of(figure, "arm 3")
    found = situations(figure, stores, elbow)
    assert [one.words for one in found] == ["with arm 3 at -60°", "with arm 3 at 60°"]
    assert {one.angles for one in found} == {(-10.0, 50.0, 110.0)}
    assert [one.beside for one in situations(figure, stores, wrist)] == [
        Pose.of_bones({elbow.id: -10.0}),
        Pose.of_bones({elbow.id: 110.0}),
    ]


def test_a_kept_pose_is_read_even_where_the_joint_itself_lies_still_in_it():
    figure, stores = three_piece_arm()
    posed = edited(
        figure, stores, {"kind": "keep_pose", "name": "wave", "pose": {"turn": {"arm 3": 40}}},
        {"kind": "keep_pose", "name": "reach", "pose": {"turn": {"arm": -20, "arm 2": 70}}},
    )  # fmt: skip
    elbow = bone_of(posed, "arm 2")
    wave, reach = situations(posed, stores, elbow)[-2:]
    assert (wave.words, wave.angles, wave.beside) == (
        "in wave",
        (0.0,),
        Pose.of_bones({bone_of(posed, "arm 3").id: 40.0}),
    )
    assert (reach.words, reach.angles) == ("in reach", (70.0,))
    seams = list(read_together(posed, stores, painter(), elbow, [wave, reach]))
    assert [seam.name for seam in seams] == ["arm 2 in wave", "arm 2 in reach"]
    assert [[one.angle for one in seam.readings] for seam in seams] == [[0.0], [0.0, 70.0]]
    assert all(seam.misses for seam in seams), "the bare line across shows in both"


@pytest.mark.parametrize("turned", [-35.0, 80.0])
def test_turning_what_a_joint_hangs_on_changes_nothing_of_its_seam(turned):
    # geometry: seen from the parent nothing has moved
    figure, stores = two_piece_arm()
    reader = SeamReader(figure, stores, bone_of(figure, "arm 2"), painter())
    angles = (0.0, 60.0)
    alone = list(reader.read(angles))
    along = list(reader.read(angles, Pose.of_bones({bone_of(figure, "arm").id: turned})))
    for item, other in zip(alone, along, strict=True):
        for name, value in asdict(item).items():
            assert asdict(other)[name] == pytest.approx(value, abs=0.3 + 0.02 * abs(value)), name


def test_a_seams_mark_tells_what_it_depends_on_and_nothing_else():
    figure, stores = three_piece_arm()

    def mark(of, name="arm 2"):
        bone = bone_of(of, name)
        pair = need_meeting(of, bone, stores)
        return mark_of(of, pair, bone, limb_radius(pair, bone, stores))

    before = mark(figure)
    for harmless in (
        {"kind": "rename_figure", "name": "else"},
        {"kind": "keep_pose", "name": "wave", "pose": {"turn": {"arm 3": 40}}},
        {"kind": "set_tolerances", "tolerances": {"ink": 9}},
        {"kind": "lay_cover", "bone": "arm 3"},
    ):
        assert mark(edited(figure, stores, harmless)) == before, harmless
    for telling in (
        {"kind": "lay_cover", "bone": "arm 2"},
        {"kind": "set_limits", "bones": ["arm 2"], "limits": {"low": -10, "high": 90}},
        {"kind": "redraw_line", "part": "forearm", "width": 11},
        {"kind": "set_spring", "bone": "arm 2"},
        {"kind": "move_joint", "bone": "arm 2", "to": [-18, -40]},
    ):
        assert mark(edited(figure, stores, telling)) != before, telling
    small = figure_around(
        figure, need_meeting(figure, bone_of(figure, "arm 3"), stores), bone_of(figure, "arm 3").joint, 30
    )
    assert {part.name for part in small.parts} == {"hand", "forearm"}


@pytest.mark.parametrize("first", ["cuff", "ribbon"])
def test_a_seam_is_read_with_the_drawing_that_shows_though_another_of_its_set_lies_far_off(first):
    layers = {
        "forearm": drawn(capsule((200, 200), (340, 200), 40, 8)),
        "upper arm": drawn(capsule((60, 200), (200, 200), 40, 8)),
        "cuff": drawn('<circle cx="200" cy="200" r="60" fill="#c00000"/>'),
        "ribbon": drawn('<rect x="10" y="360" width="20" height="20" fill="#00c000"/>'),
    }
    figure, stores = figure_of(layers)
    other = "ribbon" if first == "cuff" else "cuff"
    figure = edited(
        figure, stores,
        {"kind": "draw_chain", "name": "arm", "joints": at(figure, (60, 200), (200, 200), (340, 200))},
        {"kind": "bind_rigid", "parts": ["upper arm"], "bone": "arm"},
        {"kind": "bind_rigid", "parts": ["forearm"], "bone": "arm 2"},
        {"kind": "make_set", "drawings": [first, other], "name": "trim"},
    )  # fmt: skip
    elbow = bone_of(figure, "arm 2")
    small = figure_around(figure, need_meeting(figure, elbow, stores), elbow.joint, 60)
    view = sheet_view(figure)
    pictures = [
        painter().paint(rig, rig.evaluate(), view, stores)
        for rig in (compile_rig(one, stores) for one in (figure, small))
    ]
    shown = [picture[200, 200, :3].tolist() for picture in pictures]
    assert shown[0] == shown[1], "the smaller figure looks at the joint as the whole one does"
    assert (shown[0] == [192, 0, 0]) == (first == "cuff")


def test_where_no_two_parts_meet_nothing_is_read_together():
    figure, stores = three_piece_arm()
    root = bone_of(figure, "arm")
    with pytest.raises(EditRefused, match="No two parts meet"):
        list(read_together(figure, stores, painter(), root))


def test_ink_is_cut_in_whole_groups_all_along_and_refused_where_there_is_nothing_to_cut():
    figure, stores = three_piece_arm()
    grouped = edited(figure, stores, {"kind": "group_parts", "parts": ["hand", "forearm"], "group": "lower arm"})
    cut = edited(grouped, stores, {"kind": "cut_ink", "groups": ["lower arm"]})
    names = {part.id: part.name for part in cut.parts}
    (one,) = cut.treated("ink_cut")
    assert {names[ref] for ref in one.parts} == {"hand", "forearm"}
    both = edited(grouped, stores, {"kind": "cut_ink", "groups": ["lower arm"], "parts": ["upper arm"]})
    assert len(both.treated("ink_cut")[0].parts) == 3
    reader = SeamReader(both, stores, bone_of(both, "arm 2"), painter())
    assert max(reading.ink_length for reading in reader.read(np.arange(0.0, 61, 30))) < 3
    for wrong, told in (({"groups": ["nobody"]}, "no group"), ({"parts": ["hand"]}, "at least two")):
        with pytest.raises(EditRefused, match=told):
            edited(grouped, stores, {"kind": "cut_ink", **wrong})


def test_a_kept_pose_is_read_whole_with_its_stretches_and_moves():
    # a stand-in that comes with the stretch alone: read by turns only it would never be seen
    figure, stores = two_piece_arm()
    figure = edited(
        figure, stores,
        {"kind": "make_stand_in", "bone": "arm 2", "low": -5, "high": 5, "stretch": 1.2},
        {"kind": "keep_pose", "name": "long", "pose": {"arm 2.stretch.along": 1.4, "arm.move.x": 30, "arm.turn": 25}},
        {"kind": "keep_pose", "name": "short", "pose": {"arm.move.x": 30, "arm.turn": 25}},
    )  # fmt: skip
    bone = bone_of(figure, "arm 2")
    asked = [one for one in situations(figure, stores, bone) if one.words in ("in long", "in short")]
    made = next(one.part for one in figure.treated("stand_in"))
    shown = {}
    for each_item in asked:
        reader = SeamReader(figure, stores, bone, painter())
        list(reader.read(each_item.angles, each_item.beside))
        shown[each_item.words] = {item.part: reader.frame.opacity(item) for item in reader.frame.items}[made]
    assert shown["in long"] > 0.5  # within its fade
    assert shown["in short"] == 0


def test_moving_and_stretching_what_a_joint_hangs_on_keeps_it_in_the_middle():
    # geometry: seen from where the joint is now, turned back with its parent, nothing of the forearm has moved
    figure, stores = two_piece_arm()
    bone = bone_of(figure, "arm 2")
    reader = SeamReader(figure, stores, bone, painter())
    still = reader.pose(20.0).vertices.copy()
    block = reader.rig.program.blocks[next(part.id for part in figure.parts if part.name == "forearm")]
    rows = slice(block.start, block.start + block.count)
    whole = {"arm.turn": 40.0, "arm.move.x": 55.0, "arm.move.y": -20.0, "arm.stretch.along": 1.5}
    posed = reader.pose(20.0, Pose(channels=whole).by_id(figure)).vertices
    assert np.abs(posed[rows] - still[rows]).max() < 0.02
