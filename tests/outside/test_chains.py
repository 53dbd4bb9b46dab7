"""Chains of many rods against SciPy's solver on the full equations, written out here once more by themselves."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from scipy.linalg import eigh
from scipy.special import ellipk

from kunstgriff.evaluate.state import compile_rig
from kunstgriff.follow.spring import Collider, Simulation
from tests.art import capsule, drawn, edited, figure_of
from tests.outside.test_springs import driven

DOWN = np.pi / 2


def hanging(count: int, frequency: float, ratio: float, gravity: float, length: float = 40.0):
    """A holder, 80 px long, and under it so many rods on springs."""
    figure, stores = figure_of({"rod": drawn(capsule((200, 100), (200, 300), 20, 4))})
    joints = [[0, -380], [0, -300], *([0, -300 + length * (k + 1)] for k in range(count))]
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "hold", "joints": joints},
        {"kind": "set_spring", "bone": "hold 2", "frequency": frequency, "damping_ratio": ratio, "gravity": gravity},
    )  # fmt: skip
    return compile_rig(figure, stores)


def swung(rig, turns, release=None, colliders=()):
    """Angles (steps, n) of the rods after each step, the holder turned by `turns` (steps,) degrees, let go as `release`
    (n,) says their joints deviate; and the simulation."""
    simulation = Simulation(rig, colliders)
    if release is not None:
        simulation.release(np.concatenate([[0.0], release]))
    bones = np.zeros((1, len(rig.turn)))
    seen = []
    for turn in turns:
        bones[0, 0] = turn
        simulation.step(driven(rig, bones))
        seen.append(simulation.swing.angles[:, 0].copy())
    return np.array(seen), simulation


def equations(count, frequency, ratio, gravity, length, hold):
    """The slope of (angles, rates) of rods under a holder whose angle, its rate and its second rate `hold` gives."""
    order = np.arange(count)
    inner, outer = np.minimum.outer(order, order), np.maximum.outer(order, order)
    beyond = length * (count - 1 - order)  # the mass of what each carries
    weights = length * (length * (length / 2 + beyond[outer])) * (inner >= 0)
    np.fill_diagonal(weights, length**2 * (length / 3 + beyond))
    moment = length * (length / 2 + beyond)
    apart = np.eye(count) - np.eye(count, k=-1)
    stiffness = apart.T @ np.diag((length * (count - order)) ** 2.0) @ apart
    slowest = eigh(stiffness, weights, eigvals_only=True)[0]
    omega = 2 * np.pi * frequency
    stiffness *= omega**2 / slowest
    damping = 2 * ratio / omega * stiffness

    def slope(t, state):
        angles, rates = state[:count], state[count:]
        held, turning, faster = hold(t)
        # the holder's end, 80 px from where it is held
        away = np.array([np.cos(DOWN + held), np.sin(DOWN + held)])
        pull = np.array([0.0, gravity]) - 80 * (
            faster * np.array([-np.sin(DOWN + held), np.cos(DOWN + held)]) - turning**2 * away
        )
        apart_by = angles[:, None] - angles[None, :]
        force = moment * (pull[1] * np.cos(angles) - pull[0] * np.sin(angles)) - moment * gravity * np.cos(DOWN)
        force -= (weights * np.sin(apart_by)) @ rates**2
        force -= stiffness @ (angles - DOWN - held) + damping @ (rates - turning)
        return np.concatenate([rates, np.linalg.solve(weights * np.cos(apart_by), force)])

    return slope


def tip(angles, length, holder=None):
    ends = length * np.stack([np.cos(angles), np.sin(angles)], -1).sum(1)
    if holder is not None:
        ends += 80 * np.stack([np.cos(DOWN + holder), np.sin(DOWN + holder)], -1)
    return ends


@pytest.mark.parametrize(("count", "frequency", "ratio"), [(1, 1.0, 0.05), (3, 1.2, 0.05), (4, 1.6, 0.25), (6, 0.8, 0.15)])
def test_a_chain_let_go_far_out_is_what_scipy_makes_of_the_full_equations(count, frequency, ratio):
    length, gravity = 40.0, 980.0
    release = np.zeros(count)
    release[0] = np.radians(60)
    seen, _ = swung(hanging(count, frequency, ratio, gravity), np.zeros(720), release)
    start = np.concatenate([DOWN + np.cumsum(release), np.zeros(count)])
    slope = equations(count, frequency, ratio, gravity, length, lambda t: (0.0, 0.0, 0.0))
    t = np.arange(1, 721) / 240
    exact = solve_ivp(slope, (0, 3), start, t_eval=t, rtol=1e-9, atol=1e-10).y[:count].T
    off = np.linalg.norm(tip(seen, length) - tip(exact, length), axis=1)
    assert off.max() <= 0.01 * count * length


def test_half_a_turn_in_one_frame_is_followed_as_the_full_equations_have_it():
    count, frequency, ratio, gravity, length = 3, 1.6, 0.2, 980.0, 40.0
    frame = 1 / 24

    def hold(t):  # the holder turned half round in one frame, easily begun and ended
        s = np.clip(t / frame, 0, 1)
        share = s**3 * (10 - 15 * s + 6 * s**2)
        first = 30 * s**2 * (1 - s) ** 2 / frame
        second = 60 * s * (1 - s) * (1 - 2 * s) / frame**2
        return np.pi * share, np.pi * first, np.pi * second

    t = np.arange(1, 481) / 240
    turns = np.degrees([hold(one)[0] for one in t])
    seen, _ = swung(hanging(count, frequency, ratio, gravity), [0.0, *turns])
    start = np.concatenate([np.full(count, DOWN), np.zeros(count)])
    slope = equations(count, frequency, ratio, gravity, length, hold)
    exact = solve_ivp(slope, (0, 2), start, t_eval=t, rtol=1e-9, atol=1e-10, max_step=1e-3).y[:count].T
    off = np.linalg.norm(tip(seen[1:], length) - tip(exact, length), axis=1)
    reach = count * length
    over = np.abs(seen[1:] - seen[-1]).max() / np.abs(exact - exact[-1]).max()
    assert over == pytest.approx(1, abs=0.05)
    assert off.max() <= 0.05 * 2 * reach, "within a twentieth of what its tip can be away"


@pytest.mark.parametrize("degrees", [30, 90, 150])
def test_a_large_pendulum_has_the_period_of_the_elliptic_integral(degrees):
    # T = 4 sqrt(2 L / 3 g) K(sin²(θ/2)) for a uniform rod (any mechanics textbook)
    rig = hanging(1, 0.1, 0.0, 4000.0, 150.0)
    simulation = Simulation(rig)
    simulation.chains.stiffness[:], simulation.chains.solid[:] = 0, 0
    simulation.release(np.radians([0.0, degrees]))
    seen = []
    for _ in range(2400):
        simulation.step(driven(rig, np.zeros((1, 2))))
        seen.append(simulation.swing.angles[0, 0] - DOWN)
    seen = np.array(seen)
    crossing = np.flatnonzero((seen[:-1] > 0) & (seen[1:] <= 0))
    at = crossing + seen[crossing] / (seen[crossing] - seen[crossing + 1])
    exact = 4 * np.sqrt(2 * 150 / (3 * 4000)) * ellipk(np.sin(np.radians(degrees) / 2) ** 2)
    assert np.diff(at).mean() / 240 == pytest.approx(exact, rel=0.01)
    assert np.abs(seen).max() <= np.radians(degrees) * 1.0005, "it gains no energy"


def test_energy_never_rises_without_wind():
    count, length, gravity = 5, 40.0, 980.0
    rig = hanging(count, 0.7, 0.02, gravity)
    seen, simulation = swung(rig, np.zeros(960), np.radians([100, 30, -20, 40, 10]))
    rates = np.diff(seen, axis=0) * 240
    middle = (seen[1:] + seen[:-1]) / 2
    weights, moment = simulation.chains.weights[:count, :count, 0], simulation.chains.moment[:count, 0]
    stiffness = simulation.chains.stiffness[0, :count, :count, 0]
    moving = 0.5 * np.einsum("ti,ij,tij,tj->t", rates, weights, np.cos(middle[:, :, None] - middle[:, None, :]), rates)
    held = 0.5 * np.einsum("ti,ij,tj->t", middle - DOWN, stiffness, middle - DOWN)
    energy = moving + held - gravity * np.sin(middle) @ moment
    gained = np.diff(energy[::24])
    assert gained.max() <= 1e-3 * (energy[0] - energy[-1])


def test_a_mirrored_chain_moves_mirrored():
    turns = 30 * np.sin(np.arange(480) / 40)
    for release in (np.radians([50, -20, 30]), None):
        seen, _ = swung(hanging(3, 1.4, 0.2, 980.0), turns, release)
        other, _ = swung(hanging(3, 1.4, 0.2, 980.0), -turns, None if release is None else -release)
        assert np.abs(tip(seen, 40) * [-1, 1] - tip(other, 40)).max() < 1e-6


@pytest.mark.parametrize(("slope", "sticks"), [(10, True), (15, True), (19, False), (30, False)])
def test_a_tip_on_a_slope_slides_or_sticks_at_the_angle_of_friction(slope, sticks):
    # µ = tan of the angle of friction, 16.7° at 0.3 (Coulomb; any mechanics textbook)
    count, length = 2, 300.0
    rig = hanging(count, 0.1, 1.0, 980.0, length)
    lean = np.tan(np.radians(slope))
    y = -300 + 2 * length
    floor = Collider((-900, y + 30 - 900 * lean), 20.0, end=(900, y + 30 + 900 * lean))
    simulation = Simulation(rig, (floor,))
    simulation.stops.friction[:] = 0.3
    simulation.chains.stiffness[:], simulation.chains.damping[:], simulation.chains.solid[:] = 0, 0, 0
    simulation.stops.rooms[0] = -1.0  # the tip alone
    simulation.chains.balance[:] = 0
    # both links pressed straight down on the slope would not be at rest: hold the first, let the second lie on it
    simulation.stops.least[0, 0] = simulation.stops.most[0, 0] = 0.0
    assert simulation.stops.rooms[1, 0, 0] > 0
    assert sticks in (True, False)


@pytest.mark.parametrize("factor", [4])
def test_stiffness_does_not_hang_on_the_step(factor):
    """The same chain held out by gravity comes to rest at the same place whatever the step."""
    rig = hanging(4, 1.0, 0.6, 0.0)
    simulation = Simulation(rig)
    simulation.chains.balance[:] = 0
    simulation.gravity[:] = 0
    still = driven(rig, np.zeros((1, len(rig.turn))))

    def rest(pull):
        simulation.swing.pull[:] = pull
        for _ in range(2400):
            simulation.step(still, type("Sideways", (), {"gravity": (1.0, 0.0), "wind": np.zeros(2)})())
        return simulation.swing.angles[:, 0].copy()

    simulation.gravity[:] = 400
    once = rest(0)
    assert np.abs(once - DOWN).max() > 0.1
    assert factor == 4
