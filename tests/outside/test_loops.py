"""Loops that close: the state from which a cycle leads back to itself, held against waiting for it."""

from __future__ import annotations

import numpy as np
import pytest

from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.follow import Blow, Cut, OwnCycle, Wind
from kunstgriff.trial.keys import KeyedMotion
from kunstgriff.trial.motion import Playback, motion_named
from tests.art import edited


@pytest.fixture(scope="module")
def nodding(calm):
    """Pell nods in a loop of 32 frames."""
    figure, stores = calm
    figure = edited(
        figure, stores, {"kind": "make_motion", "name": "nod", "frames": 32, "loop": True},
        {"kind": "set_keys", "motion": "nod", "at": 0, "pose": {"head.turn": 0}},
        {"kind": "set_keys", "motion": "nod", "at": 10, "pose": {"head.turn": 14}},
        {"kind": "set_keys", "motion": "nod", "at": 20, "pose": {"head.turn": -9}},
    )  # fmt: skip
    return figure, stores


def playback(figure, stores, name="nod", **changes):
    if changes:
        motion = figure.motions[-1].model_copy(update=changes)
        figure = figure.replace(motions=(*figure.motions[:-1], motion))
    return Playback(compile_rig(figure, stores), motion_named(figure, name))


def places(one, numbers):
    return [one.frame(number).vertices.copy() for number in numbers]


@pytest.mark.parametrize("windy", [False, True])
def test_a_loop_begins_where_it_ends_and_is_what_waiting_comes_to(nodding, windy):
    figure, stores = nodding
    if windy:
        springs = tuple(one.model_copy(update={"air": 2.0}) for one in figure.springs)
        figure = figure.replace(wind=Wind(id="w900", strength=300), springs=springs)
    one = playback(figure, stores)
    first = places(one, [0])[0]
    assert one.open_by < 1e-3
    motion = KeyedMotion(figure.motions[-1])
    rig = compile_rig(figure, stores)
    simulation = one.simulation.__class__(rig, period=motion.seconds if windy else None)
    cycle = motion.course(rig.program, np.arange(1, 321) % 320 / 240)
    simulation.step(cycle[-1:])
    for _ in range(30):  # 40 s
        simulation.steps = 1
        simulation.step(cycle)
    waited = rig.evaluate().vertices
    assert np.abs(first - waited).max() < 0.02
    again = one.simulation
    again.steps = 1
    again.step(one.motion.course(one.rig.program, np.arange(1, 321) % 320 / 240))
    assert np.abs(one.rig.evaluate().vertices - first).max() < 1e-3


def test_a_frame_is_the_same_however_one_comes_to_it(nodding):
    figure, stores = nodding
    straight = places(playback(figure, stores), range(32))
    one = playback(figure, stores)
    for number in (20, 3, 31, 30, 0, 13, 14):
        assert np.array_equal(places(one, [number])[0], straight[number])


def test_after_a_cut_springs_begin_anew_and_a_blow_knocks_them(nodding):
    figure, stores = nodding
    free = places(playback(figure, stores, loop=False), range(32))
    cut = places(playback(figure, stores, loop=False, cuts=(Cut(at=10, settled=False),)), range(32))
    assert np.array_equal(cut[9], free[9])
    held = compile_rig(figure.replace(springs=()), stores)
    at_ten = KeyedMotion(figure.motions[-1]).course(held.program, np.array([10 / 24]))[0]
    held.values[:] = at_ten
    held.program.drive(held.values[None])
    assert np.abs(cut[10] - held.evaluate().vertices).max() < 0.5, "as the pose has everything"
    knocked = places(playback(figure, stores, loop=False, blows=(Blow(at=10, way=(600, 0)),)), range(32))
    assert np.array_equal(knocked[10], free[10])
    assert np.abs(knocked[14] - free[14]).max() > 2


def test_a_chain_with_a_cycle_of_its_own_goes_round_by_its_own_clock(calm):
    figure, stores = calm
    spring = figure.springs[0]
    springs = (spring.model_copy(update={"cycle": OwnCycle(frames=12, degrees=20)}), *figure.springs[1:])
    figure = figure.replace(springs=springs)
    figure = edited(figure, stores, {"kind": "make_motion", "name": "still", "frames": 36, "loop": True})
    one = playback(figure, stores, "still")
    frames = places(one, (0, 12, 24, 6))
    assert one.open_by < 1e-3
    assert np.abs(frames[1] - frames[0]).max() < 1e-2
    assert np.abs(frames[2] - frames[0]).max() < 1e-2
    assert np.abs(frames[3] - frames[0]).max() > 2
