"""The kernel of what stops a chain: the ends of its joints, what it must not lie in, and what its end hangs on.

All are constraints of rates, solved one after another again and again (Gauss–Seidel on impulses, as e.g. Erleben,
Physics-Based Animation, tells it): none pulls that may only push, friction is at most its share of what pushes. Then
places are put right without touching rates, so that nothing trembles where it rests. Impulses go through
A = M + hD/2 + h²K/4, as the step before them did.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.follow.swinging import Chains, Swing, sine_cosine

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]

ROUNDS, RIGHTINGS = 12, 8
FURTHEST = 0.2  # rad a rod is turned at once to put its place right
LEVER = 0.02  # share of the first link nearer than which to its joint nothing turns it
OUT = 1e-7  # px or rad that count as out
LEAN = 0.02  # rad by which a chain that is pushed head on counts as leaning
AROUND, GROUND = 0, 1  # kinds of what a chain must not lie in
MOST = 48  # constraints of one chain at a time


class Stops(NamedTuple):
    """What may stop chains, as flat arrays; `o` colliders."""

    shapes: Floats  # (o, 6) kind, a segment (x, y, x, y) px now, radius
    moving: Floats  # (o, 4) px/s of its ends
    rooms: Floats  # (n, c, o) px a rod's middle line keeps from the segment, below 0 where the two were drawn in one
    # another
    friction: Floats  # (c,)
    least: Floats  # (n, c) rad a joint may deviate from where the pose holds it
    most: Floats  # (n, c)
    hung: Floats  # (c,) whether its end hangs on something
    ends: Floats  # (2, c) px: where
    ends_before: Floats  # (2, c)
    bound: NDArray[np.bool_]  # (c,) whether it may be stopped by more than limits
    thickest: float  # px that any chain keeps off colliders at the most


class Touch(NamedTuple):
    """Constraints of one chain while they are solved."""

    rows: Floats  # (MOST, n) how each changes with the rods' rates
    answers: Floats  # (MOST, n) A⁻¹ of it
    weight: Floats  # (MOST,) its own answer
    due: Floats  # (MOST,) the rate it should have
    gap: Floats  # (MOST,)
    kind: Ints  # (MOST,) PUSH, RUB (after the one before it) or HOLD
    impulse: Floats  # (MOST,)
    factor: Floats  # (n, n) Cholesky's of A
    places: Floats  # (n + 1, 2) px: the joints and the end
    ways: Floats  # (n, 2) along each rod
    shift: Floats  # (n,)

    @classmethod
    def of(cls, n: int) -> Touch:
        each = [np.zeros(MOST) for _ in range(4)]
        return cls(
            np.zeros((MOST, n)), np.zeros((MOST, n)), each[0], each[1], each[2], np.zeros(MOST, np.int32), each[3],
            np.zeros((n, n)), np.zeros((n + 1, 2)), np.zeros((n, 2)), np.zeros(n),
        )  # fmt: skip


PUSH, RUB, HOLD = 0, 1, 2


@njit(inline="always")
def nearest(
    px: float, py: float, qx: float, qy: float, ax: float, ay: float, bx: float, by: float
) -> tuple[float, float]:
    """The shares of two segments at which they come nearest (Ericson, Real-Time Collision Detection, 5.1.9)."""
    ux, uy, vx, vy = qx - px, qy - py, bx - ax, by - ay
    rx, ry = px - ax, py - ay
    a, e, f = ux * ux + uy * uy, vx * vx + vy * vy, vx * rx + vy * ry
    c = ux * rx + uy * ry
    if e < 1e-12:
        return (min(max(-c / a, 0.0), 1.0) if a > 1e-12 else 0.0), 0.0
    if a < 1e-12:
        return 0.0, min(max(f / e, 0.0), 1.0)
    b = ux * vx + uy * vy
    apart = a * e - b * b
    s = min(max((b * f - c * e) / apart, 0.0), 1.0) if apart > 1e-9 * a * e else 0.5
    t = (b * s + f) / e
    if t < 0.0:
        return min(max(-c / a, 0.0), 1.0), 0.0
    if t > 1.0:
        return min(max((b - c) / a, 0.0), 1.0), 1.0
    return s, t


@njit(inline="always")
def laid_out(chains: Chains, swing: Swing, touch: Touch, c: int, n: int) -> None:
    """Where the joints of a chain are by its angles."""
    touch.places[0, 0], touch.places[0, 1] = swing.joint[0, c], swing.joint[1, c]
    for k in range(n):
        s, t = sine_cosine(swing.angles[k, c])
        touch.ways[k, 0], touch.ways[k, 1] = t, s
        touch.places[k + 1, 0] = touch.places[k, 0] + chains.lengths[k, c] * t
        touch.places[k + 1, 1] = touch.places[k, 1] + chains.lengths[k, c] * s


@njit(cache=True)
def clear(shapes: Floats, rooms: Floats, lengths: Floats, angles: Floats, joint: Floats, c: int, n: int) -> bool:
    """Whether no rod of a chain is in a collider: what `found` would find, without noting it. Most chains are clear in
    most steps, and all that stops one is dear to hand over."""
    px, py = joint[0, c], joint[1, c]
    for k in range(n):
        s, t = sine_cosine(angles[k, c])
        qx, qy = px + lengths[k, c] * t, py + lengths[k, c] * s
        for o in range(shapes.shape[0]):
            room = rooms[k, c, o]
            if room < 0.0:
                continue
            if shapes[o, 0] == GROUND:
                if shapes[o, 2] - qy - room < -OUT:
                    return False
                continue
            ax, ay, bx, by = shapes[o, 1], shapes[o, 2], shapes[o, 3], shapes[o, 4]
            # between their middles, farther than both half lengths: a segment is no longer than its two legs
            reach = room + 0.5 * (lengths[k, c] + abs(bx - ax) + abs(by - ay))
            dx, dy = 0.5 * (px + qx - ax - bx), 0.5 * (py + qy - ay - by)
            if dx * dx + dy * dy > reach * reach:
                continue
            share, along = nearest(px, py, qx, qy, ax, ay, bx, by)
            dx, dy = px + share * (qx - px) - ax - along * (bx - ax), py + share * (qy - py) - ay - along * (by - ay)
            least = max(room - OUT, 0.0)
            if dx * dx + dy * dy < least * least and not (k == 0 and share < LEVER):
                return False
        px, py = qx, qy
    return True


@njit(inline="always")
def row_of(
    chains: Chains, touch: Touch, number: int, c: int, n: int, k: int, share: float, nx: float, ny: float
) -> None:
    """How fast a point on rod `k` goes along (nx, ny), by the rates of the rods."""
    for j in range(n):
        far = chains.lengths[j, c] if j < k else (share * chains.lengths[j, c] if j == k else 0.0)
        touch.rows[number, j] = far * (ny * touch.ways[j, 0] - nx * touch.ways[j, 1])


@njit(cache=True)
def factored(chains: Chains, touch: Touch, c: int, n: int) -> None:
    """Cholesky's factor of what impulses go through."""
    f = touch.factor
    for i in range(n):
        for j in range(i + 1):
            near = touch.ways[i, 0] * touch.ways[j, 0] + touch.ways[i, 1] * touch.ways[j, 1]
            total = chains.weights[i, j, c] * near + chains.solid[0, i, j, c]
            for k in range(j):
                total -= f[i, k] * f[j, k]
            f[i, j] = math.sqrt(max(total, 1e-30)) if i == j else total / f[j, j]


@njit(inline="always")
def answered(touch: Touch, number: int, n: int) -> None:
    """What rates answer to an impulse on a constraint."""
    f, answer = touch.factor, touch.answers[number]
    for i in range(n):
        total = touch.rows[number, i]
        for j in range(i):
            total -= f[i, j] * answer[j]
        answer[i] = total / f[i, i]
    weight = 0.0
    for i in range(n - 1, -1, -1):
        total = answer[i]
        for j in range(i + 1, n):
            total -= f[j, i] * answer[j]
        answer[i] = total / f[i, i]
        weight += touch.rows[number, i] * answer[i]
    touch.weight[number] = max(weight, 1e-30)


@njit(cache=True)
def found(chains: Chains, swing: Swing, stops: Stops, touch: Touch, c: int, n: int, h: float, rubbing: bool) -> int:
    """Note all constraints that a chain breaks where it is, and how many they are."""
    laid_out(chains, swing, touch, c, n)
    count = 0
    for k in range(n):
        off = swing.angles[k, c] - swing.held[k, c]
        pace = swing.held[k, c] - swing.held_before[k, c]
        if k:
            off -= swing.angles[k - 1, c] - swing.held[k - 1, c]
            pace -= swing.held[k - 1, c] - swing.held_before[k - 1, c]
        for side in (1.0, -1.0):
            gap = stops.most[k, c] - off if side > 0 else off - stops.least[k, c]
            if gap < -OUT and count < MOST:
                for j in range(n):
                    touch.rows[count, j] = 0.0
                touch.rows[count, k] = -side
                if k:
                    touch.rows[count, k - 1] = side
                touch.due[count] = -side * pace / h
                touch.gap[count], touch.kind[count] = gap, PUSH
                count += 1
    # arrays by themselves, and only what is near: most links are far from most colliders
    shapes, rooms, places, lengths = stops.shapes, stops.rooms, touch.places, chains.lengths
    reach = 0.0
    for k in range(n):
        reach += lengths[k, c]
    px, py = places[0, 0], places[0, 1]
    for o in range(shapes.shape[0]):
        low_x, high_x = min(shapes[o, 1], shapes[o, 3]), max(shapes[o, 1], shapes[o, 3])
        low_y, high_y = min(shapes[o, 2], shapes[o, 4]), max(shapes[o, 2], shapes[o, 4])
        room = reach + shapes[o, 5] + stops.thickest
        around = shapes[o, 0] == AROUND
        if around and (high_x < px - room or low_x > px + room or high_y < py - room or low_y > py + room):
            continue
        for k in range(n):
            room = rooms[k, c, o]
            if room < 0.0:
                continue
            if around:
                room += lengths[k, c]
                x, y = places[k, 0], places[k, 1]
                if high_x < x - room or low_x > x + room or high_y < y - room or low_y > y + room:
                    continue
            count = met(chains, swing, stops, touch, c, n, k, o, count, rubbing)
    if stops.hung[c] > 0.0:
        for axis in range(2):
            if count < MOST:
                row_of(chains, touch, count, c, n, n - 1, 1.0, 1.0 - axis, float(axis))
                touch.due[count] = (stops.ends[axis, c] - stops.ends_before[axis, c]) / h - swing.speed[axis, c]
                touch.gap[count] = touch.places[n, axis] - stops.ends[axis, c]
                touch.kind[count] = HOLD
                count += 1
    return count


@njit(cache=True)
def inside(shape: Floats, x: float, y: float, room: float) -> bool:
    """Whether a place is in a collider: what hangs in one cannot be out of it."""
    if shape[0] == GROUND:
        return bool(y > shape[2] - room)
    _, along = nearest(x, y, x, y, shape[1], shape[2], shape[3], shape[4])
    dx, dy = x - shape[1] - along * (shape[3] - shape[1]), y - shape[2] - along * (shape[4] - shape[2])
    return bool(dx * dx + dy * dy < room * room)


@njit(inline="always")
def met(
    chains: Chains, swing: Swing, stops: Stops, touch: Touch, c: int, n: int, k: int, o: int, count: int, rubbing: bool
) -> int:
    """Note the constraint of a rod with a collider, and the friction there, where they meet."""
    room = stops.rooms[k, c, o]
    if count + 1 >= MOST:
        return count
    shape = stops.shapes[o]
    px, py, qx, qy = touch.places[k, 0], touch.places[k, 1], touch.places[k + 1, 0], touch.places[k + 1, 1]
    if shape[0] == GROUND:
        share, along, nx, ny = 1.0, 0.0, 0.0, -1.0
        gap = shape[2] - qy - room
    else:
        share, along = nearest(px, py, qx, qy, shape[1], shape[2], shape[3], shape[4])
        dx = px + share * (qx - px) - shape[1] - along * (shape[3] - shape[1])
        dy = py + share * (qy - py) - shape[2] - along * (shape[4] - shape[2])
        away = math.hypot(dx, dy)
        if away < 1e-9:
            return count
        gap, nx, ny = away - room, dx / away, dy / away
    if gap >= -OUT or (k == 0 and (share < LEVER or inside(shape, px, py, room))):
        return count
    ux = stops.moving[o, 0] + along * (stops.moving[o, 2] - stops.moving[o, 0]) - swing.speed[0, c]
    uy = stops.moving[o, 1] + along * (stops.moving[o, 3] - stops.moving[o, 1]) - swing.speed[1, c]
    row_of(chains, touch, count, c, n, k, share, nx, ny)
    leaning = way = straight = 0.0
    for j in range(k + 1):
        leaning += abs(touch.rows[count, j])
        way += touch.rows[count, j]
        straight += chains.lengths[j, c] * (share if j == k else 1.0)
    if leaning < LEAN * straight:  # pushed head on, as a column is: nothing is quite straight, so it gives to one side
        give = LEAN if way >= 0.0 else -LEAN
        for j in range(k + 1):
            touch.rows[count, j] += give * chains.lengths[j, c] * (share if j == k else 1.0)
    touch.due[count], touch.gap[count], touch.kind[count] = ux * nx + uy * ny, gap, PUSH
    count += 1
    if rubbing and stops.friction[c] > 0.0:
        row_of(chains, touch, count, c, n, k, share, -ny, nx)
        touch.due[count], touch.gap[count], touch.kind[count] = uy * nx - ux * ny, 0.0, RUB
        count += 1
    return count


@njit(cache=True)
def stopped(chains: Chains, swing: Swing, stops: Stops, touch: Touch, c: int, n: int, h: float) -> float:
    """Keep a chain that has just swung on out of what stops it; returns the deepest it was in (px or rad)."""
    count = found(chains, swing, stops, touch, c, n, h, True)
    if count == 0:
        return 0.0
    factored(chains, touch, c, n)
    deepest = 0.0
    for k in range(n):
        touch.shift[k] = swing.rates[k, c]
    for number in range(count):
        answered(touch, number, n)
        touch.impulse[number] = 0.0
        deepest = max(deepest, -touch.gap[number])
    for _ in range(ROUNDS):
        for number in range(count):
            off = touch.due[number]
            for k in range(n):
                off -= touch.rows[number, k] * swing.rates[k, c]
            before = touch.impulse[number]
            after = before + off / touch.weight[number]
            if touch.kind[number] == PUSH:
                after = max(after, 0.0)
            elif touch.kind[number] == RUB:
                most = stops.friction[c] * touch.impulse[number - 1]
                after = min(max(after, -most), most)
            touch.impulse[number] = after
            for k in range(n):
                swing.rates[k, c] += touch.answers[number, k] * (after - before)
    for number in range(count):  # what friction held has not slid in this step either
        if touch.kind[number] == RUB:
            for k in range(n):
                touch.gap[number] -= 0.5 * h * touch.rows[number, k] * (swing.rates[k, c] - touch.shift[k])
    for _ in range(RIGHTINGS):
        if not put_right(swing, touch, c, n, count, stops.friction[c]):
            break
        count = found(chains, swing, stops, touch, c, n, h, False)
    return deepest


@njit(inline="always")
def put_right(swing: Swing, touch: Touch, c: int, n: int, count: int, friction: float) -> bool:
    """Turn rods so that nothing is where it must not be, as far as that goes at once; whether anything was."""
    for k in range(n):
        touch.shift[k] = 0.0
    most = 0.0
    for number in range(count):
        answered(touch, number, n)
        touch.impulse[number] = 0.0
    for _ in range(ROUNDS):
        for number in range(count):
            off = -touch.gap[number]
            for k in range(n):
                off -= touch.rows[number, k] * touch.shift[k]
            before = touch.impulse[number]
            after = before + off / touch.weight[number]
            if touch.kind[number] == PUSH:
                after = max(after, 0.0)
            elif touch.kind[number] == RUB:
                most_rubbed = friction * touch.impulse[number - 1]
                after = min(max(after, -most_rubbed), most_rubbed)
            touch.impulse[number] = after
            for k in range(n):
                touch.shift[k] += touch.answers[number, k] * (after - before)
    for k in range(n):
        most = max(most, abs(touch.shift[k]))
    share = min(FURTHEST / most, 1.0) if most > 0.0 else 1.0
    for k in range(n):
        swing.angles[k, c] += share * touch.shift[k]
    return most > 1e-9
