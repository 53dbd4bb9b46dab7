"""The kernel of chains tied across: coat tails, capes and hems as strips of cloth.

The ends of like rods are tied to each other. What is farther apart, or nearer, than cloth gives is brought back by
places, each of the two half of the way (Müller et al. 2007, Position Based Dynamics), rods are laid along those places
anew, and what they were turned by becomes part of how fast they turn.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.figure.follow import Spring
from kunstgriff.follow.swinging import Chains, Swing, sine_cosine

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]

ROUNDS = 6
WITHIN = 0.01  # px within which a tie holds


class Ties(NamedTuple):
    """Ties of chains, as flat arrays; `t` ties, those of one level one after another."""

    chains: Ints  # (t, 2) the two chains
    links: Ints  # (t, 2) the rods whose ends are tied
    rest: Floats  # (t,) px apart as drawn
    give: Floats  # (t,) the share of it that they may come apart or together
    members: Ints  # (m,) the chains that are tied, those of one level one after another
    spans: Ints  # (l, 4) of each level that has any the ties and the members, each from and to
    places: Floats  # (c, n + 1, 2) px, to work in
    before: Floats  # (n, c) rad, to work in

    @classmethod
    def of(cls, pairs: Mapping[int, Sequence[tuple[int, int, float]]], bones: Ints, counts: Ints, tips: Floats) -> Ties:
        """The ties of pairs of chains (each with how much it gives), by their level; `bones` (n, c) of chains that are
        so many rods long, with the `tips` (b, 2) they have as drawn."""
        chains, links, rest, give = list[tuple[int, int]](), list[tuple[int, int]](), list[float](), list[float]()
        members, spans = list[int](), list[tuple[int, int, int, int]]()
        for level in sorted(pairs):
            first = len(chains), len(members)
            for one, other, gives in pairs[level]:
                for k in range(counts[one]):
                    like = round((k + 1) / counts[one] * counts[other]) - 1
                    if like >= 0:
                        chains.append((one, other))
                        links.append((k, like))
                        rest.append(float(np.hypot(*(tips[bones[k, one]] - tips[bones[like, other]]))))
                        give.append(gives)
            members += sorted({chain for one, other, _ in pairs[level] for chain in (one, other)})
            spans.append((first[0], len(chains), first[1], len(members)))
        return cls(
            np.array(chains, np.int32).reshape(-1, 2), np.array(links, np.int32).reshape(-1, 2), np.array(rest),
            np.array(give), np.array(members, np.int32), np.array(spans, np.int32).reshape(-1, 4),
            np.zeros((bones.shape[1], bones.shape[0] + 1, 2)), np.zeros(bones.shape),
        )  # fmt: skip


def pairs_of(springs: Sequence[tuple[int, int, Spring, str]]) -> dict[int, list[tuple[int, int, float]]]:
    """By level the pairs of chains that are tied; `springs` are chains with their numbers, levels and first bones.
    What hangs on a chain it is tied to, or on another level, is not."""
    by_bone = {bone: (number, level) for number, level, _, bone in springs}
    found = dict[int, list[tuple[int, int, float]]]()
    for number, level, spring, _ in springs:
        for bone in spring.tied:
            other = by_bone.get(bone)
            if other is not None and other[1] == level and other[0] != number:
                found.setdefault(level, []).append((number, other[0], spring.give))
    return found


@njit(cache=True)
def tie_up(chains: Chains, swing: Swing, ties: Ties, counts: Ints, span: Ints, h: float) -> None:
    """Bring the chains of a level that have just swung on back to where their ties hold them."""
    places, before, angles, joint, lengths = ties.places, ties.before, swing.angles, swing.joint, chains.lengths
    members, pairs, links, rest, give = ties.members, ties.chains, ties.links, ties.rest, ties.give
    for m in range(span[2], span[3]):
        c = members[m]
        x, y = joint[0, c], joint[1, c]
        places[c, 0, 0], places[c, 0, 1] = x, y
        for k in range(counts[c]):
            before[k, c] = angles[k, c]
            s, t = sine_cosine(angles[k, c])
            x, y = x + lengths[k, c] * t, y + lengths[k, c] * s
            places[c, k + 1, 0], places[c, k + 1, 1] = x, y
    for _ in range(ROUNDS):
        worst = 0.0
        for number in range(span[0], span[1]):
            a, b, i, j = pairs[number, 0], pairs[number, 1], links[number, 0] + 1, links[number, 1] + 1
            dx, dy = places[b, j, 0] - places[a, i, 0], places[b, j, 1] - places[a, i, 1]
            away = math.sqrt(dx * dx + dy * dy)
            least, most = rest[number] * (1.0 - give[number]), rest[number] * (1.0 + give[number])
            off = away - most if away > most else (away - least if away < least else 0.0)
            worst = max(worst, abs(off))
            if off != 0.0 and away > 1e-9:
                share = 0.5 * off / away
                places[a, i, 0] += share * dx
                places[a, i, 1] += share * dy
                places[b, j, 0] -= share * dx
                places[b, j, 1] -= share * dy
        if worst < WITHIN:
            break
        for m in range(span[2], span[3]):
            c = members[m]
            x, y = places[c, 0, 0], places[c, 0, 1]
            for k in range(counts[c]):
                s, t = sine_cosine(angles[k, c])
                dx, dy = places[c, k + 1, 0] - x, places[c, k + 1, 1] - y
                angles[k, c] += math.atan2(t * dy - s * dx, t * dx + s * dy)
                away = math.sqrt(dx * dx + dy * dy)
                share = lengths[k, c] / away if away > 1e-9 else 0.0
                x, y = x + share * dx, y + share * dy
                places[c, k + 1, 0], places[c, k + 1, 1] = x, y
    for m in range(span[2], span[3]):
        c = members[m]
        for k in range(counts[c]):
            swing.rates[k, c] += (angles[k, c] - before[k, c]) / h
