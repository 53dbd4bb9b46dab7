"""Follow-through: springs lag, overshoot, settle, and do so the same every time."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from kunstgriff.control.reaching import Reaching
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.pose import Pose
from kunstgriff.skeleton.kinematics import ForwardKinematics
from kunstgriff.trial.motion import SWING, Playback, frame_count, motion_named, motions_of, play
from kunstgriff.trial.swing import SWING_SECONDS, swing_at, swung_bones


def turns(pell, bone: str, rate: int = 24) -> np.ndarray:
    figure, stores = pell
    rig = compile_rig(figure, stores)
    index = [one.name for one in figure.bones].index(bone)
    return np.array([rig.turn[index] for _ in play(rig, rate=rate)])


def test_the_swing_turns_the_head_most_and_ends_before_the_springs_do(pell):
    figure, _ = pell
    names = {bone.id: bone.name for bone in figure.bones}
    swung = {names[ref]: degrees for ref, degrees in swung_bones(figure).items()}
    assert max(swung, key=lambda name: swung[name]) == "head"
    assert "hips" not in swung, "the feet stay where they are"
    times = np.linspace(0, 4, 400)
    assert swing_at(times)[times > SWING_SECONDS].max() == 0
    assert frame_count(SWING, 24) == 96


def test_the_ear_lags_overshoots_and_settles(pell):
    head, ear = turns(pell, "head"), turns(pell, "near ear")
    first = int(np.argmax(head[:12]))
    assert ear[first - 2] < 0, "while the head turns one way the ear stays behind"
    still = int(24 * SWING_SECONDS)
    assert np.abs(head[still:]).max() < 1e-9
    assert np.abs(ear[still : still + 12]).max() > 1, "the ear swings on when the head is still"
    assert np.abs(ear[-6:]).max() < 0.25 * np.abs(ear[still : still + 12]).max(), "and comes to rest"


def test_a_figure_at_rest_stays_at_rest_under_gravity(calm):
    figure, stores = calm
    rig = compile_rig(figure, stores)
    rest = rig.program.rest.copy()
    assert np.allclose(next(iter(play(rig))).vertices, rest, atol=1e-3)


def test_the_same_swing_comes_out_every_time(pell):
    assert np.array_equal(turns(pell, "near ear 2"), turns(pell, "near ear 2"))


def test_springs_need_something_to_hang_on_and_cannot_be_doubled(pell):
    figure, stores = pell
    with pytest.raises(EditRefused, match="hangs on nothing"):
        apply_edit({"kind": "set_spring", "bone": "hips"}, figure, stores)
    with pytest.raises(EditRefused, match="springy already"):
        apply_edit({"kind": "set_spring", "bone": "near ear 2"}, figure, stores)
    changed = apply_edit({"kind": "set_spring", "bone": "near ear", "frequency": 3}, figure, stores)
    assert len(changed.springs) == len(figure.springs)
    removed = apply_edit({"kind": "remove_spring", "bone": "near ear 2"}, figure, stores)
    assert len(removed.springs) == len(figure.springs) - 1
    with pytest.raises(EditRefused, match="not springy"):
        apply_edit({"kind": "remove_spring", "bone": "head"}, figure, stores)


@pytest.mark.parametrize("soft", [0.0, 1.0])
def test_a_spring_within_narrow_limits_bounces_off_nothing_and_leaves_its_stop_at_once(pell, soft):
    """The ear's spring would ask for some 20 degrees: stopped by the picture alone it stuck at the end for 57 frames."""
    free = turns(pell, "near ear")
    assert np.abs(free).max() > 8
    figure, stores = pell
    limits = {"low": -2, "high": 2, "soft": soft}
    figure = apply_edit({"kind": "set_limits", "bones": ["near ear"], "limits": limits}, figure, stores)
    rig = compile_rig(figure, stores)
    ear = [one.name for one in figure.bones].index("near ear")
    held = np.array([rig.turn[ear] for _ in play(rig)])
    assert np.abs(held).max() <= 2 + 1e-6
    end = 2 if soft == 0 else 1.5
    at_stop = np.abs(held) > 0.98 * end
    runs = np.diff(np.flatnonzero(np.diff(np.concatenate([[0], at_stop, [0]]))))[::2]
    assert runs.max(initial=0) < 14, "half a cycle of the head's swing, 12 frames, pushes it against one stop"
    still = int(24 * SWING_SECONDS)
    assert np.abs(held[still + 20 :]).max() < 0.9 * end, "when the head is still nothing holds it there"


def test_limits_that_are_never_reached_change_nothing(pell):
    figure, stores = pell
    wide = apply_edit(
        {"kind": "set_limits", "bones": ["near ear", "near ear 2"], "limits": {"low": -170, "high": 170}},
        figure,
        stores,
    )
    assert np.allclose(turns((wide, stores), "near ear 2"), turns(pell, "near ear 2"), atol=1e-9)


def test_springs_and_poses_are_placed_by_the_same_kinematics(pell):
    # what the springs leave in the rig's matrices is what a pose with the same turns gives
    figure, stores = pell
    rig, other = compile_rig(figure, stores), compile_rig(figure, stores)
    for number, frame in enumerate(play(rig)):
        if number % 12 == 5:
            named = [bone.id for bone in figure.bones]
            grown = dict(zip(named, map(tuple, rig.stretch.tolist()), strict=True))
            pose = Pose.of_bones(dict(zip(named, rig.turn.tolist(), strict=True)), stretch=grown)
            assert np.abs(other.evaluate(pose).matrices - frame.matrices).max() < 1e-9


def test_a_kept_pose_is_a_motion_that_springs_follow(calm):
    figure, stores = calm
    names = [one.name for one in motions_of(figure)]
    assert names[0] == "test swing"
    assert "into lamp held high" in names
    motion = motion_named(figure, "into lamp held high")
    rig = compile_rig(figure, stores)
    bone = {one.name: number for number, one in enumerate(figure.bones)}
    seen = np.array([rig.turn.copy() for _ in play(rig, motion)])
    assert len(seen) == frame_count(motion, figure.rate)
    held = seen[int(24 * 1.2)]
    assert held[bone["near arm"]] == pytest.approx(-100, abs=0.01)
    assert np.abs(seen[0]).max() < 1e-6
    assert np.abs(seen[24 * 3 :, bone["near arm"]]).max() < 1e-6, "back at rest"
    assert np.abs(seen[48:60, bone["near ear"]]).max() > 0.2, "the ears swing on"
    with pytest.raises(EditRefused, match="no motion “jig”; there are test swing, "):
        motion_named(figure, "jig")


def test_a_motion_is_the_same_whatever_the_rig_showed_before(pell):
    figure, stores = pell
    fresh, used = compile_rig(figure, stores), compile_rig(figure, stores)
    used.evaluate(Pose.of_bones({bone.id: 25.0 for bone in figure.bones}, stretch={figure.bones[0].id: (1.2, 0.9)}))
    for number, (item, other) in enumerate(zip(play(fresh), play(used), strict=True)):
        assert np.array_equal(item.vertices, other.vertices), number
        if number == 12:
            break


def test_reaches_are_worked_out_for_many_moments_at_once_as_one_after_another(pell):
    figure, stores = pell
    rig, other = compile_rig(figure, stores), compile_rig(figure, stores)
    channels, rng = rig.program.channels, np.random.default_rng(8)
    course = np.tile(channels.rest, (9, 1))
    for one in figure.reaches:
        for name, far in (("goal.x", 90), ("goal.y", 60)):
            course[:, channels.index[f"{one.id}.{name}"]] = rng.uniform(-far, far, 9)
        course[:, channels.index[f"{one.id}.share"]] = rng.uniform(0, 1, 9)
    course[:, channels.index[f"{figure.bones[0].id}.turn"]] = rng.uniform(-20, 20, 9)
    nodes = [node for node in rig.program.nodes if isinstance(node, ForwardKinematics | Reaching)]
    turns, moves = nodes[-1].rows(rig, course)
    for row, values in enumerate(course):
        other.values[:] = values
        for node in nodes:
            node.run(other)
        np.testing.assert_allclose(turns[row], other.turned, atol=1e-9)
        np.testing.assert_allclose(moves[row], other.moved, atol=1e-9)
    assert np.abs(turns).max() > 20


@pytest.mark.parametrize("name", ["walks the street", "ducks and looks up"])
def test_a_frame_is_the_same_gone_to_from_before_and_from_behind(pell, name):
    figure, stores = pell
    motion = motion_named(figure, name)
    one_by_one = [frame.vertices.copy() for frame in itertools.islice(play(compile_rig(figure, stores), motion), 26)]
    playback = Playback(compile_rig(figure, stores), motion)
    for frame in (25, 12, 0, 24, 5, 12, 13, 12, 24, 23):  # states are kept on 0, 12 and 24
        np.testing.assert_array_equal(playback.frame(frame).vertices, one_by_one[frame], f"frame {frame}")
