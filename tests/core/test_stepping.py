"""Legs that step by themselves: alternating, exact, never two of a pair in the air, on any number of legs."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.facings import Facing, Turnaround
from kunstgriff.figure.motions import Stepper
from kunstgriff.figure.pose import Pose
from kunstgriff.trial.around import play_around
from kunstgriff.trial.feet import carried, foot_faults, soles_of
from kunstgriff.trial.ground import Ground
from kunstgriff.trial.ground_path import ground_of_path
from kunstgriff.trial.keys import pose_on
from kunstgriff.trial.live_steps import LiveSteps
from kunstgriff.trial.motion import motion_named, play
from kunstgriff.trial.stepping import Leg, Walker, arranged, gait_of, standing, steady
from kunstgriff.trial.turning_about import between, to_either_side
from kunstgriff.trial.walking import Footing, footing_of
from tests.art import edited
from tests.core.test_feet import strider


def legs_at(*places, sets="alternate", long=220.0):
    return arranged([Leg(f"k{k}", str(k), (x, 0.0), (x, -200.0), long) for k, x in enumerate(places)], sets)


TWO, FOUR, SIX = (0.0, 20.0), (-100.0, -90.0, 90.0, 100.0), (-100.0, -90.0, 0.0, 10.0, 100.0, 110.0)


def walked(legs, stepper, body, until):
    walker = Walker(legs, gait_of(stepper, legs), standing(legs, body(0.0)))
    return walker.advance(until, body), walker


def on_the_way(speed, ramp, stop):
    """A body that comes to a speed over so many frames, and stops by a frame."""
    times = np.linspace(-5, stop + 60, 40 * (stop + 65))
    pace = speed * np.clip(np.minimum(times, stop - times) / ramp, 0, 1)
    way = np.concatenate([[0.0], np.cumsum((pace[1:] + pace[:-1]) / 2 * np.diff(times))])
    return lambda now: float(np.interp(now, times, way))


def in_the_air(steps, legs, now):
    return {legs[step.leg].set for step in steps if step.lifts + 1e-6 < now < step.lands - 1e-6}


@pytest.mark.parametrize(("places", "sets", "air"), [
    (TWO, "alternate", 0.38), (FOUR, "alternate", 0.3), (FOUR, "pairs", 0.4), (FOUR, "wave", 0.2),
    (SIX, "alternate", 0.38), (SIX, "wave", 0.12),
])  # fmt: skip
def test_stride_and_period_are_as_asked_and_sets_take_turns_with_never_two_in_the_air(places, sets, air):
    stepper, legs = Stepper(sets=sets, air=air), legs_at(*places, sets=sets)
    gait = gait_of(stepper, legs)
    steps, walker = walked(legs, stepper, on_the_way(gait.speed, 10, 300), 340)
    for leg in range(len(legs)):
        mine = [step for step in steps if step.leg == leg and 150 < step.lifts < 260]
        np.testing.assert_allclose([step.end - step.start for step in mine], gait.stride, rtol=0.02)
        np.testing.assert_allclose(np.diff([step.lifts for step in mine]), stepper.period, rtol=0.02)
    assert all(len(in_the_air(steps, legs, now)) <= 1 for now in np.arange(0, 340, 0.1))
    order = [legs[step.leg].set for step in sorted(steps, key=lambda one: one.lifts) if 100 < step.lifts < 270]
    turns = [one for one, other in itertools.pairwise(order) if one != other]
    assert all(one == (turns[0] + k * (turns[1] - turns[0])) % gait.sets for k, one in enumerate(turns[:2])), turns
    assert max(np.bincount(turns)) - min(np.bincount(turns)) <= 1  # zigzag: none goes twice while another waits
    # and at the end all stand at home
    np.testing.assert_allclose(walker.places, standing(legs, on_the_way(gait.speed, 10, 300)(340)), atol=0.03 * 198 + 1)


def test_a_tripod_stands_on_three_feet_that_are_not_neighbours():
    assert [leg.set for leg in legs_at(*SIX)] == [0, 1, 1, 0, 0, 1]
    assert [leg.set for leg in legs_at(*SIX, sets="wave")] == list(range(6))
    assert [leg.set for leg in legs_at(*FOUR, sets="pairs")] == [0, 0, 1, 1]


@pytest.mark.parametrize("places", [TWO, FOUR, SIX])
def test_a_steady_walk_is_what_stepping_by_distance_comes_to(places):
    legs, stepper = legs_at(*places), Stepper()
    gait = gait_of(stepper, legs)
    cycle = steady(legs, gait, stepper.period, gait.speed)
    steps, _ = walked(legs, stepper, lambda now: gait.speed * max(now, 0.0), 400)
    for leg in range(len(legs)):
        late = next(step for step in reversed(steps) if step.leg == leg and step.lands < 390)
        mine = next(step for step in cycle if step.leg == leg)
        far = [one.end - (legs[leg].home[0] + gait.speed * one.lands) for one in (late, mine)]
        assert far[0] == pytest.approx(far[1], abs=0.01 * gait.stride)
        assert late.lands - late.lifts == pytest.approx(mine.lands - mine.lifts, abs=1e-6)


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.floats(-30, 30), min_size=4, max_size=12), st.sampled_from([TWO, FOUR, SIX]),
    st.sampled_from(["alternate", "wave", "pairs"]), st.floats(0.1, 0.5),
)  # fmt: skip
def test_however_the_body_is_dragged_one_set_steps_at_a_time_and_feet_come_home(pulls, places, sets, air):
    """Pulled to and fro, a new speed every ten frames; then it stands."""
    times = np.arange(0, 10 * len(pulls) + 1)
    pace = np.interp(times, np.arange(len(pulls)) * 10, pulls)
    way = np.concatenate([np.cumsum(pace), [np.cumsum(pace)[-1]]])

    def body(now):
        return float(np.interp(now, np.arange(len(way)), way))

    legs = legs_at(*places, sets=sets)
    steps, walker = walked(legs, Stepper(sets=sets, air=air), body, len(way) + 200)
    assert all(len(in_the_air(steps, legs, now)) <= 1 for now in np.arange(0, len(way) + 200, 0.5))
    for leg in range(len(legs)):
        mine = [step for step in steps if step.leg == leg]
        assert all(one.lands <= other.lifts + 1e-9 for one, other in itertools.pairwise(mine))
        assert all(one.end == other.start for one, other in itertools.pairwise(mine))
        assert abs(walker.places[leg] - legs[leg].home[0] - body(1e6)) < 0.04 * 198 + 1


@pytest.fixture(scope="module")
def walker():
    figure, stores = strider()
    figure = edited(figure, stores, {"kind": "set_stepper", "stride": 0.5, "period": 20, "lift": 0.1})
    return edited(figure, stores, {"kind": "make_motion", "name": "act", "frames": 90}), stores


def planted(figure, stores, footing, frames):
    """How far soles move while a foot is down, px over the ground, and how far from the ground they are."""
    rig, motion = compile_rig(figure, stores), figure.motions[0]
    soles = soles_of(rig, stores)
    rest = {ref: ends[:, 1].max() for ref, ends in soles.items()}
    course = []
    for frame in frames:
        rig.evaluate(pose_on(rig.program, motion, float(frame)))
        course.append(dict(zip(soles, carried(rig, soles), strict=True)))
    moved, off = [], []
    for leg, one in enumerate(footing.legs):
        for k, frame in enumerate(frames[:-1]):
            step = footing._step_at(leg, frames[k + 1])
            if step is not None and step.lands > frame:
                continue
            here, then = (course[j][one.foot] for j in (k, k + 1))
            moved.append(float(np.abs(then - here + [motion.travels * (frames[k + 1] - frame), 0]).max()))
            off.append(float(abs(here[:, 1] - footing.ground.heights(here[:, 0]) - rest[one.foot]).max()))
    return max(moved), max(off), len(moved)


def test_soles_stay_to_the_hundredth_while_they_are_down_and_the_walk_ends_where_it_was_sent(walker):
    figure, stores = walker
    after = apply_edit({"kind": "walk", "motion": "act", "first": 5, "last": 85, "speed": 5}, figure, stores)
    motion = after.motions[0]
    rig = compile_rig(after, stores)
    footing = footing_of(rig, after.stepper, stores)
    # the steps told by the marks are those on the strip
    assert [mark.words for mark in motion.marks][:3] == ["near foot down", "far foot down", "near foot down"] or [
        mark.words for mark in motion.marks
    ][:3] == ["far foot down", "near foot down", "far foot down"]
    downs = {round(mark.at, 3) for mark in motion.marks}
    assert len(downs) >= 6
    heels = []
    for frame in range(91):
        rig.evaluate(pose_on(rig.program, motion, float(frame)))
        soles = soles_of(rig, stores)
        heels.append(dict(zip(soles, carried(rig, soles), strict=True)))
    for leg in footing.legs:
        track = next(one for one in motion.tracks if one.channel == f"{leg.reach}.goal.x")
        held = [(a, b) for (a, va), (b, vb) in zip(
            zip(track.at, track.values, strict=True), list(zip(track.at, track.values, strict=True))[1:], strict=False
        ) if va == vb]  # fmt: skip
        assert held
        for begin, end in held:
            spots = np.array([heels[f][leg.foot] for f in range(int(np.ceil(begin)), int(end) + 1)])
            assert len(spots) < 2 or np.abs(spots - spots[0]).max() <= 0.05
    assert rig.goals[0, 0] == pytest.approx(footing.legs[0].home[0] + 5 * 70, abs=8)
    assert not foot_faults(compile_rig(after, stores), motion_named(after, "act"), stores)


def test_a_walk_in_a_loop_is_the_same_each_cycle_and_its_way_is_the_stride(walker):
    figure, stores = walker
    looped = edited(figure, stores, {"kind": "set_motion", "motion": "act", "loop": True, "frames": 60})
    after = apply_edit({"kind": "walk", "motion": "act", "cycles": 3}, looped, stores)
    motion, rig = after.motions[0], compile_rig(after, stores)
    footing = footing_of(rig, after.stepper, stores)
    assert motion.travels * 20 == pytest.approx(footing.gait.stride, abs=1e-9)
    for frame in (0.0, 7.3, 13.0):
        one, later, round_again = (rig.program.channels.rest.copy() for _ in range(3))
        for values, at in ((one, frame), (later, frame + 20), (round_again, frame + 60)):
            rig.program.channels.set(values, pose_on(rig.program, motion, at))
        np.testing.assert_allclose(later, one, atol=1e-6)
        np.testing.assert_allclose(round_again, one, atol=1e-6)
    footing.shift = motion.travels
    footing.steps = [
        type(step)(step.leg, step.lifts + 20 * k, step.lands + 20 * k, step.start + 20 * k * motion.travels,
                   step.end + 20 * k * motion.travels)
        for k in range(-1, 4) for step in steady(footing.legs, footing.gait, 20.0, motion.travels)
    ]  # fmt: skip
    moved, off, count = planted(after, stores, footing, np.arange(0, 60, 0.5))
    assert count > 60
    assert moved <= 0.05
    assert off <= 0.05
    # keys say what the steps say, at any time between
    for now in np.random.default_rng(3).uniform(0, 60, 60):
        pose = pose_on(rig.program, motion, float(now)).channels
        for leg, one in enumerate(footing.legs):
            x, y, turned = footing.at(leg, float(now))
            assert pose.get(f"{one.reach}.goal.x", 0.0) == pytest.approx(x - one.home[0], abs=1e-6)
            assert pose.get(f"{one.reach}.goal.y", 0.0) == pytest.approx(y - one.home[1], abs=1e-6)
            assert pose.get(f"{one.reach}.foot", 0.0) == pytest.approx(turned, abs=1e-6)


def test_a_body_with_keys_of_its_own_is_followed_there_and_back(walker):
    figure, stores = walker
    there = [{"kind": "set_keys", "motion": "act", "at": at, "pose": {"hips.move.x": x}} for at, x in ((0, 0), (35, 120), (70, 0))]  # fmt: skip
    figure = edited(figure, stores, *there)
    after = apply_edit({"kind": "walk", "motion": "act"}, figure, stores)
    rig = compile_rig(after, stores)
    for frame in (0.0, 90.0):
        rig.evaluate(pose_on(rig.program, after.motions[0], frame))
        for k, leg in enumerate(footing_of(rig, after.stepper, stores).legs):
            assert rig.goals[k, 0] == pytest.approx(leg.home[0], abs=8), frame
    before, now = (
        next(one for one in each.motions[0].tracks if one.channel.endswith("move.x")) for each in (figure, after)
    )
    assert before == now  # its way is its own
    assert not foot_faults(compile_rig(after, stores), motion_named(after, "act"), stores)


def looking_both_ways(figure, stores):
    """The figure with a side that looks to the right, one that mirrors it, and one between that faces us."""
    return edited(
        figure, stores, {"kind": "add_facing", "name": "side", "angle": 90},
        {"kind": "add_facing", "name": "side, left", "angle": -90, "mirrors": 2},
    )  # fmt: skip


def there_and_back(figure, stores, *stops):
    keys = [{"kind": "set_keys", "motion": "act", "at": at, "pose": {"hips.move.x": x}} for at, x in stops]
    return edited(figure, stores, *keys)


def soles_as_seen(figure, stores):
    """Frame by frame: whether in a mirror, and where both ends of each sole are painted, {bone: (2, 2)}."""
    for rig, _, mirrored in play_around(figure, stores, motion_named(figure, "act")):
        soles = soles_of(rig, stores)
        way = [-1.0 if mirrored else 1.0, 1.0]
        yield mirrored, {ref: ends * way for ref, ends in zip(soles, carried(rig, soles), strict=True)}


def test_a_figure_turns_about_where_its_way_is_reversed_and_walks_on_where_it_stands(walker):
    figure, stores = walker
    figure = looking_both_ways(figure, stores)
    figure = there_and_back(figure, stores, (0, 0), (28, 150), (44, 150), (70, 20))
    after = apply_edit({"kind": "walk", "motion": "act", "about": 3}, figure, stores)
    track = next(one for one in after.motions[0].tracks if one.channel.endswith(".facing"))
    assert track.values == (2.0, 1.0, 3.0)  # the side, who faces us, the side in a mirror
    assert track.at[0] == 0
    assert 28 < track.at[1] == track.at[2] - 3 < 44
    hips = next(one for one in after.motions[0].tracks if one.channel.endswith("move.x"))
    assert hips == next(one for one in figure.motions[0].tracks if one.channel.endswith("move.x"))
    seen = list(soles_as_seen(after, stores))
    assert [mirrored for mirrored, _ in seen] == [at >= track.at[2] for at in range(len(seen))]
    lowest = [{ref: ends[:, 1].max() for ref, ends in soles.items()} for _, soles in seen]
    ground = np.mean(list(lowest[0].values()))
    slid, stood = [], 0
    for (one, before), (other, now), low, then in zip(seen, seen[1:], lowest, lowest[1:], strict=False):
        assert max(then.values()) < ground + 0.5  # none sinks
        for ref in before:
            if one == other and max(abs(low[ref] - ground), abs(then[ref] - ground)) < 0.01:
                slid.append(float(np.abs(now[ref] - before[ref]).max()))
                stood += 1
    assert stood > 60
    assert max(slid) <= 0.05
    first, last = (np.mean([ends[:, 0] for ends in seen[place][1].values()]) for place in (0, -1))
    assert last == pytest.approx(20 - first, abs=8)  # it came back, looking the other way


def test_a_walk_in_a_loop_to_the_left_looks_to_the_left(walker):
    figure, stores = walker
    figure = edited(looking_both_ways(figure, stores), stores, {"kind": "set_motion", "motion": "act", "loop": True})
    after = apply_edit({"kind": "walk", "motion": "act", "speed": -1, "about": 0}, figure, stores)
    assert after.motions[0].travels < 0
    right = apply_edit({"kind": "walk", "motion": "act", "speed": 1, "about": 0}, figure, stores)
    assert right.motions[0].travels == -after.motions[0].travels
    for (one, left), (other, straight) in zip(soles_as_seen(after, stores), soles_as_seen(right, stores), strict=True):
        assert (one, other) == (True, False)
        for ref, ends in straight.items():  # the one walk is the other in a mirror
            np.testing.assert_allclose(left[ref], ends * [-1.0, 1.0], atol=1e-6)


def test_facings_one_turns_through_lie_between_the_sides_on_the_nearer_way_round():
    facings = [Facing(number=k, name=str(angle), angle=angle) for k, angle in enumerate((0, 45, 90, 135, 180, -45, -90, -135), 1)]  # fmt: skip
    turnaround = Turnaround(id="v1", first=1, shown=1, facings=facings)
    at = {one.angle: one for one in facings}

    def angles(one, other):
        return [each.angle for each in between(turnaround, at[one], at[other])]

    assert angles(90, -90) == [45, 0, -45]
    assert angles(-90, 90) == [-45, 0, 45]
    assert angles(135, -135) == [180]
    assert angles(45, -45) == [0]
    assert [one.angle for one in to_either_side(turnaround, 1)] == [-90, 90]
    assert [one.angle for one in to_either_side(turnaround, 8)] == [-135, 135]


def test_a_figure_that_looks_one_way_only_does_not_turn_about(walker):
    figure, stores = walker
    with pytest.raises(EditRefused, match="seen from one side only"):
        apply_edit({"kind": "walk", "motion": "act", "speed": 5, "about": 2}, figure, stores)
    figure = edited(figure, stores, {"kind": "add_facing", "name": "side", "angle": 90})
    with pytest.raises(EditRefused, match="looks to the left"):
        apply_edit({"kind": "walk", "motion": "act", "speed": 5, "about": 2}, figure, stores)


def test_on_cobbles_soles_rest_on_what_stands_out_and_the_body_goes_up_with_them(walker):
    figure, stores = walker
    path = "M-200 0 H60 L80 -16 H130 L150 0 H190 L215 -24 H900"
    figure = edited(figure, stores, {"kind": "set_ground", "motion": "act", "path": path})
    after = apply_edit({"kind": "walk", "motion": "act", "first": 5, "last": 85, "speed": 5}, figure, stores)
    ground = Ground(after.motions[0].ground)
    rig = compile_rig(after, stores)
    soles = soles_of(rig, stores)
    lowest = []
    for _ in play(rig, motion_named(after, "act")):
        for spots, rest in zip(carried(rig, soles), soles.values(), strict=True):
            lowest.append(float((spots[:, 1] - ground.heights(spots[:, 0])).max() - rest[:, 1].max()))
    assert max(lowest) < 2.5  # px: nothing sinks, on slopes of the corners between stones either
    pose = pose_on(rig.program, after.motions[0], 88.0).channels
    assert (
        pose["b7.move.y"] < -15
        if "b7.move.y" in pose
        else min(v for k, v in pose.items() if k.endswith("move.y")) < -15
    )


def test_a_sole_lies_on_its_ends_or_on_what_stands_out_between_them():
    even, slope, bump = Ground(), Ground([(0, 0), (100, -50)]), Ground([(40, 0), (50, -10), (60, 0)])
    assert even.stood_on(37.0, (-10, 20)) == (0.0, 0.0)
    high, turned = slope.stood_on(50.0, (-10, 20))
    assert high == pytest.approx(-25)
    assert turned == pytest.approx(-np.degrees(np.arctan(0.5)))
    assert bump.stood_on(50.0, (-20, 20))[0] == pytest.approx(-10, abs=0.1)


@pytest.mark.parametrize(("edits", "why"), [
    ([{"kind": "walk", "motion": "act", "first": 50, "last": 40}], "later one"),
    ([{"kind": "walk", "motion": "act", "last": 200, "speed": 3}], "of the 90"),
    ([{"kind": "set_stepper", "stride": 4}, {"kind": "walk", "motion": "act", "speed": 60}], "cannot step that far"),
    ([{"kind": "set_reach", "reach": "near foot", "foot_goes": "along"}, {"kind": "walk", "motion": "act"}], "stay level"),
    ([{"kind": "set_ground", "motion": "act", "path": "M0 0 L10 0 L5 5"}], "turns back"),
    ([{"kind": "set_ground", "motion": "act", "path": "fill:none"}], "no path"),
    ([{"kind": "set_ground", "motion": "act", "path": "M0 0 h1e9"}], "too far"),
    ([{"kind": "set_ground", "motion": "act", "path": "M0 0 h10 M0 5 h10"}], "several"),
    ([{"kind": "set_ground", "motion": "act", "path": "M0 0 h10 v-5 h30"}, ], "upright"),
    ([{"kind": "set_ground", "motion": "act", "points": [(0, 0), (50, -9)]},
      {"kind": "set_motion", "motion": "act", "loop": True}, {"kind": "walk", "motion": "act"}], "not even"),
    ([{"kind": "lift_reach", "reach": "near foot"}, {"kind": "lift_reach", "reach": "far foot"},
      {"kind": "walk", "motion": "act"}], "lay a reach"),
])  # fmt: skip
def test_what_cannot_step_is_said(walker, edits, why):
    figure, stores = walker
    with pytest.raises(EditRefused, match=why):
        edited(figure, stores, *edits)


def test_curves_of_a_path_become_short_pieces():
    spots = np.array(ground_of_path("M0 0 C0 -40 100 -40 100 0"))
    t = np.linspace(0, 1, 13)
    np.testing.assert_allclose(spots[:, 1], -120 * t * (1 - t), atol=1e-9)  # the cubic by its definition
    assert Footing([], None, Ground(ground_of_path("M100 0 L0 5")), []).ground.at(0.0) == 5.0


def test_legs_step_live_behind_a_body_that_is_dragged_and_stand_when_it_is_let_go_of(walker):
    figure, stores = walker
    rig = compile_rig(figure, stores)
    root = figure.bones[0].id
    live = LiveSteps(compile_rig(figure, stores), stores, Pose(), 0.0)
    soles, stood, moved = soles_of(rig, stores), {}, []
    for k in range(160):
        now = k + 0.3 * (k % 3)  # moments that are not even
        body = Pose(channels={f"{root}.move.x": 5.0 * min(max(k - 5, 0), 70)})
        rig.evaluate(body.merged(live.at(body, now)))
        assert len(in_the_air(live.footing.steps, live.footing.legs, now)) <= 1
        for leg, one in enumerate(live.footing.legs):
            spot = carried(rig, {one.foot: soles[one.foot]})[0]
            step = live.footing._step_at(leg, now)
            place = None if step is not None and step.lands > now else (leg, None if step is None else step.end)
            if place is not None and stood.get(leg, (None, None))[0] == place:
                moved.append(float(np.abs(spot - stood[leg][1]).max()))
            stood[leg] = place, spot
    assert len(moved) > 100
    assert max(moved) <= 0.05
    for leg, one in enumerate(live.footing.legs):
        assert live.walker.places[leg] == pytest.approx(one.home[0] + 350, abs=8)
    assert live.at(body, 1e9).channels  # however long nothing came


def test_live_steps_are_the_same_however_often_they_are_asked_for_while_the_body_goes_evenly(walker):
    figure, stores = walker
    root, ends = figure.bones[0].id, []
    for apart in (0.5, 1.0, 2.0):
        live = LiveSteps(compile_rig(figure, stores), stores, Pose(), 0.0)
        for now in np.arange(apart, 120 + apart / 2, apart):
            live.at(Pose(channels={f"{root}.move.x": 6.0 * float(now)}), float(now))
        ends.append([place - 6.0 * 120 for place in live.walker.places])
    assert np.ptp(np.array(ends), axis=0).max() < 60  # px: no more than a stride's half apart


@pytest.mark.parametrize("path", ["", "M-200 0 H60 L80 -16 H130 L150 0 H900"])
def test_a_walk_that_is_laid_again_is_the_same_and_not_one_on_top_of_the_other(walker, path):
    figure, stores = walker
    figure = edited(figure, stores, {"kind": "set_ground", "motion": "act", "path": path})
    walk = {"kind": "walk", "motion": "act", "first": 5, "last": 85, "speed": 5}
    once = edited(figure, stores, walk)
    wider = edited(once, stores, {"kind": "set_stepper", "stride": 0.8}, walk, {"kind": "set_stepper", "stride": 0.5})
    again = edited(wider, stores, walk)
    rows = [{one.channel: (one.at, np.array(one.values)) for one in each.motions[0].tracks} for each in (once, again)]
    assert rows[0].keys() == rows[1].keys()
    for channel, (at_frames, values) in rows[0].items():
        if channel.endswith("move.x"):
            continue
        np.testing.assert_allclose(rows[1][channel][0], at_frames, atol=1e-6)
        np.testing.assert_allclose(rows[1][channel][1], values, atol=1e-6)
    assert once.motions[0].marks == again.motions[0].marks


@pytest.mark.parametrize(
    ("edit", "why"),
    [
        ({"kind": "make_motion", "frames": 0}, "frames is at least 1"),
        ({"kind": "make_motion", "frames": 100_000}, "frames is at most 20,000"),
        ({"kind": "make_motion", "frames": "many"}, "frames is a whole number"),
        ({"kind": "make_motion", "name": "a" * 900}, "at most 80 letters"),
        ({"kind": "walk"}, "motion is missing"),
        ({"kind": "walk", "motion": "act", "speed": float("nan")}, "speed is a finite number"),
        ({"kind": "set_stepper", "sets": "hopping"}, "sets is one of 'alternate', 'wave' or 'pairs'"),
    ],
)
def test_what_an_edit_says_wrongly_is_told_in_a_sentence(walker, edit, why):
    with pytest.raises(EditRefused, match=why):
        apply_edit(edit, *walker)
