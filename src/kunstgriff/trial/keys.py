"""Keys in play: what channels are between them, for all of a motion's channels at once.

Between two keys a channel holds, goes straight, is monotone and cubic through its neighbours (Fritsch & Carlson 1980,
see `control.curves`), or eases by a cubic Bézier curve from (0, 0) to (1, 1) of time and way, as CSS does (W3C, CSS
Easing Functions Level 1). In a loop the last key is followed by the first.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy.interpolate import PchipInterpolator

from kunstgriff.control.curves import SMOOTH, STRAIGHT, pieces_of
from kunstgriff.evaluate.program import RigProgram
from kunstgriff.evaluate.stale import starts_of
from kunstgriff.figure.motions import FigureMotion, Track
from kunstgriff.figure.pose import Pose

Floats = NDArray[np.float64]
Ints32 = NDArray[np.int32]
HOLD, CUBIC, EASED = range(3)
# the easing words of CSS by their curves, W3C CSS Easing Functions Level 1, "cubic-bezier()"
EASES: dict[str, tuple[float, float, float, float]] = {
    "ease": (0.25, 0.1, 0.25, 1.0),
    "ease-in": (0.42, 0.0, 1.0, 1.0),
    "ease-out": (0.0, 0.0, 0.58, 1.0),
    "ease-in-out": (0.42, 0.0, 0.58, 1.0),
}


@njit(inline="always")
def bezier(t: float, one: float, other: float) -> float:
    """A coordinate of a cubic Bézier curve from 0 to 1 with two handles, at its parameter."""
    u = 1.0 - t
    return float(3.0 * u * u * t * one + 3.0 * u * t * t * other + t * t * t)


@njit(cache=True, nogil=True)
def eased_by(time: float, x1: float, y1: float, x2: float, y2: float) -> float:
    """How much of the way is done after a share of the time, by an easing curve with handles (x1, y1) and (x2, y2)."""
    if time <= 0.0 or time >= 1.0:
        return min(max(time, 0.0), 1.0)
    low, high, t = 0.0, 1.0, time
    for _ in range(60):
        off = bezier(t, x1, x2) - time
        if abs(off) < 1e-12:
            break
        if off > 0.0:
            high = t
        else:
            low = t
        u = 1.0 - t
        slope = 3.0 * u * u * x1 + 6.0 * u * t * (x2 - x1) + 3.0 * t * t * (1.0 - x2)
        t = t - off / slope if slope > 1e-9 else low
        if not low < t < high:  # Newton's step leads out: halve instead
            t = (low + high) / 2
    return float(bezier(t, y1, y2))


@njit(cache=True, nogil=True)
def keyed(
    frames: Floats, places: Ints32, every: Floats, starts: Ints32, ats: Floats, kinds: Ints32, pieces: Floats,
    rows: Floats,
) -> None:  # fmt: skip
    """Fill the channels at their `places` (t,) in `rows` (r, k) with what they are at `frames` (r,), round and round
    `every` so many of these (t,) where that is not 0: each by its knots
    from `starts[i]` on, at `ats`, from each of which a piece goes on: its `kinds`, and `pieces` (…, 6): its value there
    and either the factors of u, u², u³ past it, or the way to the next, and the handles of its curve."""
    for i in range(len(places)):
        first, end = starts[i], starts[i + 1]
        for r in range(len(frames)):
            at = frames[r] if every[i] == 0.0 else frames[r] % every[i]
            low, high = first, end - 1
            while low < high:
                middle = (low + high + 1) // 2
                if ats[middle] <= at:
                    low = middle
                else:
                    high = middle - 1
            past = at - ats[low]
            found = pieces[low, 0]
            if past > 0.0 and low + 1 < end:
                if kinds[low] == CUBIC:
                    found += past * (pieces[low, 1] + past * (pieces[low, 2] + past * pieces[low, 3]))
                elif kinds[low] == EASED:
                    share = past / (ats[low + 1] - ats[low])
                    p = pieces[low]
                    found += p[1] * eased_by(share, p[2], p[3], p[4], p[5])
            rows[r, places[i]] = found


@dataclass
class KeyedMotion:
    """A motion of a figure in play, at its own frames per second or at a `rate`."""

    motion: FigureMotion
    rate: int | None = None
    _packed: tuple[RigProgram, tuple[NDArray[Any], ...]] | None = field(default=None, repr=False)

    def __post_init__(self) -> None:
        self.rate = self.rate or self.motion.rate

    @property
    def name(self) -> str:
        return self.motion.name

    @property
    def seconds(self) -> float:
        return self.motion.frames / self.motion.rate

    def course(self, program: RigProgram, times: Floats) -> Floats:
        """The values of all channels at `times` (n,) in s: (n, k); what has no keys, or is not there, is at rest."""
        if self._packed is None or self._packed[0] is not program:
            self._packed = program, packed(program, self.motion)
        frames = np.asarray(times, np.float64) * self.motion.rate
        rows = np.tile(program.channels.rest, (len(frames), 1))
        keyed(frames, *self._packed[1], rows)
        return rows

    def at_rate(self, rate: int) -> KeyedMotion:
        return KeyedMotion(self.motion, rate)


def pose_on(program: RigProgram, motion: FigureMotion, frame: float) -> Pose:
    """What of a figure is off rest on a frame of a motion."""
    channels = program.channels
    values = KeyedMotion(motion).course(program, np.array([frame / motion.rate]))[0]
    off = np.flatnonzero(values != channels.rest)
    address = list(channels.index)
    return Pose(channels={address[place]: float(values[place]) for place in off})


def packed(program: RigProgram, motion: FigureMotion) -> tuple[NDArray[Any], ...]:
    """A motion as numbers, as `keyed` goes by them; tracks of channels that are not there are left out."""
    index, stepped = program.channels.index, set(program.channels.stepped.tolist())
    there = [one for one in motion.tracks if one.channel in index]
    knots = [_knots(one, motion, index[one.channel] in stepped) for one in there]
    return (
        np.array([index[one.channel] for one in there], np.int32),
        np.array([one.every or (motion.frames if motion.loop else 0.0) for one in there], np.float64),
        starts_of(one[0] for one in knots),
        np.concatenate([np.zeros(0), *(one[0] for one in knots)]),
        np.concatenate([np.zeros(0, np.int32), *(one[1] for one in knots)]),
        np.concatenate([np.zeros((0, 6)), *(one[2] for one in knots)]),
    )


def _knots(track: Track, motion: FigureMotion, stepped: bool) -> tuple[Floats, Ints32, Floats]:
    """The knots of a track (n,), the kinds of its pieces (n,), and these (n, 6). In a loop the last key lies before its
    beginning, too, and the first two behind its end."""
    at, values, ways = list(track.at), list(track.values), list(track.ways)
    span = track.every or (float(motion.frames) if motion.loop else 0.0)
    inside = [k for k, frame in enumerate(at) if frame < span]
    if inside:
        kept = [(at[k], values[k], ways[k]) for k in inside]
        around = [*((a - span, v, w) for a, v, w in kept[-2:]), *kept, *((a + span, v, w) for a, v, w in kept[:2])]
        at, values, ways = (list(some) for some in zip(*around, strict=True))
    ats, bys = np.array(at), np.array(values)
    kinds, pieces = np.full(len(ats), HOLD, np.int32), np.zeros((len(ats), 6))
    pieces[:, 0] = bys
    if stepped or len(ats) < 2:
        return ats, kinds, pieces
    cubics = {word: pieces_of(ats, bys, way) for word, way in (("linear", STRAIGHT), ("smooth", SMOOTH))}
    for k, way in enumerate(ways[:-1]):
        if way == "linear" or way == "smooth":
            kinds[k], pieces[k, :4] = CUBIC, cubics[way][k]
        elif way != "hold":
            kinds[k], pieces[k, 1:] = EASED, (bys[k + 1] - bys[k], *(EASES[way] if isinstance(way, str) else way))
    return ats, kinds, pieces


def thinned(at: Floats, values: Floats, within: float) -> list[int]:
    """The fewest places of a course, added one after another where it is furthest off, from which a smooth way through
    them (SciPy's monotone cubic, which keys marked smooth follow) keeps within so much of it."""
    kept = [0, len(at) - 1]
    while len(kept) < len(at):
        off = np.abs(PchipInterpolator(at[kept], values[kept])(at) - values)
        worst = int(off.argmax())
        if off[worst] <= within:
            break
        kept = sorted({*kept, worst})
    return kept
