"""Levers as edits: taught by example, refused in sentences, kept through all that is done to a figure; turns of bones that
drive by themselves."""

from __future__ import annotations

import numpy as np
import pytest

from kunstgriff.artwork.rescaling import rescaled
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.archive import read_archive, write_archive
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.model import KeptPose
from kunstgriff.figure.pose import parse_pose
from kunstgriff.follow.spring import Simulation
from kunstgriff.reading.around import figure_around
from kunstgriff.skeleton.kinematics import posed
from tests.art import edited
from tests.core.test_reaches import FAR
from tests.outside.test_levers import figure_bone, levered
from tests.outside.test_reaches import walker

BROW = {"kind": "lay_lever", "name": "brow"}
BEND = {"kind": "drive", "by": "brow", "channel": "near 2.turn", "points": [[1, 40]]}


def seen(figure, stores, pose):
    return compile_rig(figure, stores).evaluate(parse_pose(pose).by_id(figure)).vertices.copy()


def test_a_lever_that_was_taught_a_pose_shows_it_and_half_of_it_between():
    figure, stores = walker()
    pose = {"near 2.turn": 50, "hips.move.y": -12, "near.stretch.along": 1.2}
    wanted = seen(figure, stores, pose)
    half = seen(figure, stores, {"near 2.turn": 25, "hips.move.y": -6, "near.stretch.along": 1.1})
    taught = edited(
        figure, stores, BROW,
        {"kind": "teach_lever", "lever": "brow", "at": 1, "pose": {**pose, "brow.lever.y": 1}, "smooth": False},
    )  # fmt: skip
    assert np.abs(seen(taught, stores, {"brow.lever.y": 1}) - wanted).max() < 1e-4
    assert np.abs(seen(taught, stores, {"brow.lever.y": 0.5}) - half).max() < 1e-4
    assert np.array_equal(seen(taught, stores, {}), seen(figure, stores, {}))
    again = edited(  # what is posed on top of it is added to what it does there already
        taught, stores,
        {"kind": "teach_lever", "lever": "brow", "at": 1, "pose": {"near 2.turn": 10, "brow.lever.y": 1},
         "only": [figure_bone(taught, "near 2")]},
    )  # fmt: skip
    assert np.abs(
        seen(again, stores, {"brow.lever.y": 1}) - seen(figure, stores, {**pose, "near 2.turn": 60})
    ).max() < 1e-4  # fmt: skip


@pytest.mark.parametrize(
    ("edit", "told"),
    [
        (BROW | {"low": 2}, "between its ends"),
        (BROW | {"low": 0, "high": 0}, "between its ends"),
        (BROW | {"hangs_on": "tail"}, "no bone"),
        (BEND | {"by": "jaw"}, "no lever and no bone “jaw”"),
        (BEND | {"axis": "x"}, "does not go across"),
        (BEND | {"channel": "tail.turn"}, "does not have"),
        (BEND | {"channel": "near 2.glow"}, "names no channel"),
        (BEND | {"points": [[0, 5], [1, 40]]}, "At rest nothing is moved"),
        (BEND | {"points": [[1, 0]]}, "moves something"),
        (BEND | {"channel": "near.stretch.along", "points": [[1, 40]]}, "goes from 0.05 to 20"),
        (BEND | {"channel": "brow.lever.y"}, "would drive itself"),
        (BEND | {"points": [[1, float("nan")]]}, "finite"),
        ({"kind": "teach_lever", "lever": "brow", "at": 0, "pose": {"near.turn": 5}}, "move it first"),
        ({"kind": "teach_lever", "lever": "brow", "at": 3, "pose": {"near.turn": 5}}, "goes from -1 to 1"),
        ({"kind": "teach_lever", "lever": "brow", "at": 1, "pose": {"brow.lever.y": 1}}, "Nothing is posed"),
        ({"kind": "set_lever", "lever": "brow", "axis": "y", "detents": [4]}, "catches between its ends"),
        ({"kind": "lift_lever", "lever": "jaw"}, "no lever “jaw”"),
    ],
)
def test_what_a_lever_cannot_do_is_refused_in_a_sentence(edit, told):
    figure, stores = walker()
    figure = edited(figure, stores, BROW)
    with pytest.raises(EditRefused, match=told):
        apply_edit(edit, figure, stores)


def test_levers_that_drive_each_other_are_named():
    figure, stores = levered()
    for k in (0, 1):
        figure = edited(figure, stores, {"kind": "drive", "by": f"lever {k}", "channel": f"lever {k + 1}.lever.y",
                                         "points": [[1, 0.5]]})  # fmt: skip
    with pytest.raises(EditRefused, match="circle: way up of “lever"):
        apply_edit({"kind": "drive", "by": "lever 2", "channel": "lever 0.lever.y", "points": [[1, 1]]}, figure, stores)


def test_a_circle_that_came_from_outside_moves_nothing_and_stops_nothing():
    figure, stores = levered(2)
    figure = edited(
        figure, stores,
        {"kind": "drive", "by": "lever 0", "channel": "lever 1.lever.y", "points": [[1, 0.5]]},
        {"kind": "drive", "by": "lever 1", "axis": "x", "channel": "near.turn", "points": [[1, 30]]},
    )  # fmt: skip
    one, other = figure.levers
    drive = one.y.drives[0].model_copy(update={"channel": f"{one.id}.lever.y"})
    round_about = other.model_copy(update={"y": other.y.model_copy(update={"drives": (drive,)})})
    figure = figure.replace(levers=(one, round_about))
    rig = compile_rig(figure, stores)
    rig.set_pose(parse_pose({"lever 0.lever.y": 0.3, "lever 1.lever.x": 0.4}).by_id(figure))
    assert rig.levers[1, 1] == 0
    assert rig.turn[rig.program.bone_index[figure_bone(figure, "near")]] > 10


def test_levers_go_with_what_they_drive_and_stay_in_the_archive(tmp_path):
    figure, stores = walker()
    figure = edited(figure, stores, BROW | {"hangs_on": "hips", "place": [10, 20]}, BEND,
                    BEND | {"channel": "hips.move.x"})  # fmt: skip
    write_archive(tmp_path / "walker.zip", figure, stores)
    assert read_archive(tmp_path / "walker.zip")[0].levers == figure.levers
    gone = edited(figure, stores, {"kind": "delete_bones", "bones": ["near 3"]},
                  {"kind": "delete_bones", "bones": ["near 2"]})  # fmt: skip
    assert [one.channel for one in gone.levers[0].y.drives] == [f"{figure_bone(gone, 'hips')}.move.x"]
    pose = KeptPose(name="up", pose=parse_pose({"brow.lever.y": 1, "near.turn": 4}).by_id(figure))
    lifted = edited(figure.replace(poses=(pose,)), stores, {"kind": "lift_lever", "lever": "brow"})
    assert not lifted.levers
    assert list(lifted.poses[0].pose.channels.values()) == [4]
    larger = rescaled(figure, 2.0, stores)
    bend, move = larger.levers[0].y.drives
    assert (bend.knots[-1].by, move.knots[-1].by) == (40, 80)  # degrees are no px
    assert larger.levers[0].place == (20, 40)


def test_a_kept_pose_looks_as_before_when_a_pose_of_a_lever_is_taken_as_the_rest():
    figure, stores = walker()
    figure = edited(figure, stores, BROW, BEND | {"smooth": False})
    kept = parse_pose({"brow.lever.y": 0.5, "near.turn": 15}).by_id(figure)
    figure = figure.replace(poses=(KeptPose(name="half", pose=kept),))
    after = edited(figure, stores, {"kind": "take_pose", "pose": {"brow.lever.y": 1, "hips.turn": 10}})
    tips = []
    for one in (figure, after):
        rig = compile_rig(one, stores)
        rig.evaluate(one.poses[0].pose)
        tips.append(posed(rig.program.skeleton.tips, rig.matrices))
    assert np.abs(tips[0] - tips[1]).max() < 1e-3
    assert after.poses[0].pose.of("lever.y") == {figure.levers[0].id: 0.5}


def test_the_turn_of_a_bone_drives_what_it_is_told_to_with_reaches_and_springs_and_again():
    figure, stores = walker()
    figure = edited(
        figure, stores,
        {"kind": "drive", "by": "near 2", "channel": "near 3.turn", "points": [[90, -45], [-90, 45]], "smooth": False},
        {"kind": "drive", "by": "near 2", "channel": "far.stretch.along", "points": [[90, 0.5]], "smooth": False},
        {"kind": "lay_reach", "tip": "near 2", "name": "foot"},
    )  # fmt: skip
    rig = compile_rig(figure, stores)
    knee, ankle, hip = (rig.program.bone_index[figure_bone(figure, one)] for one in ("near 2", "near 3", "far"))
    pose = parse_pose({"foot.goal.y": -40, "near 3.turn": 5}).by_id(figure)
    first = rig.evaluate(pose).vertices.copy()
    bend = rig.turned[knee]
    assert abs(bend) > 15
    assert rig.turned[ankle] == pytest.approx(5 - bend / 2)
    assert rig.grown[hip, 0] == pytest.approx(1 + max(bend, 0) / 180)
    assert np.array_equal(rig.evaluate().vertices, first)  # once more is the same
    assert rig.turn[ankle] == 5
    simulation = Simulation(rig)
    simulation.step(np.tile(rig.values, (40, 1)))
    assert np.array_equal(rig.evaluate().vertices, first)


def test_springs_on_a_bone_that_is_driven_by_a_turn_feel_it_move():
    figure, stores = walker()
    drive = {"kind": "drive", "by": "near", "channel": "near 2.turn", "points": [[90, 60]], "smooth": False}
    sprung = [{"kind": "set_spring", "bone": "near 3", "frequency": 2.0, "damping_ratio": 0.2}]
    driven = compile_rig(edited(figure, stores, drive, *sprung), stores)
    plain = compile_rig(edited(figure, stores, *sprung), stores)
    tips = []
    for rig, knee in ((driven, 0.0), (plain, 20.0)):
        index = rig.program.channels.index
        course = np.tile(rig.program.channels.rest, (60, 1))
        for name, most in (("near", 30.0), ("near 2", knee)):
            course[:, index[f"{figure_bone(figure, name)}.turn"]] = np.linspace(0, most, 60)
        simulation = Simulation(rig)
        simulation.step(course)
        tips.append(rig.evaluate().vertices.copy())
    assert np.abs(tips[0] - tips[1]).max() < 1e-3


@pytest.mark.parametrize(
    ("edit", "told"),
    [
        ({"channel": "far.turn"}, "worked out before"),
        ({"channel": "far foot.share", "points": [[45, -1]]}, "known only when levers and reaches are done"),
        ({"channel": "near.turn"}, "would drive itself"),
    ],
)
def test_a_turn_drives_only_what_comes_after_it(edit, told):
    figure, stores = walker()
    figure = edited(figure, stores, FAR)
    with pytest.raises(EditRefused, match=told):
        apply_edit({"kind": "drive", "by": "near", "points": [[45, 0.5]]} | edit, figure, stores)


def test_a_drawing_of_a_set_is_shown_by_a_lever_until_a_pose_says_another(tmp_path):
    figure, stores = walker()
    layer = figure.parts[0].name
    figure = edited(
        figure, stores,
        {"kind": "make_set", "name": "legs", "drawings": [one.name for one in figure.parts[:2]]},
        BROW | {"low": 0}, {"kind": "drive", "by": "brow", "channel": "legs.shows", "points": [[0.5, 2]]},
    )  # fmt: skip
    rig = compile_rig(figure, stores)

    def shown(pose):
        frame = rig.evaluate(parse_pose(pose).by_id(figure))
        return [frame.opacity(item) for item in frame.items]

    rest, first, later = shown({}), shown({"brow.lever.y": 0.49}), shown({"brow.lever.y": 0.5})
    assert rest == first != later
    assert shown({"brow.lever.y": 1, "legs.shows": 1}) == rest, layer
    with pytest.raises(EditRefused, match="steps and is driven already"):
        edited(figure, stores, {"kind": "lay_lever", "name": "jaw"},
               {"kind": "drive", "by": "jaw", "channel": "legs.shows", "points": [[1, 2]]})  # fmt: skip


def test_a_curve_by_a_turn_is_counted_from_the_new_rest():
    figure, stores = walker()
    figure = edited(figure, stores, {"kind": "drive", "by": "near 2", "channel": "hips.move.x",
                                     "points": [[90, 45], [-90, -30]], "smooth": False})  # fmt: skip
    bent = edited(figure, stores, {"kind": "take_pose", "pose": {"near 2.turn": 30}})
    places = []
    for one, turn in ((figure, 70), (bent, 40)):
        rig = compile_rig(one, stores)
        rig.evaluate(parse_pose({"near 2.turn": turn}).by_id(one))
        places.append(posed(rig.program.skeleton.tips, rig.matrices))
    assert np.abs(places[0] - places[1]).max() < 1e-3


def test_what_drove_a_tack_goes_with_the_part_it_held_and_a_seam_is_read_with_what_its_turn_drives():
    figure, stores = walker()
    figure = edited(
        figure, stores, BROW, {"kind": "set_tack", "part": "near leg", "name": "hem", "at": [-14, -100]},
        BEND | {"channel": "near leg hem.shift.x", "points": [[1, 9]]}, BEND,
        {"kind": "keep_pose", "name": "pulled", "pose": {"near leg hem.shift.x": 4, "hips.turn": 2}},
    )  # fmt: skip
    gone = figure.without([next(one.id for one in figure.parts if one.name == "near leg")])
    assert [one.channel.split(".")[1] for one in gone.levers[0].y.drives] == ["turn"]
    assert list(gone.poses[0].pose.channels.values()) == [2]


def test_a_reading_of_a_joint_sees_its_correctives_and_what_its_turn_drives():
    figure, stores = walker()
    near = next(one for one in figure.parts if one.name == "near leg")
    pair, joint = (near, near), next(one for one in figure.bones if one.name == "near 2").joint
    driven = edited(
        figure, stores, {"kind": "drive", "by": "near 2", "channel": "near.stretch.across", "points": [[90, 1]]}
    )
    around = figure_around(driven, pair, joint, 20)
    assert [one.bone for one in around.by_turns] == [figure_bone(figure, "near 2")]
    assert figure_around(edited(driven, stores, BROW, BEND), pair, joint, 20).levers == ()
