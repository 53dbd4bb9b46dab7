"""Parts and groups posed by themselves, on top of what they follow. Checked against 3 x 3 matrices of NumPy."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kunstgriff.binding.grip import gripped_at
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.pose import Pose, parse_pose
from tests.art import at, drawn, edited, figure_of


def shift(x, y):
    return np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]])


def turn(degrees):
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    return np.array([[c, -s, 0], [s, c, 0], [0, 0, 1.0]])


def own(channels, ref):
    """What is posed of one thing, as one matrix about the origin: sized, skewed, turned, moved."""
    got = {name: channels.get(f"{ref}.{name}", 1.0 if "size" in name else 0.0)
           for name in ("turn", "move.x", "move.y", "size.x", "size.y", "skew")}  # fmt: skip
    lean = np.array([[1, -np.tan(np.radians(got["skew"])), 0], [0, 1, 0], [0, 0, 1.0]])
    sized = np.diag([got["size.x"], got["size.y"], 1.0])
    return shift(got["move.x"], got["move.y"]) @ turn(got["turn"]) @ lean @ sized


def about(spot, matrix):
    return shift(*spot) @ matrix @ shift(-spot[0], -spot[1])


def taken(matrix, points):
    return (np.column_stack([points, np.ones(len(points))]) @ matrix.T)[:, :2]


def face():
    """A head on a bone of its own, a mouth on it, a tooth that rides the mouth, all in groups; an arm that bends."""
    layers = {
        "head": drawn('<rect x="100" y="60" width="120" height="120" fill="#a33"/>'),
        "mouth": drawn('<rect x="140" y="140" width="40" height="20" fill="#300"/>'),
        "tooth": drawn('<rect x="150" y="140" width="8" height="8" fill="#fff"/>'),
        "arm": drawn('<rect x="100" y="250" width="240" height="50" fill="#33a"/>'),
    }
    figure, stores = figure_of(layers)
    figure = edited(
        figure, stores,
        {"kind": "draw_chain", "name": "head", "joints": at(figure, (160, 180), (160, 60))},
        {"kind": "draw_chain", "name": "arm", "joints": at(figure, (110, 275), (220, 275), (330, 275))},
        {"kind": "bind_rigid", "parts": ["head", "mouth"], "bone": "head"},
        {"kind": "bind_rider", "parts": ["tooth"], "carrier": "mouth", "spot": at(figure, (154, 144))[0]},
        {"kind": "bind_weighted", "parts": ["arm"], "influences": ["arm", "arm 2"]},
        {"kind": "group_parts", "parts": ["head", "mouth", "tooth"], "group": "face"},
        {"kind": "set_pivot", "part": "mouth", "to": at(figure, (160, 150))[0]},
        {"kind": "set_group_pivot", "group": "face", "to": at(figure, (160, 180))[0]},
    )  # fmt: skip
    return figure, stores


def block(rig, vertices, part):
    one = rig.program.blocks[part.id]
    return vertices[one.start : one.start + one.count].astype(np.float64)


def named(figure, name):
    return next(one for one in (*figure.parts, *figure.groups, *figure.bones) if one.name == name)


MOUTH = {"mouth.turn": 25.0, "mouth.move.x": 12.0, "mouth.move.y": -5.0, "mouth.size.x": 1.4, "mouth.skew": 20.0}


def test_a_part_is_posed_in_the_frame_of_what_carries_it():
    figure, stores = face()
    rig = compile_rig(figure, stores)
    mouth, head = named(figure, "mouth"), figure.bone(named(figure, "mouth").binding.bone)
    pose = parse_pose({**MOUTH, "head.turn": 70.0, "head.move.x": 9.0}).by_id(figure)
    rest = block(rig, rig.program.rest, mouth)
    bone = shift(9, 0) @ about(head.joint, turn(70))
    expected = taken(bone @ about(mouth.drawing.pivot, own(pose.channels, mouth.id)), rest)
    seen = block(rig, rig.evaluate(pose).vertices, mouth)
    assert np.abs(seen - expected).max() < 1e-3
    at_rest = block(rig, rig.evaluate(Pose()).vertices, mouth)
    assert np.abs(at_rest - rest).max() < 1e-4, "nothing of it is left in the next pose"


def test_a_group_poses_all_in_it_after_each_of_them_and_what_rides_goes_along_once():
    figure, stores = face()
    rig = compile_rig(figure, stores)
    mouth, tooth, face_group = named(figure, "mouth"), named(figure, "tooth"), named(figure, "face")
    pose = parse_pose({**MOUTH, "face.turn": -30.0, "face.size.y": 0.7, "face.move.y": 20.0}).by_id(figure)
    whole = about(face_group.pivot, own(pose.channels, face_group.id))
    inner = about(mouth.drawing.pivot, own(pose.channels, mouth.id))
    frame = rig.evaluate(pose)
    expected = taken(whole @ inner, block(rig, rig.program.rest, mouth))
    assert np.abs(block(rig, frame.vertices, mouth) - expected).max() < 1e-3
    spot = np.array([tooth.binding.spot])
    centre = block(rig, frame.vertices, tooth).mean(0) - block(rig, rig.program.rest, tooth).mean(0)
    there = taken(whole @ inner, spot)[0] - spot[0]
    assert np.hypot(*(centre - there)) < 3.0, "the tooth rides the mouth, which the group has moved already"


def test_a_part_that_bends_is_posed_as_a_whole_about_where_its_pivot_is_carried():
    figure, stores = face()
    rig = compile_rig(figure, stores)
    arm = named(figure, "arm")
    bent = Pose.of_bones(turn={"arm 2": 60.0}).by_id(figure)
    before = block(rig, rig.evaluate(bent).vertices, arm)
    moved = bent.merged(Pose(channels={f"{arm.id}.size.x": 2.0, f"{arm.id}.size.y": 2.0}))
    frame, (x, y, *_) = gripped_at(rig, moved, arm.id)
    assert np.abs(block(rig, frame.vertices, arm) - (before + (before - [x, y]))).max() < 1e-2


@given(st.floats(-170, 170), st.floats(-60, 60), st.floats(-40, 40), st.floats(-90, 90))
@settings(max_examples=30, deadline=None)
def test_dragging_by_what_is_told_moves_a_part_exactly_as_far_as_the_pointer(bone, right, down, group):
    figure, stores = FACE
    rig, mouth = RIG, named(figure, "mouth")
    pose = parse_pose({**MOUTH, "head.turn": bone, "face.turn": group, "face.size.x": 1.5}).by_id(figure)
    frame, (x, y, a, b, c, d) = gripped_at(rig, pose, mouth.id)
    before = block(rig, frame.vertices, mouth).copy()
    by = np.linalg.solve([[a, c], [b, d]], [right, down])
    channels = {
        f"{mouth.id}.move.x": MOUTH["mouth.move.x"] + by[0],
        f"{mouth.id}.move.y": MOUTH["mouth.move.y"] + by[1],
    }
    frame, (x2, y2, *_) = gripped_at(rig, pose.merged(Pose(channels=channels)), mouth.id)
    assert np.abs(block(rig, frame.vertices, mouth) - before - [right, down]).max() < 2e-3
    assert np.hypot(x2 - x - right, y2 - y - down) < 1e-6


def test_without_bones_a_pose_is_the_same_however_often_it_is_shown():
    figure, stores = figure_of({"stone": drawn('<rect x="100" y="60" width="60" height="40" fill="#a33"/>')})
    rig, stone = compile_rig(figure, stores), figure.parts[0]
    pose = Pose(channels={f"{stone.id}.turn": 30.0, f"{stone.id}.move.x": 5.0})
    first = rig.evaluate(pose).vertices.copy()
    assert np.array_equal(rig.evaluate(pose).vertices, first)
    assert np.array_equal(rig.evaluate(Pose()).vertices, rig.program.rest)


def test_a_rider_follows_one_that_rides_itself_in_whatever_order_they_are_drawn():
    layers = {name: drawn(f'<rect x="{x}" y="60" width="30" height="30" fill="#a33"/>')
              for name, x in (("tassel", 200), ("buckle", 150), ("belt", 80))}  # fmt: skip
    figure, stores = figure_of(layers)
    figure = edited(
        figure, stores,
        {"kind": "draw_chain", "name": "hips", "joints": at(figure, (80, 75), (110, 75))},
        {"kind": "bind_rigid", "parts": ["belt"], "bone": "hips"},
        {"kind": "bind_rider", "parts": ["buckle"], "carrier": "belt", "spot": at(figure, (165, 75))[0]},
        {"kind": "bind_rider", "parts": ["tassel"], "carrier": "buckle", "spot": at(figure, (215, 75))[0]},
    )  # fmt: skip
    rig = compile_rig(figure, stores)
    frame = rig.evaluate(Pose.of_bones(turn={"hips": 90.0}).by_id(figure))
    joint, tassel = figure.bones[0].joint, named(figure, "tassel")
    expected = taken(about(joint, turn(90)), block(rig, rig.program.rest, tassel))
    assert np.abs(block(rig, frame.vertices, tassel) - expected).max() < 1e-3


def test_parts_that_would_ride_each_other_in_a_circle_are_refused_by_name():
    figure, stores = FACE
    spot = list(named(figure, "head").drawing.place)
    figure = edited(figure, stores, {"kind": "bind_rider", "parts": ["head"], "carrier": "tooth", "spot": spot})
    with pytest.raises(EditRefused, match="“mouth” on “head” on “tooth” on “mouth”"):
        edited(figure, stores, {"kind": "bind_rider", "parts": ["mouth"], "carrier": "head", "spot": spot})
    with pytest.raises(EditRefused, match="“mouth” on “mouth”"):
        edited(figure, stores, {"kind": "bind_rider", "parts": ["mouth"], "carrier": "mouth", "spot": spot})


def test_a_document_with_a_circle_is_posed_all_the_same():
    figure, stores = FACE
    mouth, tooth = named(figure, "mouth"), named(figure, "tooth")
    circle = mouth.model_copy(update={"binding": tooth.binding.model_copy(update={"carrier": tooth.id})})
    figure = figure.replace(parts=tuple(circle if one.id == mouth.id else one for one in figure.parts))
    assert np.isfinite(compile_rig(figure, stores).evaluate(Pose()).vertices).all()


def test_wrong_sizes_are_refused_in_a_sentence():
    for pose in ({"mouth.size.x": 50}, {"mouth.skew": 90}, {"nose.skew": 3}):
        with pytest.raises(EditRefused):
            parse_pose(pose).by_id(FACE[0])


FACE = face()
RIG = compile_rig(*FACE)
