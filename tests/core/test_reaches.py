"""Reaches as edits: laid, put in order, refused in sentences, kept through all that is done to a figure, which is read
without them."""

from __future__ import annotations

from functools import cache

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kunstgriff.delivery.frames import painter
from kunstgriff.evaluate.program import compile_program
from kunstgriff.evaluate.state import RigState, compile_rig
from kunstgriff.figure.archive import read_archive, write_archive
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.model import KeptPose
from kunstgriff.figure.pose import parse_pose
from kunstgriff.follow.spring import Simulation
from kunstgriff.reading.around import mark_of
from kunstgriff.reading.joint import JointReader
from kunstgriff.seam.joints import pair_at
from tests.art import at, edited
from tests.core.test_stale import ARRAYS, DEMO, walk
from tests.outside.test_reaches import tip_of, walker

NEAR = {"kind": "lay_reach", "tip": "near 2", "name": "near foot", "foot": "near 3"}
FAR = {"kind": "lay_reach", "tip": "far 2", "name": "far foot"}


def holding():
    """A walker with an arm, whose hand reaches, and a stick on it that the other foot's goal hangs on."""
    figure, stores = walker()
    figure = edited(
        figure, stores,
        {"kind": "draw_chain", "name": "arm", "parent": "hips", "joints": at(figure, (200, 80), (240, 100), (270, 80))},
        {"kind": "draw_chain", "name": "stick", "parent": "arm 2", "joints": at(figure, (270, 80), (270, 20))},
    )  # fmt: skip
    return figure, stores


def test_what_a_goal_hangs_on_is_worked_out_before_it_whatever_the_order_of_laying():
    figure, stores = holding()
    foot, hand = FAR | {"hangs_on": "stick"}, {"kind": "lay_reach", "tip": "arm 2", "name": "hand"}
    pose = {"hand.goal.x": 20, "hand.goal.y": -15, "hips.turn": 10}
    seen = []
    for edits in ((foot, hand), (hand, foot)):
        after = edited(figure, stores, *edits)
        assert [one.name for one in after.reaches] == ["hand", "far foot"]
        seen.append(compile_rig(after, stores).evaluate(parse_pose(pose).by_id(after)).vertices.copy())
    assert np.array_equal(*seen)


@pytest.mark.parametrize(
    ("edit", "told"),
    [
        ({"kind": "lay_reach", "tip": "hips"}, "takes two at least"),
        ({"kind": "lay_reach", "tip": "near", "bones": 3}, "Only 2 bones"),
        ({"kind": "lay_reach", "tip": "tail"}, "no bone"),
        (NEAR | {"tip": "near 3", "foot": None}, "reaches already"),
        (FAR | {"hangs_on": "far 3"}, "moves with this itself"),
        (FAR | {"foot": "near 3"}, "does not hang on"),
        (FAR | {"stretch": -1}, "stretch"),
        ({"kind": "set_reach", "reach": "near foot", "bones": 9}, "Only"),
        ({"kind": "set_reach", "reach": "hand"}, "no reach"),
        ({"kind": "lift_reach", "reach": "hand"}, "no reach"),
    ],
)
def test_what_reaches_nowhere_is_refused_in_a_sentence(edit, told):
    figure, stores = walker()
    figure = edited(figure, stores, NEAR)
    with pytest.raises(EditRefused, match=told):
        apply_edit({key: value for key, value in edit.items() if value is not None}, figure, stores)


def test_reaches_that_wait_for_each_other_are_named():
    figure, stores = holding()
    figure = edited(figure, stores, {"kind": "lay_reach", "tip": "arm 2", "name": "hand", "hangs_on": "near"}, FAR)
    with pytest.raises(EditRefused, match="“hand” and “near foot” wait for each other"):
        edited(figure, stores, NEAR | {"hangs_on": "stick"})


@pytest.mark.parametrize(
    ("limits", "side"), [((-5, 130), "clockwise"), ((-130, 10), "counterclockwise"), ((-60, 60), "clockwise")]
)
def test_the_side_is_that_of_the_limits_or_else_of_the_drawing(limits, side):
    figure, stores = walker()  # the drawn knee is bent a little, clockwise
    low, high = limits
    figure = edited(
        figure, stores, {"kind": "set_limits", "bones": ["near 2"], "limits": {"low": low, "high": high}}, NEAR
    )
    assert figure.reaches[0].side == side


def test_a_bone_without_length_does_not_reach():
    figure, stores = walker()
    bones = tuple(one.model_copy(update={"tip": one.joint}) if one.name == "near 2" else one for one in figure.bones)
    with pytest.raises(EditRefused, match="no length"):
        apply_edit(NEAR, figure.replace(bones=bones), stores)


def test_readings_turn_bones_and_kept_poses_look_as_they_did(tmp_path):
    figure, stores = walker()
    pose = parse_pose({"near 2.turn": 50, "hips.turn": 5}).by_id(figure)
    figure = figure.replace(
        poses=(
            KeptPose(name="bent", pose=pose),
            KeptPose(name="leaning", pose=parse_pose({"hips.turn": 9}).by_id(figure)),
        )
    )
    before = compile_rig(figure, stores).evaluate(pose).vertices.copy()
    laid = edited(figure, stores, NEAR)
    bent, leaning = (one.pose for one in laid.poses)
    assert np.array_equal(compile_rig(laid, stores).evaluate(bent).vertices, before)
    assert f"{laid.reaches[0].id}.share" not in leaning.channels
    thigh = next(one for one in laid.bones if one.name == "near 2")
    widths = [
        [repr(one) for one, _ in JointReader(each, stores, thigh, painter()).read([0, 40])] for each in (figure, laid)
    ]
    assert widths[0] == widths[1]


def test_a_reach_goes_with_its_bones_and_stays_in_the_archive(tmp_path):
    figure, stores = walker()
    figure = edited(figure, stores, NEAR | {"hangs_on": "far"}, FAR | {"stretch": 0.2})
    write_archive(tmp_path / "walker.zip", figure, stores)
    assert read_archive(tmp_path / "walker.zip")[0].reaches == figure.reaches
    without = edited(figure, stores, {"kind": "delete_bones", "bones": ["far 2"]})
    assert [one.name for one in without.reaches] == ["near foot"]
    gone = edited(figure, stores, {"kind": "delete_bones", "bones": ["near 3"]})
    assert next(one for one in gone.reaches if one.name == "near foot").foot is None
    lifted = edited(
        figure, stores, {"kind": "lift_reach", "reach": "near foot"}, {"kind": "lift_reach", "reach": "far foot"}
    )
    assert np.array_equal(
        compile_rig(lifted, stores).evaluate().vertices, compile_rig(walker()[0], stores).evaluate().vertices
    )


def test_a_shorter_chain_left_by_a_deleted_root_breaks_nothing():
    figure, stores = walker()
    figure = edited(figure, stores, NEAR | {"bones": 3})
    after = edited(figure, stores, {"kind": "delete_bones", "bones": ["hips"]})
    assert compile_rig(after, stores).evaluate().vertices.size


def test_a_figure_with_reaches_is_the_same_whatever_was_posed_before():
    figure, stores = holding()
    figure = edited(figure, stores, NEAR | {"stretch": 0.3}, FAR | {"hangs_on": "stick"}, {"kind": "lay_reach", "tip": "arm 2", "name": "hand"})  # fmt: skip
    program = compile_program(figure, stores)
    rig = RigState(program)
    for pose in walk(figure, np.random.default_rng(3), 80):
        went_on, anew = rig.evaluate(pose), RigState(program).evaluate(pose)
        for array in (*ARRAYS, "goals"):
            assert np.array_equal(getattr(went_on, array), getattr(anew, array)), (array, pose)
        assert np.array_equal(rig.evaluate().vertices, anew.vertices)  # and once more the same


@cache
def mirrored_walker():
    """A walker whose near leg reaches and has a mirror image that does, with the names of its bones."""
    figure, stores = walker()
    known = {one.name for one in figure.bones}
    figure = edited(figure, stores, NEAR, {"kind": "mirror_bones", "bones": ["near"], "swap": False})
    copies = [one.name for one in figure.bones if one.name not in known]
    figure = edited(figure, stores, {"kind": "lay_reach", "tip": copies[1], "name": "mirrored", "foot": copies[2]})
    return figure, compile_rig(figure, stores), copies


@given(x=st.floats(-70, 70), y=st.floats(-80, 30), turn=st.floats(-40, 40))
@settings(max_examples=40, deadline=None)
def test_a_mirrored_figure_posed_mirrored_is_the_mirror_image(x, y, turn):
    mirrored, rig, copies = mirrored_walker()
    assert {one.side for one in mirrored.reaches} == {"clockwise", "counterclockwise"}
    pose = {"near foot.goal.x": x, "near foot.goal.y": y, "near foot.foot": turn,
            "mirrored.goal.x": -x, "mirrored.goal.y": y, "mirrored.foot": -turn}  # fmt: skip
    rig.evaluate(parse_pose(pose).by_id(mirrored))
    for one, other in zip(("near", "near 2", "near 3"), copies, strict=True):
        assert tip_of(rig, one) * (-1, 1) == pytest.approx(tip_of(rig, other), abs=0.01)


def test_seams_are_read_as_without_reaches_elsewhere_and_with_sets_that_bones_take():
    figure, stores = read_archive(DEMO / "pell.zip")
    assert len(figure.reaches) == 4
    laid = figure.by_bones
    taken = edited(
        figure, stores,
        {"kind": "take_drawings", "set": "near hand", "bones": ["near leg", "far leg"], "since": {"near hand open": 20}},
    )  # fmt: skip
    read = 0
    for bone in figure.bones:
        pair = pair_at(figure, bone, stores)
        if pair is not None:
            marks = {mark_of(one, pair, bone, 40.0) for one in (figure, laid)}
            assert len(marks) == 1
            assert mark_of(taken, pair, bone, 40.0)
            read += 1
    assert read > 8


def test_a_spring_feels_the_limb_as_it_reaches():
    figure, stores = holding()
    figure = edited(
        figure, stores, {"kind": "lay_reach", "tip": "arm 2", "name": "hand"},
        {"kind": "set_spring", "bone": "stick", "frequency": 1.2, "damping_ratio": 0.1},
    )  # fmt: skip
    program = compile_program(figure, stores)
    index, count = program.channels.index, 240
    reach, arm = figure.reaches[0].id, [one.id for one in figure.bones if one.name in ("arm", "arm 2")]
    by_goal = np.tile(program.channels.rest, (count, 1))
    by_goal[:, index[f"{reach}.goal.x"]] = 25 * np.sin(np.arange(count) / 20)
    by_turns = np.tile(program.channels.rest, (count, 1))
    by_turns[:, index[f"{reach}.share"]] = 0.0
    rig = RigState(program)
    for number, row in enumerate(by_goal):
        rig.values[:] = row
        rig.evaluate()
        for ref in arm:
            by_turns[number, index[f"{ref}.turn"]] = rig.turned[program.bone_index[ref]]
    seen = []
    for course in (by_goal, by_turns):
        rig = RigState(program)
        simulation, stick = (
            Simulation(rig),
            program.bone_index[next(one.id for one in figure.bones if one.name == "stick")],
        )
        path = []
        for frame in course.reshape(24, 10, -1):
            simulation.step(frame)
            rig.evaluate()
            path.append([*rig.matrices[stick], rig.turned[stick]])
        seen.append(np.array(path))
    assert np.abs(seen[0] - seen[1]).max() < 1e-6
    assert np.ptp(seen[0][:, -1]) > 1  # it swings


def test_every_joint_of_a_figure_with_a_hem_is_read_by_itself():
    figure, stores = read_archive(DEMO / "tallow.zip")
    assert figure.hems
    pairs = [(bone, pair) for bone in figure.bones if (pair := pair_at(figure, bone, stores)) is not None]
    assert len(pairs) >= 12
    assert len({mark_of(figure, pair, bone, 40.0) for bone, pair in pairs}) == len(pairs)
