"""The kernel of jelly: handles of a lattice, or tacks, hang on springs where bones and the pose would have them.

Each handle is off its place u by the equation of a mass on a damped spring whose foot is moved,
u″ + 2ζω u′ + ω² u = −a, solved exactly from step to step for a foot that goes evenly (Thomson, Theory of Vibration,
support motion). Where no rim is held the outline of the lattice keeps its area: what it would lose or gain is given
back along its normals, each handle as it is free (Müller et al. 2007, Position Based Dynamics).
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy.linalg import expm

from kunstgriff.figure.model import Figure
from kunstgriff.figure.warps import Tacks
from kunstgriff.skeleton.kinematics import carried_spot

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]

STIFFER = 3.0  # times as fast a handle next to what carries it swings as the farthest one
FARTHEST = 0.6  # of the way to the next handle that one goes off its place, so that nothing folds
ALONE = 100.0  # px that one tack which reaches over its whole part has around it
ROUNDS = 4


class Jelly(NamedTuple):
    """Handles that swing, `j` of them, those of one lattice one after another."""

    rows: Ints  # (j,) of all handles
    frame: Ints  # (j,) the bone in whose frame it is posed, or -1
    carrier: Ints  # (j,) the bone that carries it, or -1
    tied: Ints  # (t, 2) handles that go by a share with another bone, and that
    shares: Floats  # (t,)
    place: Floats  # (j, 2) px at rest
    free: Floats  # (j,) 0 for one that is held, else 1
    most: Floats  # (j,) px off its place at the most
    onward: Floats  # (j, 4) what a step makes of (u, u′): u from u and u′, u′ from u and u′
    rings: Ints  # (o, 2) of each outline that keeps its area from and to which of `ring`
    ring: Ints  # (r,) handles around them
    now: Floats  # (j, 2) px: the place it has by carrier and pose
    pace: Floats  # (j, 2) px/s of that
    off: Floats  # (j, 2) px
    rate: Floats  # (j, 2) px/s

    @classmethod
    def of(cls, figure: Figure, bones: Mapping[str, int], joints: Floats, h: float) -> Jelly:
        """The lattices of a figure that are jelly, stepped by `h` s; `joints` (b, 2) of its bones, by their rows."""
        counts = [len(one.handles) for one in figure.warps]
        first = dict(zip((one.id for one in figure.warps), np.cumsum([0, *counts]).tolist(), strict=False))
        index, frames, carriers, places, free, most, systems = (
            [np.zeros((0, *shape))] for shape in ((), (), (), (2,), (), (), (2, 2))
        )
        rings, ring, tied, made = list[tuple[int, int]](), [np.zeros(0, np.int32)], list[tuple[int, int, float]](), 0
        for warp in figure.jellies:
            wobble, count = warp.jelly, len(warp.handles)
            assert wobble is not None
            spots = np.array([one.place for one in warp.handles])
            frame = bones[warp.bone] if warp.bone is not None else -1
            held, away = np.zeros(count, bool), np.ones(count)
            if isinstance(warp, Tacks):
                carrier = np.array([-1 if one.still else frame for one in warp.handles])
                held = np.array([one.firm for one in warp.handles])
                near = _beside(spots, warp.reach or ALONE)
            else:
                carrier, around = np.full(count, frame), outline(warp.rows, warp.columns)
                grid = spots.reshape(warp.rows, warp.columns, 2)
                near = min(np.hypot(*np.diff(grid, axis=axis).reshape(-1, 2).T).min() for axis in (0, 1))
                if wobble.rim:
                    held[around] = True
                else:
                    begins = sum(map(len, ring))
                    rings.append((begins, begins + len(around)))
                    ring.append((made + around).astype(np.int32))
                    if frame >= 0:
                        away = np.hypot(*(spots - joints[frame]).T)
                        away /= max(float(away.max()), 1e-9)
            tied += [(made + k, bones[tie.bone], tie.share) for k, one in enumerate(warp.handles) for tie in one.ties]
            index.append(first[warp.id] + np.arange(count))
            frames.append(np.full(count, frame))
            carriers.append(carrier)
            places.append(spots)
            free.append(1.0 - held)
            most.append(np.full(count, FARTHEST * near))
            systems.append(
                springs(2 * math.pi * wobble.frequency * (STIFFER - (STIFFER - 1) * away), wobble.damping_ratio)
            )
            made += count
        rows, in_frame, carried_by = (np.concatenate(some).astype(np.int32) for some in (index, frames, carriers))
        each = [np.zeros((made, 2)) for _ in range(4)]
        return cls(
            rows, in_frame, carried_by,
            np.array([(handle, bone) for handle, bone, _ in tied], np.int32).reshape(-1, 2),
            np.array([share for *_, share in tied], np.float64),
            np.concatenate(places), np.concatenate(free), np.concatenate(most),
            expm(h * np.concatenate(systems)).reshape(-1, 4),
            np.array(rings, np.int32).reshape(-1, 2), np.concatenate(ring), each[0], each[1], each[2], each[3],
        )  # fmt: skip

    @property
    def bones(self) -> Ints:
        """The bones that it goes by."""
        return np.concatenate([self.frame, self.carrier, self.tied[:, 1]])


def _beside(spots: Floats, alone: float) -> float:
    """How far apart the nearest two of some spots (n, 2) are, `alone` where there is one."""
    apart = np.hypot(*(spots[:, None] - spots[None]).reshape(-1, 2).T)
    return float(apart[apart > 0].min(initial=np.inf)) if (apart > 0).any() else alone


def outline(rows: int, columns: int) -> Ints:
    """The handles around a lattice, one after another.

    >>> outline(3, 2).tolist()
    [0, 1, 3, 5, 4, 2]
    """
    grid = np.arange(rows * columns, dtype=np.int32).reshape(rows, columns)
    return np.concatenate([grid[0], grid[1:, -1], grid[-1, -2::-1], grid[-2:0:-1, 0]])


def springs(omegas: Floats, ratio: float) -> Floats:
    """What damped springs (n,) make of (u, u′) at each moment, (n, 2, 2); its exponential is what a time makes of it.

    >>> (expm(0.25 * springs(np.array([2 * math.pi]), 0.0)).round(6) + 0.0).ravel().tolist()
    [0.0, 0.159155, -6.283185, 0.0]
    """
    found = np.zeros((len(omegas), 2, 2))
    found[:, 0, 1], found[:, 1, 0], found[:, 1, 1] = 1.0, -(omegas**2), -2 * ratio * omegas
    return found


@njit(cache=True)
def wobble(jelly: Jelly, matrices: Floats, shifts: Floats, h: float, started: bool) -> None:
    """Step all jelly on by `h` s to where bones (b, 6) and the pose's `shifts` (handles, 2) have its handles now."""
    now, pace, off, rate, place, onward = jelly.now, jelly.pace, jelly.off, jelly.rate, jelly.place, jelly.onward
    tie = 0
    for k in range(now.shape[0]):
        from_x, from_y = place[k, 0] + shifts[jelly.rows[k], 0], place[k, 1] + shifts[jelly.rows[k], 1]
        x, y = carried_spot(matrices, jelly.carrier[k], from_x, from_y)
        base_x, base_y = x, y
        while tie < jelly.tied.shape[0] and jelly.tied[tie, 0] == k:
            tied_x, tied_y = carried_spot(matrices, jelly.tied[tie, 1], from_x, from_y)
            x += jelly.shares[tie] * (tied_x - base_x)
            y += jelly.shares[tie] * (tied_y - base_y)
            tie += 1
        if jelly.free[k] == 0.0:
            continue
        for axis in range(2):
            to = x if axis == 0 else y
            going = (to - now[k, axis]) / h if started else 0.0
            u, r = off[k, axis], rate[k, axis] - (going - pace[k, axis])
            off[k, axis] = onward[k, 0] * u + onward[k, 1] * r
            rate[k, axis] = onward[k, 2] * u + onward[k, 3] * r
            now[k, axis], pace[k, axis] = to, going
    for number in range(jelly.rings.shape[0]):
        keep_area(jelly, jelly.rings[number, 0], jelly.rings[number, 1], h)
    for k in range(now.shape[0]):
        away = math.sqrt(off[k, 0] ** 2 + off[k, 1] ** 2)
        if away > jelly.most[k]:
            for axis in range(2):
                off[k, axis] *= jelly.most[k] / away
                rate[k, axis] *= jelly.most[k] / away


@njit(cache=True)
def keep_area(jelly: Jelly, first: int, last: int, h: float) -> None:
    """Bring the outline of a lattice back to the area it would have with nothing off its place."""
    ring, now, off, rate, free = jelly.ring, jelly.now, jelly.off, jelly.rate, jelly.free
    count = last - first
    for _ in range(ROUNDS):
        lacking, weight = 0.0, 0.0
        for k in range(count):
            a, b, c = ring[first + (k - 1) % count], ring[first + k], ring[first + (k + 1) % count]
            x, y = now[b, 0] + off[b, 0], now[b, 1] + off[b, 1]
            x1, y1 = now[c, 0] + off[c, 0], now[c, 1] + off[c, 1]
            x0, y0 = now[a, 0] + off[a, 0], now[a, 1] + off[a, 1]
            lacking += now[b, 0] * now[c, 1] - now[c, 0] * now[b, 1] - x * y1 + x1 * y
            weight += free[b] * ((y1 - y0) ** 2 + (x1 - x0) ** 2)
        if weight < 1e-9:
            return
        share = lacking / weight
        for k in range(count):
            a, b, c = ring[first + (k - 1) % count], ring[first + k], ring[first + (k + 1) % count]
            if k == 0:
                ax, ay = now[a, 0] + off[a, 0], now[a, 1] + off[a, 1]
                begin_x, begin_y = now[b, 0] + off[b, 0], now[b, 1] + off[b, 1]
            bx, by = now[b, 0] + off[b, 0], now[b, 1] + off[b, 1]
            cx, cy = now[c, 0] + off[c, 0], now[c, 1] + off[c, 1]
            if k == count - 1:
                cx, cy = begin_x, begin_y
            moved_x, moved_y = free[b] * share * (cy - ay), -free[b] * share * (cx - ax)
            off[b, 0] += moved_x
            off[b, 1] += moved_y
            rate[b, 0] += moved_x / h
            rate[b, 1] += moved_y / h
            ax, ay = bx, by
