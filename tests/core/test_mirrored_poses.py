"""Poses with sides changed: near and far of a figure seen from the side swap, left and right of one that faces us mirror."""

from __future__ import annotations

import numpy as np
import pytest

from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.controls import Look
from kunstgriff.figure.pose import Pose, parse_pose
from kunstgriff.figure.turning import turned_to
from kunstgriff.skeleton.kinematics import posed
from kunstgriff.trial.around import side_in
from kunstgriff.trial.mirroring import faces_us, mirrored
from tests.art import at, capsule, drawn, edited, figure_of
from tests.outside.test_reaches import walker


def facing():
    """A figure that faces us, the same to both sides: a body, two arms that reach, a head that looks, a lever each."""
    body = drawn(capsule((200, 100), (200, 250), 30, 4))
    figure, stores = figure_of({"body": body, "left arm": body, "right arm": body})
    edits = [{"kind": "draw_chain", "name": "body", "joints": at(figure, (200, 250), (200, 120), (200, 60))}]
    for name, s in (("left", -1), ("right", 1)):
        spots = at(figure, (200 + 30 * s, 130), (200 + 90 * s, 160), (200 + 130 * s, 230), (200 + 140 * s, 260))
        edits += [
            {"kind": "draw_chain", "name": f"{name} arm", "parent": "body", "joints": spots},
            {"kind": "lay_reach", "tip": f"{name} arm 2", "name": f"{name} hand", "foot": f"{name} arm 3"},
            {"kind": "lay_lever", "name": f"{name} shrug"},
            {"kind": "drive", "by": f"{name} shrug", "channel": f"{name} arm.move.y", "points": [[1, -20]]},
            {"kind": "drive", "by": f"{name} shrug", "channel": f"{name} arm.turn", "points": [[1, 12 * s]]},
        ]
    edits += [
        {"kind": "lay_look", "bone": "body 2", "name": "gaze", "goal": at(figure, (200, -40))[0]},
        {"kind": "lay_lever", "name": "sway", "axes": "x"},
        {"kind": "drive", "by": "sway", "axis": "x", "channel": "body.turn", "points": [[1, 20], [-1, -20]]},
    ]
    return edited(figure, stores, *edits), stores


def spots(figure, stores, pose):
    """Where joints and tips lie, by the name of their bone."""
    rig = compile_rig(figure, stores)
    rig.evaluate(pose)
    skeleton = rig.program.skeleton
    ends = np.concatenate([posed(skeleton.joints, rig.matrices), posed(skeleton.tips, rig.matrices)], 1)
    return {bone.name: ends[rig.program.bone_index[bone.id]] for bone in figure.bones}


def anyhow(figure, rng):
    """A pose of all its controls at random."""
    pose = {
        "body.turn": rng.uniform(-20, 20), "body.move.x": rng.uniform(-20, 20), "left hand.goal.x": rng.uniform(-40, 40),
        "left hand.goal.y": rng.uniform(-60, 10), "right hand.goal.y": rng.uniform(-60, 10),
        "left hand.foot": rng.uniform(-40, 40), "right hand.share": rng.uniform(0, 1),
        "right arm.turn": rng.uniform(-30, 30), "left shrug.lever.y": rng.uniform(-1, 1),
        "sway.lever.x": rng.uniform(-1, 1), "gaze.goal.x": rng.uniform(-90, 90), "left arm 2.stretch.along": 1.1,
    }  # fmt: skip
    return parse_pose(pose).by_id(figure)


def test_a_figure_that_faces_us_posed_mirrored_is_its_mirror_picture_whatever_control_poses_it():
    figure, stores = facing()
    assert faces_us(figure)
    rng, middle = np.random.default_rng(3), at(figure, (200, 0))[0][0]
    for _ in range(60):
        there = anyhow(figure, rng)
        one, other = spots(figure, stores, there), spots(figure, stores, mirrored(figure, there))
        for name, (jx, jy, tx, ty) in one.items():
            like = name.replace("left", "RIGHT").replace("right", "left").replace("RIGHT", "right")
            assert other[like] == pytest.approx([2 * middle - jx, jy, 2 * middle - tx, ty], abs=0.02)
        assert mirrored(figure, mirrored(figure, there)) == there


def test_near_and_far_of_one_seen_from_the_side_do_what_the_other_did():
    figure, _ = walker()
    assert not faces_us(figure)
    pose = parse_pose({"near.turn": 30, "far 2.turn": -10, "hips.turn": 7}).by_id(figure)
    swapped = parse_pose({"far.turn": 30, "near 2.turn": -10, "hips.turn": 7}).by_id(figure)
    assert mirrored(figure, pose) == swapped


def test_a_back_that_is_the_mirror_picture_and_flipped_moves_as_the_mirror_picture_whatever_poses_it():
    figure, stores = facing()
    figure = edited(figure, stores, {"kind": "add_facing", "name": "back", "angle": 180})
    middle = at(figure, (200, 0))[0][0]
    back = turned_to(figure, 2)

    def other(spot):
        return 2 * middle - spot[0], spot[1]

    bones = tuple(one.model_copy(update={"joint": other(one.joint), "tip": other(one.tip)}) for one in back.bones)
    reaches = tuple(
        one.model_copy(update={"goal": other(one.goal)}) if isinstance(one, Look) else one for one in back.reaches
    )
    figure = turned_to(back.model_copy(update={"bones": bones, "reaches": reaches}), 1)
    flip = {"kind": "flip_bones", "bones": ["body"]}
    figure = edited(figure, stores, {"kind": "in_facing", "facing": 2, "edit": flip})
    rng, shown = np.random.default_rng(7), f"{figure.turnaround.id}.facing"
    for _ in range(60):
        pose = anyhow(figure, rng)
        there = side_in(figure, pose.merged(Pose(channels={shown: 2})))
        one, behind = spots(figure, stores, pose), spots(there.figure, stores, there.pose)
        for name, (jx, jy, tx, ty) in one.items():
            assert behind[name] == pytest.approx([2 * middle - jx, jy, 2 * middle - tx, ty], abs=0.02)
