"""Jelly against SciPy's solver for a mass on a damped spring whose foot is moved, and what any lump keeps."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from kunstgriff.delivery.deliver import DeliveryOrder, deliver
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.pose import Pose
from kunstgriff.follow.looping import settle_into_loop
from kunstgriff.follow.spring import Simulation
from kunstgriff.trial.live_springs import LiveSprings
from kunstgriff.trial.motion import motion_named, motions_of, play
from tests.art import at, capsule, drawn, edited, figure_of

HERTZ, RATIO = 2.0, 0.12


def belly(rim: bool = True, frequency: float = HERTZ, size: int = 4):
    """A lump on a bone, in a lattice that is jelly."""
    figure, stores = figure_of({"belly": drawn(capsule((120, 200), (280, 200), 60, 4))})
    return edited(
        figure, stores, {"kind": "draw_chain", "name": "hips", "joints": at(figure, (200, 300), (200, 100))},
        {"kind": "bind_rigid", "parts": ["belly"], "bone": "hips"},
        {"kind": "lay_lattice", "parts": ["belly"], "name": "lump", "columns": size, "rows": size},
        {"kind": "set_lattice", "warp": "lump", "bone": "hips"},
        {"kind": "set_jelly", "warp": "lump", "frequency": frequency, "damping_ratio": RATIO, "rim": rim},
    ), stores  # fmt: skip


def moved(rig, name: str, values):
    rows = np.tile(rig.program.channels.rest, (len(values), 1))
    rows[:, rig.program.channels.index[f"{rig.program.figure.bones[0].id}.{name}"]] = values
    return rows


def area(points, size: int = 4):
    grid = points.reshape(size, size, 2)
    ring = np.concatenate([grid[0], grid[1:, -1], grid[-1, -2::-1], grid[-2:0:-1, 0]])
    x, y = ring.T
    return 0.5 * abs(x @ np.roll(y, -1) - np.roll(x, -1) @ y)


def test_a_handle_is_off_its_place_as_scipy_has_it_for_a_foot_that_is_moved():
    figure, stores = belly()
    rig = compile_rig(figure, stores)
    simulation, times = Simulation(rig), np.arange(480) / 240
    sway, speed = 6.0, 9.0
    simulation.begin(moved(rig, "move.x", [0.0])[0])
    seen = []
    for x in sway * (1 - np.cos(speed * times[1:])):
        simulation.step(moved(rig, "move.x", [x]))
        seen.append(simulation.jelly.off[simulation.jelly.free > 0, 0].copy())
    omega = 2 * np.pi * HERTZ
    found = solve_ivp(
        lambda t, u: (u[1], -(omega**2) * u[0] - 2 * RATIO * omega * u[1] - sway * speed**2 * np.cos(speed * t)),
        (0, 2), (0, 0), t_eval=times[1:], rtol=1e-9, atol=1e-9,
    ).y[0]  # fmt: skip
    most = np.abs(found).max()
    assert most > 4
    # common mechanics: all handles within a held rim hang on like springs
    np.testing.assert_allclose(np.array(seen), np.repeat(found[:, None], 4, 1), atol=0.02 * most)


@pytest.mark.parametrize("rate", [12, 60])
def test_jelly_is_the_same_at_any_frame_rate(rate):
    figure, stores = belly()
    ends = []
    for frames in (24, rate):
        rig = compile_rig(figure, stores)
        simulation = Simulation(rig, rate=frames)
        simulation.begin(moved(rig, "move.y", [0.0])[0])
        count = round(1 / simulation.h)
        simulation.step(moved(rig, "move.y", 20 * np.sin(np.arange(1, count + 1) / count * 7)))
        ends.append(simulation.jelly.off.copy())
    assert np.abs(ends[0]).max() > 0.5
    np.testing.assert_allclose(ends[0], ends[1], atol=0.05)


def test_a_lump_without_a_rim_keeps_its_area_within_two_per_cent_however_it_is_shaken():
    figure, stores = belly(rim=False)
    rig = compile_rig(figure, stores)
    simulation, drawn_as = Simulation(rig), area(np.array([one.place for one in figure.warps[0].handles]))
    simulation.begin(moved(rig, "turn", [0.0])[0])
    areas, offs = [], []
    for k in range(300):
        simulation.step(moved(rig, "turn", 50 * np.sin(np.arange(10 * k, 10 * k + 10) / 25)))
        areas.append(area(rig.evaluate().handles) / drawn_as)
        offs.append(np.abs(simulation.jelly.off).max())
    assert max(offs) > 8
    assert np.abs(np.array(areas) - 1).max() < 0.02


def test_a_rim_is_held_and_the_art_within_comes_along():
    figure, stores = belly()
    rig, still = (compile_rig(figure, stores) for _ in range(2))
    simulation = Simulation(rig)
    simulation.begin(moved(rig, "move.x", [0.0])[0])
    simulation.step(moved(rig, "move.x", np.linspace(0, 90, 12)))
    bone = figure.bones[0].id
    with_jelly = rig.evaluate().vertices.copy()
    plain = still.evaluate(Pose(channels={f"{bone}.move.x": 90.0})).vertices
    away = np.abs(with_jelly - plain).max(1)
    assert away.max() > 5
    block = rig.program.blocks[figure.parts[0].id]
    middle = np.abs(rig.program.rest - np.array(rig.program.rest).mean(0)).max(1) < 20
    assert away[middle].min() > 2
    assert block.count == len(away)
    assert np.abs(with_jelly[:, 0] - plain[:, 0]).min() < 1.0, "the edge stays where its neighbours are"


def test_its_loop_closes_and_it_comes_to_rest():
    figure, stores = belly(rim=False)
    rig = compile_rig(figure, stores)
    simulation = Simulation(rig)
    steps = np.arange(1, 241) % 240
    assert settle_into_loop(simulation, moved(rig, "move.y", 25 * np.sin(2 * np.pi * steps / 240))) < 1e-3
    live = LiveSprings(compile_rig(figure, stores), Pose(), 0.0)
    bone = figure.bones[0].id
    assert live.at(Pose(channels={f"{bone}.move.x": 30.0}), 0.1)
    moves = [live.at(Pose(channels={f"{bone}.move.x": 30.0}), 0.1 + 0.25 * k) for k in range(1, 60)]
    assert not moves[-1]


def test_what_cannot_be_jelly_is_refused_and_jelly_ends():
    figure, stores = belly()
    assert figure.warps[0].jelly is not None
    assert "hop" in [one.name for one in motions_of(figure)], "there is something to try it on"
    assert edited(figure, stores, {"kind": "set_jelly", "warp": "lump", "frequency": None}).warps[0].jelly is None
    small = edited(figure, stores, {"kind": "set_lattice", "warp": "lump", "columns": 2, "rows": 2})
    with pytest.raises(EditRefused, match="lie at its rim"):
        edited(small, stores, {"kind": "set_jelly", "warp": "lump"})
    with pytest.raises(EditRefused):
        edited(figure, stores, {"kind": "set_jelly", "warp": "lump", "frequency": 0})
    with pytest.raises(EditRefused):
        edited(figure, stores, {"kind": "set_jelly", "warp": "hips"})


def test_a_picture_of_it_moves_and_gltf_says_that_it_does_not(tmp_path):
    figure, stores = belly()
    bone = figure.bones[0].id
    keys = [
        {"kind": "set_keys", "motion": "act", "at": at_frame, "pose": {f"{bone}.move.x": x}, "way": "linear"}
        for at_frame, x in ((0, 0), (6, 60), (12, 60))
    ]
    figure = edited(figure, stores, {"kind": "make_motion", "name": "act", "frames": 20}, *keys)
    order = DeliveryOrder(figure, stores, motion=motion_named(figure, "act"))
    assert any("lump wobbles" in one for one in deliver(tmp_path / "belly.glb", order))
    seen = [frame.vertices.copy() for frame in play(compile_rig(figure, stores), order.motion)]
    assert np.abs(seen[13] - seen[19]).max() > 1, "it wobbles on while its bone is still"
