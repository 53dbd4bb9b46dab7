"""Bones: chains, branches, joints that go along, names that number themselves, nothing lost on deletion."""

from __future__ import annotations

import numpy as np
import pytest

from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.model import Group
from kunstgriff.figure.pose import parse_pose
from kunstgriff.reading.seams import joints_with_seams
from tests.art import at, capsule, drawn, edited, figure_of, two_piece_arm


def body():
    figure, stores = figure_of({"trunk": drawn(capsule((200, 60), (200, 340), 50, 6))})
    return edited(
        figure, stores, {"kind": "draw_chain", "name": "spine", "joints": [[0, 0], [0, -100], [0, -200]]},
        {"kind": "draw_chain", "name": "arm", "joints": [[0, -100], [80, -100], [160, -100]], "parent": "spine"},
    ), stores  # fmt: skip


def named(figure, name):
    return next(bone for bone in figure.bones if bone.name == name)


def test_naming_the_first_of_a_chain_numbers_the_rest():
    figure, stores = body()
    assert [bone.name for bone in figure.bones] == ["spine", "spine 2", "arm", "arm 2"]
    figure = apply_edit({"kind": "rename_bone", "bone": "arm", "name": "near arm"}, figure, stores)
    assert [bone.name for bone in figure.bones][2:] == ["near arm", "near arm 2"]
    with pytest.raises(EditRefused, match="already"):
        apply_edit({"kind": "rename_bone", "bone": "spine", "name": "near arm"}, figure, stores)


def test_only_what_is_numbered_after_a_bone_is_renamed_with_it():
    figure, stores = body()
    figure = edited(figure, stores, {"kind": "rename_bone", "bone": "arm 2", "name": "hand"})
    figure = edited(figure, stores, {"kind": "rename_bone", "bone": "arm", "name": "wing"})
    assert [bone.name for bone in figure.bones] == ["spine", "spine 2", "wing", "hand"]


def limb_pieces():
    """A leg in three pieces that overlap by round ends, on a body; the groups are nested, and only one has a pivot."""
    size = (400, 400)
    layers = {
        "body": drawn(capsule((200, 90), (200, 170), 60, 6), size), "foot": drawn(capsule((190, 350), (240, 350), 14, 6), size),
        "thigh": drawn(capsule((200, 190), (200, 270), 22, 6), size), "shin": drawn(capsule((200, 270), (190, 350), 18, 6), size),
    }  # fmt: skip
    return figure_of(layers, size)


def test_a_figure_in_pieces_gets_its_bones_in_one_go():
    figure, stores = limb_pieces()
    made = edited(
        figure, stores, {"kind": "group_parts", "parts": ["thigh", "shin", "foot"], "group": "leg"},
        {"kind": "bones_from_parts"},
    )  # fmt: skip
    hangs = {
        bone.name: bone.parent and next(one.name for one in made.bones if one.id == bone.parent) for bone in made.bones
    }
    assert hangs == {"body": None, "thigh": "body", "shin": "thigh", "foot": "shin"}
    # where the pieces overlap by round ends of one centre; of a narrower end in a wider one it may lie 4 px further in
    assert named(made, "shin").joint == pytest.approx(at(figure, (200, 270))[0], abs=4)
    assert named(made, "foot").joint == pytest.approx(at(figure, (190, 350))[0], abs=4)
    assert named(made, "thigh").tip == named(made, "shin").joint
    assert {part.name: part.binding.bone for part in made.parts} == {bone.name: bone.id for bone in made.bones}
    assert len(joints_with_seams(made, stores)) == 3
    with pytest.raises(EditRefused, match="follows something already"):
        apply_edit({"kind": "bones_from_parts"}, made, stores)


def test_pivots_and_nested_groups_say_where_bones_of_parts_turn_and_hang():
    figure, stores = limb_pieces()
    figure = edited(figure, stores, {"kind": "set_pivot", "part": "shin", "to": [12, -100]})
    groups = (Group(id="g90", name="leg"), Group(id="g91", name="lower", parent="g90"))
    inside = {"thigh": "g90", "shin": "g91", "foot": "g91"}
    parts = tuple(part.model_copy(update={"group": inside.get(part.name)}) for part in figure.parts)
    made = edited(figure.replace(groups=groups, parts=parts), stores, {"kind": "bones_from_parts"})
    assert named(made, "shin").joint == (12, -100)
    assert named(made, "shin").parent == named(made, "thigh").id
    assert named(made, "foot").parent == named(made, "shin").id
    assert named(made, "thigh").parent == named(made, "body").id


def test_bones_are_named_after_the_parts_they_run_through():
    figure, stores = limb_pieces()
    chain = at(figure, (200, 200), (200, 270), (190, 340), (320, 60))
    made = edited(figure, stores, {"kind": "draw_chain", "joints": chain})
    assert [bone.name for bone in made.bones] == ["thigh", "shin", "bone"]


def test_a_joint_takes_along_what_sits_on_the_same_spot():
    figure, stores = body()
    figure = apply_edit({"kind": "move_joint", "bone": "spine", "end": "tip", "to": [5, -110]}, figure, stores)
    assert named(figure, "spine").tip == named(figure, "spine 2").joint == named(figure, "arm").joint == (5, -110)
    figure = apply_edit({"kind": "move_joint", "bone": "arm 2", "to": [70, -90]}, figure, stores)
    assert named(figure, "arm").tip == named(figure, "arm 2").joint == (70, -90)
    assert named(figure, "spine").joint == (0, 0)


def test_two_joints_on_one_spot_are_refused():
    figure, stores = body()
    with pytest.raises(EditRefused, match="one spot"):
        apply_edit({"kind": "draw_chain", "joints": [[0, 0], [0, 0.2], [9, 9]]}, figure, stores)
    with pytest.raises(EditRefused, match="without length"):
        apply_edit({"kind": "move_joint", "bone": "arm 2", "to": [160, -100]}, figure, stores)


def test_a_bone_cannot_hang_on_what_hangs_on_it():
    figure, stores = body()
    for parent in ("spine", "arm 2"):
        with pytest.raises(EditRefused, match="hangs on it"):
            apply_edit({"kind": "hang_bone", "bone": "spine", "parent": parent}, figure, stores)
    figure = apply_edit({"kind": "hang_bone", "bone": "arm", "parent": "spine 2"}, figure, stores)
    assert named(figure, "arm").parent == named(figure, "spine 2").id
    assert named(figure, "arm").joint == (0, -100)


def test_a_deleted_bone_leaves_its_followers_to_the_bone_it_hung_on():
    figure, stores = two_piece_arm()
    figure = edited(
        figure, stores, {"kind": "bind_weighted", "parts": ["forearm"], "influences": ["arm", "arm 2"], "count": 100},
        {"kind": "bind_rigid", "parts": ["upper arm"], "bone": "arm 2"}, {"kind": "delete_bones", "bones": ["arm 2"]},
    )  # fmt: skip
    forearm, upper = figure.parts
    assert forearm.binding.influences == (named(figure, "arm").id,)
    assert np.allclose(stores.get_array(forearm.binding.weights), 1)
    assert upper.binding.bone == named(figure, "arm").id
    figure = apply_edit({"kind": "delete_bones", "bones": ["arm"]}, figure, stores)
    assert [part.binding.kind for part in figure.parts] == ["unbound", "unbound"]


def test_a_turned_bone_carries_all_that_hangs_on_it_about_its_own_joint():
    figure, stores = body()
    rig = compile_rig(figure, stores)
    frame = rig.evaluate(parse_pose({"turn": {"spine": 90}}).by_id(figure))
    a, b, c, d, e, f = frame.matrices[rig.program.bone_index[named(figure, "arm 2").id]]
    # (160, -100) a quarter turn clockwise as seen (y down) about (0, 0) is (100, 160)
    assert (a * 160 - c * 100 + e, b * 160 - d * 100 + f) == pytest.approx((100, 160))
    frame = rig.evaluate(parse_pose({"move": {"spine": [7, 8]}}).by_id(figure))
    assert frame.matrices[-1].tolist() == pytest.approx([1, 0, 0, 1, 7, 8])


def test_a_pose_of_a_bone_that_is_not_there_is_refused():
    figure, _ = body()
    with pytest.raises(EditRefused, match="tail"):
        parse_pose({"turn": {"tail": 5}}).by_id(figure)
    with pytest.raises(EditRefused, match="not a pose"):
        parse_pose({"turn": {"spine": "far"}})


def test_a_joint_is_moved_with_what_sits_on_it_or_apart():
    figure, stores = figure_of({"arm": drawn(capsule((40, 200), (360, 200), 30, 6))})
    figure = edited(figure, stores, {"kind": "draw_chain", "name": "arm", "joints": [(-160, 0), (0, 0), (160, 0)]})
    move = {"kind": "move_joint", "bone": "arm 2", "to": (10, 20)}
    along, apart = edited(figure, stores, move), edited(figure, stores, {**move, "apart": True})
    assert along.bones[0].tip == along.bones[1].joint == (10, 20)
    assert (apart.bones[0].tip, apart.bones[1].joint) == ((0, 0), (10, 20))
    tip = edited(figure, stores, {"kind": "move_joint", "bone": "arm", "end": "tip", "to": (-20, 5), "apart": True})
    assert (tip.bones[0].tip, tip.bones[1].joint) == ((-20, 5), (0, 0))
    assert edited(apart, stores, {"kind": "move_joint", "bone": "arm 2", "to": (0, 0)}).bones[0].tip == (0, 0)
