"""Shapes of a bend worked out beforehand: round on the outside, filleted on the inside.

Blending alone either folds the inner side of a tight bend or thins the limb. So the zone is laid along paths instead:
in a straight limb a vertex lies s along it and t to the inner side of its middle; bent by φ its path runs parallel to
both limbs at t and around an arc between them, and s is shared out along the path evenly.

    outer edge   t = -r    arc of radius r about the joint itself: the limb keeps its width
    inner edge   t = +r    arc of a small fillet in the corner where both edges meet: nothing lies on top of itself
    between                arcs between the two, their centres on the bisector

What is kept of it is the difference to blending, in the frame that turns with each vertex, every `SPACING` degrees;
posing only interpolates it. This construction is our own; that a limb bent so keeps its width and, but for the corner
where its halves would overlap, its area is elementary geometry, which the tests hold it against.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.binding.zones import Elbow
from kunstgriff.figure.model import Bone, Solved, Zone
from kunstgriff.figure.stores import Stores

RANGE = (-140.0, 140.0)  # degrees, where a joint has no limits; common practice, no source
WIDEST = 120.0  # degrees to each side such a joint is tried and read to; common practice, no source
SPACING = 10.0  # degrees from one solved shape to the next; leaves 0.5 px at 120° on a limb 80 px wide (measured)
FILLET = 0.2  # half widths of fillet in the inner corner; common practice, no source
ROUND = 0.95  # of the zone that an even bend's arc takes
TIGHTEST = 0.8  # of the zone's half length that the inner corner may take; beyond it the edge is drawn in instead
BESIDE = (1.6, 2.4)  # half widths beside the bone over which what is not limb is left to blending

Floats = NDArray[np.float64]


def range_of(bone: Bone) -> tuple[float, float]:
    """How far a joint turns, degrees: its limits, or as far as limbs usually do."""
    if bone.limits is None:
        return RANGE
    return max(bone.limits.low, -170.0), min(bone.limits.high, 170.0)


def angles_between(low: float, high: float) -> Floats:
    """The angles shapes are solved at, degrees: multiples of `SPACING` from `low` or below to `high` or above.

    None of them being added at 0, rest is one of them and stays as drawn.

    >>> angles_between(-5, 15).tolist()
    [-10.0, 0.0, 10.0, 20.0]
    """
    return np.asarray(np.arange(math.floor(low / SPACING), math.ceil(high / SPACING) + 1) * SPACING, np.float64)


def turned(points: Floats, about: tuple[float, float], angles: Floats) -> Floats:
    """Points (n, 2) turned about a point by angles (n,) in rad, clockwise as seen."""
    away = (points - about) @ (1, 1j) * np.exp(1j * angles)
    return np.stack([away.real, away.imag], 1) + about


def blend_angles(share: Floats, turn: float) -> Floats:
    """By how much (n,) rigid blending turns vertices of this share of a bone turned by `turn`, rad."""
    return np.asarray(2 * np.angle((1 - share) + share * np.exp(0.5j * turn)))


def blended(points: Floats, about: tuple[float, float], share: Floats, turn: float, rigidity: Floats) -> Floats:
    """Points (n, 2) as the blending kernels put them when one joint turns by `turn` rad."""
    rigidly = turned(points, about, blend_angles(share, turn))
    wholly = turned(points, about, np.full(len(points), turn))
    linearly = (1 - share)[:, None] * points + share[:, None] * wholly
    return np.asarray(rigidity[:, None] * rigidly + (1 - rigidity)[:, None] * linearly)


def bent(straight: Floats, turn: float, half_width: float, inner: float, outer: float, curve: float) -> Floats:
    """Points (n, 2) of a straight limb along x, bent at the origin by `turn` rad, clockwise as seen (y down).

    The bone runs along +x, its parent along -x and stays. `inner` and `outer` (px) are how far from the joint the bend
    reaches on the side y > 0 and on the other, `curve` goes from an elbow (0) to one even arc over the zone (1). Bent
    the other way the sides change places, each keeping its length.

    >>> bent(np.array([[0.0, -10.0]]), np.pi / 2, 10, 20, 20, 0).round(2).tolist()  # the outside stays 10 px away
    [[7.07, -7.07]]
    """
    posed = np.empty_like(straight)
    flip = -1.0 if turn < 0 else 1.0
    near, far = (outer, inner) if turn < 0 else (inner, outer)
    widest = max(half_width, float((straight[:, 1] * flip).max(initial=0.0)))
    _bend(straight, abs(turn), flip, half_width, near, far, curve, widest, posed)
    return posed


@njit(cache=True)
def _bend(
    straight: Floats, turn: float, flip: float, half_width: float, inner: float, outer: float, curve: float,
    widest: float, posed: Floats,
) -> None:  # fmt: skip
    tangent, lie = math.tan(turn / 2), turn / 2
    cosine, sine = math.cos(lie), math.sin(lie)
    room = TIGHTEST * inner / max(tangent, 1e-9)  # how far in the inner corner may lie
    fillet = min(FILLET * half_width, 0.5 * room)
    drawn_in = min(1.0, (room - fillet) / widest)
    for k in range(straight.shape[0]):
        s, t = straight[k, 0], straight[k, 1] * flip
        place = min(max(t / half_width, -1.0), 1.0)
        reach = inner * (1 + place) / 2 + outer * (1 - place) / 2
        share = min(abs(s) / reach, 1.0)
        depth = t * (drawn_in + (1 - drawn_in) * share) if t > 0 else t
        radius = -t if t < -half_width else fillet + (half_width - fillet) * (1 - place) / 2
        centre = max(radius + depth, 0.0)  # how far to the inner side the centre of the arc lies
        centre += curve * max(ROUND * reach / max(tangent, 1e-9) - centre, 0.0)
        radius = centre - depth
        start = centre * tangent  # how far along the limbs the arc begins
        arc = radius * lie
        run = share * (max(reach - start, 0.0) + arc)
        # seen from the bisector: the bone's half; the parent's is its mirror image
        if run < arc:
            angle = run / max(radius, 1e-9)
            x, y = radius * math.sin(angle), centre / cosine - radius * math.cos(angle)
        else:
            along = start + (run - arc) + max(abs(s) - reach, 0.0)
            x, y = along * cosine - depth * sine, along * sine + depth * cosine
        if s < 0:
            x = -x
        posed[k, 0] = cosine * x - sine * y  # from the bisector's frame into the parent's
        posed[k, 1] = (sine * x + cosine * y) * flip


def unbent(points: Floats, turn: float, half_width: float, inner: float, outer: float, curve: float) -> Floats:
    """The straight points (n, 2) that `bent` takes to `points`, by Newton's method with differences."""
    shape = (half_width, inner, outer, curve)
    ahead = points @ (math.cos(turn), math.sin(turn)) > -points[:, 0]  # on the bone's side of the bisector
    straight = turned(points, (0.0, 0.0), np.where(ahead, -turn, 0.0))
    small = 1e-3 * half_width
    for _ in range(12):
        now = bent(straight, turn, *shape)
        along = (bent(straight + (small, 0.0), turn, *shape) - now) / small
        aside = (bent(straight + (0.0, small), turn, *shape) - now) / small
        area = along[:, 0] * aside[:, 1] - along[:, 1] * aside[:, 0]
        area = np.where(np.abs(area) < 0.05, 0.05, area)
        miss = points - now
        step = np.stack(
            [
                (miss[:, 0] * aside[:, 1] - miss[:, 1] * aside[:, 0]) / area,
                (along[:, 0] * miss[:, 1] - along[:, 1] * miss[:, 0]) / area,
            ],
            1,
        )
        straight = straight + np.clip(step, -half_width, half_width)
    return straight


class Bend:
    """One joint of one part, ready to be solved: what does not depend on the angle is worked out once.

    `points` (n, 2) are the vertices in figure space, `share` (n,) each one's weight of the bone and all beyond it,
    `others` (n,) that of bones that take no part in the bend, `rigidity` (n,) as `zones.rigidity_of` gives it.
    """

    def __init__(
        self, points: Floats, elbow: Elbow, zone: Zone, share: Floats, others: Floats, rigidity: Floats
    ) -> None:
        _, aside = elbow.along(points)
        low, high = BESIDE
        fade = np.clip((high - np.abs(aside) / elbow.half_width) / (high - low), 0.0, 1.0) * np.clip(1 - others, 0, 1)
        self.members = np.flatnonzero(elbow.is_inside(zone, points) & (fade > 0.01))
        self.points, self.elbow = points[self.members], elbow
        self.share, self.fade, self.rigidity = share[self.members], fade[self.members], rigidity[self.members]
        half, side = elbow.half_width, elbow.inner_side
        self.shape = (half, elbow.within(zone.inner) * half, elbow.within(zone.outer) * half, zone.curve)
        # the frame in which the parent runs along -x and the inner side is y > 0
        self.rest_turn = math.remainder(elbow.ahead - elbow.back - math.pi, 2 * math.pi) * side
        self.into = -elbow.back - math.pi
        own = turned(self.points - elbow.at, (0.0, 0.0), np.full(len(self.points), self.into)) * (1, side)
        self.straight = own if abs(self.rest_turn) < 1e-6 else unbent(own, self.rest_turn, *self.shape)
        self.missed = own - bent(self.straight, self.rest_turn, *self.shape)

    def at(self, turn: float) -> Floats:
        """Where the members (k, 2) lie when the joint turns by `turn` rad."""
        base, apart = self._bent(turn)
        return base + apart

    def _bent(self, turn: float) -> tuple[Floats, Floats]:
        """Where blending puts the members (k, 2), and how far from there they lie."""
        side = self.elbow.inner_side
        own = bent(self.straight, self.rest_turn + turn * side, *self.shape)
        # what the inverse missed by turns with the vertex, so that rest is exactly as drawn
        own = own + turned(self.missed, (0.0, 0.0), blend_angles(self.share, turn) * side)
        posed = turned(own * (1, side), (0.0, 0.0), np.full(len(own), -self.into)) + self.elbow.at
        base = blended(self.points, self.elbow.at, self.share, turn, self.rigidity)
        return base, np.asarray(self.fade[:, None] * (posed - base))

    def shapes(self, angles: Floats) -> Floats:
        """What is added to the members (angles, k, 2) px in each vertex's turning frame, at `angles` in degrees."""
        made = np.zeros((len(angles), len(self.members), 2))
        for number, degrees in enumerate(angles):
            turn = math.radians(degrees)
            apart = self._bent(turn)[1] @ (1, 1j) * np.exp(-1j * blend_angles(self.share, turn))
            made[number] = np.stack([apart.real, apart.imag], 1)
        return made


def solve_zone(bend: Bend, bone: Bone, zone: Zone, stores: Stores) -> Zone:
    """The zone with the shapes of its bend solved over the joint's range."""
    angles = angles_between(*range_of(bone))
    if not bend.members.size or len(angles) < 2:
        return zone.model_copy(update={"solved": None})
    solved = Solved(
        low=float(angles[0]),
        high=float(angles[-1]),
        members=stores.put_array(bend.members.astype(np.int32)),
        shapes=stores.put_array(np.round(bend.shapes(angles), 4).astype(np.float32)),
    )
    return zone.model_copy(update={"solved": solved})
