"""Bones that look at a goal or keep how they lie in the world, and goals that hang on bones, parts or now on another."""

from __future__ import annotations

import math

import numpy as np
import pytest

from kunstgriff.control.taking_over import as_hung, plain_poses
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.model import Figure
from kunstgriff.figure.pose import parse_pose
from kunstgriff.follow.spring import Simulation
from kunstgriff.skeleton.kinematics import posed
from tests.art import edited
from tests.core.test_reaches import holding
from tests.outside.test_levers import figure_bone
from tests.outside.test_reaches import tip_of, walker

LOOK = {"kind": "lay_look", "bone": "arm", "name": "gaze", "low": -80, "high": 70}


def looking(**changes):
    figure, stores = holding()
    return edited(figure, stores, LOOK | changes), stores


def direction(rig, name):
    """Where a bone points as it was posed last, degrees."""
    figure = rig.program.figure
    bone = next(one for one in figure.bones if one.name == name)
    matrix = rig.matrices[rig.program.bone_index[bone.id]]
    (ax, ay), (bx, by) = bone.joint, bone.tip
    x, y = matrix[:4].reshape(2, 2).T @ (bx - ax, by - ay)
    return math.degrees(math.atan2(y, x))


def joint_of(rig, name):
    bone = next(one for one in rig.program.figure.bones if one.name == name)
    matrix = rig.matrices[rig.program.bone_index[bone.id]]
    return matrix[:4].reshape(2, 2).T @ bone.joint + matrix[4:]


@pytest.mark.parametrize("posed", [{}, {"hips.turn": 25, "hips.move.y": 14}])
def test_a_bone_that_looks_points_at_its_goal_and_half_of_it_goes_half_of_the_way(posed):
    figure, stores = looking()
    rig = compile_rig(figure, stores)
    goal = np.array(figure.reaches[0].goal)
    for shift in [(0, 0), (30, -60), (-20, 55)]:
        pose = parse_pose({**posed, "gaze.goal.x": shift[0], "gaze.goal.y": shift[1]}).by_id(figure)
        rig.evaluate(pose)
        x, y = goal + shift - joint_of(rig, "arm")
        assert direction(rig, "arm") == pytest.approx(math.degrees(math.atan2(y, x)), abs=1e-6)
        full = rig.turned[rig.program.bone_index[figure_bone(figure, "arm")]]
        rig.evaluate(pose.merged(parse_pose({"gaze.share": 0.5}).by_id(figure)))
        assert rig.turned[rig.program.bone_index[figure_bone(figure, "arm")]] == pytest.approx(full / 2, abs=1e-6)


def test_a_goal_to_look_at_lies_ahead_on_the_sheet():
    figure, _ = looking()
    bone, sheet = figure.bone(figure.reaches[0].bone), figure.sheet
    (x, y), (gx, gy) = np.array(bone.tip) - bone.joint, np.array(figure.reaches[0].goal) - bone.joint
    assert x * gy - y * gx == pytest.approx(0, abs=1e-6)
    assert x * gx + y * gy > x * x + y * y
    gx, gy = np.array(figure.reaches[0].goal) + sheet.standing_point
    assert -1e-6 <= gx <= sheet.width + 1e-6
    assert -1e-6 <= gy <= sheet.height + 1e-6


def test_a_look_keeps_its_limits_and_jumps_nowhere_as_its_goal_goes_round():
    figure, stores = looking()
    rig, goal = compile_rig(figure, stores), np.array(figure.reaches[0].goal)
    row = rig.program.bone_index[figure_bone(figure, "arm")]
    joint = np.array(figure.bone(figure_bone(figure, "arm")).joint)
    away, seen = goal - joint, []
    for degrees in np.arange(0, 360, 0.25):
        way = np.exp(1j * np.radians(degrees)) * complex(*away)
        shift = np.array([way.real, way.imag]) - away
        rig.evaluate(parse_pose({"gaze.goal.x": shift[0], "gaze.goal.y": shift[1]}).by_id(figure))
        seen.append(rig.turned[row])
    assert min(seen) == pytest.approx(-80, abs=1e-6)
    assert max(seen) == pytest.approx(70, abs=1e-6)
    steps = np.abs(np.diff([*seen, seen[0]]))
    assert steps.max() < 0.25 * 4.1  # behind it 80° go within 30°, smoothly: 1.5 times as steep in the middle


def test_a_counter_keeps_its_angle_and_its_place_in_the_world_by_its_shares():
    figure, stores = holding()
    figure = edited(figure, stores, {"kind": "lay_counter", "bone": "stick", "name": "level"})
    rest = direction(_posed(figure, stores, {}), "stick")
    pose = {"hips.turn": 20, "arm.turn": -35, "arm 2.turn": 50}
    assert direction(_posed(figure, stores, pose), "stick") == pytest.approx(rest, abs=1e-9)
    half = edited(figure, stores, {"kind": "set_look", "look": "level", "turn": 0.5})
    assert direction(_posed(half, stores, pose), "stick") == pytest.approx(rest + 35 / 2, abs=1e-9)
    assert direction(_posed(figure, stores, pose | {"stick.turn": 12}), "stick") == pytest.approx(rest + 12, abs=1e-9)
    still = edited(figure, stores, {"kind": "set_look", "look": "level", "place": 1})
    stick = figure.bone(figure_bone(figure, "stick"))
    assert joint_of(_posed(still, stores, pose), "stick") == pytest.approx(np.array(stick.joint), abs=1e-9)
    moved = joint_of(_posed(still, stores, pose | {"stick.move.x": 7}), "stick")
    assert moved == pytest.approx(np.add(stick.joint, (7, 0)), abs=1e-9)


def _posed(figure, stores, pose):
    rig = compile_rig(figure, stores)
    rig.evaluate(parse_pose(pose).by_id(figure))
    return rig


def test_a_goal_on_the_spot_of_a_part_goes_where_the_art_there_goes():
    figure, stores = holding()
    figure = edited(
        figure, stores,
        {"kind": "lay_reach", "tip": "arm 2", "name": "hand"},
        {"kind": "set_reach", "reach": "hand", "hangs_at": "body"},
    )  # fmt: skip
    rig = _posed(figure, stores, {"hips.turn": 18, "hips.move.x": 9, "hand.goal.x": -30})
    hips = rig.matrices[rig.program.bone_index[figure_bone(figure, "hips")]]
    spot = hips[:4].reshape(2, 2).T @ np.add(figure.bone(figure_bone(figure, "arm 2")).tip, (-30, 0)) + hips[4:]
    assert tip_of(rig, "arm 2") == pytest.approx(spot, abs=0.01)
    with pytest.raises(EditRefused, match="moves with this itself"):
        edited(figure, stores, {"kind": "lay_reach", "tip": "near 2", "name": "foot"},
               {"kind": "set_reach", "reach": "foot", "hangs_at": "near leg"})  # fmt: skip


def test_what_a_goal_hangs_on_changes_within_a_pose_and_nothing_moves():
    figure, stores = holding()
    figure = edited(
        figure, stores,
        {"kind": "lay_reach", "tip": "arm 2", "name": "hand"},
        {"kind": "also_hang", "reach": "hand", "bone": "far 2"},
        {"kind": "also_hang", "reach": "hand", "part": "body"},
    )  # fmt: skip
    hand, rng = figure.reaches[0], np.random.default_rng(8)
    rig = compile_rig(figure, stores)
    for _ in range(60):
        posed = {"hand.goal.x": rng.uniform(-40, 10), "hand.goal.y": rng.uniform(-30, 30), "far.turn": rng.uniform(-50, 50),
                 "hips.turn": rng.uniform(-30, 30), "hand.hang": int(rng.integers(0, 3))}  # fmt: skip
        pose = parse_pose(posed).by_id(figure)
        before = rig.evaluate(pose).vertices.copy()
        for number in (1, 2, 0):
            pose = as_hung(rig, pose, hand, number)
            assert pose.channels.get(f"{hand.id}.hang", 0) == number
            assert np.abs(rig.evaluate(pose).vertices - before).max() < 0.02
    swung = as_hung(rig, parse_pose({}), hand, 1)  # from now on it goes along with the shin
    rig.evaluate(swung.merged(parse_pose({"far.turn": 30}).by_id(figure)))
    shin = rig.matrices[rig.program.bone_index[figure_bone(figure, "far 2")]]
    goal = shin[:4].reshape(2, 2).T @ figure.bone(figure_bone(figure, "arm 2")).tip + shin[4:]
    assert rig.goals[0] == pytest.approx(goal, abs=1e-3)
    less = edited(figure, stores, {"kind": "also_hang", "reach": "hand", "number": 1})
    assert [one.number for one in less.reaches[0].others] == [2]


def test_the_order_asked_for_is_kept_as_far_as_it_can_be():
    figure, stores = holding()
    figure = edited(
        figure, stores,
        {"kind": "lay_reach", "tip": "arm 2", "name": "hand"},
        {"kind": "lay_reach", "tip": "near 2", "name": "near foot"},
        {"kind": "lay_reach", "tip": "far 2", "name": "far foot", "hangs_on": "stick"},
    )  # fmt: skip
    asked = edited(figure, stores, {"kind": "order_reach", "reach": "far foot", "before": "hand"},
                   {"kind": "order_reach", "reach": "hand"})  # fmt: skip
    assert [one.name for one in asked.reaches] == ["near foot", "hand", "far foot"]
    last = edited(figure, stores, {"kind": "order_reach", "reach": "near foot"})
    assert [one.name for one in last.reaches] == ["hand", "far foot", "near foot"]


@pytest.mark.parametrize(
    ("edit", "told"),
    [
        (LOOK | {"name": "again"}, "looks already"),
        (LOOK | {"bone": "tail"}, "no bone"),
        (LOOK | {"bone": "arm 2", "hangs_on": "stick"}, "moves with this itself"),
        (LOOK | {"bone": "arm 2", "low": 10}, "low"),
        ({"kind": "lay_counter", "bone": "hips"}, "hangs on nothing"),
        ({"kind": "lay_reach", "tip": "arm 2"}, "looks already"),
        ({"kind": "set_look", "look": "foot", "takes": 0.5}, "it does not look"),
        ({"kind": "set_reach", "reach": "gaze", "bones": 3}, "no reach"),
        ({"kind": "also_hang", "reach": "gaze", "bone": "arm 2"}, "moves with this itself"),
        ({"kind": "order_reach", "reach": "tail"}, "nor a look or counter"),
    ],
)
def test_what_cannot_look_or_hang_is_refused_in_a_sentence(edit, told):
    figure, stores = looking()
    figure = edited(figure, stores, {"kind": "lay_reach", "tip": "near 2", "name": "foot"})
    with pytest.raises(EditRefused, match=told):
        apply_edit(edit, figure, stores)


def test_reaches_of_old_archives_say_no_kind_and_are_read():
    figure, stores = walker()
    figure = edited(figure, stores, {"kind": "lay_reach", "tip": "near 2", "name": "foot"})
    data = figure.model_dump(mode="json")
    for one in data["reaches"]:
        for name in ("kind", "hangs_at", "others", "keeps"):
            del one[name]
    for name in ("levers", "by_turns", "shapes", "correctives"):
        del data[name]
    assert Figure.model_validate(data) == figure


def test_a_foot_goes_with_its_limb_level_or_as_what_its_goal_hangs_on_is_turned():
    figure, stores = holding()
    figure = edited(figure, stores, {"kind": "lay_reach", "tip": "near 2", "name": "foot", "foot": "near 3",
                                     "hangs_on": "arm 2"})  # fmt: skip
    pose = {"arm.turn": 14, "foot.goal.y": -30, "foot.foot": 5}
    rest = direction(_posed(figure, stores, {}), "near 3")
    for goes, wanted in (("level", 5.0), ("own", 14 + 5.0)):
        rig = _posed(edited(figure, stores, {"kind": "set_reach", "reach": "foot", "foot_goes": goes}), stores, pose)
        assert direction(rig, "near 3") == pytest.approx(rest + wanted, abs=1e-6)
    rig = _posed(edited(figure, stores, {"kind": "set_reach", "reach": "foot", "foot_goes": "along"}), stores, pose)
    ankle = rig.program.bone_index[figure_bone(figure, "near 3")]
    assert rig.turned[ankle] == pytest.approx(5.0)


def test_springs_feel_that_what_they_hang_on_keeps_its_place():
    figure, stores = holding()
    figure = edited(
        figure, stores, {"kind": "lay_counter", "bone": "arm 2", "name": "still", "place": 1},
        {"kind": "set_spring", "bone": "stick", "frequency": 2.0, "damping_ratio": 0.2},
    )  # fmt: skip
    rig = compile_rig(figure, stores)
    course = np.tile(rig.program.channels.rest, (60, 1))
    course[:, rig.program.channels.index[f"{figure_bone(figure, 'hips')}.turn"]] = np.linspace(0, 25, 60)
    Simulation(rig).step(course)
    rig.evaluate()
    stick = figure.bone(figure_bone(figure, "stick"))
    assert np.abs(rig.angles[rig.program.bone_index[stick.id]]) < 1e-6  # held still, so nothing swings
    assert joint_of(rig, "stick") == pytest.approx(np.array(stick.joint), abs=1e-6)


def test_kept_poses_look_as_before_when_a_pose_with_goals_is_taken_as_the_rest():
    figure, stores = holding()
    figure = edited(
        figure, stores,
        {"kind": "lay_reach", "tip": "near 2", "name": "near foot", "foot": "near 3"},
        {"kind": "lay_reach", "tip": "far 2", "name": "far foot", "hangs_on": "arm"},
        LOOK | {"hangs_on": "hips"},
        {"kind": "lay_counter", "bone": "stick", "name": "level", "turn": 0.7},
        {"kind": "drive", "by": "near 2", "channel": "near 3.stretch.along", "points": [[90, 0.2]], "smooth": False},
        {"kind": "keep_pose", "name": "down", "pose": {"hips.move.y": 30, "near foot.goal.x": 12}},
        {"kind": "keep_pose", "name": "up", "pose": {"hips.turn": 6, "hips.move.y": 25, "far foot.goal.y": -25, "gaze.goal.y": 40}},
        {"kind": "keep_pose", "name": "free", "pose": {"near.turn": 20, "near 2.turn": 30, "near foot.share": 0}},
    )  # fmt: skip
    taken = {"hips.move.y": 18, "hips.turn": 4, "near foot.goal.y": -8, "gaze.goal.y": 20}
    after = edited(figure, stores, {"kind": "take_pose", "pose": taken})
    assert tip_spots(after, stores, {}) == pytest.approx(tip_spots(figure, stores, taken), abs=0.01)
    for was, now in zip(figure.poses, after.poses, strict=True):
        spots = [tip_spots(one, stores, kept.pose.channels) for one, kept in ((figure, was), (after, now))]
        assert spots[1] == pytest.approx(spots[0], abs=0.6), was.name


def tip_spots(figure, stores, pose):
    rig = compile_rig(figure, stores)
    rig.evaluate(parse_pose(pose).by_id(figure))
    return posed(rig.program.skeleton.tips, rig.matrices)


def test_a_kept_pose_of_controls_said_plainly_is_the_same_picture_without_them():
    figure, stores = holding()
    figure = edited(
        figure, stores,
        {"kind": "set_limits", "bones": ["near 2"], "limits": {"low": -5, "high": 60, "soft": 15}},
        {"kind": "lay_reach", "tip": "near 2", "name": "foot", "foot": "near 3", "stretch": 0.2},
        {"kind": "lay_counter", "bone": "stick", "name": "level", "place": 0.5},
        LOOK,
        {"kind": "lay_lever", "name": "sway", "axes": "x"},
        {"kind": "drive", "by": "sway", "axis": "x", "channel": "hips.turn", "points": [[1, 25], [-1, -25]]},
        {"kind": "drive", "by": "sway", "axis": "x", "channel": "part:body.size.x", "points": [[1, 0.2]]},
        {"kind": "drive", "by": "far", "channel": "far 2.turn", "points": [[90, 45]]},
        {"kind": "keep_pose", "name": "kept", "pose": {"sway.lever.x": 0.7, "foot.goal.y": -20, "far.turn": 20,
                                                       "gaze.goal.y": 25, "foot.share": 0.8, "hips.move.x": 6}},
    )  # fmt: skip
    plain = plain_poses(figure, stores)["kept"]
    controls = [one.id for some in (figure.reaches, figure.levers) for one in some]
    assert not {address.split(".")[0] for address in plain.channels} & set(controls)
    shown = compile_rig(figure, stores).evaluate(figure.poses[0].pose).vertices
    assert np.abs(compile_rig(figure.by_bones, stores).evaluate(plain).vertices - shown).max() < 0.05
