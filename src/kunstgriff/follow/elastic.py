"""Links that give along themselves: a chain gets longer and narrower where it is flung or hangs, shorter and wider
where it is pushed together.

All links of a chain give alike, by the strain e of an elastic rod that is held at one end, as far as its slowest mode
tells: e″ + 2ζω e′ + ω² e = ω² e₀, solved exactly from step to step. Here e₀ is the strain at which such a rod is at
rest under what acts along it, π²/8 · p / (L ω²) under an even pull p px/s² and π²/12 · w² / ω² where it turns by w
rad/s (strength of materials: ρ p L / 2E and ρ w² L² / 3E, with √(E/ρ) = 2 L ω / π of the slowest mode). It is told from
how the chain lies in the drawing, where it is as long as it is drawn; what shows goes no further than the chain's own
limit. Collisions and ties go by the links as they are drawn.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy.linalg import expm

from kunstgriff.figure.follow import Spring
from kunstgriff.follow.jelly import springs

Floats = NDArray[np.float64]
PULLED, WHIRLED = math.pi**2 / 8, math.pi**2 / 12


class Elastic(NamedTuple):
    """What of `c` chains gives along them; `natural` is how `b` bones are stretched by pose and controls."""

    most: Floats  # (c,) the share of its length that a chain gives at the most, 0 for none
    squash: Floats  # (c,) how far its area is kept
    squares: Floats  # (c,) ω²
    onward: Floats  # (c, 4) what a step makes of (e, e′): e from e and e′, e′ from e and e′
    drawn: Floats  # (c,) px/s² that pulled along it as it is drawn
    natural: Floats  # (b, 2) along and across
    pace: Floats  # (2, c) px/s of its first joint
    off: Floats  # (c,) e
    rate: Floats  # (c,) 1/s

    @classmethod
    def of(cls, count: int, bones: int) -> Elastic:
        """Chains that do not give."""
        return cls(
            np.zeros(count), np.zeros(count), np.ones(count), np.zeros((count, 4)), np.zeros(count),
            np.ones((bones, 2)), np.zeros((2, count)), np.zeros(count), np.zeros(count),
        )  # fmt: skip

    def give(self, chain: int, spring: Spring, lengths: Floats, angles: Floats, h: float) -> None:
        """Let a chain give as its spring has it, its links so long and at these angles (n,) at rest."""
        omega = 2 * math.pi * spring.bounce
        self.most[chain], self.squash[chain], self.squares[chain] = spring.stretch, spring.squash, omega**2
        self.onward[chain] = expm(h * springs(np.array([omega]), spring.damping_ratio)).ravel()
        self.drawn[chain] = spring.gravity * float(lengths @ np.sin(angles)) / float(lengths.sum())

    def forget(self) -> None:
        """Begin anew."""
        for some in (self.pace, self.off, self.rate):
            some[:] = 0.0


@njit(cache=True)
def lengthen(
    elastic: Elastic, c: int, n: int, angles: Floats, rates: Floats, lengths: Floats, pull: Floats, joint: Floats,
    joint_before: Floats, h: float, started: bool,
) -> None:  # fmt: skip
    """Step the strain of chain `c` of `n` links on by `h` s."""
    along_x, along_y, whirl, whole = 0.0, 0.0, 0.0, 0.0
    for k in range(n):
        whole += lengths[k, c]
        along_x += lengths[k, c] * math.cos(angles[k, c])
        along_y += lengths[k, c] * math.sin(angles[k, c])
        whirl += lengths[k, c] * rates[k, c]
    along_x, along_y, whirl = along_x / whole, along_y / whole, whirl / whole
    pulls = -elastic.drawn[c]
    for axis in range(2):
        pace = (joint[axis, c] - joint_before[axis, c]) / h if started else 0.0
        pulls += (pull[axis, c] - (pace - elastic.pace[axis, c]) / h) * (along_x if axis == 0 else along_y)
        elastic.pace[axis, c] = pace
    still = (PULLED * pulls / whole + WHIRLED * whirl * whirl) / elastic.squares[c]
    onward = elastic.onward[c]
    off, rate = elastic.off[c] - still, elastic.rate[c]
    elastic.off[c] = still + onward[0] * off + onward[1] * rate
    elastic.rate[c] = onward[2] * off + onward[3] * rate


@njit(cache=True)
def stretch_by(elastic: Elastic, c: int, amount: float, bone: int, stretch: Floats) -> None:
    """Stretch a bone of chain `c`, by an `amount` of what it gives."""
    most = elastic.most[c]
    longer = 1.0 + amount * most * math.tanh(elastic.off[c] / most)
    stretch[bone, 0] = elastic.natural[bone, 0] * longer
    stretch[bone, 1] = elastic.natural[bone, 1] * longer ** -elastic.squash[c]
