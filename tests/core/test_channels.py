"""Channels and poses: one sparse mapping by address, in the units of their quantities."""

from __future__ import annotations

import numpy as np
import pytest

from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.channels import Quantity, parted, quantities
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.flipping import flipped_pose
from kunstgriff.figure.pose import Pose, parse_pose
from kunstgriff.figure.stage import Stage, Stages, install
from kunstgriff.stages import STAGES
from tests.art import edited, two_piece_arm

BEFORE = {"turn": {"arm 2": 40, "arm": -5}, "move": {"arm": [3, 4]}, "stretch": {"arm 2": [1.5, 0.8]}}
TODAY = {
    "arm 2.turn": 40, "arm.turn": -5, "arm.move.x": 3, "arm.move.y": 4, "arm 2.stretch.along": 1.5,
    "arm 2.stretch.across": 0.8,
}  # fmt: skip


def test_poses_of_before_are_read_and_written_anew():
    figure, stores = two_piece_arm()
    old, new, plain = (parse_pose(one).by_id(figure) for one in (BEFORE, {"channels": TODAY}, TODAY))
    assert old == new == plain
    assert set(old.model_dump()) == {"channels"}
    rig = compile_rig(figure, stores)
    first, second = (rig.evaluate(one).vertices.copy() for one in (old, new))
    assert np.array_equal(first, second)
    rig.set_pose(old)
    assert rig.turn.tolist() == [-5, 40]
    assert rig.move.tolist() == [[3, 4], [0, 0]]
    assert rig.stretch.tolist() == [[1, 1], [1.5, 0.8]]
    rig.set_pose(Pose())
    assert np.array_equal(rig.values, rig.program.channels.rest)


def test_a_bone_s_name_may_have_points_in_it():
    assert parted("arm no. 2.move.x") == ("arm no. 2", "move.x")
    figure, stores = two_piece_arm()
    named = edited(figure, stores, {"kind": "rename_bone", "bone": "arm 2", "name": "arm.turn"})
    assert list(parse_pose({"arm.turn.turn": 12}).by_id(named).channels.values()) == [12]


@pytest.mark.parametrize(
    ("pose", "told"),
    [
        ({"arm.spin": 3}, "names no channel; there are turn"),
        ({"arm.stretch.along": 0}, "goes from 0.05 to 20 times"),
        ({"arm.turn": 40_000}, "goes from -36000 to 36000 °"),
        ({"arm.turn": float("nan")}, "not a pose"),
        ({"move": {"arm": [3]}}, "2 numbers are wanted"),
        ({"turn": [3]}, "no table of bones"),
        ({"turn": {"arm": 3}, "spin": {}}, "not a pose"),
        ([1], "not a pose"),
    ],
)
def test_what_is_no_pose_is_refused_in_a_sentence(pose, told):
    with pytest.raises(EditRefused, match=told):
        parse_pose(pose)


def test_a_channel_of_what_is_not_there_is_refused_by_name():
    figure, _ = two_piece_arm()
    with pytest.raises(EditRefused, match="“leg”, which the figure does not have"):
        parse_pose({"leg.turn": 4}).by_id(figure)


def test_poses_are_merged_restricted_flipped_and_known_to_be_at_rest():
    pose = Pose(channels={"b1.turn": 30.0, "b1.move.x": 4.0, "b2.stretch.along": 1.0})
    assert pose.merged(Pose(channels={"b1.turn": 5.0})).of("turn") == {"b1": 5.0}
    assert pose.restricted_to({"b2"}).channels == {"b2.stretch.along": 1.0}
    assert pose.without({"b1"}).at_rest
    assert not pose.at_rest
    other = flipped_pose(pose, frozenset({"b1"}))
    assert other.channels == {"b1.turn": -30.0, "b1.move.x": -4.0, "b2.stretch.along": 1.0}
    assert flipped_pose(other, frozenset({"b1"})) == pose
    assert pose.sparse().channels == {"b1.turn": 30.0, "b1.move.x": 4.0}


def test_quantities_say_their_unit_and_no_two_share_a_name():
    assert {one.unit for one in quantities().values()} == {"°", "px", "times", "drawing", "share", ""}
    spin = Stage("spin", (Quantity("turn", "spin", "rad", 0, -1, 1),))
    install(Stages(*STAGES.stages, spin))
    try:
        with pytest.raises(TypeError, match="Two quantities are called turn"):
            quantities()
    finally:
        install(STAGES)
