"""Feet: a planted one stays to the hundredth, the whole figure is carried so that one holds, soles that slide are told."""

from __future__ import annotations

import numpy as np
import pytest

from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.skeleton.kinematics import posed
from kunstgriff.trial.feet import foot_faults, soles_of
from kunstgriff.trial.keys import pose_on
from kunstgriff.trial.motion import motion_named
from tests.art import at, capsule, drawn, edited, figure_of

GROUND = 372.0  # px of the sheet


def strider(reaches=True):
    """Two legs of thigh, shin and foot under hips; with reaches for both feet, or without."""
    shapes, joints = {"hips": drawn(capsule((150, 100), (250, 100), 30, 4))}, {}
    for name, x in (("near", 170), ("far", 230)):
        joints[name] = [(x, 110), (x + 14, 220), (x, 340), (x + 44, 352)]
        for part, (start, stop), width in zip(
            ("thigh", "shin", "foot"), zip(joints[name], joints[name][1:], strict=False), (18, 14, 12), strict=True
        ):
            shapes[f"{name} {part}"] = drawn(capsule(start, stop, width, 3))
    figure, stores = figure_of(shapes)
    edits = [
        {"kind": "set_standing_point", "to": [200.0, GROUND]},
        {"kind": "draw_chain", "name": "hips", "joints": at(figure, (200, 130), (200, 70))},
        {"kind": "bind_rigid", "parts": ["hips"], "bone": "hips"},
    ]
    figure = edited(figure, stores, *edits[1:])
    for name, spots in joints.items():
        figure = edited(
            figure, stores, {"kind": "draw_chain", "name": name, "parent": "hips", "joints": at(figure, *spots)}
        )
        for part, bone in (("thigh", name), ("shin", f"{name} 2"), ("foot", f"{name} 3")):
            figure = edited(figure, stores, {"kind": "bind_rigid", "parts": [f"{name} {part}"], "bone": bone})
        if reaches:
            lay = {"kind": "lay_reach", "tip": f"{name} 2", "name": f"{name} foot", "foot": f"{name} 3"}
            figure = edited(figure, stores, lay)
    return figure, stores


def keys(at_frame, **pose):
    named = {name.replace("__", ".").replace("_", " "): value for name, value in pose.items()}
    return {"kind": "set_keys", "motion": "act", "at": at_frame, "pose": named}


def ends(figure, stores, bone, frames):
    """Where a bone's joint and tip lie on frames of the motion, (frames, 2, 2)."""
    rig = compile_rig(figure, stores)
    row = next(k for k, one in enumerate(figure.bones) if one.name == bone)
    found = []
    for frame in frames:
        rig.evaluate(pose_on(rig.program, figure.motions[0], float(frame)))
        skeleton = rig.program.skeleton
        found.append(posed(np.array([skeleton.joints[row], skeleton.tips[row]]), rig.matrices[[row, row]]))
    return np.array(found)


@pytest.fixture(scope="module")
def ducking():
    """Its near foot is set forward in the air, the hips duck and sway."""
    figure, stores = strider()
    return edited(
        figure, stores, {"kind": "make_motion", "name": "act", "frames": 40},
        keys(0, hips__move__x=0, hips__move__y=0, hips__turn=0, near_foot__goal__x=0, near_foot__foot=0),
        keys(10, near_foot__goal__x=40, near_foot__foot=-12),
        keys(20, hips__move__x=25, hips__move__y=40, hips__turn=8, near_foot__goal__x=10),
        keys(40, hips__move__x=-10, hips__move__y=5, hips__turn=-6, near_foot__goal__x=0, near_foot__foot=0),
    ), stores  # fmt: skip


def test_a_planted_foot_keeps_its_place_and_angle_while_the_body_moves_and_the_rest_of_the_motion_stays(ducking):
    figure, stores = ducking
    planted = apply_edit(
        {"kind": "plant", "motion": "act", "foot": "near foot", "first": 12, "last": 30}, figure, stores
    )
    before, after = (ends(one, stores, "near 3", range(41)) for one in (figure, planted))
    assert np.abs(after[12:31] - after[12]).max() <= 0.05
    np.testing.assert_allclose(after[12], before[12], atol=0.05)  # it is where it was on the first frame
    np.testing.assert_allclose(after[:11], before[:11], atol=2)  # one more key makes the smooth curve before it steeper
    assert np.abs(before[12:31] - before[12]).max() > 20
    np.testing.assert_allclose(
        ends(planted, stores, "hips", range(41)), ends(figure, stores, "hips", range(41)), atol=1e-9
    )
    knees = [
        one[:, 0] for one in (ends(planted, stores, "near 2", range(41)), ends(figure, stores, "near 2", range(41)))
    ]
    assert np.abs(knees[0] - knees[1]).max() > 5  # it bends as it must


def test_a_plant_that_eases_leaves_the_motion_alone_until_so_many_frames_before_and_after(ducking):
    figure, stores = ducking
    asked = {"kind": "plant", "motion": "act", "foot": "near foot", "first": 14, "last": 26, "eases": "ease-in-out"}
    after = apply_edit(asked, figure, stores)
    was, now = (ends(one, stores, "near 3", range(41)) for one in (figure, after))
    assert np.abs(now[14:27] - now[14]).max() <= 0.05
    for beside in (slice(11), slice(30, 41)):  # smooth keys there have other neighbours now
        np.testing.assert_allclose(now[beside], was[beside], atol=2)
    landing = np.hypot(*np.diff(now[26:31, 1], axis=0).T)
    assert landing.max() > 2 * landing[0], "it sets off softly"


def test_a_foot_out_of_reach_is_refused_with_how_much_and_when(ducking):
    figure, stores = ducking
    away = edited(figure, stores, keys(30, hips__move__y=-120))
    with pytest.raises(EditRefused, match=r"on frame 30 it is \d+ px short"):
        apply_edit({"kind": "plant", "motion": "act", "foot": "near foot", "first": 12, "last": 30}, away, stores)


@pytest.mark.parametrize(
    ("edit", "says"),
    [
        ({"foot": "hand", "first": 3, "last": 9}, "no reach “hand”"),
        ({"foot": "near foot", "first": 9, "last": 9}, "to a later one"),
        ({"foot": "near foot", "first": 9, "last": 90}, "ends after 40 frames"),
        ({"foot": "near foot", "first": 9, "last": 9000}, "2,400 frames at most"),
        ({"kind": "hold_foot", "bone": "near 3", "first": 3, "last": 9}, "plant it instead"),
        ({"kind": "hold_foot", "bone": "hips", "first": 3, "last": 9}, "hangs on nothing"),
    ],
)
def test_bad_input_about_feet_is_refused_with_a_sentence(ducking, edit, says):
    figure, stores = ducking
    with pytest.raises(EditRefused, match=says):
        apply_edit({"kind": "plant", "motion": "act", **edit}, figure, stores)


def walking():
    """A stride by turns alone: both legs swing, so that both feet slide unless the figure is carried along."""
    figure, stores = strider(reaches=False)
    return edited(
        figure, stores, {"kind": "make_motion", "name": "act", "frames": 36},
        keys(0, near__turn=-18, far__turn=20, near_3__turn=18, far_3__turn=-20),
        keys(18, near__turn=20, far__turn=-18, near_3__turn=-20, far_3__turn=18),
        keys(36, near__turn=-18, far__turn=20, near_3__turn=18, far_3__turn=-20),
    ), stores  # fmt: skip


def test_the_whole_figure_is_carried_so_that_one_foot_holds_and_then_the_other():
    figure, stores = walking()
    after = edited(
        figure, stores,
        {"kind": "hold_foot", "motion": "act", "bone": "near 3", "first": 0, "last": 18},
        {"kind": "hold_foot", "motion": "act", "bone": "far 3", "first": 18, "last": 36},
    )  # fmt: skip
    near, far = (ends(after, stores, f"{side} 3", range(37))[:, 1] for side in ("near", "far"))
    assert np.abs(near[:19] - near[0]).max() < 1e-6
    assert np.abs(far[18:] - far[18]).max() < 1e-6
    hips = ends(after, stores, "hips", range(37))[:, 0]
    plain = ends(figure, stores, "hips", range(37))[:, 0]
    assert np.ptp(plain[:, 0]) == 0
    assert abs(hips[36, 0] - hips[0, 0]) > 100  # it walks
    steps = np.abs(np.diff(hips[:, 0]))
    assert steps.max() < 3 * np.median(steps)  # and goes over from foot to foot without a jump


def test_soles_are_found_and_one_that_slides_is_told_with_its_frames_and_px():
    figure, stores = strider()
    rig = compile_rig(figure, stores)
    names = {one.id: one.name for one in figure.bones}
    assert {names[ref] for ref in soles_of(rig, stores)} == {"near 3", "far 3"}
    slid = edited(
        figure, stores, {"kind": "make_motion", "name": "act", "frames": 30},
        keys(0, near_foot__goal__x=0, far_foot__goal__x=0) | {"way": "linear"},
        keys(10, near_foot__goal__x=0) | {"way": "linear"},
        keys(20, near_foot__goal__x=24) | {"way": "hold"},
    )  # fmt: skip
    faults = foot_faults(compile_rig(slid, stores), motion_named(slid, "act"), stores)
    assert [(one.name, one.kind, one.first, one.last) for one in faults] == [("near 3", "slides", 11, 20)]
    assert faults[0].px == pytest.approx(2.4, abs=0.05)  # 24 px in ten frames
    assert faults[0].sentence == "“near 3” slides 2.4 px a frame, frames 11 to 20."
    long = edited(slid, stores, {"kind": "set_motion", "motion": "act", "frames": 5000})
    with pytest.raises(EditRefused, match="at most are read at once"):
        foot_faults(compile_rig(long, stores), motion_named(long, "act"), stores)
    still = edited(slid, stores, {"kind": "plant", "motion": "act", "foot": "near foot", "first": 0, "last": 30})
    assert foot_faults(compile_rig(still, stores), motion_named(still, "act"), stores) == []
    sunk = edited(
        figure, stores, {"kind": "make_motion", "name": "act", "frames": 30},
        keys(0, far_foot__share=0, hips__move__y=0), keys(10, hips__move__y=0), keys(15, hips__move__y=14),
        keys(20, hips__move__y=0),
    )  # fmt: skip
    told = foot_faults(compile_rig(sunk, stores), motion_named(sunk, "act"), stores)
    assert {one.name for one in told} == {"far 3"}  # the near one's reach holds it up
    sinks = next(one for one in told if one.kind == "sinks")
    assert sinks.px == pytest.approx(14, abs=0.5)
    assert 10 < sinks.first <= 13 < sinks.last < 20
