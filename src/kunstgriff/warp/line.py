"""A smooth line through points, and places told along it and beside it.

The line is the C² cubic spline through its points over their chord lengths, its curvature even at both ends (de Boor, A
Practical Guide to Splines). Past its ends it goes straight on. A place is told by how far along the line its foot lies
and how far beside it is, and laid on another line by the same numbers. On the inside of a bend there is less room than
that: up to the ball that touches the line there and reaches nowhere across it (medial axis by balls: Ma, Bae & Choi
2012). What is wider is pressed together smoothly, and never past the middle of the ball; so nothing folds over.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.intp]

PIECES = 16  # of each span between two points that lengths are measured over
SHORT = 1e-3  # of the line's length that points are apart at the least
FREE = 0.6  # of the room on the inside of a bend that is not pressed
FULL = 0.98  # of the rest that counts when a place is told
NEARBY = 4.0  # half widths along the line within which parts of it press each other; half as far in full
ROOMY = 1e12  # px of room where nothing presses
X, Y, TX, TY, ALONG, LEFT, RIGHT = range(7)  # columns of a table: place, direction, length so far, room to both sides


@njit(cache=True, nogil=True)
def spline(points: Floats) -> tuple[Floats, Floats]:
    """The chord lengths between points (n, 2) and the second derivatives (n, 2) of the spline through them."""
    count = len(points)
    spans, second = np.empty(count - 1), np.zeros((count, 2))
    total = 0.0
    for k in range(count - 1):
        spans[k] = math.hypot(points[k + 1, 0] - points[k, 0], points[k + 1, 1] - points[k, 1])
        total += spans[k]
    for k in range(count - 1):
        spans[k] = max(spans[k], SHORT * total, 1e-9)
    if count == 2:
        return spans, second
    above = np.empty(count)
    for k in range(1, count - 1):  # Thomas's algorithm; the ends bend as their neighbours do
        before, after = spans[k - 1], spans[k]
        middle = 2 * (before + after)
        if k == 1:
            middle += before
        if k == count - 2:
            middle += after
        share = 0.0 if k == 1 else before
        pivot = middle - share * (above[k - 1] if k > 1 else 0.0)
        above[k] = after / pivot
        for axis in range(2):
            slope = (points[k + 1, axis] - points[k, axis]) / after - (points[k, axis] - points[k - 1, axis]) / before
            second[k, axis] = (6 * slope - share * second[k - 1, axis]) / pivot
    for k in range(count - 3, 0, -1):
        for axis in range(2):
            second[k, axis] -= above[k] * second[k + 1, axis]
    second[0], second[-1] = second[1], second[-2]
    return spans, second


@njit(cache=True, nogil=True)
def table_of(points: Floats, half_width: float) -> Floats:
    """A line through points (n, 2) as a table (m, 7) of many places on it, `PIECES` to a span, for art that reaches
    `half_width` px to its sides."""
    spans, second = spline(points)
    table = np.empty((PIECES * len(spans) + 1, 7))
    row, length = 0, 0.0
    before = 0.0
    for k in range(len(spans)):
        h = spans[k]
        for piece in range(PIECES + 1):
            if piece > 0 or k == 0:
                speed, middle = 0.0, 0.0
                for half in range(2):  # first halfway from the place before, then here
                    b = (piece - 0.5 * (1 - half)) / PIECES
                    a = 1 - b
                    out, into = h / 6 * (1 - 3 * a * a), h / 6 * (3 * b * b - 1)
                    dx = (points[k + 1, 0] - points[k, 0]) / h + out * second[k, 0] + into * second[k + 1, 0]
                    dy = (points[k + 1, 1] - points[k, 1]) / h + out * second[k, 1] + into * second[k + 1, 1]
                    speed = math.hypot(dx, dy)
                    if half == 0:
                        middle = speed
                if piece > 0:
                    length += h / PIECES * (before + 4 * middle + speed) / 6  # Simpson's rule
                out, into = (a * a * a - a) * h * h / 6, (b * b * b - b) * h * h / 6
                for axis in range(2):
                    straight = a * points[k, axis] + b * points[k + 1, axis]
                    table[row, axis] = straight + out * second[k, axis] + into * second[k + 1, axis]
                table[row, TX] = dx / speed if speed > 1e-12 else 1.0
                table[row, TY] = dy / speed if speed > 1e-12 else 0.0
                table[row, ALONG] = length
                before = speed
                row += 1
    _fill_room(table, NEARBY * half_width)
    return table


@njit(cache=True, nogil=True)
def _fill_room(table: Floats, near: float) -> None:
    """How much room there is to both sides of each place: the ball that touches the line there and reaches nowhere
    across it within `near` px along."""
    count = len(table)
    for i in range(count):
        left = right = 1 / ROOMY
        for way in (-1, 1):
            j = i + way
            while 0 <= j < count:
                away = abs(table[j, ALONG] - table[i, ALONG])
                if away >= near:
                    break
                x, y = table[j, X] - table[i, X], table[j, Y] - table[i, Y]
                square = x * x + y * y
                if square > 0:
                    fade = min(max(2 - 2 * away / near, 0.0), 1.0)
                    bend = 2 * (x * -table[i, TY] + y * table[i, TX]) / square * fade * fade * (3 - 2 * fade)
                    left, right = max(left, bend), max(right, -bend)
                j += way
        table[i, LEFT], table[i, RIGHT] = 1 / left, 1 / right


@njit(cache=True, nogil=True)
def _pressed(beside: float, room: float) -> float:
    """How far beside the line a place comes to lie that would be `beside` px from it, where there is so much room."""
    share = beside / room
    if share <= FREE:
        return beside
    over = (share - FREE) / (1 - FREE)
    return room * (FREE + (1 - FREE) * over / math.sqrt(1 + over * over))


@njit(cache=True, nogil=True)
def _eased(beside: float, room: float) -> float:
    """What `_pressed` presses to `beside`."""
    share = beside / room
    if share <= FREE:
        return beside
    over = min((share - FREE) / (1 - FREE), FULL)
    return room * (FREE + (1 - FREE) * over / math.sqrt(1 - over * over))


@njit(cache=True, nogil=True)
def _on(table: Floats, row: int, along: float, place: Floats) -> None:
    """Fill `place` (6,): x, y, direction, room to both sides, so far `along` between two rows of a table."""
    step = table[row + 1, ALONG] - table[row, ALONG]
    u = (along - table[row, ALONG]) / step if step > 0 else 0.0
    v = 1 - u
    here, there, out, into = v * v * (1 + 2 * u), u * u * (1 + 2 * v), u * v * v * step, -u * u * v * step
    for axis in range(2):  # cubic Hermite: both places and both directions
        place[axis] = (
            here * table[row, X + axis] + there * table[row + 1, X + axis]
            + out * table[row, TX + axis] + into * table[row + 1, TX + axis]
        )  # fmt: skip
    tx, ty = v * table[row, TX] + u * table[row + 1, TX], v * table[row, TY] + u * table[row + 1, TY]
    size = math.hypot(tx, ty)
    place[2], place[3] = (tx / size, ty / size) if size > 1e-12 else (table[row, TX], table[row, TY])
    place[4] = 1 / (v / table[row, LEFT] + u / table[row + 1, LEFT])
    place[5] = 1 / (v / table[row, RIGHT] + u / table[row + 1, RIGHT])


@njit(cache=True, nogil=True)
def told_along(table: Floats, points: Floats, found: Floats) -> None:
    """Fill `found` (n, 2) with how far along a line and how far beside it, left positive, points (n, 2) lie, as if
    nothing were pressed. Before the line's start it is negative, past its end more than its length."""
    last, place = len(table) - 1, np.empty(6)
    for v in range(len(points)):
        x, y = points[v]
        best, least = 0, np.inf
        for k in range(last + 1):
            away = (table[k, X] - x) ** 2 + (table[k, Y] - y) ** 2
            if away < least:
                best, least = k, away
        low, high = max(best - 1, 0), min(best + 1, last)
        first, end = table[low, ALONG], table[high, ALONG]
        for _ in range(40):  # halved until the foot is found: there the line runs across the way to the point
            along = (first + end) / 2
            _on(table, best if along >= table[best, ALONG] and best < last else low, along, place)
            if (x - place[0]) * place[2] + (y - place[1]) * place[3] > 0:
                first = along
            else:
                end = along
        along = (first + end) / 2
        _on(table, best if along >= table[best, ALONG] and best < last else low, along, place)
        over = (x - place[0]) * place[2] + (y - place[1]) * place[3]
        if over < 0 and along < 1e-9:
            along = over
        elif over > 0 and along > table[last, ALONG] - 1e-9:
            along = table[last, ALONG] + over
        beside = (y - place[1]) * place[2] - (x - place[0]) * place[3]
        found[v, 0] = along
        found[v, 1] = _eased(beside, place[4]) if beside >= 0 else -_eased(-beside, place[5])


@njit(cache=True, nogil=True)
def laid_along(table: Floats, told: Floats, widths: Floats, out: Floats) -> None:
    """Fill `out` (2, n) with the places on a line told by how far along and beside it they are (n, 2), in order along
    it, where it is as often as wide as `widths` (n,) says."""
    last, row, place = len(table) - 2, 0, np.empty(6)
    length = table[last + 1, ALONG]
    for v in range(len(told)):
        along = told[v, 0]
        within = min(max(along, 0.0), length)
        while row < last and table[row + 1, ALONG] < within:
            row += 1
        while row > 0 and table[row, ALONG] > within:
            row -= 1
        _on(table, row, within, place)
        beside, over = told[v, 1] * widths[v], along - within
        beside = _pressed(beside, place[4]) if beside >= 0 else -_pressed(-beside, place[5])
        out[0, v] = place[0] + over * place[2] - beside * place[3]
        out[1, v] = place[1] + over * place[3] + beside * place[2]


@njit(cache=True, nogil=True)
def slopes_of(places: Floats, values: Floats) -> Floats:
    """Slopes (n,) of the monotone cubic through values (n,) at places (n,), which never overshoots (Fritsch & Butland
    1984)."""
    count = len(places)
    slopes = np.zeros(count)
    steps, rises = np.empty(count - 1), np.empty(count - 1)
    for k in range(count - 1):
        steps[k] = places[k + 1] - places[k]
        rises[k] = (values[k + 1] - values[k]) / steps[k] if steps[k] > 0 else 0.0
    if count == 2:
        slopes[:] = rises[0]
        return slopes
    for k in range(1, count - 1):
        if rises[k - 1] * rises[k] > 0:
            before, after = 2 * steps[k] + steps[k - 1], steps[k] + 2 * steps[k - 1]
            slopes[k] = (before + after) / (before / rises[k - 1] + after / rises[k])
    for end, inner in ((0, 1), (count - 2, count - 3)):
        near, far, a, b = rises[end], rises[inner], steps[end], steps[inner]
        slope = ((2 * a + b) * near - a * far) / (a + b)
        if slope * near <= 0:
            slope = 0.0
        elif near * far <= 0 and abs(slope) > 3 * abs(near):
            slope = 3 * near
        slopes[0 if end == 0 else count - 1] = slope
    return slopes


@njit(cache=True, nogil=True)
def monotone(places: Floats, values: Floats, at: Floats, out: Floats) -> None:
    """Fill `out` (n,) with the monotone cubic through values (k,) at places (k,), read `at` (n,) in order; past its
    ends it stays as it is there."""
    slopes, last, row = slopes_of(places, values), len(places) - 2, 0
    for v in range(len(at)):
        x = min(max(at[v], places[0]), places[-1])
        while row < last and places[row + 1] < x:
            row += 1
        while row > 0 and places[row] > x:
            row -= 1
        step = places[row + 1] - places[row]
        u = (x - places[row]) / step if step > 0 else 0.0
        w = 1 - u
        out[v] = (
            w * w * (1 + 2 * u) * values[row] + u * u * (1 + 2 * w) * values[row + 1]
            + u * w * w * step * slopes[row] - u * u * w * step * slopes[row + 1]
        )  # fmt: skip
