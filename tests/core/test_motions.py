"""Motions as they are made: keys set, moved, stretched, copied, eased, closed to a loop; what is wrong refused."""

from __future__ import annotations

import numpy as np
import pytest

from kunstgriff.artwork.rescaling import rescaled
from kunstgriff.delivery.deliver import DeliveryOrder, deliver
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.archive import read_archive, write_archive
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.turning import turned_to
from kunstgriff.trial.motion import frame_count, motion_named, play
from tests.art import edited
from tests.core.test_facings import flipped, owlish, turned


def keys(at, way=None, **pose):
    named = {name.replace("_", " ").replace("  ", "."): value for name, value in pose.items()}
    return {"kind": "set_keys", "motion": "hop", "at": at, "pose": named} | ({"way": way} if way else {})


HOP = (
    {"kind": "make_motion", "name": "hop", "frames": 24},
    keys(0, body__turn=0, left_wing__turn=0),
    keys(8, body__turn=10, left_wing__turn=-40, way="linear"),
    keys(20, body__turn=-6),
)


@pytest.fixture(scope="module")
def owl():
    return owlish()


@pytest.fixture(scope="module")
def hopping(owl):
    figure, stores = owl
    return edited(figure, stores, *HOP), stores


def rows(figure, name="body.turn"):
    """The keys of a channel of the first motion: frames, values, ways."""
    bone, quantity = name.split(".", 1)
    ref = next(one.id for one in figure.bones if one.name == bone)
    track = next((one for one in figure.motions[0].tracks if one.channel == f"{ref}.{quantity}"), None)
    return track and (list(track.at), list(track.values), list(track.ways))


def change(kind, **more):
    return {"kind": kind, "motion": "hop", **more}


def test_a_key_takes_the_place_of_the_one_on_its_frame_and_goes_on_as_the_one_before(hopping):
    figure, stores = hopping
    assert rows(figure) == ([0, 8, 20], [0, 10, -6], ["smooth", "linear", "linear"])
    again = edited(figure, stores, keys(8, body__turn=12), keys(4, body__turn=1))
    assert rows(again) == ([0, 4, 8, 20], [0, 1, 12, -6], ["smooth", "smooth", "linear", "linear"])
    assert rows(again, "left wing.turn") == rows(figure, "left wing.turn")


def test_keys_are_moved_copied_stretched_and_taken_out_where_they_are_meant(hopping):
    figure, stores = hopping
    later = edited(figure, stores, change("move_keys", first=8, by=3))
    assert rows(later)[0] == [0, 11, 23]
    assert rows(later, "left wing.turn")[0] == [0, 11]
    one = edited(figure, stores, change("move_keys", channels=["body.turn"], times=0.5))
    assert rows(one)[0] == [0, 4, 10]
    assert rows(one, "left wing.turn")[0] == [0, 8]
    twice = edited(figure, stores, change("move_keys", channels=["body.turn"], last=8, by=12, copy_left=True))
    assert rows(twice)[:2] == ([0, 8, 12, 20], [0, 10, 0, 10])  # what lay on frame 20 gives way
    told = change("move_keys", keys=[["body.turn", 8], ["left wing.turn", 0], ["body.turn", 20]], by=2)
    some = edited(figure, stores, told)  # just these, in one step
    assert rows(some)[0] == [0, 10, 22]
    assert rows(some, "left wing.turn")[0] == [2, 8]
    out = edited(figure, stores, change("lift_keys", channels=["left wing.turn"]))
    assert rows(out, "left wing.turn") is None
    assert rows(out) == rows(figure)
    eased = edited(figure, stores, change("ease_keys", first=8, last=8, way=[0.3, 0, 0.7, 1]))
    assert rows(eased)[2] == ["smooth", (0.3, 0, 0.7, 1), "linear"]


def test_a_loop_is_closed_and_a_channel_goes_later_round_and_round(hopping):
    figure, stores = hopping
    closed = edited(figure, stores, change("close_loop"), change("set_motion", loop=True))
    assert rows(closed)[:2] == ([0, 8, 20, 24], [0, 10, -6, 0])
    shifted = edited(closed, stores, change("close_loop", channels=["body.turn"], shift=6))
    assert rows(shifted)[:2] == ([2, 6, 14], [-6, 0, 10])
    for name in ("body", "left wing"):
        program = compile_rig(shifted, stores).program
        place = program.channels.index[f"{next(one.id for one in figure.bones if one.name == name)}.turn"]
        before, after = (
            motion_named(one, "hop").course(program, np.arange(48) / 24)[:, place] for one in (closed, shifted)
        )
        late = 6 if name == "body" else 0
        np.testing.assert_allclose(np.roll(before[:24], late), after[:24], atol=1e-9)
        np.testing.assert_allclose(after[:24], after[24:], atol=1e-9)


def test_at_another_rate_keys_keep_their_time(hopping):
    figure, stores = hopping
    after = edited(figure, stores, change("set_motion", rate=30), change("set_mark", at=10, words="takes off"))
    assert rows(after)[0] == [0, 10, 25]
    assert after.motions[0].frames == 30
    assert after.motions[0].marks[0].words == "takes off"
    program = compile_rig(figure, stores).program
    times = np.linspace(0, 1, 31)
    one, other = (motion_named(each, "hop").course(program, times) for each in (figure, after))
    np.testing.assert_allclose(one, other, atol=1e-9)


def test_a_motion_is_kept_in_the_archive_rescaled_counted_from_a_new_rest_and_goes_with_what_it_moves(
    hopping, tmp_path
):
    figure, stores = hopping
    moved = edited(figure, stores, keys(0, body__move__x=0), keys(8, body__move__x=30.0))
    write_archive(tmp_path / "owl.zip", moved, stores)
    assert read_archive(tmp_path / "owl.zip")[0] == moved
    assert rows(rescaled(moved, 2.0, stores), "body.move.x")[1] == [0, 60]
    gone = edited(moved, stores, {"kind": "delete_bones", "bones": ["left wing"]})
    assert len(gone.motions[0].tracks) == len(moved.motions[0].tracks)  # kept, listed, ignored
    frames = [frame.matrices.copy() for frame in play(compile_rig(gone, stores), motion_named(gone, "hop"))]
    assert len(frames) == 24
    assert edited(gone, stores, change("lift_keys", channels=[moved.motions[0].tracks[1].channel])).motions[0].tracks
    rest = edited(moved, stores, {"kind": "take_pose", "pose": {"body.turn": 10, "right wing.turn": 20}})
    assert rows(rest)[1] == pytest.approx([-10, 0, -16])
    assert rows(rest, "right wing.turn")[1] == pytest.approx([-20])  # it has no keys and stays as it was


def test_a_motion_is_played_through_its_frames_delivered_and_seen_flipped_on_another_side(hopping, tmp_path):
    figure, stores = hopping
    motion = motion_named(figure, "hop")
    assert frame_count(motion, 24) == 24
    frames = [frame.matrices.copy() for frame in play(compile_rig(figure, stores), motion)]
    rig = compile_rig(figure, stores)
    for number in (0, 8, 20):
        pose = Pose(channels={one.channel: dict(zip(one.at, one.values, strict=True)).get(number, one.values[-1])
                              for one in figure.motions[0].tracks})  # fmt: skip
        np.testing.assert_allclose(frames[number], rig.evaluate(pose).matrices, atol=1e-9)
    for ending in ("glb", "webp"):
        deliver(tmp_path / f"hop.{ending}", DeliveryOrder(figure, stores, motion=motion, size=(64, 64), rate=12))
    back = turned_to(flipped(turned(figure, stores), stores), 3)
    assert rows(back, "left wing.turn")[1] == [0, 40]
    assert rows(turned_to(back, 1), "left wing.turn")[1] == [0, -40]


@pytest.mark.parametrize(
    ("edit", "says"),
    [
        ({"kind": "make_motion", "frames": 0}, "frames"),
        ({"kind": "make_motion", "frames": 100_000}, "frames"),
        (keys(30, body__turn=1), "ends after 24 frames"),
        (keys(3, tail__turn=1), "does not have"),
        (keys(3) | {"pose": {}}, "Nothing is posed"),
        (keys(3, body__turn=1, way="wobbly"), "way"),
        (keys(3, body__turn=1) | {"motion": "jump"}, "no motion “jump”"),
        (keys(float("nan"), body__turn=1), "at"),
        (change("move_keys", by=30), "after its 24 frames"),
        (change("move_keys", by=-3), "before the beginning"),
        (change("lift_keys", first=21), "no keys there"),
        (change("move_keys", times=0), "times"),
        (change("lift_keys", keys=[["body.turn", 9]]), "no keys there"),
        (change("lift_keys", keys=[["tail.turn", 0]]), "does not have"),
        (change("ease_keys", way=[2, 0, 1, 1]), "way"),
        ({"kind": "set_motion", "motion": "hop", "name": "skip"}, "already"),
        (change("set_motion", rate=0), "rate"),
    ],
)
def test_bad_input_about_motions_is_refused_with_a_sentence(hopping, edit, says):
    figure, stores = hopping
    figure = edited(figure, stores, {"kind": "make_motion", "name": "skip"})
    with pytest.raises(EditRefused, match=says):
        apply_edit(edit, figure, stores)
