"""The reach map sees what it is there for: knees that jump, limits that hold, limbs that stretch, goals out of reach."""

from __future__ import annotations

import numpy as np
import pytest

from kunstgriff.control.reach_map import FINE, HELD, JUMPS, OUT, STRETCHED, reach_map
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.pose import Pose, parse_pose
from tests.art import edited
from tests.outside.test_reaches import walker

FOOT = {"kind": "lay_reach", "tip": "near 2", "name": "foot"}


def limited(bones, low, high):
    return {"kind": "set_limits", "bones": bones, "limits": {"low": low, "high": high}}


def mapped(*edits, pose=None, places=60):
    figure, stores = walker()
    figure = edited(figure, stores, FOOT, *edits)
    one = Pose() if pose is None else parse_pose(pose).by_id(figure)
    return reach_map(compile_rig(figure, stores), one, figure.reaches[0], places), figure


def test_what_a_free_leg_reaches_is_the_ring_of_its_lengths():
    found, figure = mapped()
    thigh, shin = (next(one for one in figure.bones if one.name == name) for name in ("near", "near 2"))
    first, second = (np.hypot(*np.subtract(one.tip, one.joint)) for one in (thigh, shin))
    away = np.hypot(*np.moveaxis(found.places - thigh.joint, -1, 0))
    surely = (away < first + second - 2) & (away > abs(first - second) + 2)
    assert (found.kinds[surely & (away > 30)] == FINE).all()  # steep only where it lies nearly folded
    assert (found.kinds[away > first + second + 1] == OUT).all()
    assert (found.kinds[away < 10] == JUMPS).any()
    assert found.worst is None
    assert all("more than 6 px" in one for one in found.sentences)


def test_a_leg_held_by_its_limits_is_told_and_what_lies_behind_them_is_out_of_reach():
    found, _ = mapped(limited(["near 2"], -5, 60), limited(["near"], -40, 40))
    assert (found.kinds == HELD).any()
    assert (found.kinds == OUT).mean() > (mapped()[0].kinds == OUT).mean() + 0.1
    assert any("at its limits" in one for one in found.sentences)


def test_a_leg_that_stretches_does_so_on_the_rim_of_a_larger_ring():
    found, figure = mapped({"kind": "set_reach", "reach": "foot", "stretch": 0.3})
    thigh = next(one for one in figure.bones if one.name == "near")
    away = np.hypot(*np.moveaxis(found.places - thigh.joint, -1, 0))
    stretched = away[found.kinds == STRETCHED]
    assert stretched.min() > 150  # 80 + 75 px long, full extension eased in
    assert stretched.max() == pytest.approx(1.3 * 156, rel=0.05)


def test_a_knee_that_jumps_is_found_by_its_name_where_it_does():
    # three bones whose limits let two ways of lying compete
    figure, stores = walker()
    figure = edited(
        figure, stores, limited(["far 2"], -70, 70), limited(["far 3"], -50, 50), limited(["far"], -70, 70),
        {"kind": "lay_reach", "tip": "far 3", "name": "long", "bones": 3},
    )  # fmt: skip
    rig = compile_rig(figure, stores)
    long = reach_map(rig, Pose(), figure.reaches[0])
    assert long.worst is not None
    (x, y), px, name = long.worst
    assert name in ("far", "far 2", "far 3")
    joints = []
    rest = np.array(next(one for one in figure.bones if one.name == "far 3").tip)
    for off in (-0.01, 0.01):  # the very rig jumps there, whichever way one comes
        for dx, dy in ((off, 0), (0, off)):
            shift = np.array([x + dx, y + dy]) - rest
            rig.evaluate(parse_pose({"long.goal.x": shift[0], "long.goal.y": shift[1]}).by_id(figure))
            joints.append(np.vstack([rig.matrices[rig.program.bone_index[one.id]] for one in figure.bones]))
    moved = max(np.abs(a - b).max() for a in joints for b in joints)
    assert moved > 0.05
    assert px > 1
    assert any("jumps" in one for one in long.sentences)
    assert (long.kinds == JUMPS).any()


def test_the_map_lies_around_the_hip_as_it_is_posed_and_of_a_reach_on_no_chain_there_is_none():
    found, _ = mapped(pose={"hips.move.x": 40, "hips.turn": 30}, places=20)
    rest, _ = mapped(places=20)
    assert np.abs(found.places.mean((0, 1)) - rest.places.mean((0, 1))).max() > 30
    assert found.kinds.shape == (20, 20)
    with pytest.raises(EditRefused, match="places to a side"):
        mapped(places=3000)
