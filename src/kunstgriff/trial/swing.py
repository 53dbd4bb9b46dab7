"""The built-in test swing: what springs hang on is turned left and right, then held still while they settle."""

from __future__ import annotations

from collections import Counter

import numpy as np
from numpy.typing import NDArray

from kunstgriff.figure.model import Figure

SECONDS = 4.0
CYCLES_PER_SECOND = 1.0
SWING_SECONDS = 2.0  # two whole cycles; the rest of the time shows how springs come to rest
MAIN_DEGREES = 14.0
OTHER_DEGREES = 4.0

Floats = NDArray[np.float64]


def swung_bones(figure: Figure) -> dict[str, float]:
    """Bones the swing turns, with degrees: those springs hang on, the one that carries most of them most.

    Roots are left alone as long as there is another, so that the feet stay where they are. Without springs it is the
    last bone that others hang on, or the first bone there is.
    """
    parent = {bone.id: bone.parent for bone in figure.bones}
    carried = Counter(ref for spring in figure.springs if (ref := parent[spring.bones[0]]) is not None)
    if not carried:
        last = [ref for ref in parent.values() if ref is not None][-1:] or list(parent)[:1]
        carried = Counter(last)
    above_ground = {ref: count for ref, count in carried.items() if parent[ref] is not None} or dict(carried)
    main = max(above_ground, key=lambda ref: above_ground[ref], default=None)
    return {ref: MAIN_DEGREES if ref == main else OTHER_DEGREES for ref in above_ground}


def swing_at(times: Floats) -> Floats:
    """The swing's course in [-1, 1] at `times` (s): two cycles of a sine, eased in and out, then nothing."""
    ease = np.clip(np.minimum(times, SWING_SECONDS - times) / 0.35, 0, 1)
    ease = ease**3 * (10 + ease * (6 * ease - 15))
    return np.asarray(ease * np.sin(2 * np.pi * CYCLES_PER_SECOND * times))


def hop_at(times: Floats) -> Floats:
    """How high a body is in a hop, at `times` (s), as a share: down, up in a throw, down again, then still."""
    knots = [0.0, 0.25, 0.42, 0.75, 0.87, 1.2]
    heights = [0.0, -0.35, 0.0, 0.0, -0.3, 0.0]
    down = np.interp(times, knots, heights)
    flight = np.clip((times - 0.42) / 0.33, 0.0, 1.0)
    return np.asarray(down + 4 * flight * (1 - flight))


def stop_at(times: Floats) -> Floats:
    """How far a body has gone, at `times` (s), as a share: away at an even pace, and all at once it stands."""
    return np.asarray(np.clip(times / 1.0, 0.0, 1.0))


def look_at(times: Floats) -> Floats:
    """How far a head is turned, at `times` (s): to one side in a quarter of a second, then as fast to the other."""
    return np.asarray(_eased(times, 0.1) - 2 * _eased(times, 1.1) + _eased(times, 2.1))


def walk_at(times: Floats) -> tuple[Floats, Floats]:
    """How high a body is in a walk on the spot, at `times` (s), as a share, and how far it leans in [-1, 1]: two steps
    a second, highest where the legs pass one another (common practice, no source), eased in, then still."""
    ease = _eased(times, 0.0) - _eased(times, 3.0)
    return np.asarray(ease * 0.5 * (1 - np.cos(4 * np.pi * times))), np.asarray(ease * np.sin(2 * np.pi * times))


def gust_at(times: Floats) -> Floats:
    """How many times as strong the wind is, at `times` (s): a gust that comes and goes."""
    return np.asarray(1.0 + 3.0 * (_eased(times, 0.5) - _eased(times, 1.6)))


def _eased(times: Floats, begins: float) -> Floats:
    share = np.clip((times - begins) / 0.25, 0.0, 1.0)
    return np.asarray(share**3 * (10 + share * (6 * share - 15)))
