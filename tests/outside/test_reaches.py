"""Reaches against the law of cosines, and longer chains against SciPy's bounded least squares."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import least_squares

from kunstgriff.control.chains import bend_of, eased_distance, reached, turned_chain, two_bones, two_turned_over
from kunstgriff.control.taking_over import as_reached, as_turned
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.pose import parse_pose
from tests.art import at, capsule, drawn, edited, figure_of

NO_LIMITS = np.array([-1e6, -1e6]), np.array([1e6, 1e6])


def lies(spots, turns):
    out = np.empty_like(spots)
    turned_chain(spots, turns, out)
    return out


def corner(a, b, c):
    """The angle at b between a and c, rad."""
    one, other = a - b, c - b
    return np.arccos(np.clip(one @ other / np.linalg.norm(one) / np.linalg.norm(other), -1, 1))


@given(
    first=st.floats(20, 200), second=st.floats(20, 200), way=st.floats(-3.1, 3.1), bend=st.floats(-2.5, 2.5),
    share=st.floats(0.02, 0.98), heading=st.floats(-3.1, 3.1), side=st.sampled_from([1.0, -1.0]),
)  # fmt: skip
@settings(max_examples=300, deadline=None)
def test_two_bones_lie_as_the_law_of_cosines_says(first, second, way, bend, share, heading, side):
    spots = np.cumsum([[3.0, -7.0], first * np.array([np.cos(way), np.sin(way)]),
                       second * np.array([np.cos(way + bend), np.sin(way + bend)])], axis=0)  # fmt: skip
    near, far = abs(first - second), first + second
    away = near + share * (far - near)
    goal = spots[0] + away * np.array([np.cos(heading), np.sin(heading)])
    turns = np.empty(2)
    two_bones(spots, goal, side, turns)
    root, elbow, tip = lies(spots, turns)
    assert np.abs(tip - goal).max() < 1e-9 * far * 10
    # the law of cosines, by hand
    assert np.cos(corner(root, elbow, tip)) == pytest.approx(
        (first**2 + second**2 - away**2) / (2 * first * second), abs=1e-9
    )
    assert np.linalg.norm(elbow - root) == pytest.approx(first, rel=1e-12)
    cross = (elbow - root)[0] * (tip - elbow)[1] - (elbow - root)[1] * (tip - elbow)[0]
    assert np.sign(cross) == side


def test_two_bones_within_limits_come_as_near_as_scipys_bounded_least_squares_from_many_beginnings():
    rng, turns = np.random.default_rng(9), np.empty(2)
    missed = 0
    for _ in range(60):
        spots = np.cumsum(np.vstack([[0, 0], rng.normal(0, 60, (2, 2))]), axis=0)
        low, high = -np.radians(rng.uniform(5, 120, 2)), np.radians(rng.uniform(5, 120, 2))
        goal = rng.normal(0, 110, 2)
        left = reached(spots, goal, 1.0, low, high, turns)
        assert (turns >= low - 1e-9).all()
        assert (turns <= high + 1e-9).all()
        assert np.linalg.norm(lies(spots, turns)[2] - goal) == pytest.approx(left, abs=1e-6)
        best = min(
            np.linalg.norm(
                least_squares(
                    lambda x, s=spots, g=goal: lies(s, x)[2] - g, rng.uniform(low, high), bounds=(low, high)
                ).fun
            )
            for _ in range(8)
        )
        assert left < best + 1e-3
        missed += left > 1
    assert 10 < missed < 55  # some are held back, some are reached


def test_goals_too_near_and_too_far_are_pointed_at():
    spots, turns = np.array([[0, 0], [100, 0], [160, 0.0]]), np.empty(2)
    for goal in ((500.0, 300.0), (9.0, -12.0)):
        two_bones(spots, np.array(goal), 1.0, turns)
        tip = lies(spots, turns)[2]
        assert np.linalg.norm(tip) == pytest.approx(160 if np.hypot(*goal) > 160 else 40, abs=1e-6)
        assert np.arctan2(tip[1], tip[0]) == pytest.approx(np.arctan2(goal[1], goal[0]), abs=1e-6)


def test_a_goal_that_goes_round_turns_no_joint_by_a_jump():
    spots, turns = np.array([[0, 0], [100, 10], [180, -20.0]]), np.empty(2)
    for away in (60, 120, 175):
        places = []
        for degrees in np.arange(0, 360, 0.01):
            way = np.radians(degrees)
            two_bones(spots, away * np.array([np.cos(way), np.sin(way)]), -1.0, turns)
            places.append(lies(spots, turns)[1])
        steps = np.linalg.norm(np.diff(places, axis=0), axis=1)
        assert steps.max() < 1.01 * np.median(steps)


def test_full_extension_is_eased_in_and_never_passed():
    wanted = np.linspace(0, 400, 4001)
    found = np.array([eased_distance(one, 200.0, 0.05) for one in wanted])
    assert np.array_equal(found[wanted <= 190], wanted[wanted <= 190])
    assert (np.diff(found) >= 0).all()
    assert found.max() <= 200
    slopes = np.diff(found) / np.diff(wanted)
    assert np.abs(np.diff(slopes)).max() < 0.02  # it begins to ease at the speed it had
    spots, turns, knees = np.array([[0, 0], [100, 0], [200, 0.0]]), np.empty(2), []
    for one in np.arange(150, 260, 1.0):
        two_bones(spots, np.array([eased_distance(one, 200.0, 0.05), 0.0]), 1.0, turns)
        knees.append(np.degrees(turns[1]))
    assert np.abs(np.diff(knees)).max() < 1.8  # degrees a px; without easing the last px would take 11


def chain(rng, count, limit):
    """A chain of random lengths and bends with limits, and a goal that it reaches within them."""
    lengths, ways = rng.uniform(30, 120, count), rng.uniform(-3, 3) + np.cumsum(rng.uniform(-0.3, 0.3, count))
    steps = np.column_stack([np.cos(ways), np.sin(ways)]) * lengths[:, None]
    spots = np.vstack([[0, 0], np.cumsum(steps, axis=0)])
    low, high = (np.radians(limit) * sign * rng.uniform(0.5, 1, count) for sign in (-1, 1))
    return spots, low, high, lies(spots, rng.uniform(low, high))[-1]


@pytest.mark.parametrize("limit", [20, 45, 90])
def test_of_goals_within_the_limits_of_a_chain_none_is_missed(limit):
    rng = np.random.default_rng(limit)
    for number in range(700):
        count = (2, 3, 4, 8, 12)[number % 5]
        spots, low, high, goal = chain(rng, count, limit)
        turns = np.zeros(count)
        left = reached(spots, goal, 1.0 if number % 2 else -1.0, low, high, turns)
        there = lies(spots, turns)
        assert np.linalg.norm(there[-1] - goal) < 0.01
        assert left < 0.01
        assert (turns >= low - 1e-12).all()
        assert (turns <= high + 1e-12).all()
        assert np.abs(np.linalg.norm(np.diff(there, axis=0), axis=1) - np.linalg.norm(np.diff(spots, axis=0), axis=1)).max() < 1e-6  # fmt: skip


def test_a_goal_out_of_reach_is_come_as_near_to_as_scipy_comes():
    rng = np.random.default_rng(8)
    for _ in range(12):
        spots, low, high, _ = chain(rng, 5, 45)
        goal = spots[-1] + rng.normal(0, 250, 2)
        turns = np.zeros(5)
        left = reached(spots, goal, 1.0, low, high, turns)
        starts = [np.zeros(5), *(rng.uniform(low, high) for _ in range(4))]
        best = min(
            np.linalg.norm(least_squares(lambda x, goal=goal, spots=spots: lies(spots, x)[-1] - goal, one, bounds=(low, high)).fun)
            for one in starts
        )  # fmt: skip
        assert left < best + 0.5


def walker():
    """A body with two legs, each with a foot, and an arm that could hold on to the body."""
    layers = {"body": drawn(capsule((200, 60), (200, 180), 30, 4))}
    for name, x in (("far", 215), ("near", 185)):
        layers[f"{name} leg"] = drawn(capsule((x, 190), (x, 350), 14, 4))
    figure, stores = figure_of(layers)
    figure = edited(
        figure, stores,
        {"kind": "draw_chain", "name": "hips", "joints": at(figure, (200, 180), (200, 60))},
        *({"kind": "draw_chain", "name": name, "parent": "hips",
           "joints": at(figure, (x, 190), (x + 6, 270), (x, 345), (x + 30, 350))} for name, x in (("near", 185), ("far", 215))),
        {"kind": "bind_rigid", "parts": ["body"], "bone": "hips"},
        {"kind": "bind_weighted", "parts": ["near leg"], "influences": ["near", "near 2"]},
        {"kind": "bind_weighted", "parts": ["far leg"], "influences": ["far", "far 2"]},
    )  # fmt: skip
    return figure, stores


def test_a_knee_drawn_pushed_through_rests_as_drawn_and_bends_to_its_side_without_a_jump():
    spots = np.array([(0.0, 0.0), (-38.0, 270.0), (0.0, 510.0)])  # its knee lies behind the line from hip to ankle
    length, drawn = np.hypot(38, 270) + np.hypot(38, 240), 510.0
    bend, side = bend_of(spots), -1.0 if bend_of(spots) > 0 else 1.0
    free, turns = np.full(2, 9.0), np.empty(2)
    knees, off = [], []
    for away in np.arange(length, 300, -0.5):
        goal = np.array((0.0, away))
        left = two_turned_over(spots, goal, side, bend, -free, free, turns)
        tip = lies(spots, turns)
        assert left == pytest.approx(np.hypot(*(tip[2] - goal)), abs=1e-9)
        assert abs(tip[2][0]) < 1e-9  # it always points at the goal
        knees.append(tip[1][0])
        off.append(left)
        if away == drawn:
            np.testing.assert_allclose(turns, 0.0, atol=1e-12)
    within = np.abs(np.diff(knees))[np.arange(length, 300, -0.5)[:-1] <= drawn]  # stretched out further it is eased in
    assert within.max() < 5  # px for half a px of the goal; it jumped 76 px before
    assert max(off) < 0.04 * length
    over = np.arange(length, 300, -0.5) < drawn - max(0.04 * length, 3 * (length - drawn))
    assert max(np.array(off)[over]) < 1e-9  # and there it is the law of cosines again
    two_bones(spots, goal, side, exact := np.empty(2))
    np.testing.assert_allclose(turns, exact, atol=1e-9)


def tip_of(rig, name):
    """Where the tip of a bone lies as it was posed last."""
    bone = next(one for one in rig.program.figure.bones if one.name == name)
    matrix = rig.matrices[rig.program.bone_index[bone.id]]
    return matrix[:4].reshape(2, 2).T @ bone.tip + matrix[4:]


def test_feet_on_reaches_stay_where_they_are_while_the_hips_go_down_and_knees_bend_as_drawn():
    figure, stores = walker()
    figure = edited(
        figure, stores, {"kind": "lay_reach", "tip": "near 2", "name": "near foot", "foot": "near 3"},
        {"kind": "lay_reach", "tip": "far 2", "name": "far foot"},
    )  # fmt: skip
    rig = compile_rig(figure, stores)
    rest = rig.evaluate().vertices.copy()
    bare = compile_rig(figure.replace(reaches=()), stores)
    assert np.abs(rest - bare.evaluate().vertices).max() < 1e-3  # at rest nothing moves
    index, bones = rig.program.bone_index, {one.name: one for one in figure.bones}

    knees = []
    for down in np.linspace(0, 60, 61):
        frame = rig.evaluate(parse_pose({"hips.move.y": float(down)}).by_id(figure))
        for name in ("near 2", "far 2"):
            assert np.abs(tip_of(rig, name) - bones[name].tip).max() < 0.01
        foot = frame.matrices[index[bones["near 3"].id]]
        assert np.degrees(np.arctan2(foot[1], foot[0])) == pytest.approx(0, abs=1e-6)  # level
        knees.append(tip_of(rig, "near"))
    assert (np.diff([x for x, _ in knees]) > 0).all()  # forward, as they are drawn
    assert np.abs(np.diff(knees, axis=0)).max() < 8


def test_a_chain_stretches_by_what_is_missing_up_to_its_limit():
    figure, stores = walker()
    figure = edited(figure, stores, {"kind": "lay_reach", "tip": "near 2", "name": "foot", "stretch": 0.2})
    rig, bones = compile_rig(figure, stores), {one.name: one for one in figure.bones}
    hip, rest = np.array(bones["near"].joint), np.array(bones["near 2"].tip)
    length = sum(np.linalg.norm(np.subtract(bones[name].tip, bones[name].joint)) for name in ("near", "near 2"))
    for down in (5.0, 20.0, 28.0):
        rig.evaluate(parse_pose({"foot.goal.y": down}).by_id(figure))
        there = tip_of(rig, "near 2")
        wanted = np.linalg.norm(rest + (0, down) - hip)
        assert np.linalg.norm(there - hip) == pytest.approx(min(wanted, 1.2 * length), abs=0.01)
    share = [
        rig.evaluate(parse_pose({"foot.goal.x": 40, "foot.share": one}).by_id(figure)).matrices.copy()
        for one in (0.0, 0.5, 1.0)
    ]
    bare = compile_rig(figure.replace(reaches=()), stores).evaluate().matrices
    assert np.array_equal(share[0], bare)
    assert np.abs(share[1] - share[0]).max() > 1
    assert np.abs(share[2] - share[1]).max() > 1


def test_taking_over_from_turns_to_a_goal_and_back_moves_nothing():
    figure, stores = walker()
    figure = edited(
        figure, stores,
        {"kind": "lay_reach", "tip": "near 2", "name": "near foot", "foot": "near 3"},
        {"kind": "lay_reach", "tip": "far 3", "name": "far foot", "bones": 3, "hangs_on": "hips"},
    )  # fmt: skip
    rig, rng, worst = compile_rig(figure, stores), np.random.default_rng(2), 0.0
    for _ in range(500):
        turned = {
            f"{name}.turn": float(rng.uniform(-110, 110))
            for name in ("near", "near 2", "near 3", "far", "far 2", "far 3")
        }
        turned |= {"hips.turn": float(rng.uniform(-60, 60)), "hips.move.y": float(rng.uniform(-30, 30))}
        pose = parse_pose(turned | {"near foot.share": 0.0, "far foot.share": 0.0}).by_id(figure)
        before = rig.evaluate(pose).vertices.copy()
        there = pose
        for one in figure.reaches:
            there = as_reached(rig, there, one)
        assert there.channels.get(f"{figure.reaches[0].id}.share", 1.0) == 1.0
        worst = max(worst, float(np.abs(rig.evaluate(there).vertices - before).max()))
        back = there
        for one in reversed(figure.reaches):
            back = as_turned(rig, back, one)
        worst = max(worst, float(np.abs(rig.evaluate(back).vertices - before).max()))
    assert worst < 0.1


def area_of(vertices, triangles):
    a, b, c = (vertices[triangles[:, k]].astype(float) for k in range(3))
    return np.abs((b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0]).sum() / 2


@pytest.mark.parametrize("keeps", [1.0, 0.5, 0.0])
def test_a_stretched_limb_keeps_its_area_its_ends_and_its_joints(keeps):
    figure, stores = figure_of({"arm": drawn(capsule((60, 200), (340, 200), 32, 6))})
    figure = edited(
        figure, stores,
        {"kind": "draw_chain", "name": "arm", "joints": at(figure, (60, 200), (200, 200), (340, 200))},
        {"kind": "bind_weighted", "parts": ["arm"], "count": 900},
        {"kind": "lay_reach", "tip": "arm 2", "name": "hand", "stretch": 0.2, "keeps": keeps},
    )  # fmt: skip
    rig = compile_rig(figure, stores)
    rest = rig.evaluate().vertices.copy()
    assert not len(rig.evaluate().lengthened)
    frame = rig.evaluate(parse_pose({"hand.goal.x": 56}).by_id(figure))  # 280 px by a fifth
    posed = frame.vertices.copy()
    gaps = np.diff(frame.lengthened[:, :, 0], axis=1)  # where it is shown that the length is taken up
    assert gaps.sum(1) == pytest.approx(140 * 1.2, abs=0.05)
    assert (gaps[:, 3:5] > 1.25 * 140 / 8).all()
    assert (gaps[:, [0, -1]] < 1.08 * 140 / 8).all()
    triangles = rig.program.blocks[figure.parts[0].id].triangles
    assert posed[:, 0].max() == pytest.approx(rest[:, 0].max() + 56, abs=0.05)
    # by hand: each bone's 140 px become 168; its middle is 1 + 0.2 · 1.5 times as long and 1 / 1.3 as wide
    grown = area_of(posed, triangles) / area_of(rest, triangles)
    if keeps == 1.0:
        assert grown == pytest.approx(1.0, abs=0.01)
    if keeps == 0.0:
        assert grown == pytest.approx(1 + 56 * 70 / (280 * 70 + np.pi * 35**2), rel=0.01)
    x, y = rest.T - np.array([[at(figure, (60, 200))[0][0]], [at(figure, (60, 200))[0][1]]])
    middle = np.abs(x - 70) < 4
    ends = (x < 0) | (x > 280) | (np.abs(x - 140) < 3)
    wider = np.abs(posed[:, 1] - (rest[:, 1] - y)) / np.maximum(np.abs(y), 1e-6)
    comes_in = 35 * keeps * (1 - 1 / 1.3)  # the outline is 35 px from the bone, a line 6 px wide lies along it
    line = middle & (np.abs(y) > 28)
    moved = (np.abs(y) - np.abs(posed[:, 1] - (rest[:, 1] - y)))[line]
    assert moved == pytest.approx(comes_in, abs=0.5)
    assert np.ptp(moved) < 0.3  # px by which the line gets thinner
    inside = middle & (np.abs(y) > 5) & (np.abs(y) < 20)
    assert (wider[inside] < 1.005 - keeps * (1 - 1 / 1.3)).all()  # pressed together for it
    assert np.abs(wider[ends & (np.abs(y) > 5)] - 1).max() < 0.02
    start = np.hypot(*(posed[x < 0] - rest[x < 0]).T)
    assert start.max() < 0.01  # what lies before the joint stays
