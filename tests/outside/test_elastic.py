"""Links that give along themselves, against the elastic rod of the textbooks."""

from __future__ import annotations

import numpy as np
import pytest

from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.edit import EditRefused
from kunstgriff.follow.spring import Simulation, moments
from kunstgriff.trial.motion import Playback, motion_named, play
from tests.art import capsule, drawn, edited, figure_of

LONG, GRAVITY = 200.0, 900.0


def hung(**said):
    """A rod 200 px long that hangs on a short bone, firm enough to stay straight."""
    figure, stores = figure_of({"rod": drawn(capsule((200, 100), (200, 300), 20, 4))})
    spring = {"kind": "set_spring", "bone": "hold 2", "frequency": 12, "damping_ratio": 0.05, "gravity": GRAVITY}
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "hold", "joints": [[0, -300], [0, -220], [0, -20]]},
        {"kind": "bind_rigid", "parts": ["rod"], "bone": "hold 2"}, spring | {"stretch": 0.9, "bounce": 3.0} | said,
    )  # fmt: skip
    return figure, stores


def strains(rig, seconds, turned=0.0, moved=lambda t: 0.0):
    """How much longer the rod would get frame by frame, without its limit, posed so from the beginning."""
    simulation, channels, found = Simulation(rig), rig.program.channels, []
    for times in moments(int(24 * seconds), 24):
        values = np.tile(channels.rest, (len(times), 1))
        values[:, channels.index[f"{rig.program.figure.bones[0].id}.turn"]] = turned
        values[:, channels.index[f"{rig.program.figure.bones[0].id}.move.y"]] = [moved(t) for t in times]
        simulation.step(values)
        found.append(float(simulation.elastic.off[next(iter(simulation.runs))]))
    return np.array(found)


def test_a_rod_turned_upside_down_is_shorter_by_what_its_weight_makes_of_an_elastic_rod():
    # strength of materials: a rod that hangs gets longer by ρ g L² / 2E; √(E/ρ) = 2 L ω / π of its slowest mode
    rig = compile_rig(*hung(damping_ratio=0.6))
    speed = 2 * LONG * (2 * np.pi * 3.0) / np.pi
    longer = GRAVITY * LONG / (2 * speed**2)
    assert strains(rig, 0.5) == pytest.approx(np.zeros(12), abs=1e-12)  # as it is drawn
    assert strains(rig, 4, turned=180.0)[-1] == pytest.approx(-2 * longer, rel=1e-3)
    assert strains(rig, 4, turned=90.0)[-1] == pytest.approx(-longer, rel=0.06)  # it sags a little, too


@pytest.mark.parametrize("share", [0.25, 0.5])
def test_a_rod_shaken_along_itself_gives_as_the_wave_in_it_has_it(share):
    # the standing wave in a rod whose foot goes A sin Ωt: its end goes A / cos(ΩL/c) (any textbook of vibrations)
    rig, most = compile_rig(*hung(gravity=0.0)), 6.0
    omega = 2 * np.pi * 3.0
    seen = strains(rig, 14, moved=lambda t: most * np.sin(share * omega * t))[-96:]
    expected = most * (1 / np.cos(share * np.pi / 2) - 1) / LONG
    assert np.abs(seen).max() == pytest.approx(expected, rel=0.02)


def test_what_gets_longer_gets_narrower_by_as_much_and_no_longer_than_it_may():
    for squash in (0.0, 0.5, 1.0):
        figure, stores = hung(squash=squash, stretch=0.2, bounce=1.0)
        rig = compile_rig(figure, stores)
        strains(rig, 3, moved=lambda t: 60 * np.sin(6 * t))
        along, across = rig.stretch[1]
        assert along != pytest.approx(1.0, abs=0.02)
        assert 0.8 < along < 1.2
        assert across == pytest.approx(along**-squash)
        assert rig.stretch[0].tolist() == [1.0, 1.0]


def shaken(figure, stores):
    keys = [{"kind": "set_keys", "motion": "hop", "at": at, "pose": {"hold.move.y": y}} for at, y in ((0, 0), (6, -90), (12, 0))]  # fmt: skip
    return edited(figure, stores, {"kind": "make_motion", "name": "hop", "frames": 30}, *keys)


def test_frames_are_the_same_from_wherever_one_comes_and_a_loop_closes():
    figure, stores = hung(stretch=0.3)
    figure = shaken(figure, stores)
    rig, motion = compile_rig(figure, stores), motion_named(figure, "hop")
    one_by_one = [frame.vertices.copy() for frame in play(rig, motion)]
    assert max(float(np.ptp(some[:, 1])) for some in one_by_one) > 1.02 * float(np.ptp(one_by_one[0][:, 1]))
    playback = Playback(compile_rig(figure, stores), motion)
    for frame in (27, 3, 19, 12, 12):
        playback.go_to(frame)
        np.testing.assert_array_equal(playback.rig.evaluate().vertices, one_by_one[frame])
    looped = edited(figure, stores, {"kind": "set_motion", "motion": "hop", "loop": True})
    around = Playback(compile_rig(looped, stores), motion_named(looped, "hop"))
    around.go_to(29)
    state = around.simulation.elastic.off.copy()
    assert around.open_by < 0.001
    assert np.abs(state).max() > 1e-4


def test_what_gives_is_baked_within_the_error_and_gives_again_when_keys_are_taken_off():
    figure, stores = hung(stretch=0.3)
    figure = shaken(figure, stores)
    baked = edited(figure, stores, {"kind": "bake_springs", "motion": "hop", "error": 1.0})
    assert {one.channel.split(".", 1)[1] for one in baked.motions[0].tracks if one.channel.startswith(figure.bones[1].id)} == {"turn", "stretch.along", "stretch.across"}  # fmt: skip
    for one, other in zip(*(play(compile_rig(each, stores), motion_named(each, "hop")) for each in (figure, baked)), strict=True):  # fmt: skip
        assert np.abs(one.vertices - other.vertices).max() < 1.5
    lifted = edited(baked, stores, {"kind": "lift_baked", "motion": "hop"})
    assert lifted.motions == figure.motions


@pytest.mark.parametrize("said", [{"stretch": 1.5}, {"stretch": -0.1}, {"bounce": 0}, {"squash": 2}, {"stretch": float("nan")}])  # fmt: skip
def test_what_no_rod_does_is_refused(said):
    with pytest.raises(EditRefused):
        hung(**said)
