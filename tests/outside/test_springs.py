"""Springs against the damped harmonic oscillator (any vibration handbook, e.g. Thomson) and against SciPy's solver."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from scipy.linalg import eigh
from scipy.signal import find_peaks

from kunstgriff.evaluate.state import compile_rig
from kunstgriff.follow.rods import rod_masses
from kunstgriff.follow.spring import Shape, Simulation, moments
from tests.art import capsule, drawn, edited, figure_of


def one_spring(frequency: float, ratio: float, gravity: float = 0.0):
    figure, stores = figure_of({"rod": drawn(capsule((200, 100), (200, 300), 20, 4))})
    figure = edited(
        figure, stores, {"kind": "draw_chain", "name": "hold", "joints": [[0, -300], [0, -220], [0, -20]]},
        {"kind": "set_spring", "bone": "hold 2", "frequency": frequency, "damping_ratio": ratio, "gravity": gravity},
    )  # fmt: skip
    return compile_rig(figure, stores)


def driven(rig, turns):
    """Values of all channels, one row for each of `transforms` (steps, bones) in degrees."""
    values = np.tile(rig.program.channels.rest, (len(turns), 1))
    rig.program.channels.rows(values, "turn")[:, : len(rig.turn)] = turns
    return values


def released(rig, degrees: float, rate: int, seconds: float) -> np.ndarray:
    """Degrees at each frame after letting go at `degrees`."""
    simulation = Simulation(rig)
    simulation.release(np.radians([0.0, degrees]))
    seen = [degrees]
    for times in list(moments(int(seconds * rate), rate))[1:]:
        simulation.step(driven(rig, np.zeros((len(times), 2))))
        seen.append(rig.turn[1])
    return np.array(seen)


@pytest.mark.parametrize("rate", [12, 24, 60, 240])
@pytest.mark.parametrize(("frequency", "ratio"), [(1.0, 0.05), (1.7, 0.2), (2.5, 0.4)])
def test_free_swing_is_the_closed_form_at_every_frame_rate(rate, frequency, ratio):
    # x(t) = e^(-ζωt) (cos ω_d t + ζω/ω_d sin ω_d t), ω_d = ω √(1 - ζ²)
    seen = released(one_spring(frequency, ratio), 20.0, rate, 4.0)
    t = np.arange(len(seen)) / rate
    omega = 2 * np.pi * frequency
    damped = omega * np.sqrt(1 - ratio**2)
    exact = 20 * np.exp(-ratio * omega * t) * (np.cos(damped * t) + ratio * omega / damped * np.sin(damped * t))
    assert np.abs(seen - exact).max() < 0.005 * 20


@pytest.mark.parametrize(("frequency", "ratio"), [(1.0, 0.05), (1.7, 0.2)])
def test_period_and_logarithmic_decrement(frequency, ratio):
    seen = released(one_spring(frequency, ratio), 20.0, 240, 6.0)
    peaks, _ = find_peaks(seen, height=0.02)
    times = []
    heights = []
    for peak in peaks[:3]:  # the peak between samples, by a parabola
        a, b, c = seen[peak - 1 : peak + 2]
        offset = 0.5 * (a - c) / (a - 2 * b + c)
        times.append((peak + offset) / 240)
        heights.append(b - 0.25 * (a - c) * offset)
    period = 1 / (frequency * np.sqrt(1 - ratio**2))
    assert np.diff(times).mean() == pytest.approx(period, rel=0.005)
    decrement = np.log(heights[0] / heights[1])
    assert decrement == pytest.approx(2 * np.pi * ratio / np.sqrt(1 - ratio**2), rel=0.005)


def test_critical_and_strong_damping_never_overshoot():
    for ratio in (1.0, 1.6):
        assert released(one_spring(2.0, ratio), 20.0, 60, 3.0).min() > -1e-9


def test_a_driven_spring_under_gravity_is_what_scipys_solver_finds():
    frequency, ratio, gravity, length = 1.4, 0.2, 900.0, 200.0
    rig = one_spring(frequency, ratio, gravity)
    drive = 12.0  # degrees, the holder turned to and fro at 0.8 Hz

    def angle(t):
        return np.radians(drive) * np.sin(2 * np.pi * 0.8 * t) ** 3

    simulation = Simulation(rig)
    seen = []
    for times in moments(72, 24):
        simulation.step(driven(rig, np.column_stack([np.degrees(angle(times)), np.zeros(len(times))])))
        seen.append(rig.turn[1])

    omega = 2 * np.pi * frequency
    h = 1e-4

    def accelerations(t):
        def pivot(at):  # the holder is 80 px long and points down
            return np.array([-80 * np.sin(angle(at)), 80 * np.cos(angle(at))])

        second = (angle(t + h) - 2 * angle(t) + angle(t - h)) / h**2
        return second, (pivot(t + h) - 2 * pivot(t) + pivot(t - h)) / h**2

    def slope(t, state):
        turning, (ax, ay) = accelerations(t)
        theta = np.pi / 2 + angle(t) + state[0]
        pull = ax * np.sin(theta) + (gravity - ay) * np.cos(theta)
        return [state[1], -(omega**2) * state[0] - 2 * ratio * omega * state[1] - turning + 1.5 / length * pull]

    t = np.arange(72) / 24
    exact = np.degrees(solve_ivp(slope, (0, 3), [0, 0], t_eval=t, rtol=1e-8, atol=1e-10).y[0])
    assert np.abs(np.array(seen) - exact).max() < 0.03 * np.abs(exact).max()


def test_two_rods_have_the_mass_matrix_of_the_compound_double_pendulum():
    # any mechanics textbook: two uniform rods of mass m and length l, straight: m l² [[4/3, 1/2], [1/2, 1/3]]; here m = l
    masses, moment = rod_masses(np.array([2.0, 2.0]))
    assert masses == pytest.approx(8 * np.array([[4 / 3, 1 / 2], [1 / 2, 1 / 3]]))
    assert moment == pytest.approx([2 * 1 + 2 * 2, 2 * 1])


def test_the_slowest_mode_of_a_chain_has_the_frequency_and_damping_asked_for(calm):
    figure, stores = calm
    rig = compile_rig(figure, stores)
    simulation = Simulation(rig)
    number = next(n for n, run in simulation.runs.items() if len(run.bones) == 3)
    bones, spring = list(simulation.runs[number].bones), simulation.runs[number].spring
    chains, rest = simulation.chains, rig.program.skeleton.directions[bones]
    masses = chains.weights[:3, :3, number] * np.cos(rest[:, None] - rest[None, :])
    apart = np.eye(3) - np.eye(3, k=-1)  # of absolute angles those of the joints
    lengths = simulation.lengths[bones]
    stiffness = apart.T @ np.diag(np.cumsum(lengths[::-1])[::-1] ** 2) @ apart
    shape = apart @ eigh(stiffness, masses)[1][:, 0]  # SciPy's slowest mode, as the joints deviate in it
    let_go = np.zeros(len(figure.bones))
    let_go[bones] = 0.02 * shape / shape[0]
    simulation.release(let_go)
    assert spring.gravity > 0
    simulation.gravity[:], chains.balance[:], chains.air[:] = 0, 0, 0
    seen = []
    for _ in range(480):
        simulation.step(driven(rig, np.zeros((1, len(figure.bones)))))
        seen.append(np.radians(rig.turn[bones]))
    t = np.arange(1, 481) / 240
    omega, ratio = 2 * np.pi * spring.frequency, spring.damping_ratio
    damped = omega * np.sqrt(1 - ratio**2)
    exact = 0.02 * np.exp(-ratio * omega * t) * (np.cos(damped * t) + ratio * omega / damped * np.sin(damped * t))
    assert np.abs(np.array(seen)[:, 0] - exact).max() < 0.005 * 0.02
    assert np.array(seen)[20] / seen[20][0] == pytest.approx(shape / shape[0], rel=0.01)


ROOT, LENGTH = np.array([0.0, -220.0]), 200.0  # of the rod that springs, px


def among(rig, colliders, start: float = 0.0, leaning: float = 0.0, steps: int = 960) -> np.ndarray:
    """Where the rod's joint and tip are after each step (steps, 2, 2), its parent turned by `leaning`."""
    simulation = Simulation(rig, colliders)
    simulation.release(np.radians([0.0, start]))
    ends = np.array([rig.program.skeleton.joints[1], rig.program.skeleton.tips[1]])
    seen = []
    for times in moments(steps, 240):
        simulation.step(driven(rig, np.tile([leaning, 0.0], (len(times), 1))))
        a, b, c, d, x, y = rig.matrices[1]
        seen.append(ends @ [[a, b], [c, d]] + [x, y])
    return np.array(seen)


def clearance(seen, centre, radius: float) -> np.ndarray:
    """How far the rod's side is outside a circle, in px, at each frame."""
    along = seen[:, 1] - seen[:, 0]
    share = (((centre - seen[:, 0]) * along).sum(1) / (along**2).sum(1)).clip(0, 1)
    return np.linalg.norm(seen[:, 0] + share[:, None] * along - centre, axis=1) - radius


@pytest.mark.parametrize("centre", [(60.0, -120.0), (60.0, -30.0), (70.0, 0.0)])
def test_a_link_that_swings_at_a_circle_stops_on_its_tangent_and_never_enters(centre):
    # geometry: from a joint D away, a side touches a circle of radius r at asin(r / D) from the line to its middle; a
    # tip does where it is r from there (law of cosines)
    radius = 50.0
    seen = among(one_spring(1.0, 0.05), (Shape(centre, centre, radius),), start=30.0)
    assert clearance(seen, centre, radius).min() > -1e-6
    towards = np.subtract(centre, ROOT)
    away = np.hypot(*towards)
    reaches = np.sqrt(away**2 - radius**2) <= LENGTH
    tangent = (
        np.arcsin(radius / away) if reaches else np.arccos((LENGTH**2 + away**2 - radius**2) / (2 * LENGTH * away))
    )
    wanted = np.arctan2(towards[0], towards[1]) - tangent  # from straight down, towards the circle
    furthest = np.arctan2(*(seen[:, 1] - seen[:, 0]).T).max()
    assert furthest == pytest.approx(wanted, abs=2.5e-4)  # 0.05 px at its tip
    mirrored = among(
        one_spring(1.0, 0.05), (Shape((-centre[0], centre[1]), (-centre[0], centre[1]), radius),), start=-30.0
    )
    assert mirrored[..., 0] == pytest.approx(-seen[..., 0], abs=1e-6)


def test_a_link_pressed_against_a_circle_rests_on_it_without_trembling():
    centre, radius = (92.0, -143.0), 45.0  # below the rod as its parent leans: gravity and the spring press it there
    rig = one_spring(2.0, 0.2, gravity=900.0)
    assert clearance(among(rig, (), leaning=-40.0)[-1:], centre, radius) < -10
    seen = among(one_spring(2.0, 0.2, gravity=900.0), (Shape(centre, centre, radius),), leaning=-40.0)
    assert clearance(seen[-240:], centre, radius) == pytest.approx(0, abs=1e-6)
    assert np.ptp(seen[-240:, 1], axis=0).max() < 0.05


def test_a_circle_goes_with_its_bone_and_one_around_the_joint_or_on_no_bone_that_is_there_keeps_nothing_out():
    rig = one_spring(1.0, 0.05)
    held = rig.program.figure.bones[0].id
    free = among(rig, (), start=30.0)
    for idle in (Shape((0.0, -210.0), (0.0, -210.0), 60.0), Shape((60.0, -120.0), (60.0, -120.0), 50.0, "b999")):
        assert among(one_spring(1.0, 0.05), (idle,), start=30.0) == pytest.approx(free, abs=1e-9)
    carried = among(
        one_spring(1.0, 0.05), (Shape((60.0, -120.0), (60.0, -120.0), 50.0, held),), start=30.0, leaning=90.0
    )
    still = among(one_spring(1.0, 0.05), (Shape((60.0, -120.0), (60.0, -120.0), 50.0),), start=30.0)
    turn = np.array([[0.0, 1.0], [-1.0, 0.0]])  # 90° clockwise on the screen about the parent's joint
    expected = (still - [0, -300]) @ turn + [0, -300]
    assert np.abs(carried[:120] - expected[:120]).max() < 1e-6
