"""Chains of bones that reach for a goal: how far each of their joints must turn so that the tip comes to lie there.

Two bones go by the law of cosines, within their limits too. Longer chains go by damped least squares
(Wampler 1986; Buss 2004): joints at a limit that would turn beyond it are left out of a step. Whatever was found before
is no part of it: it begins from the plain pose a little bent, and where that ends short of the goal from others.

Full extension is eased in: beyond `soft` of its length a chain comes to lie straight only slowly, so that no knee pops.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

Floats = NDArray[np.float64]

NEAR = 2e-3  # px within which a goal is reached
STEPS, SEEDS = 60, 20  # of least squares from one beginning at the most, and how many of these there are
LONGEST = 0.6  # rad that a joint turns in one step
OVER = 0.04  # of its length over which a limb that is drawn pushed through goes over to its side
PUSHED = 0.7  # rad of such a bend at the most; more is a limb that bends that way
BENT = 0.35  # rad by which the joints of the first beginning are bent to the chain's side


@njit(cache=True, nogil=True)
def eased_distance(distance: float, length: float, soft: float) -> float:
    """How far from its root a chain of some `length` px puts its tip for a goal at a `distance` px: the same but for
    the last share `soft` of the length, which is approached and never passed."""
    start = length * (1 - soft)
    if distance <= start or soft <= 0:
        return min(distance, length)
    room = length - start
    return start + room * (1 - math.exp(-(distance - start) / room))


def uneased(distance: float, length: float, soft: float) -> float:
    """For a goal at which distance a tip is put at this one: the other way round than `eased_distance`.

    >>> round(uneased(eased_distance(197.0, 200.0, 0.05), 200.0, 0.05), 9)
    197.0
    """
    start = length * (1 - soft)
    if distance <= start or soft <= 0:
        return distance
    room = length - start
    return start - room * math.log(max(1 - (distance - start) / room, 1e-9))


@njit(cache=True, nogil=True)
def bend_of(spots: Floats) -> float:
    """How far the joints between the first and the tip of a chain (n + 1, 2) are bent in all, rad, clockwise."""
    total = 0.0
    for k in range(1, len(spots) - 1):
        ax, ay = spots[k, 0] - spots[k - 1, 0], spots[k, 1] - spots[k - 1, 1]
        bx, by = spots[k + 1, 0] - spots[k, 0], spots[k + 1, 1] - spots[k, 1]
        total += math.atan2(ax * by - ay * bx, ax * bx + ay * by)
    return total


@njit(inline="always")
def wrapped(angle: float) -> float:
    """An angle (rad) brought within half a turn."""
    return angle - 2 * math.pi * math.floor(angle / (2 * math.pi) + 0.5)


@njit(inline="always")
def far(x: float, y: float) -> float:
    """How long a move is, for px, which neither overflow nor vanish."""
    return math.sqrt(x * x + y * y)


@njit(cache=True, nogil=True)
def two_bones(spots: Floats, goal: Floats, side: float, turns: Floats) -> float:
    """Fill `turns` (2,), rad, with how far the joints of two bones turn, whose joints and tip are `spots` (3, 2), so
    that the tip lies at `goal` (2,) or as near as their lengths allow; the second bends to a `side` (1: clockwise).
    Gives the px left over."""
    ax, ay = spots[1, 0] - spots[0, 0], spots[1, 1] - spots[0, 1]
    bx, by = spots[2, 0] - spots[1, 0], spots[2, 1] - spots[1, 1]
    gx, gy = goal[0] - spots[0, 0], goal[1] - spots[0, 1]
    first, second, away = far(ax, ay), far(bx, by), far(gx, gy)
    if away < 1e-9:  # no direction to go by: the one in which the tip lies
        gx, gy = spots[2, 0] - spots[0, 0], spots[2, 1] - spots[0, 1]
    asked = away
    away = min(max(away, abs(first - second), 1e-9), first + second)
    cosine = (first * first + away * away - second * second) / max(2 * first * away, 1e-12)
    ahead = math.atan2(gy, gx) - side * math.acos(min(max(cosine, -1.0), 1.0))
    cosine = (first * first + second * second - away * away) / max(2 * first * second, 1e-12)
    bend = side * (math.pi - math.acos(min(max(cosine, -1.0), 1.0)))
    turns[0] = wrapped(ahead - math.atan2(ay, ax))
    turns[1] = wrapped(bend - math.atan2(ax * by - ay * bx, ax * bx + ay * by))
    return float(abs(asked - away))


@njit(inline="always")
def over_by(length: float, drawn: float) -> float:
    """The px over which a limb of some `length`, its ends `drawn` so far apart, goes over to its side: on these its tip
    may lie beyond its goal."""
    return max(3 * (length - drawn), OVER * length)


@njit(cache=True, nogil=True)
def two_turned_over(
    spots: Floats, goal: Floats, side: float, bend: float, low: Floats, high: Floats, turns: Floats
) -> float:
    """As `two_bones`, of a limb that is drawn a little bent (`bend`, rad) against its `side`: a knee drawn pushed
    through.

    As drawn it lies at rest, and so it is stretched out; drawn together its bend goes over to the side it shall have,
    over `OVER` of its length, and is the one that is asked for from there. On the way through it is straight, and so
    its tip lies beyond the goal by less than that. Gives the px left over."""
    ax, ay = spots[1, 0] - spots[0, 0], spots[1, 1] - spots[0, 1]
    bx, by = spots[2, 0] - spots[1, 0], spots[2, 1] - spots[1, 1]
    gx, gy = goal[0] - spots[0, 0], goal[1] - spots[0, 1]
    first, second, away = far(ax, ay), far(bx, by), far(gx, gy)
    drawn = far(spots[2, 0] - spots[0, 0], spots[2, 1] - spots[0, 1])
    asked = min(max(away, abs(first - second), 1e-9), first + second)
    cosine = (first * first + second * second - asked * asked) / max(2 * first * second, 1e-12)
    wanted = math.pi - math.acos(min(max(cosine, -1.0), 1.0))
    if asked >= drawn:
        found = -side * wanted
    else:
        share = min((drawn - asked) / over_by(first + second, drawn), 1.0)
        share = share * share * (3 - 2 * share)
        found = bend + share * (side * wanted - bend)
    turns[1] = min(max(found - bend, low[1]), high[1])
    now = bend + turns[1]
    tip = math.atan2(second * math.sin(now), first + second * math.cos(now))
    turns[0] = min(max(wrapped(math.atan2(gy, gx) - tip - math.atan2(ay, ax)), low[0]), high[0])
    return float(tip_off(spots, goal, turns[0], turns[1]))


@njit(inline="always")
def held(turn: float, low: float, high: float) -> float:
    """A turn (rad) within its limits: the same, some whole turns away, or the limit that is nearer round the circle."""
    if low <= turn <= high:
        return turn
    for whole in (2 * math.pi, -2 * math.pi):
        if low <= turn + whole <= high:
            return turn + whole
    return low if abs(wrapped(turn - low)) < abs(wrapped(turn - high)) else high


@njit(cache=True, nogil=True)
def two_limited(spots: Floats, goal: Floats, side: float, low: Floats, high: Floats, turns: Floats) -> float:
    """As `two_bones`, within limits. Where they allow neither way of bending, one joint is at a limit: the nearest of
    what is then best is taken, which is the nearest there is, since it is so with either joint held still."""
    best, first, second = math.inf, 0.0, 0.0
    free = min(high[0], high[1], -low[0], -low[1]) > 2 * math.pi
    for way in (side, -side):
        left = two_bones(spots, goal, way, turns)
        if free:
            return float(left)
        turns[0] = held(turns[0], low[0], high[0])
        inside = low[0] <= turns[0] <= high[0] and low[1] <= turns[1] <= high[1]
        if inside and tip_off(spots, goal, turns[0], turns[1]) < left + NEAR:
            if left < NEAR or way == side:
                return float(left)
            best, first, second = left, turns[0], turns[1]
    ax, ay = spots[1, 0] - spots[0, 0], spots[1, 1] - spots[0, 1]
    bx, by = spots[2, 0] - spots[1, 0], spots[2, 1] - spots[1, 1]
    gx, gy = goal[0] - spots[0, 0], goal[1] - spots[0, 1]
    for end in (0, 1):
        root = low[0] if end == 0 else high[0]
        c, s = math.cos(root), math.sin(root)
        ex, ey = c * ax - s * ay, s * ax + c * ay
        elbow = held(wrapped(math.atan2(gy - ey, gx - ex) - math.atan2(by, bx) - root), low[1], high[1])
        off = tip_off(spots, goal, root, elbow)
        if off < best:
            best, first, second = off, root, elbow
        elbow = low[1] if end == 0 else high[1]
        c, s = math.cos(elbow), math.sin(elbow)
        root = held(
            wrapped(math.atan2(gy, gx) - math.atan2(ay + s * bx + c * by, ax + c * bx - s * by)), low[0], high[0]
        )
        off = tip_off(spots, goal, root, elbow)
        if off < best:
            best, first, second = off, root, elbow
    turns[0], turns[1] = first, second
    return best


@njit(inline="always")
def tip_off(spots: Floats, goal: Floats, root: float, elbow: float) -> float:
    """How far (px) the tip of two bones lies from a goal when their joints turn."""
    ax, ay = spots[1, 0] - spots[0, 0], spots[1, 1] - spots[0, 1]
    bx, by = spots[2, 0] - spots[1, 0], spots[2, 1] - spots[1, 1]
    c, s = math.cos(root), math.sin(root)
    d, t = math.cos(root + elbow), math.sin(root + elbow)
    x = spots[0, 0] + c * ax - s * ay + d * bx - t * by
    y = spots[0, 1] + s * ax + c * ay + t * bx + d * by
    return float(far(x - goal[0], y - goal[1]))


@njit(cache=True, nogil=True)
def turned_chain(spots: Floats, turns: Floats, out: Floats) -> None:
    """Fill `out` (n + 1, 2) with where joints and tip `spots` (n + 1, 2) lie when joints turn by `turns` (n,), rad."""
    angle = 0.0
    out[0, 0], out[0, 1] = spots[0, 0], spots[0, 1]
    for k in range(len(turns)):
        angle += turns[k]
        c, s = math.cos(angle), math.sin(angle)
        x, y = spots[k + 1, 0] - spots[k, 0], spots[k + 1, 1] - spots[k, 1]
        out[k + 1, 0], out[k + 1, 1] = out[k, 0] + c * x - s * y, out[k, 1] + s * x + c * y


@njit(cache=True, nogil=True)
def stepped(spots: Floats, goal: Floats, low: Floats, high: Floats, turns: Floats, out: Floats) -> float:
    """Turn a chain towards `goal` from where it is turned to, between `low` and `high` (n,); gives the px left over."""
    count = len(turns)
    damping = 1e-3
    turned_chain(spots, turns, out)
    ex, ey = goal[0] - out[count, 0], goal[1] - out[count, 1]
    left = math.hypot(ex, ey)
    size = 0.0
    for k in range(count):
        size += math.hypot(spots[k + 1, 0] - spots[k, 0], spots[k + 1, 1] - spots[k, 1])
    tried = np.empty(count)
    for _ in range(STEPS):
        if left < NEAR:
            break
        a = d = damping * size * size
        b = 0.0
        for k in range(count):
            jx, jy = -(out[count, 1] - out[k, 1]), out[count, 0] - out[k, 0]
            pull = jx * ex + jy * ey
            if (turns[k] <= low[k] and pull < 0) or (turns[k] >= high[k] and pull > 0):
                continue
            a, b, d = a + jx * jx, b + jx * jy, d + jy * jy
        area = a * d - b * b
        wx, wy = (d * ex - b * ey) / area, (a * ey - b * ex) / area
        for k in range(count):
            jx, jy = -(out[count, 1] - out[k, 1]), out[count, 0] - out[k, 0]
            by = min(max(jx * wx + jy * wy, -LONGEST), LONGEST)
            tried[k] = min(max(turns[k] + by, low[k]), high[k])
        turned_chain(spots, tried, out)
        fx, fy = goal[0] - out[count, 0], goal[1] - out[count, 1]
        now = math.hypot(fx, fy)
        if now < left:
            better = left - now
            turns[:] = tried
            ex, ey, left = fx, fy, now
            damping = max(damping * 0.3, 1e-9)
            if better < 1e-7 * size and damping <= 1e-8:
                break
        else:
            damping *= 8
            turned_chain(spots, turns, out)
            if damping > 1e4:
                break
    return left


@njit(cache=True, nogil=True)
def reached(spots: Floats, goal: Floats, side: float, low: Floats, high: Floats, turns: Floats) -> float:
    """Fill `turns` (n,), rad, with how far the joints of a chain turn whose joints and tip are `spots` (n + 1, 2), each
    between `low` and `high` (n,), so that its tip lies at `goal` (2,), bent to its `side`. Gives the px left over."""
    count = len(turns)
    if count == 2:
        return float(two_limited(spots, goal, side, low, high, turns))
    out, best, seed = np.empty((count + 1, 2)), np.empty(count), np.empty(count)
    least, size = np.inf, 0.0
    for k in range(count):
        size += math.hypot(spots[k + 1, 0] - spots[k, 0], spots[k + 1, 1] - spots[k, 1])
    off = math.hypot(goal[0] - spots[count, 0], goal[1] - spots[count, 1])
    for number in range(SEEDS):
        begun(number, side, min(4 * off / max(size, 1e-9), 1.0), low, high, seed)
        left = stepped(spots, goal, low, high, seed, out)
        if left < least:
            least = left
            best[:] = seed
        if least < NEAR:
            break
    turns[:] = best
    return least


@njit(cache=True, nogil=True)
def begun(number: int, side: float, away: float, low: Floats, high: Floats, seed: Floats) -> None:
    """Fill where the search of that `number` begins (n,): first the plain pose bent to the side, the less the nearer
    the goal is (`away` 0: not at all), then bent by more and to the other side, one way near the root and the other
    near the tip, at last near the ends of its range."""
    for k in range(len(seed)):
        bend = (side if number % 2 == 0 else -side) * BENT * (1 + number // 2 % 3 * 2.0)
        if number == 0:
            bend = away * bend if k > 0 else 0.0
        if number >= 6 and k >= (number % 3 + 1) * len(seed) // 4:
            bend = -bend
        if number >= 12:
            share = 0.1 if (number - 12) >> (k % 3) & 1 else 0.9
            bend = max(low[k], -math.pi) + share * (min(high[k], math.pi) - max(low[k], -math.pi))
        seed[k] = min(max(bend, low[k]), high[k])
