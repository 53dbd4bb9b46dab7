"""What a chain of rods is as numbers: masses, modes, and the stiffness that makes its small swings exact at any step.

In absolute angles θ of its rods a chain that hangs on a joint moves by

    M(θ) θ″ + C(θ) θ′² + D (θ′ − φ′) + K (θ − φ) = Q(g − a, θ) − Q(g, θ₀)

with M_ij = W_ij cos(θ_i − θ_j) and C_ij = W_ij sin(θ_i − θ_j) (any mechanics textbook: the compound multiple pendulum),
φ the angles the pose holds the rods at, Q the moment of gravity g and of the first joint's acceleration a on each rod;
its value at rest θ₀ balances gravity there. Each joint's stiffness is in proportion to the square of the length it
carries, which bends a chain evenly under its own weight, times the share that the chain's own curve gives it; K is
scaled so that the slowest mode has the frequency asked for, ω = 2π f. Damping in proportion to K gives that mode the
ratio ζ and calms faster ones more.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

Floats = NDArray[np.float64]

STEPS_PER_SECOND = 240  # about: 20, 10 and 4 steps a frame at 12, 24 and 60 frames per second
HALVINGS = 5  # times a step is halved at the most, where something turns fast


def rod_masses(lengths: Floats, tip: float = 0.0) -> tuple[Floats, Floats]:
    """The weights W (n, n) of a chain of uniform rods in absolute angles, and each rod's first moment (n,) with all it
    carries. Lengths in px; a rod's mass is its length, and the last one carries `tip` px more at its end."""
    n = len(lengths)
    carried = np.concatenate([np.cumsum(lengths[::-1])[::-1][1:], [0.0]]) + tip
    moment = lengths * (lengths / 2 + carried)
    outer, inner = (pick.outer(np.arange(n), np.arange(n)) for pick in (np.maximum, np.minimum))
    weights: Floats = lengths[inner] * moment[outer]
    np.fill_diagonal(weights, lengths**2 * (lengths / 3 + carried))
    return weights, moment


@dataclass(frozen=True)
class Rods:
    """A chain as it swings: `weights` (n, n) and `moment` (n,) as `rod_masses` gives them, and for each halving of the
    step the stiffness and damping matrices (HALVINGS + 1, n, n) that go with it and what of them a step solves for;
    `rates` are its modes' ω (n,) rad/s."""

    weights: Floats
    moment: Floats
    stiffness: Floats
    damping: Floats
    solid: Floats
    rates: Floats


def rods_of(
    lengths: Floats, angles: Floats, frequency: float, damping_ratio: float, firmness: Floats, calm: Floats,
    tip: float, h: float,
) -> Rods:  # fmt: skip
    """A chain of rods so long (n,) px, at these angles (n,) rad at rest, its joints as many times as firm and as much
    slowed as `firmness` and `calm` (n,) say, stepped by `h` s. The slowest mode has `frequency` Hz and, where it is as
    calm all along, `damping_ratio`.

    The modes are prewarped: the implicit midpoint rule turns a rate s into (1 + sh/2) / (1 − sh/2) a step h, so that
    s′ = (2/h) tanh(sh/2) gives e^(sh) (the bilinear transform's frequency warping, any book on digital filters).
    """
    n = len(lengths)
    weights, moment = rod_masses(lengths, tip)
    masses = weights * np.cos(angles[:, None] - angles[None, :])
    apart = np.eye(n) - np.eye(n, k=-1)  # of absolute angles those between rods
    carries = firmness * (np.cumsum(lengths[::-1])[::-1] + tip) ** 2
    stiffness = apart.T @ np.diag(carries) @ apart
    squares, shapes = scipy.linalg.eigh(stiffness, masses)
    omega = 2 * math.pi * frequency
    rates = omega * np.sqrt(np.maximum(squares / squares[0], 0.0))
    back = masses @ shapes
    steps: Floats = h / 2.0 ** np.arange(HALVINGS + 1, dtype=np.float64)[:, None]
    warped = _warped(rates, damping_ratio * rates**2 / omega, steps)
    springs, dampers = ((back * some[:, None, :]) @ back.T for some in warped)
    each = steps[..., None]
    if np.any(calm != 1.0):  # beside what all modes have by the chain's own ratio
        dampers = dampers + 2 * damping_ratio * omega / squares[0] * apart.T @ np.diag((calm - 1) * carries) @ apart
    return Rods(weights, moment, springs, dampers, each * dampers / 2 + each * each * springs / 4, rates)


def _warped(rates: Floats, decay: Floats, h: Floats) -> tuple[Floats, Floats]:
    """Stiffness and damping of oscillators x″ + 2 decay x′ + rates² x = 0 as steps of h s (k, 1) have to have them."""
    split = np.sqrt((decay**2 - rates**2).astype(np.complex128))
    first, second = (2 / h * np.tanh((-decay + side * split) * h / 2) for side in (1, -1))
    return (first * second).real, -(first + second).real
