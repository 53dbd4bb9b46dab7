"""Keys pasted onto other limbs and sides, raised, and channels on clocks of their own."""

from __future__ import annotations

import numpy as np
import pytest

from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.edit import EditRefused
from kunstgriff.trial.keys import KeyedMotion
from tests.art import edited
from tests.core.test_feet import keys, strider


@pytest.fixture(scope="module")
def kicking():
    figure, stores = strider(reaches=False)
    return edited(
        figure, stores, {"kind": "make_motion", "name": "act", "frames": 40},
        keys(0, near__turn=0), {"kind": "set_keys", "motion": "act", "at": 0, "pose": {"near 2.turn": 5}},
        {"kind": "set_keys", "motion": "act", "at": 8, "pose": {"near.turn": 30, "near 2.turn": 50}, "way": "ease"},
    ), stores  # fmt: skip


def rows(figure):
    names = {one.id: one.name for one in figure.bones}
    return {
        names[one.channel.split(".")[0]]: (one.at, one.values, one.ways) for one in figure.motions[0].tracks
    }  # fmt: skip


def copied(figure):
    return [
        [one.channel, *key] for one in figure.motions[0].tracks
        for key in zip(one.at, one.values, one.ways, strict=True)
    ]  # fmt: skip


def paste(figure, **more):
    return {"kind": "paste_keys", "motion": "act", "at": 20, "keys": copied(figure), **more}


def test_what_one_limb_does_another_does_bone_by_bone_in_their_order(kicking):
    figure, stores = kicking
    after = rows(edited(figure, stores, paste(figure, onto="far")))
    assert after["far"] == ((20, 28), (0, 30), ("smooth", "ease"))
    assert after["far 2"] == ((20, 28), (5, 50), ("smooth", "ease"))
    assert after["near"] == rows(figure)["near"]
    with pytest.raises(EditRefused, match="piece of the other"):
        edited(figure, stores, paste(figure, onto="near 2"))


def test_on_the_other_side_turns_are_mirrored_and_here_they_are_as_they_were(kicking):
    figure, stores = kicking
    assert rows(edited(figure, stores, paste(figure, other_side=True)))["far"][1] == (0, -30)
    assert rows(edited(figure, stores, paste(figure)))["near"][:2] == ((0, 8, 20, 28), (0, 30, 0, 30))
    with pytest.raises(EditRefused, match="after the 40 frames"):
        edited(figure, stores, {**paste(figure), "at": 36})
    gone = [["b999.turn", 0, 1, "smooth"]]
    with pytest.raises(EditRefused, match="not there"):
        edited(figure, stores, {**paste(figure), "keys": gone})


def test_a_channel_goes_round_on_its_own_clock_while_the_motion_goes_on(kicking):
    figure, stores = kicking
    figure = edited(figure, stores, {"kind": "set_keys", "motion": "act", "at": 10, "pose": {"near.turn": 0}})
    looped = edited(
        figure, stores, {"kind": "loop_keys", "motion": "act", "channels": ["near.turn"], "frames": 10}
    )  # fmt: skip
    program = compile_rig(looped, stores).program
    frames = np.array([0, 3.3, 8, 9.9])
    place = next(program.channels.index[one.channel] for one in looped.motions[0].tracks if one.values[0] == 0)
    motion = KeyedMotion(looped.motions[0])
    first, third = (motion.course(program, (frames + 10 * k) / 24)[:, place] for k in (0, 3))
    np.testing.assert_allclose(third, first, atol=1e-9)
    assert np.ptp(first) > 20
    other = next(program.channels.index[one.channel] for one in looped.motions[0].tracks if one.values[0] == 5)
    held = motion.course(program, np.array([9.0, 39.0]) / 24)[:, other]
    assert held.tolist() == [50, 50]  # what has no clock of its own goes on as before
    again = edited(looped, stores, {"kind": "loop_keys", "motion": "act", "channels": ["near.turn"]})
    assert again == figure
    slower = edited(looped, stores, {"kind": "set_motion", "motion": "act", "rate": 12})
    assert {one.every for one in slower.motions[0].tracks} == {None, 5.0}  # the clock keeps its time


def test_keys_are_raised_within_what_their_channel_may_be(kicking):
    figure, stores = kicking
    up = {"kind": "move_keys", "motion": "act", "channels": ["near.turn"], "by": 2, "more": 12.5}
    assert rows(edited(figure, stores, up))["near"][:2] == ((2, 10), (12.5, 42.5))
    far = edited(figure, stores, {**up, "more": 1e6})
    assert max(rows(far)["near"][1]) < 1e6


def record(figure, **more):
    at = np.cumsum(np.tile([0.8, 1.1, 0.9], 20))  # moments that are not even, as a screen gives them
    course = 30 * np.sin(at / 7)
    named = {"channels": {"far.turn": course.tolist()}, "at": at.tolist()}
    return {"kind": "record_keys", "motion": "act", "first": 10, **named, **more}, at


def test_what_was_acted_live_becomes_few_keys_that_keep_to_it_and_the_motion_is_long_enough(kicking):
    figure, stores = kicking
    asked, at = record(figure)
    after = edited(figure, stores, asked)
    motion = after.motions[0]
    assert motion.frames == int(np.ceil(10 + at[-1]))
    frames, _, ways = rows(after)["far"]
    assert len(frames) < 0.6 * len(at)
    assert set(ways) == {"smooth"}
    rig = compile_rig(after, stores)
    whole = np.arange(12, 65)
    seen = KeyedMotion(motion).course(rig.program, whole / motion.rate)
    place = rig.program.channels.index[f"{next(one.id for one in after.bones if one.name == 'far')}.turn"]
    np.testing.assert_allclose(seen[:, place], 30 * np.sin((whole - 10) / 7), atol=0.2)
    assert rows(after)["near"] == rows(figure)["near"], "what was not acted stays"
    again = edited(after, stores, asked)
    assert rows(again)["far"] == rows(after)["far"], "recorded anew it takes its own place"


@pytest.mark.parametrize(
    ("more", "sentence"),
    [
        ({"at": [0, 1, 1, 3], "channels": {"far.turn": [0, 1, 2, 3]}}, "one moment after the other"),
        ({"at": [0, 1], "channels": {"far.turn": [0, 1, 2]}}, "a value for each moment"),
        ({"at": [0.2, 0.6], "channels": {"far.turn": [0, 1]}}, "frames long"),
        ({"at": [0, 5], "channels": {}}, "Nothing was recorded"),
        ({"at": [0, 5], "channels": {"tail.turn": [0, 1]}}, "does not have"),
        ({"at": [0, 5], "channels": {"far.glow": [0, 1]}}, "names no channel"),
    ],
)
def test_a_recording_that_cannot_be_is_refused(kicking, more, sentence):
    figure, stores = kicking
    with pytest.raises(EditRefused, match=sentence):
        edited(figure, stores, record(figure, **more)[0])
