"""Strangers' figures the whole way: import, bones, binding, treating, and the painted joints held against the truth.

One of every plan, by other seeds than those looked at while building; `STRANGERS=SEED` in the environment takes others,
`./run bench --strangers N` any number. What is asked of all together is asked of these few with the room few need.
"""

from __future__ import annotations

import os

import pytest

from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.edit import apply_edit
from kunstgriff.trial.feet import foot_faults, soles_of
from kunstgriff.trial.motion import motion_named
from tests.strangers.artist import Stranger
from tests.strangers.plans import PLANS, stranger
from tests.strangers.way import Way, rigged, walk

FIRST = 8 * (int(os.environ.get("STRANGERS", 9_000)) // 8)  # a multiple of the plans: the first has the first plan


def joints_of(one: Stranger, most: int = 4) -> Stranger:
    """The stranger with only some of its joints looked at, two pieces and bends by turns."""
    pairs, bends = ([joint for joint in one.joints if joint.two_piece == two] for two in (True, False))
    one.joints = [joint for both in zip(pairs, bends, strict=False) for joint in both][:most] or one.joints[:most]
    return one


def told(way: Way) -> str:
    bad = [f"{row.joint} {row.angle:.0f}°: {row.found}, told {row.told}" for row in way.tried if not row.clean]
    return f"seed {way.one.seed}, {way.one.plan}: {way.error or '; '.join([*way.parts_wrong, *bad])}"


@pytest.mark.parametrize("number", range(len(PLANS)), ids=list(PLANS))
def test_a_stranger_of_every_plan_goes_the_whole_way(number):
    one = joints_of(stranger(FIRST + number))
    way = walk(one, bones={joint.bone for joint in one.joints})
    assert not way.error, told(way)
    assert not way.parts_wrong, told(way)
    assert way.seams == way.seams_due, told(way)
    assert way.clean >= 0.9 * len(way.tried), told(way)
    assert way.blind <= max(0.05 * len(way.tried), 1), told(way)


@pytest.mark.parametrize(("plan", "seed"), [("crooked", FIRST + 3), ("ringed", FIRST + 1)])
def test_crooked_limbs_and_combs_of_hair_go_it_too(plan, seed):
    one = joints_of(stranger(seed, plan), 6)
    way = walk(one, bones={joint.bone for joint in one.joints})
    assert not way.error, told(way)
    assert not way.parts_wrong, told(way)
    assert way.clean >= 0.8 * len(way.tried), told(way)


@pytest.mark.parametrize("plan", ["biped side", "quadruped", "six legs", "bird"])
def test_a_stranger_with_legs_runs_the_course_and_no_sole_slides_or_sinks(plan):
    figure, stores = rigged(stranger(FIRST + list(PLANS).index(plan)))
    legs = [chain.name for chain in stranger(FIRST + list(PLANS).index(plan)).chains if "leg" in chain.name]
    if plan != "quadruped":  # there reaches are laid on its legs by the course itself
        for leg in legs:
            lay = {"kind": "lay_reach", "tip": f"{leg} 2", "name": f"{leg} foot", "foot": f"{leg} 3"}
            figure = apply_edit(lay, figure, stores)
    figure = apply_edit({"kind": "make_course"}, figure, stores)
    rig = compile_rig(figure, stores)
    assert len(soles_of(rig, stores)) == len(legs)
    assert not foot_faults(rig, motion_named(figure, "course"), stores)
    downs = [mark for mark in figure.motions[0].marks if mark.words.endswith("down")]
    assert len(downs) >= 8
