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
from kunstgriff.reading.following import read_following
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


def cheek(**said):
    """A lump on a bone with two tacks: one goes with the bone, one by half with another that hangs on it."""
    figure, stores = figure_of({"face": drawn(capsule((120, 200), (280, 200), 60, 4))})
    hips, jaw = at(figure, (200, 300), (200, 150)), at(figure, (200, 150), (200, 60))
    left, right = at(figure, (140, 200), (260, 200))
    return edited(
        figure, stores, {"kind": "draw_chain", "name": "skull", "joints": hips},
        {"kind": "draw_chain", "name": "jaw", "parent": "skull", "joints": jaw},
        {"kind": "bind_rigid", "parts": ["face"], "bone": "skull"},
        *({"kind": "set_tack", "part": "face", "at": place, "name": name} for name, place in (("left", left), ("right", right))),
        {"kind": "set_jelly", "warp": "face", "frequency": HERTZ, "damping_ratio": RATIO} | said,
    ), stores  # fmt: skip


def test_tacks_swing_as_scipy_has_it_and_what_they_hold_comes_along():
    figure, stores = cheek()
    rig, times = compile_rig(figure, stores), np.arange(360) / 240
    simulation, sway, speed, seen = Simulation(rig), 6.0, 9.0, []
    simulation.begin(moved(rig, "move.x", [0.0])[0])
    for x in sway * (1 - np.cos(speed * times[1:])):
        simulation.step(moved(rig, "move.x", [x]))
        seen.append(simulation.jelly.off[:, 0].copy())
    omega = 2 * np.pi * HERTZ
    found = solve_ivp(
        lambda t, u: (u[1], -(omega**2) * u[0] - 2 * RATIO * omega * u[1] - sway * speed**2 * np.cos(speed * t)),
        (0, 2), (0, 0), t_eval=times[1:], rtol=1e-9, atol=1e-9,
    ).y[0]  # fmt: skip
    np.testing.assert_allclose(np.array(seen), np.repeat(found[:, None], 2, 1), atol=0.02 * np.abs(found).max())
    off = simulation.jelly.off[0]
    still = compile_rig(figure, stores).evaluate(Pose(channels={f"{figure.bones[0].id}.move.x": float(x)})).vertices
    shown = (rig.evaluate().vertices - still).mean(0)
    np.testing.assert_allclose(shown, off, atol=0.15 * np.abs(off).max())  # two tacks alike carry the whole part


def test_a_tack_that_goes_by_half_with_another_bone_is_moved_by_half_of_it():
    figure, stores = cheek()
    tack = figure.warps[0].handles[1]
    tied = edited(figure, stores, {"kind": "tie_handles", "handles": [tack.id], "bone": "jaw", "share": 0.5})  # fmt: skip
    assert tied.warps[0].handles[1].ties[0].share == 0.5
    rig = compile_rig(tied, stores)
    simulation = Simulation(rig)
    rest = rig.program.channels.rest
    values = np.tile(rest, (3, 1))
    values[:, rig.program.channels.index[f"{tied.bones[1].id}.move.y"]] = 20.0
    simulation.begin(rest)
    simulation.step(values[:1])
    assert simulation.jelly.now[1] - np.array(tack.place) == pytest.approx([0, 10])
    assert simulation.jelly.now[0] == pytest.approx(figure.warps[0].handles[0].place)


def test_a_firm_tack_does_not_swing_and_the_other_one_does():
    figure, stores = cheek()
    figure = edited(figure, stores, {"kind": "change_tacks", "handles": ["face left"], "firm": True})
    rig = compile_rig(figure, stores)
    simulation = Simulation(rig)
    simulation.begin(moved(rig, "move.y", [0.0])[0])
    simulation.step(moved(rig, "move.y", np.linspace(0, 40, 20)))
    held, swings = np.abs(simulation.jelly.off).max(1)
    assert held == 0
    assert swings > 5


def hopping(figure, stores):
    keys = [
        {"kind": "set_keys", "motion": "act", "at": at_frame, "pose": {f"{figure.bones[0].name}.move.y": y}}
        for at_frame, y in ((0, 0), (5, -50), (10, 0))
    ]
    return edited(figure, stores, {"kind": "make_motion", "name": "act", "frames": 30}, *keys)


@pytest.mark.parametrize("make", [belly, cheek])
def test_jelly_is_baked_to_keys_within_the_error_and_wobbles_again_without_them(make):
    figure, stores = make()
    figure = hopping(figure, stores)
    baked = edited(figure, stores, {"kind": "bake_springs", "motion": "act", "error": 0.5})
    assert f"{figure.warps[0].id}.swings" in [one.channel for one in baked.motions[0].tracks]
    played = [list(play(compile_rig(one, stores), motion_named(one, "act"))) for one in (figure, baked)]
    for one, other in zip(*played, strict=True):
        assert np.abs(one.vertices - other.vertices).max() < 0.6
    assert edited(baked, stores, {"kind": "lift_baked", "motion": "act", "warps": [figure.warps[0].name]}).motions == figure.motions  # fmt: skip
    with pytest.raises(EditRefused, match="There is no warp"):
        edited(figure, stores, {"kind": "bake_springs", "motion": "act", "warps": ["spleen"]})


def test_by_no_share_it_lies_still_and_by_half_half_of_it_shows():
    figure, stores = belly()
    figure = hopping(figure, stores)
    off = []
    for share in (0.0, 0.5, 1.0):
        held = edited(figure, stores, {"kind": "set_keys", "motion": "act", "at": 0, "pose": {"lump.swings": share}})
        off.append(np.array([frame.handles.copy() for frame in play(compile_rig(held, stores), motion_named(held, "act"))]))  # fmt: skip
    assert np.abs(off[2] - off[0]).max() > 4
    np.testing.assert_allclose(off[1] - off[0], (off[2] - off[0]) / 2, atol=1e-3)


def test_what_jelly_does_in_a_motion_is_read_and_what_would_fold_is_told():
    figure, stores = belly(frequency=4.0)
    figure = hopping(figure, stores)
    found = read_following(compile_rig(figure, stores), motion_named(figure, "act"))
    (one,) = found.jellies
    assert one.name == "lump"
    assert one.furthest == pytest.approx(max(one.plot), abs=0.01)
    assert one.plot[one.furthest_at] == pytest.approx(one.furthest, abs=0.01)
    assert not found.faults
    soft = edited(figure, stores, {"kind": "set_jelly", "warp": "lump", "frequency": 0.3, "damping_ratio": 0.05})
    soft = edited(soft, stores, {"kind": "set_keys", "motion": "act", "at": 5, "pose": {f"{figure.bones[0].name}.move.y": -400}})  # fmt: skip
    (fault,) = read_following(compile_rig(soft, stores), motion_named(soft, "act")).faults
    assert "goes as far as it may" in fault.sentence
