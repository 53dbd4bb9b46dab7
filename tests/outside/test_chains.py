"""Chains of many rods against SciPy's solver on the full equations, written out here once more by themselves."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from scipy.linalg import eigh
from scipy.optimize import brentq
from scipy.special import ellipk

from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.follow import HungAt, Wind
from kunstgriff.figure.stores import MemoryStores
from kunstgriff.follow.spring import Shape, Simulation, moments
from kunstgriff.follow.winds import Gusts
from tests.art import capsule, drawn, edited, figure_of
from tests.outside.test_springs import driven

DOWN = np.pi / 2


def hanging(count: int, frequency: float, ratio: float, gravity: float, length: float = 40.0, hung=None, **more):
    """A holder, 80 px long, and under it so many rods on springs; the last one's end `hung` at a place of the
    holder's."""
    figure, stores = figure_of({"rod": drawn(capsule((200, 100), (200, 300), 20, 4))})
    joints = [[0, -380], [0, -300], *([0, -300 + length * (k + 1)] for k in range(count))]
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "hold", "joints": joints},
        {"kind": "set_spring", "bone": "hold 2", "frequency": frequency, "damping_ratio": ratio, "gravity": gravity},
    )  # fmt: skip
    spring = figure.springs[0].model_copy(update=more)
    if hung is not None:
        spring = spring.model_copy(update={"hung": HungAt(bone=figure.bones[0].id, place=hung)})
    return compile_rig(figure.replace(springs=(spring,)), stores)


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
    ends = length * np.stack([np.cos(angles), np.sin(angles)], -1).sum(-2)
    if holder is not None:
        ends += 80 * np.stack([np.cos(DOWN + holder), np.sin(DOWN + holder)], -1)
    return ends


@pytest.mark.parametrize(
    ("count", "frequency", "ratio"), [(1, 1.0, 0.05), (3, 1.2, 0.05), (4, 1.6, 0.25), (6, 0.8, 0.15)]
)
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


def half_round(t, seconds):
    """The angle of a holder turned half round in so many seconds, easily begun and ended, its rate and second rate."""
    s = np.clip(t / seconds, 0, 1)
    share, first, second = s**3 * (10 - 15 * s + 6 * s**2), 30 * s**2 * (1 - s) ** 2, 60 * s * (1 - s) * (1 - 2 * s)
    return np.pi * share, np.pi * first / seconds, np.pi * second / seconds**2


@pytest.mark.parametrize(
    ("count", "ratio", "frames"), [(1, 0.2, 1), (2, 0.2, 1), (3, 0.2, 1), (3, 0.5, 1), (3, 0.2, 2)]
)
def test_half_a_turn_in_one_frame_is_followed_as_the_full_equations_have_it(count, ratio, frames):
    frequency, gravity, length = 1.6, 980.0, 120.0 / count
    t = np.arange(1, 481) / 240
    turns = np.degrees([half_round(one, frames / 24)[0] for one in t])
    seen, _ = swung(hanging(count, frequency, ratio, gravity, length), [0.0, *turns])
    start = np.concatenate([np.full(count, DOWN), np.zeros(count)])
    slope = equations(count, frequency, ratio, gravity, length, lambda t: half_round(t, frames / 24))
    exact = solve_ivp(slope, (0, 2), start, t_eval=t, rtol=1e-9, atol=1e-10, max_step=1e-3).y[:count].T
    over = np.abs(seen[1:] - seen[-1]).max() / np.abs(exact - exact[-1]).max()
    assert over == pytest.approx(1, abs=0.05)
    if frames > 1:  # in one the chain is thrown round more than twice, and then the least thing changes where it is
        off = np.linalg.norm(tip(seen[1:], length) - tip(exact, length), axis=1)
        assert off.max() <= 0.05 * 120


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
    count, gravity = 5, 980.0
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
def test_what_is_dropped_on_a_slope_slides_or_sticks_at_the_angle_of_friction(slope, sticks):
    # µ = tan of the angle of friction, 16.7° at 0.3 (Coulomb; any mechanics textbook). A heavy end on two limp rods that
    # weigh next to nothing, bent at a right angle, is a weight that falls freely.
    rig = hanging(2, 0.1, 0.0, 980.0, 300.0, weight=50.0, friction=0.3)
    lean = np.tan(np.radians(slope))
    end = np.array([300.0, 0.0])  # of the chain: to the right, then down
    floor = Shape((end[0] - 900, 30 - 900 * lean), (end[0] + 900, 30 + 900 * lean), 20.0)
    simulation = Simulation(rig, (floor,))
    limp(simulation)
    simulation.release(np.radians([0.0, -90.0, 90.0]))
    still = driven(rig, np.zeros((1, 3)))
    seen = []
    for _ in range(360):
        simulation.step(still)
        seen.append(tip(simulation.swing.angles[:, 0], 300.0))
    seen = np.array(seen)
    way = np.linalg.norm(seen[360 - 1] - seen[120])
    assert way < 0.05 if sticks else way > 5


def limp(simulation):
    """Nothing but gravity moves the chains."""
    for some in (simulation.chains.stiffness, simulation.chains.damping, simulation.chains.solid):
        some[:] = 0
    simulation.chains.balance[:] = 0


def test_a_limp_chain_hung_at_both_ends_is_a_catenary():
    # y = a cosh(x / a), with 2 a sinh(w / 2a) the length between ends w apart (Bernoulli; any calculus textbook)
    count, length, wide = 24, 20.0, 300.0
    rig = hanging(count, 0.2, 1.0, 980.0, length, hung=(wide, -300.0))
    simulation = Simulation(rig)
    limp(simulation)
    simulation.chains.air[:] = 8.0  # so that it comes to rest
    still = driven(rig, np.zeros((1, len(rig.turn))))
    for _ in range(4800):
        simulation.step(still)
    angles = simulation.swing.angles[:, 0]
    joints = np.vstack([[0, 0], length * np.cumsum(np.column_stack([np.cos(angles), np.sin(angles)]), axis=0)])
    assert np.linalg.norm(joints[-1] - [wide, 0]) < 0.01
    a = brentq(lambda a: 2 * a * np.sinh(wide / (2 * a)) - count * length, 20, 1e4)
    sag = a * (np.cosh(wide / (2 * a)) - 1)
    hangs = sag - a * (np.cosh((joints[:, 0] - wide / 2) / a) - 1)
    assert np.abs(hangs - joints[:, 1]).max() < 0.02 * sag


@pytest.mark.parametrize("factor", [4])
def test_how_firm_a_chain_is_does_not_hang_on_the_step(factor):
    """Held out by a pull from the side it comes to rest at the same place, whatever the step."""
    places = []
    for rate in (240 // factor, 240):
        rig = hanging(4, 1.0, 0.6, 400.0)
        simulation = Simulation(rig, rate=rate)
        simulation.h = 1 / rate
        simulation.chains = simulation._chains(4)
        simulation.chains.balance[:] = 0
        still = driven(rig, np.zeros((1, len(rig.turn))))
        for _ in range(10 * rate):
            simulation.step(still, gravity=(1.0, 0.0))
        places.append(tip(simulation.swing.angles[:, 0], 40))
    assert np.linalg.norm(places[0] - [0, 160]) > 10
    assert np.linalg.norm(places[0] - places[1]) <= 0.001 * 160


def test_the_same_motion_comes_at_any_frame_rate():
    """At moments that all of them show."""
    ends = {}
    for rate in (12, 24, 60):
        rig = hanging(3, 1.3, 0.15, 980.0)
        simulation = Simulation(rig, rate=rate)
        seen = []
        for times in moments(2 * rate + 1, rate):
            turns = np.zeros((len(times), len(rig.turn)))
            turns[:, 0] = 40 * np.sin(2 * np.pi * times) ** 3
            simulation.step(driven(rig, turns))
            seen.append(tip(simulation.swing.angles[:, 0], 40))
        ends[rate] = np.array(seen)[:: rate // 12]
    for rate in (24, 60):
        assert np.linalg.norm(ends[rate] - ends[12], axis=1).max() <= 0.5


def test_a_chain_in_the_wind_leans_as_far_as_the_moments_balance():
    # one rod: its weight against the air's push at its broadside, both at its middle (any mechanics textbook)
    rig = hanging(1, 0.1, 0.5, 980.0, 200.0, air=2.0)
    figure = rig.program.figure
    wind = Wind(id="w900", strength=300.0, gusts=0.0)
    rig = compile_rig(figure.replace(wind=wind, parts=(), groups=()), MemoryStores())
    simulation = Simulation(rig)
    limp(simulation)
    still = driven(rig, np.zeros((1, 2)))
    for _ in range(4800):
        simulation.step(still)
    lean = DOWN - simulation.swing.angles[0, 0]  # to the right, with the wind
    assert 980 * np.sin(lean) == pytest.approx(2.0 * 300 * np.cos(lean), rel=1e-3)


def test_gusts_have_von_karmans_spectrum_and_come_round():
    wind = Wind(id="w1", strength=100.0, gusts=0.5, seconds=1.0)
    gusts = Gusts(wind, np.array([[0.0, 0.0], [200.0, 0.0]]), period=30.0)
    t = np.arange(0, 30, 1 / 64)
    blown = gusts.at(t, np.ones(len(t)), np.zeros(len(t)))
    along = blown[:, 0, 0] / 100 - 1
    assert along.std() == pytest.approx(0.5, rel=1e-3)
    assert along.mean() == pytest.approx(0, abs=1e-9)
    power = np.abs(np.fft.rfft(along)) ** 2
    f = np.fft.rfftfreq(len(t), 1 / 64)
    low, high = power[(f > 0) & (f < 8)], f[(f > 0) & (f < 8)]
    exact = 1 / (1 + 70.8 * high**2) ** (5 / 6)
    assert low / low.sum() == pytest.approx(exact / exact.sum(), rel=1e-6)
    later = gusts.at(t + 2.0, np.ones(len(t)), np.zeros(len(t)))  # 200 px further down the wind
    assert later[:, :, 1] == pytest.approx(blown[:, :, 0], abs=1e-6)
    again = gusts.at(t + 30.0, np.ones(len(t)), np.zeros(len(t)))
    assert again == pytest.approx(blown, abs=1e-6)
    veered = gusts.at(t, np.ones(len(t)), np.full(len(t), 90.0))
    assert veered[:, 1, 0] == pytest.approx(blown[:, 0, 0])
