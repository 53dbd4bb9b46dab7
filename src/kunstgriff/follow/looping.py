"""The state from which a motion that goes round leads back to itself, found and not waited for.

What a cycle makes of the chains' deviations and rates is a map; where it stays put is found by Anderson acceleration
(Walker & Ni, Anderson acceleration for fixed-point iterations, 2011), which takes some cycles where waiting takes as
many as springs take to calm down.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from kunstgriff.follow.spring import Simulation

Floats = NDArray[np.float64]

CLOSE = 1e-4  # px that a tip may be elsewhere after a cycle
MOST_CYCLES, REMEMBERED = 60, 8
PX, JELLY_PACE = 100.0, 15.0  # px of jelly that count as a radian, rad/s its rates go by


def settle_into_loop(simulation: Simulation, cycle: Floats) -> float:
    """Bring a simulation into the state from which the rows of a cycle (s, k), the last of them the moment it begins
    at, lead back to it. Returns by how many px a tip is elsewhere after a cycle at the most."""
    simulation.begin(cycle[-3 % len(cycle)])
    for row in (-2, -1):  # so that what chains hang on has its pace
        simulation.step(cycle[[row % len(cycle)]])
    simulation.steps = 1
    if not simulation.runs and not len(simulation.jelly.rows):
        return 0.0
    prepared = simulation.prepared(cycle)

    def after(state: Floats) -> Floats:
        _lay(simulation, state)
        simulation.steps = 1
        simulation.go(prepared)
        simulation.steps = 1
        return _state(simulation)

    state, off = _state(simulation), math.inf
    points, moves = list[Floats](), list[Floats]()
    for _ in range(MOST_CYCLES):
        found = after(state)
        move = found - state
        before, off = off, _px(simulation, move)
        if off < CLOSE:
            break
        if off > 4 * before:  # where something is struck the map has a kink: begin anew from here
            points, moves = [], []
        points, moves = [*points, found][-REMEMBERED:], [*moves, move][-REMEMBERED:]
        state = found
        if len(moves) > 1:
            steps, ways = np.diff(moves, axis=0).T, np.diff(points, axis=0).T
            shares = np.linalg.lstsq(steps, move, rcond=1e-10)[0]
            state = found - ways @ shares
    return off


def _state(simulation: Simulation) -> Floats:
    """How all that swings deviates and how fast, as one vector; rates in the measure of angles, jelly and what gives
    in that of px."""
    swing, pace, jelly, elastic = simulation.swing, _pace(simulation), simulation.jelly, simulation.elastic
    chains = (swing.angles - swing.held).ravel(), (swing.rates / pace).ravel()
    px = np.concatenate([jelly.off.ravel(), elastic.off * simulation.chains.lengths.sum(0)])
    rates = np.concatenate([jelly.rate.ravel(), elastic.rate * simulation.chains.lengths.sum(0)])
    return np.concatenate([*chains, px / PX, rates / (PX * JELLY_PACE)])


def _lay(simulation: Simulation, state: Floats) -> None:
    swing, jelly, elastic = simulation.swing, simulation.jelly, simulation.elastic
    chains, rest = np.split(state, [2 * swing.angles.size])
    off, rates = chains.reshape(2, *swing.angles.shape)
    swing.angles[:], swing.rates[:] = swing.held + off, rates * _pace(simulation)
    whole, (off, rates) = np.maximum(simulation.chains.lengths.sum(0), 1e-9), rest.reshape(2, -1) * PX
    handles = jelly.off.size
    jelly.off[:], jelly.rate[:] = (some[:handles].reshape(-1, 2) for some in (off, rates * JELLY_PACE))
    elastic.off[:], elastic.rate[:] = off[handles:] / whole, rates[handles:] * JELLY_PACE / whole


def _pace(simulation: Simulation) -> Floats:
    """What each chain's slowest mode goes by, rad/s (c,)."""
    found = np.ones(simulation.swing.angles.shape[1])
    for number, run in simulation.runs.items():
        found[number] = 2 * math.pi * run.spring.frequency
    return found


def _px(simulation: Simulation, move: Floats) -> float:
    chains, rest = np.split(move, [2 * simulation.swing.angles.size])
    angles = np.abs(chains.reshape(2, *simulation.swing.angles.shape)).max(0)
    used = list(simulation.runs)
    jelly = PX * float(np.abs(rest).max(initial=0.0))
    return max(jelly, float((angles * simulation.chains.lengths)[:, used].sum(0).max(initial=0.0)))
