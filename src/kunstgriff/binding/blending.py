"""How the bones of a vertex are blended: linear, rigid or a share of each, in numba.

Linear is linear blend skinning (Magnenat-Thalmann, Laperrière, Thalmann 1988). Rigid is its counterpart that keeps
distances: unit anti-commutative dual complex numbers p + qε, which act on z as p²z + 2pq, are blended and normalised
(Kavan et al. 2008 in the plane: Matsuda, Kaji, Ochiai 2014). Bones that share a joint turn a vertex about that joint.
"""

from __future__ import annotations

import math
from typing import Any, NamedTuple

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Floats32 = NDArray[np.float32]
Ints32 = NDArray[np.int32]

FAST: dict[str, Any] = {"cache": True, "fastmath": True, "error_model": "numpy"}
MANY = 20_000  # vertices from which a second thread pays for being woken (measured)


@njit(inline="always")
def _blended(bones: Ints32, weights: Floats32, table: Floats32, vertex: int) -> tuple[np.float32, ...]:
    """The weighted sum of four numbers of each bone."""
    a = b = c = d = np.float32(0.0)
    for k in range(4):
        weight, bone = weights[vertex, k], np.uint32(bones[vertex, k])
        a += weight * table[bone, 0]
        b += weight * table[bone, 1]
        c += weight * table[bone, 2]
        d += weight * table[bone, 3]
    return a, b, c, d


@njit(**FAST)
def linear(rest: Floats32, bones: Ints32, weights: Floats32, transforms: Floats32, vertices: Floats32) -> None:
    """Fill `vertices` (n, 2) from `rest` (n, 2), `bones` and `weights` (n, 4); `transforms` (b, 4) are cosine, sine and
    offset of each bone, as x' = c x - s y + e, y' = s x + c y + f. Rows of weights sum to 1."""
    for vertex in range(rest.shape[0]):
        x, y = rest[vertex, 0], rest[vertex, 1]
        c, s, e, f = _blended(bones, weights, transforms, vertex)
        vertices[vertex, 0] = c * x - s * y + e
        vertices[vertex, 1] = s * x + c * y + f


@njit(parallel=True, **FAST)
def linear_threads(rest: Floats32, bones: Ints32, weights: Floats32, transforms: Floats32, vertices: Floats32) -> None:
    """As `linear`, on all threads."""
    for vertex in prange(rest.shape[0]):
        x, y = rest[vertex, 0], rest[vertex, 1]
        c, s, e, f = _blended(bones, weights, transforms, vertex)
        vertices[vertex, 0] = c * x - s * y + e
        vertices[vertex, 1] = s * x + c * y + f


@njit(inline="always")
def _rigidly(
    c: np.float32, s: np.float32, e: np.float32, f: np.float32, x: np.float32, y: np.float32
) -> tuple[np.float32, np.float32]:  # (c + is) and (e + if) are the blended p and q, not yet of length 1
    scale = np.float32(1.0) / (c * c + s * s)
    cosine, sine = (c * c - s * s) * scale, np.float32(2.0) * c * s * scale
    twice = np.float32(2.0) * scale
    return cosine * x - sine * y + twice * (c * e - s * f), sine * x + cosine * y + twice * (c * f + s * e)


@njit(**FAST)
def rigid(rest: Floats32, bones: Ints32, weights: Floats32, dual_numbers: Floats32, vertices: Floats32) -> None:
    """As `linear`, with `dual_numbers` (b, 4): p and q of each bone, real and imaginary."""
    for vertex in range(rest.shape[0]):
        c, s, e, f = _blended(bones, weights, dual_numbers, vertex)
        vertices[vertex, 0], vertices[vertex, 1] = _rigidly(c, s, e, f, rest[vertex, 0], rest[vertex, 1])


@njit(inline="always")
def lengthened(
    m: Floats32, x: np.float32, y: np.float32, thins: np.float32
) -> tuple[np.float32, np.float32, np.float32]:
    """A point at rest where a bone's stretch alone puts it, by that bone's row `m` (13,) of what stretches, and how far
    it goes towards the bone beside that.

    In general that is an affine map, its first six numbers. Art that is lengthened in its middle goes along the bone
    by s(t) = t + (k - 1) (3t² - 2t³) of its length, t being where on it, k how many times as long: at both ends it
    stays as it is. It thins to 1 / s' of its width, which keeps every bit of area, by the share that is to be kept and
    `thins` times as much at this point, but never to less than a tenth.
    The row has then the joint (6, 7), the direction (8, 9), the length (10), that share (11; -1: affine) and k (12).
    """
    if m[11] < 0 or m[12] <= 1:
        return m[0] * x + m[2] * y + m[4], m[1] * x + m[3] * y + m[5], np.float32(0.0)
    dx, dy = x - m[6], y - m[7]
    t = (dx * m[8] + dy * m[9]) / m[10]
    if t <= 0:
        return x, y, np.float32(0.0)
    more, across = (m[12] - np.float32(1.0)) * m[10], np.float32(0.0)
    if t < 1:
        more *= t * t * (np.float32(3.0) - np.float32(2.0) * t)
        steep = (m[12] - np.float32(1.0)) * np.float32(6.0) * t * (np.float32(1.0) - t)
        share = min(thins * m[11] * steep / (np.float32(1.0) + steep), np.float32(0.9))
        across = -share * (dy * m[8] - dx * m[9])
    return x + more * m[8], y + more * m[9], across


@njit(**FAST)
def marked(stretches: Floats32, transforms: Floats32, marks: Floats32) -> int:
    """Fill `marks` (b, k, 2) with spots even on a bone at rest where they are posed, for each bone whose art is
    lengthened in its middle, and tell how many are: where spots are far apart the length is taken up."""
    count, between = 0, marks.shape[1] - 1
    for bone in range(len(stretches)):
        m = stretches[bone]
        if m[11] < 0 or m[12] <= np.float32(1.001):
            continue
        c, s, e, f = transforms[bone]
        for k in range(between + 1):
            along = m[10] * np.float32(k) / np.float32(between)
            x, y, _ = lengthened(m, m[6] + along * m[8], m[7] + along * m[9], np.float32(1.0))
            marks[count, k, 0] = c * x - s * y + e
            marks[count, k, 1] = s * x + c * y + f
        count += 1
    return count


@njit(**FAST)
def mixed(
    rest: Floats32,
    bones: Ints32,
    weights: Floats32,
    rigidity: Floats32,
    thins: Floats32,
    transforms: Floats32,
    dual_numbers: Floats32,
    stretches: Floats32,
    stretched: bool,
    vertices: Floats32,
) -> None:
    """Blend rigidly by the share `rigidity` (n,) of each vertex, linearly by the rest.

    `stretches` (b, 13) lengthen and widen art along bones at rest, as `lengthened` says, and a vertex comes in `thins`
    (n,) times as much where art thins. They are blended linearly before the turns, so that no bone hands its stretch
    on as a shear. A vertex whose first weight is 0 stays.
    """
    for vertex in range(rest.shape[0]):
        x, y = rest[vertex, 0], rest[vertex, 1]
        if weights[vertex, 0] == 0.0:
            vertices[vertex, 0], vertices[vertex, 1] = x, y
            continue
        if weights[vertex, 1] == 0.0 and not stretched:
            m = transforms[bones[vertex, 0]]
            vertices[vertex, 0] = m[0] * x - m[1] * y + m[2]
            vertices[vertex, 1] = m[1] * x + m[0] * y + m[3]
            continue
        if stretched:
            sx = sy = tx = ty = beside = np.float32(0.0)
            for k in range(4):
                weight = weights[vertex, k]
                if weight == 0.0:
                    continue
                m = stretches[bones[vertex, k]]
                mx, my, across = lengthened(m, x, y, thins[vertex])
                sx += weight * mx
                sy += weight * my
                if across != 0.0:
                    tx -= weight * across * m[9]
                    ty += weight * across * m[8]
                    beside += weight
            if beside > 0.0:  # what follows one bone by half or more thins as if it followed that alone
                thinned = min(np.float32(1.0) / beside, np.float32(2.0))
                sx, sy = sx + thinned * tx, sy + thinned * ty
            x, y = sx, sy
        share = rigidity[vertex]
        rx = ry = np.float32(0.0)
        if share > 0.0:
            c, s, e, f = _blended(bones, weights, dual_numbers, vertex)
            rx, ry = _rigidly(c, s, e, f, x, y)
        if share < 1.0:
            c, s, e, f = _blended(bones, weights, transforms, vertex)
            rx = share * rx + (np.float32(1.0) - share) * (c * x - s * y + e)
            ry = share * ry + (np.float32(1.0) - share) * (s * x + c * y + f)
        vertices[vertex, 0], vertices[vertex, 1] = rx, ry


LINEAR, RIGID, MIXED = range(3)


@njit(**FAST)
def blended(
    spans: Ints32, stale: NDArray[np.bool_], how: int, rest: Floats32, bones: Ints32, weights: Floats32,
    rigidity: Floats32, thins: Floats32, transforms: Floats32, dual_numbers: Floats32, stretches: Floats32,
    stretched: bool, vertices: Floats32,
) -> None:  # fmt: skip
    """Blend those blocks of vertices that are `stale` (k,), each from and to a row (`spans`, k × 2): by `linear`,
    `rigid` or `mixed`."""
    for k in range(len(spans)):
        if not stale[k]:
            continue
        a, b = spans[k, 0], spans[k, 1]
        if how == LINEAR:
            linear(rest[a:b], bones[a:b], weights[a:b], transforms, vertices[a:b])
        elif how == RIGID:
            rigid(rest[a:b], bones[a:b], weights[a:b], dual_numbers, vertices[a:b])
        else:
            mixed(
                rest[a:b], bones[a:b], weights[a:b], rigidity[a:b], thins[a:b], transforms, dual_numbers, stretches,
                stretched, vertices[a:b],
            )  # fmt: skip


class Bends(NamedTuple):
    """The solved shapes of all bends of a rig, laid one after another so that one call does them all.

    For each bend: the number of its `block`, its `bone` and `parent`, the angle `low` its shapes begin at and the
    `step` between them (degrees), where its `members` begin (`first`) and how many there are (`sizes`), where its
    `shapes` (…, 2) begin (`start`), an angle after another, and how many `angles` there are.
    """

    block: Ints32
    bone: Ints32
    parent: Ints32
    low: Floats
    step: Floats
    first: Ints32
    sizes: Ints32
    start: Ints32
    angles: Ints32
    members: Ints32
    shapes: Floats32


@njit(**FAST)
def corrected(
    bends: Bends, stale: NDArray[np.bool_], turned: Floats, bones: Ints32, weights: Floats32, dual_numbers: Floats32,
    vertices: Floats32,
) -> None:  # fmt: skip
    """Add to the members of each bend in a `stale` block (k,) the shape solved for how far its bone is turned against
    its parent.

    `turned` (b,) are the bones' angles in rad. Between two shapes it is linear; a shape turns with each vertex's own
    blended rotation.
    """
    for bend in range(bends.bone.shape[0]):
        if not stale[bends.block[bend]]:
            continue
        turn = (turned[bends.bone[bend]] - turned[bends.parent[bend]]) * (180.0 / math.pi)
        last, count = bends.angles[bend] - 1, bends.sizes[bend]
        place = min(max((turn - bends.low[bend]) / bends.step[bend], 0.0), float(last))
        below = min(int(place), max(last - 1, 0))
        share = np.float32(place - below)
        one = bends.start[bend] + below * count
        other = one + count if below < last else one
        for k in range(count):
            vertex = bends.members[bends.first[bend] + k]
            dx = bends.shapes[one + k, 0] + share * (bends.shapes[other + k, 0] - bends.shapes[one + k, 0])
            dy = bends.shapes[one + k, 1] + share * (bends.shapes[other + k, 1] - bends.shapes[one + k, 1])
            if abs(dx) + abs(dy) < np.float32(1e-4):
                continue
            c, s, _, _ = _blended(bones, weights, dual_numbers, vertex)
            scale = np.float32(1.0) / (c * c + s * s)
            cosine, sine = (c * c - s * s) * scale, np.float32(2.0) * c * s * scale
            vertices[vertex, 0] += cosine * dx - sine * dy
            vertices[vertex, 1] += sine * dx + cosine * dy


def dual_numbers_of(angles: Floats, offsets: Floats) -> Floats:
    """Unit dual complex numbers (n, 4) of turns by `angles` (n,) rad about the origin followed by `offsets` (n, 2) px.

    Angles are not brought back into one turn: neighbours less than a full turn apart blend the short way.
    """
    p = np.exp(0.5j * angles)
    q = (offsets[:, 0] + 1j * offsets[:, 1]) * p.conj() / 2
    return np.stack([p.real, p.imag, q.real, q.imag], 1)
