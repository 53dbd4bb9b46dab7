"""The kernel: chains of rods stepped through time, as many side by side as a processor's lanes take.

A step is the implicit midpoint rule with what is stiff solved for and the rest put in again once (two passes):

    A Δω = h [τ(θₘ) − K (θ + hω/2 − φₘ) − D (ω − φ′) − C(θₘ) ωₘ²],   A = M(θₘ) + hD/2 + h²K/4

It is halved until nothing turns by more than FINE a step. The first joint goes from step to step on an arc that turns
as what it hangs on does; where it takes another way or pace, that is a blow at the beginning of the step,
M Δω = −Q(Δv). So any way of moving it, however sudden, is followed as it is.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.follow.rods import HALVINGS

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]

MOST_BEND = 2.0  # rad an arc turns in a step at the most
FINE = 0.15  # rad a rod or what it hangs on turns in a step at the most
PASSES = 2
ABREAST, LANES_OF = 16, 4  # chains that go side by side at the most, in fours
LANES = {"contract", "nnan", "ninf", "nsz", "arcp"}  # what lets lanes go side by side and changes no order of sums


class Chains(NamedTuple):
    """Chains that swing: `c` of up to `n` rods, the last axis theirs. Those that go side by side are of one length and
    begin at a multiple of ABREAST; what is left free there is `FREE`."""

    weights: Floats  # (n, n, c)
    moment: Floats  # (n, c)
    stiffness: Floats  # (HALVINGS + 1, n, n, c)
    damping: Floats  # (HALVINGS + 1, n, n, c)
    solid: Floats  # (HALVINGS + 1, n, n, c) what of both a step solves for, hD/2 + h²K/4
    lengths: Floats  # (n, c) px
    balance: Floats  # (n, c) gravity's moment at rest
    air: Floats  # (c,) 1/s: how fast the air slows what moves through it

    @classmethod
    def of(cls, n: int, c: int) -> Chains:
        """All of them free: rods that nothing moves."""
        some, springs = [np.zeros((n, c)) for _ in range(3)], [np.zeros((HALVINGS + 1, n, n, c)) for _ in range(3)]
        weights = np.zeros((n, n, c))
        weights[range(n), range(n)] = 1.0
        return cls(weights, some[0], springs[0], springs[1], springs[2], some[1] + 1.0, some[2], np.zeros(c))


class Swing(NamedTuple):
    """What a step changes; `before` is at the end of the step before."""

    angles: Floats  # (n, c) rad, absolute
    rates: Floats  # (n, c) rad/s
    held: Floats  # (n, c) rad: where the pose holds the rods now
    held_before: Floats  # (n, c)
    joint: Floats  # (2, c) px: the first joint now
    joint_before: Floats  # (2, c)
    speed: Floats  # (2, c) px/s it has at the end of a step
    pace: Floats  # (2, c) px/s it has in the middle of its arc
    bend: Floats  # (c,) rad what it hangs on turns in a step
    pull: Floats  # (2, c) px/s²: gravity as it pulls now
    wind: Floats  # (2, c) px/s

    @classmethod
    def of(cls, n: int, c: int) -> Swing:
        some, ways = [np.zeros((n, c)) for _ in range(4)], [np.zeros((2, c)) for _ in range(6)]
        return cls(*some, *ways[:4], np.zeros(c), *ways[4:])  # type: ignore[call-arg]


class Scratch(NamedTuple):
    """Room to work in; `w` is ABREAST."""

    system: Floats  # (n, n, w)
    change: Floats  # (n, w) of the rates; on the way the moments that make it
    resting: Floats  # (n, w) what holds and slows, which both passes share
    middle: Floats  # (n, w) rates in the middle of the step
    sines: Floats  # (n, w)
    cosines: Floats  # (n, w)
    broadside: Floats  # (n, w) the air's push at each rod
    air: Floats  # (2, w)
    going: Floats  # (2, w) px/s: the first joint in the middle of the step
    pulling: Floats  # (2, w) px/s²: what pulls at the rods there

    @classmethod
    def of(cls, n: int) -> Scratch:
        each = [np.zeros((n, ABREAST)) for _ in range(6)]
        return cls(
            np.zeros((n, n, ABREAST)), each[0], each[1], each[2], each[3], each[4], each[5],
            np.zeros((2, ABREAST)), np.zeros((2, ABREAST)), np.zeros((2, ABREAST)),
        )  # fmt: skip


@njit(inline="always")
def sine_cosine(angle: float) -> tuple[float, float]:
    """Sine and cosine without a branch, so that lanes go side by side; to 1e-12 (Taylor about the nearest eighth)."""
    turns = math.floor(angle * (2 / math.pi) + 0.5)
    x = angle - turns * (math.pi / 2)
    square = x * x
    s = 1 - square / 72 * (1 - square / 110 * (1 - square / 156 * (1 - square / 210)))
    s = x * (1 - square / 6 * (1 - square / 20 * (1 - square / 42 * s)))
    c = 1 - square / 56 * (1 - square / 90 * (1 - square / 132 * (1 - square / 182)))
    c = 1 - square / 2 * (1 - square / 12 * (1 - square / 30 * c))
    quarter = turns - 4 * math.floor(turns * 0.25)
    odd = quarter == 1 or quarter == 3
    sine, cosine = (c if odd else s), (s if odd else c)
    sine = -sine if quarter >= 2 else sine
    cosine = -cosine if quarter == 1 or quarter == 2 else cosine
    return sine, cosine


@njit(cache=True, fastmath=LANES)
def solve(system: Floats, change: Floats, n: int, w: int) -> None:
    """Solve symmetric positive systems (n, n, w) for `change` (n, w), in place, by Cholesky's factors."""
    for k in range(n):
        for j in range(k):
            for lane in range(w):
                change[k, lane] -= system[k, j, lane] * change[j, lane]
            for i in range(k, n):
                for lane in range(w):
                    system[i, k, lane] -= system[i, j, lane] * system[k, j, lane]
        for lane in range(w):
            system[k, k, lane] = 1.0 / math.sqrt(max(system[k, k, lane], 1e-30))
        for i in range(k + 1, n):
            for lane in range(w):
                system[i, k, lane] *= system[k, k, lane]
        for lane in range(w):
            change[k, lane] *= system[k, k, lane]
    for k in range(n - 1, -1, -1):
        for j in range(k + 1, n):
            for lane in range(w):
                change[k, lane] -= system[j, k, lane] * change[j, lane]
        for lane in range(w):
            change[k, lane] *= system[k, k, lane]


@njit(cache=True, fastmath=LANES)
def blow(chains: Chains, swing: Swing, scratch: Scratch, first: int, n: int, w: int, h: float) -> None:
    """Let chains feel that their first joint goes another way from now on."""
    sines, cosines = scratch.sines, scratch.cosines
    most = 0.0
    for lane in range(w):
        c = first + lane
        half = 0.5 * min(max(swing.bend[c], -MOST_BEND), MOST_BEND)
        longer = half / math.sin(half) if abs(half) > 1e-6 else 1.0  # an arc against its chord
        vx = longer * (swing.joint[0, c] - swing.joint_before[0, c]) / h
        vy = longer * (swing.joint[1, c] - swing.joint_before[1, c]) / h
        swing.pace[0, c], swing.pace[1, c], swing.bend[c] = vx, vy, 2.0 * half
        cosine, sine = math.cos(half), math.sin(half)
        scratch.air[0, lane] = cosine * vx + sine * vy - swing.speed[0, c]
        scratch.air[1, lane] = cosine * vy - sine * vx - swing.speed[1, c]
        swing.speed[0, c], swing.speed[1, c] = cosine * vx - sine * vy, cosine * vy + sine * vx
        most = max(most, abs(scratch.air[0, lane]), abs(scratch.air[1, lane]))
    if most < 1e-9:
        return
    for k in range(n):
        for lane in range(w):
            s, c = sine_cosine(swing.angles[k, first + lane])
            sines[k, lane], cosines[k, lane] = s, c
            pushed = scratch.air[0, lane] * s - scratch.air[1, lane] * c
            scratch.change[k, lane] = chains.moment[k, first + lane] * pushed
    for i in range(n):
        for j in range(i + 1):
            for lane in range(w):
                near = cosines[i, lane] * cosines[j, lane] + sines[i, lane] * sines[j, lane]
                scratch.system[i, j, lane] = chains.weights[i, j, first + lane] * near
    solve(scratch.system, scratch.change, n, w)
    for k in range(n):
        for lane in range(w):
            swing.rates[k, first + lane] += scratch.change[k, lane]


@njit(cache=True, fastmath=LANES)
def halvings(swing: Swing, first: int, n: int, w: int, h: float) -> int:
    """How often a step is halved so that nothing turns too far in it."""
    fastest = 0.0
    for k in range(n):
        for c in range(first, first + w):
            fastest = max(fastest, abs(swing.rates[k, c]), abs(swing.held[k, c] - swing.held_before[k, c]) / h)
    times = 0
    while times < HALVINGS and fastest * h > FINE:
        h *= 0.5
        times += 1
    return times


@njit(cache=True, fastmath=LANES)
def swing_on(chains: Chains, swing: Swing, scratch: Scratch, first: int, n: int, w: int, h: float) -> None:
    """Step chains `first` to `last` of `n` rods each on by h s, under gravity and wind."""
    times = halvings(swing, first, n, w, h)
    parts = 1 << times
    step = h / parts
    stiffness, damping = chains.stiffness[times], chains.damping[times]
    change, resting, off = scratch.change, scratch.resting, scratch.air
    for part in range(parts):
        middle = (part + 0.5) / parts
        for lane in range(w):
            c = first + lane
            s, t = sine_cosine((middle - 0.5) * swing.bend[c])
            vx, vy = t * swing.pace[0, c] - s * swing.pace[1, c], t * swing.pace[1, c] + s * swing.pace[0, c]
            scratch.going[0, lane], scratch.going[1, lane] = vx, vy
            scratch.pulling[0, lane] = swing.pull[0, c] + vy * swing.bend[c] / h
            scratch.pulling[1, lane] = swing.pull[1, c] - vx * swing.bend[c] / h
        for k in range(n):
            for lane in range(w):
                resting[k, lane] = 0.0
                change[k, lane] = 0.0
        for j in range(n):
            for lane in range(w):
                c = first + lane
                way = swing.held[j, c] - swing.held_before[j, c]
                ahead = swing.angles[j, c] + 0.5 * step * swing.rates[j, c]
                off[0, lane] = ahead - swing.held_before[j, c] - middle * way
                off[1, lane] = swing.rates[j, c] - way / h
            for i in range(n):
                for lane in range(w):
                    c = first + lane
                    resting[i, lane] += stiffness[i, j, c] * off[0, lane] + damping[i, j, c] * off[1, lane]
        for _ in range(PASSES):
            advance(chains, swing, scratch, times, first, n, w, step)
        for k in range(n):
            for lane in range(w):
                c = first + lane
                swing.angles[k, c] += step * (swing.rates[k, c] + 0.5 * change[k, lane])
                swing.rates[k, c] += change[k, lane]


@njit(cache=True, fastmath=LANES)
def advance(
    chains: Chains, swing: Swing, scratch: Scratch, times: int, first: int, n: int, w: int, step: float
) -> None:
    """One pass of a step: how the rates change, from how they changed in the pass before."""
    system, change, middle = scratch.system, scratch.change, scratch.middle
    sines, cosines, solid = scratch.sines, scratch.cosines, chains.solid[times]
    for k in range(n):
        for lane in range(w):
            middle[k, lane] = swing.rates[k, first + lane] + 0.5 * change[k, lane]
            s, t = sine_cosine(swing.angles[k, first + lane] + 0.5 * step * middle[k, lane])
            sines[k, lane], cosines[k, lane] = s, t
    for i in range(n):
        for lane in range(w):
            c = first + lane
            pulled = scratch.pulling[1, lane] * cosines[i, lane] - scratch.pulling[0, lane] * sines[i, lane]
            change[i, lane] = chains.moment[i, c] * pulled - chains.balance[i, c] - scratch.resting[i, lane]
    for i in range(n):
        for j in range(i + 1):
            for lane in range(w):
                weight = chains.weights[i, j, first + lane]
                near = cosines[i, lane] * cosines[j, lane] + sines[i, lane] * sines[j, lane]
                across = weight * (sines[i, lane] * cosines[j, lane] - cosines[i, lane] * sines[j, lane])
                system[i, j, lane] = weight * near + solid[i, j, first + lane]
                change[i, lane] -= across * middle[j, lane] * middle[j, lane]
                change[j, lane] += across * middle[i, lane] * middle[i, lane]
    blown(chains, swing, scratch, first, n, w)
    for k in range(n):
        for lane in range(w):
            change[k, lane] *= step
    solve(system, change, n, w)


@njit(inline="always")
def blown(chains: Chains, swing: Swing, scratch: Scratch, first: int, n: int, w: int) -> None:
    """Add to the moments in `change` what the air does: it pushes at the broadside of each rod, in proportion to how
    fast it goes against it there, and slows its turning."""
    sines, cosines, air, broadside = scratch.sines, scratch.cosines, scratch.air, scratch.broadside
    for lane in range(w):
        air[0, lane] = swing.wind[0, first + lane] - scratch.going[0, lane]
        air[1, lane] = swing.wind[1, first + lane] - scratch.going[1, lane]
    for k in range(n):
        for lane in range(w):
            s, t, length = sines[k, lane], cosines[k, lane], chains.lengths[k, first + lane]
            along = length * scratch.middle[k, lane]
            against = air[1, lane] * t - air[0, lane] * s
            broadside[k, lane] = chains.air[first + lane] * length * (against - 0.5 * along)
            air[0, lane] += s * along
            air[1, lane] -= t * along
    for lane in range(w):
        air[0, lane] = air[1, lane] = 0.0
    for k in range(n - 1, -1, -1):
        for lane in range(w):
            s, t, length = sines[k, lane], cosines[k, lane], chains.lengths[k, first + lane]
            push = broadside[k, lane]
            slowed = chains.air[first + lane] * length**3 / 12 * scratch.middle[k, lane]
            further = air[1, lane] * t - air[0, lane] * s
            scratch.change[k, lane] += length * (further + 0.5 * push) - slowed
            air[0, lane] -= push * s
            air[1, lane] += push * t
