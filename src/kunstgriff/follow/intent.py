"""Springs by what one wants to see: settles in so many frames, overshoots by so much, lags so far behind.

All is measured on the standard swing: what a chain hangs on turns by 20° about the chain's own joint within six frames
and stops. The chain is the figure's own, with its gravity, its air, its weight at the tip, so what is asked for is what
is seen; the closed form of one oscillator is far off on chains of several rods. The frequency and damping that come
nearest are looked for on a grid that closes in, since the time to settle jumps from one swing to the next and has no
slope to go down by.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.figure.follow import Spring, Wish
from kunstgriff.figure.model import Figure
from kunstgriff.figure.refusal import EditRefused
from kunstgriff.follow.rods import rods_of
from kunstgriff.follow.swinging import ABREAST, Chains, Scratch, Swing, blow, swing_on

Floats = NDArray[np.float64]

FRAMES = 24  # a second
TURN, TURNS_IN = math.radians(20.0), 6.0  # rad, frames
WITHIN = 0.02  # of the way: settled
STEPS = 10  # a frame
FREQUENCIES, RATIOS = (0.15, 16.0), (0.015, 1.6)
FIRST, NEXT, ROUNDS = (18, 14), 6, 7
SETTLE_OFF, OVER_OFF, LAG_OFF = 0.5, 0.01, 0.1  # frames, share, frames that count alike
CALM, TREMBLES = 0.1, 0.5  # below that ratio a chain trembles on, which is wanted only where nothing else will do
MISSED = 2.5  # of these, all in all, from which an answer is none


@dataclass(frozen=True)
class Seen:
    """What a chain does on the standard swing, and its `curve`: a number for each frame, 1 where it comes to rest."""

    settles: float  # frames
    overshoots: float  # share of the way
    lags: float  # frames
    curve: Floats


@dataclass(frozen=True)
class Material:
    """A ready wish, with how the air takes it and what weighs at its end."""

    word: str
    wish: Wish
    air: float = 0.5
    weight: float = 0.0


MATERIALS: dict[str, Material] = {
    "stiff felt": Material("holds its shape, moves late and hardly swings", Wish(settles=7, overshoots=0.04)),
    "heavy wool": Material("swings once and hangs", Wish(settles=15, overshoots=0.14), 1.0),
    "silk": Material("floats after, long and soft", Wish(settles=26, overshoots=0.16), 3.0),
    "long ear": Material("flops over and back", Wish(settles=20, overshoots=0.36)),
    "antenna": Material("whips, long", Wish(settles=44, overshoots=0.6), 0.2),
    "jelly": Material("trembles fast", Wish(settles=24, overshoots=0.46), 0.2),
    "chain": Material("swings heavily, its end most", Wish(settles=40, overshoots=0.45), 0.2, 0.3),
}


def on_standard_swing(figure: Figure, spring: Spring, choices: Sequence[tuple[float, float]]) -> list[Seen]:
    """What a chain of the figure does on the standard swing with each of some frequencies (Hz) and damping ratios."""
    return _seen(_Bench(figure, spring), np.array(choices, np.float64), 8.0)


def tuned(figure: Figure, spring: Spring, wish: Wish, nearest: bool = False) -> Spring:
    """The spring with the frequency and damping ratio that do as wished, or what comes `nearest` to it. Raises
    EditRefused for what no spring does, saying what does come nearest."""
    asked = [one for one in (wish.settles, wish.overshoots, wish.lags) if one is not None]
    if len(asked) < 2:
        raise EditRefused("Say two of three: in how many frames it settles, how far it overshoots, how far it lags.")
    bench, seconds = _Bench(figure, spring), max(2.5, 2.2 * (wish.settles or 40.0) / FRAMES)
    low, high = np.log([FREQUENCIES[0], RATIOS[0]]), np.log([FREQUENCIES[1], RATIOS[1]])
    axes = [np.linspace(low[k], high[k], FIRST[k]) for k in range(2)]
    best, off, like = np.zeros(2), math.inf, Seen(0.0, 0.0, 0.0, np.zeros(0))
    for _ in range(ROUNDS):
        grid = np.stack(np.meshgrid(*axes, indexing="ij"), -1).reshape(-1, 2)
        found = _seen(bench, np.exp(grid), seconds)
        misses = np.array([_miss(one, wish) for one in found]) + TREMBLES * np.maximum(math.log(CALM) - grid[:, 1], 0)
        if misses.min() < off:
            off, best, like = float(misses.min()), grid[misses.argmin()], found[int(misses.argmin())]
        apart = [np.ptp(axis) / (len(axis) - 1) for axis in axes]
        axes = [np.clip(np.linspace(best[k] - apart[k], best[k] + apart[k], NEXT), low[k], high[k]) for k in range(2)]
    if _miss(like, wish) > MISSED and not nearest:
        told = (
            f"settles in {like.settles:.0f} frames, overshoots by {like.overshoots:.0%} and lags {like.lags:.1f} frames"
        )
        raise EditRefused(f"No spring on this chain does that; the nearest one {told}.")
    frequency, ratio = np.exp(best)
    return spring.model_copy(update={"frequency": float(frequency), "damping_ratio": float(ratio), "wish": wish})


def _miss(seen: Seen, wish: Wish) -> float:
    pairs = (
        (seen.settles, wish.settles, SETTLE_OFF), (seen.overshoots, wish.overshoots, OVER_OFF),
        (seen.lags, wish.lags, LAG_OFF),
    )  # fmt: skip
    return math.sqrt(sum(((is_ - asked) / off) ** 2 for is_, asked, off in pairs if asked is not None))


class _Bench:
    """One chain of a figure, to be tried with many springs side by side; the longest run of the spring's bones."""

    def __init__(self, figure: Figure, spring: Spring) -> None:
        bones = [one for ref in spring.bones if (one := figure.bone(ref)) is not None]
        along = np.array([np.subtract(one.tip, one.joint) for one in bones], np.float64)
        self.spring = spring
        self.lengths = np.maximum(np.hypot(along[:, 0], along[:, 1]), 1.0)
        self.angles = np.arctan2(along[:, 1], along[:, 0])
        places = np.linspace(0.0, 1.0, len(bones))
        self.firmness, self.calm = (
            np.interp(places, np.linspace(0.0, 1.0, len(some)), some) for some in (spring.firmness, spring.calm)
        )

    def chains(self, choices: Floats) -> Chains:
        """The chain with each of some frequencies and ratios (k, 2), side by side."""
        n, tip = len(self.lengths), self.spring.weight * float(self.lengths.sum())
        chains = Chains.of(n, -(-len(choices) // ABREAST) * ABREAST)
        for c, (frequency, ratio) in enumerate(choices):
            made = rods_of(
                self.lengths, self.angles, frequency, ratio, self.firmness, self.calm, tip, 1 / (FRAMES * STEPS)
            )
            chains.weights[..., c], chains.moment[:, c], chains.lengths[:, c] = made.weights, made.moment, self.lengths
            chains.stiffness[..., c], chains.damping[..., c] = made.stiffness, made.damping
            chains.solid[..., c], chains.air[c] = made.solid, self.spring.air
            chains.balance[:, c] = made.moment * self.spring.gravity * np.cos(self.angles)
        return chains


def _seen(bench: _Bench, choices: Floats, seconds: float) -> list[Seen]:
    still = np.column_stack([choices[:, 0], np.full(len(choices), 1.5)])  # where each comes to rest
    both = np.concatenate([choices, still])
    chains = bench.chains(both)
    count = round(seconds * FRAMES) * STEPS
    time = np.arange(1, count + 1) / STEPS
    share = np.clip(time / TURNS_IN, 0.0, 1.0)
    turned = TURN * share**3 * (10 - 15 * share + 6 * share**2)
    n, c = chains.moment.shape
    swing = Swing.of(n, c)
    for some in (swing.angles, swing.held, swing.held_before):
        some[:] = bench.angles[:, None]
    swing.pull[1] = bench.spring.gravity
    angles = np.zeros((count, n, c))
    swung(chains, swing, Scratch.of(n), turned, 1 / (FRAMES * STEPS), angles)
    x, y = ((bench.lengths[None, :, None] * some(angles)).sum(1) for some in (np.cos, np.sin))
    rest = math.atan2((bench.lengths * np.sin(bench.angles)).sum(), (bench.lengths * np.cos(bench.angles)).sum())
    tip = np.unwrap(np.arctan2(y, x) - rest, axis=0)
    tip -= 2 * math.pi * np.round(tip[0] / (2 * math.pi))
    ends = tip[-1, len(choices) : len(both)]
    return [_measured(tip[:, k] / ends[k], time) for k in range(len(choices))]


def _measured(curve: Floats, time: Floats) -> Seen:
    """What a curve that comes to rest at 1 does."""
    away = np.abs(curve - 1.0) > WITHIN
    last = int(np.flatnonzero(away)[-1]) if away.any() else 0
    settled = time[last]
    if last + 1 < len(curve):  # where it comes in between two steps
        a, b = abs(curve[last] - 1.0), abs(curve[last + 1] - 1.0)
        settled += (a - WITHIN) / max(a - b, 1e-12) * (time[1] - time[0])
    half = int(np.argmax(curve >= 0.5)) if (curve >= 0.5).any() else len(curve) - 1
    return Seen(
        max(float(settled) - TURNS_IN, 0.0), max(float(curve.max()) - 1.0, 0.0), float(time[half]) - TURNS_IN / 2,
        np.concatenate([[0.0], curve[STEPS - 1 :: STEPS]]),
    )  # fmt: skip


@njit(cache=True)
def swung(chains: Chains, swing: Swing, scratch: Scratch, turned: Floats, h: float, angles: Floats) -> None:
    """Angles (steps, n, c) of chains whose first joint is turned by `turned` (steps,)."""
    n, c = swing.angles.shape
    rest = swing.held.copy()
    for step in range(len(turned)):
        for first in range(0, c, ABREAST):
            for k in range(n):
                for lane in range(first, first + ABREAST):
                    swing.held[k, lane] = rest[k, lane] + turned[step]
            blow(chains, swing, scratch, first, n, ABREAST, h)
            swing_on(chains, swing, scratch, first, n, ABREAST, h)
            for k in range(n):
                for lane in range(first, first + ABREAST):
                    swing.held_before[k, lane] = swing.held[k, lane]
        angles[step] = swing.angles
