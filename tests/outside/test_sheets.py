"""Chains tied across as cloth: what holds for any cloth that gives so much and no more (mechanics of constraints)."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest

from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.follow import Collider
from kunstgriff.follow.spring import Simulation
from tests.art import capsule, drawn, edited, figure_of

APART, LONG, RODS, GIVE = 60.0, 40.0, 5, 0.05


def strips(count: int, tie: bool = True, give: float = GIVE, rods=None):
    """A bar with so many chains side by side under it."""
    figure, stores = figure_of({"bar": drawn(capsule((50, 50), (350, 50), 10, 2))})
    edits = [{"kind": "draw_chain", "name": "bar", "joints": [[0, -400], [0, -300]]}]
    names = [f"strip {k + 1}" for k in range(count)]
    for k, name in enumerate(names):
        joints = [[APART * k, -300 + LONG * link] for link in range((rods or [RODS] * count)[k] + 1)]
        edits.append({"kind": "draw_chain", "name": name, "parent": "bar", "joints": joints})
        edits.append({"kind": "set_spring", "bone": name, "frequency": 1.2, "damping_ratio": 0.08, "gravity": 980})
    if tie:
        edits.append({"kind": "tie_chains", "bones": names[::-1], "give": give})
    return edited(figure, stores, *edits), stores


def ends(simulation, rig):
    """Where the joints of each chain are now, (chains, rods + 1, 2)."""
    found = []
    for run in simulation.runs.values():
        rows = list(run.bones)
        tips = rig.program.skeleton.tips[rows[-1:]]
        places = [rig.program.skeleton.joints[rows], tips]
        m = rig.matrices[[*rows, rows[-1]]]
        x, y = np.vstack(places).T
        found.append(np.stack([m[:, 0] * x + m[:, 2] * y + m[:, 4], m[:, 1] * x + m[:, 3] * y + m[:, 5]], -1))
    return np.array(found)


def shaken(figure, stores, frames, knocked=None, sway=0.0):
    """The chains over frames (f, chains, rods + 1, 2), one of them knocked, or what they hang on swaying."""
    rig = compile_rig(figure, stores)
    simulation, seen = Simulation(rig), []
    place = rig.program.channels.index[f"{figure.bones[0].id}.move.x"]
    for frame in range(frames):
        rows = np.tile(rig.program.channels.rest, (10, 1))
        rows[:, place] = sway * np.sin((10 * frame + np.arange(10)) / 35)
        simulation.step(rows)
        if frame == 0 and knocked is not None:
            simulation.knock((900.0, 0.0), figure.springs[knocked].id)
        rig.evaluate()
        seen.append(ends(simulation, rig))
    return np.array(seen)


def test_cloth_gives_so_much_and_no_more_wherever_one_of_its_strips_is_knocked():
    figure, stores = strips(4)
    apart = np.hypot(*np.moveaxis(np.diff(shaken(figure, stores, 60, knocked=0), axis=1), -1, 0))
    assert apart.max() < APART * (1 + GIVE) + 1
    assert apart.min() > APART * (1 - GIVE) - 1
    moved = shaken(figure, stores, 60, knocked=0)[:, 3, -1, 0]
    assert np.ptp(moved) > 20, "the farthest strip comes along"
    loose, _ = strips(4, tie=False)
    assert np.ptp(shaken(loose, stores, 60, knocked=0)[:, 3, -1, 0]) < 1e-6


def test_strips_that_all_do_the_same_swing_as_each_would_by_itself():
    figure, stores = strips(3)
    together = shaken(figure, stores, 40, sway=40)
    alone = shaken(*strips(3, tie=False), 40, sway=40)
    np.testing.assert_allclose(together, alone, atol=1e-6)


def test_a_knock_dies_away_and_the_cloth_hangs_as_it_was_drawn():
    figure, stores = strips(4)
    seen = shaken(figure, stores, 300, knocked=1)
    swings = [np.ptp(seen[first : first + 48, :, -1, 0], axis=0).max() for first in range(0, 288, 48)]
    assert all(later < before for before, later in pairwise(swings)), "no strength from nowhere"
    np.testing.assert_allclose(seen[-1], seen[0], atol=2)


def test_strips_of_unlike_length_are_tied_where_they_are_as_far_along():
    figure, stores = strips(3, rods=[6, 3, 6])
    rig = compile_rig(figure, stores)
    simulation = Simulation(rig)
    for number in range(len(simulation.ties.rest)):
        counts = simulation.bodies.counts[simulation.ties.chains[number]]
        along = (simulation.ties.links[number] + 1) / counts
        assert along[0] == pytest.approx(along[1], abs=0.17)


def test_what_stands_in_the_way_holds_cloth_up_too():
    figure, stores = strips(4)
    post = Collider(id="c9", name="post", bone=figure.bones[0].id, start=(230, -200), end=(230, -200), radius=20)
    figure = figure.replace(colliders=(post,))
    seen = shaken(figure, stores, 60, knocked=0)
    rods = seen[:, :, :-1], seen[:, :, 1:]
    along = np.clip(((np.array([230, -200]) - rods[0]) * (rods[1] - rods[0])).sum(-1) / LONG**2, 0, 1)[..., None]
    away = np.hypot(*np.moveaxis(rods[0] + along * (rods[1] - rods[0]) - np.array([230, -200]), -1, 0))
    assert away.min() > 20 - 0.5


def test_what_cannot_be_tied_is_refused_and_chains_are_untied_and_forgotten_with_their_bones():
    figure, stores = strips(3)
    tied = {one.bones[0]: one.tied for one in figure.springs}
    roots = [one.bones[0] for one in figure.springs]
    # side by side, whatever order they are told in
    assert [tied[ref] for ref in roots] == [(roots[1],), (roots[2],), ()]
    with pytest.raises(EditRefused, match="at least"):
        edited(figure, stores, {"kind": "tie_chains", "bones": ["strip 1"]})
    with pytest.raises(EditRefused, match="not springy"):
        edited(figure, stores, {"kind": "tie_chains", "bones": ["bar", "strip 1"]})
    joints = [[60 * k, -300 + 200] for k in (2, 3)]
    fringe = {"kind": "draw_chain", "name": "fringe", "parent": "strip 3 2", "joints": joints}
    fringed = edited(figure, stores, fringe, {"kind": "set_spring", "bone": "fringe"})
    with pytest.raises(EditRefused, match="side by side"):
        edited(fringed, stores, {"kind": "tie_chains", "bones": ["strip 1", "fringe"]})
    loose = edited(figure, stores, {"kind": "untie_chains", "bones": ["strip 2"]})
    assert [one.tied for one in loose.springs] == [(), (), ()]
    with pytest.raises(EditRefused, match="tied to nothing"):
        edited(loose, stores, {"kind": "untie_chains", "bones": ["strip 2"]})
    gone = edited(figure, stores, {"kind": "delete_bones", "bones": [roots[1]]})
    assert all(roots[1] not in one.tied for one in gone.springs)
