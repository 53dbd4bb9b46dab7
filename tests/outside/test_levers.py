"""Levers: their curves against SciPy's monotone cubic, what they drive against values worked out one by one."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator

from kunstgriff.control.curves import SMOOTH, STEPS, STRAIGHT, curve_at, pieces_of
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.controls import Axis, Drive, Knot, Lever
from kunstgriff.figure.pose import parse_pose
from tests.art import edited
from tests.outside.test_reaches import walker

PLACES = st.lists(st.floats(-100, 100).map(lambda one: round(one, 2)), min_size=2, max_size=9, unique=True).map(sorted)


@given(places=PLACES, data=st.data())
@settings(max_examples=300, deadline=None)
def test_curves_are_scipys_monotone_cubic_and_straight_ones_numpys(places, data):
    bys = np.array(data.draw(st.lists(st.floats(-50, 50), min_size=len(places), max_size=len(places))))
    ats = np.array(places)
    smooth, straightly = (pieces_of(ats, bys, way) for way in (SMOOTH, STRAIGHT))
    outside = PchipInterpolator(ats, bys)
    spots = np.linspace(ats[0], ats[-1], 61)
    found = np.array([curve_at(one, SMOOTH, ats, smooth) for one in spots])
    scale = max(np.abs(bys).max(), 1e-9)
    assert np.abs(found - outside(spots)).max() < 1e-9 * scale
    for k in range(len(ats) - 1):  # monotone between two knots: never past either
        between = found[(spots >= ats[k]) & (spots <= ats[k + 1])]
        low, high = sorted(bys[k : k + 2])
        assert ((between >= low - 1e-9 * scale) & (between <= high + 1e-9 * scale)).all()
    straight = np.array([curve_at(one, STRAIGHT, ats, straightly) for one in spots])
    assert np.abs(straight - np.interp(spots, ats, bys)).max() < 1e-9 * scale
    for far in (-1e3, 1e3):  # past the ends it stays
        assert curve_at(far, SMOOTH, ats, smooth) == bys[0 if far < 0 else -1]


def test_steps_are_those_passed_on_the_way_from_rest():
    ats, bys = np.array([-1.0, -0.5, 0.0, 0.5, 1.0]), np.array([7.0, 5.0, 0.0, 2.0, 3.0])
    found = [
        curve_at(one, STEPS, ats, pieces_of(ats, bys, STEPS))
        for one in (-9, -1, -0.9, -0.5, -0.4, 0, 0.49, 0.5, 0.99, 1.0, 7)
    ]
    assert found == [7, 7, 5, 5, 0, 0, 0, 2, 2, 3, 3]


def levered(count=3):
    """The walker with levers that drive its bones' turns and moves, and one that drives another."""
    figure, stores = walker()
    for k in range(count):
        figure = edited(figure, stores, {"kind": "lay_lever", "name": f"lever {k}", "axes": "both", "rest": 0.2})
    return figure, stores


def test_what_levers_drive_is_the_sum_worked_out_by_hand_whatever_their_order():
    figure, stores = levered()
    for by, axis, channel, points in (
        ("lever 0", "x", "near 2.turn", [[1, 40], [-1, -10]]),
        ("lever 1", "y", "near 2.turn", [[1, 20]]),
        ("lever 1", "y", "hips.move.x", [[-1, 30], [0.6, 5]]),
        ("lever 2", "y", "lever 1.lever.y", [[1, 0.4]]),
        ("lever 2", "x", "near.stretch.along", [[1, 0.25]]),
    ):
        figure = edited(
            figure, stores,
            {"kind": "drive", "by": by, "axis": axis, "channel": channel, "points": points, "smooth": False},
        )  # fmt: skip
    pose = {"lever 0.lever.x": 0.4, "lever 1.lever.y": 0.2, "lever 2.lever.y": 0.4, "lever 2.lever.x": 0.8,
            "near 2.turn": 3.0}  # fmt: skip
    rigs = [compile_rig(one, stores) for one in (figure, figure.replace(levers=figure.levers[::-1]))]
    frames = [rig.evaluate(parse_pose(pose).by_id(figure)) for rig in rigs]
    assert np.array_equal(frames[0].vertices, frames[1].vertices)
    # counted from a rest at 0.2 a lever goes 0.8 up to its end at 1
    passed_on = 0.4 * 0.4 / 0.8
    second = 0.2 + passed_on
    row, hips, thigh = (rigs[0].program.bone_index[figure_bone(figure, one)] for one in ("near 2", "hips", "near"))
    assert rigs[0].turn[row] == pytest.approx(3 + 0.4 * 40 / 0.8 + second * 20 / 0.8, abs=1e-12)
    assert rigs[0].move[hips, 0] == pytest.approx(np.interp(second, [0, 0.4], [0, 5]), abs=1e-12)
    assert rigs[0].stretch[thigh, 0] == pytest.approx(1 + 0.25, abs=1e-12)
    assert frames[0].levers[1, 1] == pytest.approx(second)


def figure_bone(figure, name):
    return next(one.id for one in figure.bones if one.name == name)


def test_a_lever_stops_at_its_ends_hard_or_soft():
    figure, stores = levered(1)
    figure = edited(
        figure, stores,
        {"kind": "set_lever", "lever": "lever 0", "axis": "x", "low": -0.5, "soft": 0.25},
        {"kind": "set_lever", "lever": "lever 0", "axis": "y", "high": 0.6},
    )  # fmt: skip
    rig = compile_rig(figure, stores)
    stood = []
    for asked in np.linspace(-3, 3, 601):
        pose = parse_pose({"lever 0.lever.x": asked, "lever 0.lever.y": asked}).by_id(figure)
        stood.append(rig.evaluate(pose).levers[0].copy())
    soft, hard = np.array(stood).T
    assert hard.min() == pytest.approx(-1.2)  # from 0.2 down to -1 and up to 0.6
    assert hard.max() == pytest.approx(0.4)
    assert soft.min() > -0.7
    assert soft.max() < 0.8
    assert np.abs(np.diff(soft, 2)).max() < 6e-4  # it begins to resist without a jerk: 0.01² / soft


def test_a_thousand_random_poses_of_levers_are_what_numpy_makes_of_them():
    rng = np.random.default_rng(5)
    figure, stores = walker()
    bones = [bone.id for bone in figure.bones]
    levers, rows = [], []
    for k in range(12):
        drives = []
        for bone in rng.choice(bones, 4, replace=False):
            knots = {-1.0: rng.uniform(-30, 30), 0.0: 0.0, 0.5: rng.uniform(-30, 30), 1.0: rng.uniform(-30, 30)}
            drives.append(Drive(channel=f"{bone}.turn", knots=[Knot(at=at, by=by) for at, by in knots.items()]))
            rows.append((k, str(bone), PchipInterpolator(list(knots), list(knots.values()))))
        levers.append(Lever(id=f"k{900 + k}", name=f"{k}", y=Axis(drives=drives)))
    rig = compile_rig(figure.replace(levers=levers), stores)
    for _ in range(1000):
        at = rng.uniform(-1, 1, len(levers))
        rig.set_pose(parse_pose({f"k{900 + k}.lever.y": one for k, one in enumerate(at)}))
        wanted = dict.fromkeys(bones, 0.0)
        for k, bone, curve in rows:
            wanted[bone] += float(curve(at[k]))
        assert np.abs(rig.turn - [wanted[one] for one in bones]).max() < 1e-9
