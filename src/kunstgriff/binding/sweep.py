"""Shapes of a bend worked out beforehand, by sweeping along the art's own outline.

Bent by an angle, the bank on the inside is creased where its two halves cross, and everything along it slides outward
from there; the bank on the outside is joined by an arc about the joint, and everything along it is spread over the arc.
Vertices only ever slide along the outline as it was drawn, at the depth they had, so that it cannot wave and the line
keeps its width. Between the banks a vertex lies as both say, by how near it is to each; then the inside is relaxed as
rigidly as it can be (Sorkine & Alexa 2007), the outer layer held.

What is kept is the difference to blending, in the frame that turns with each vertex, every `SPACING` degrees; posing
only interpolates it. The construction is our own; what it must look like is elementary geometry: both outlines
continued, round outside, creased inside.
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
import scipy
import shapely
from numpy.typing import NDArray
from shapely.geometry import LineString

from kunstgriff.binding.banks import Bank
from kunstgriff.binding.bending import angles_between, blend_angles, blended, range_of, turned
from kunstgriff.binding.relaxing import Relaxing
from kunstgriff.binding.zones import JointFrame, connected, nearer_second
from kunstgriff.figure.model import Bone, Solved, Zone
from kunstgriff.figure.stores import Stores

HELD = 0.3  # of the half width from the outline within which vertices stay where the banks put them
ROOM = 0.55  # of how far a bank is shaped at which its crease comes to lie, where the limb is long enough
TIGHTEST = 0.85  # of a bank's whole length at which its crease may come to lie; beyond it the limbs overlap
FAN = 0.15  # of the half width, from the crease, over which the normals of both halves pass into one another
WIDEST_MARGIN = 10.0  # px a mesh may reach past the art; over so much they do so at least
STEADY = 4.0  # degrees over which the place of the crease is evened out

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]


class Sweep:
    """One joint of one part, ready to be bent: what does not depend on the angle is worked out once.

    `points` (n, 2) are the vertices in figure space and `triangles` (m, 3) between them, `share` (n,) each one's weight
    of the bone and all beyond it, `others` (n,) that of bones that take no part in the bend, `rigidity` (n,) as
    `zones.rigidity_of` gives it; `turns` (degrees) are the ends of the range it is bent over.
    """

    def __init__(
        self, points: Floats, triangles: Ints, joint_frame: JointFrame, zone: Zone, share: Floats, others: Floats,
        rigidity: Floats, turns: tuple[float, float],
    ) -> None:  # fmt: skip
        self.joint_frame, self.banks, self.lengths, self.curve = (
            joint_frame,
            joint_frame.banks,
            joint_frame.reaches(zone),
            zone.curve,
        )
        runs, depths = joint_frame.coordinates(points)
        farthest = [self._shaped(number, math.radians(turns[1 - number])) for number in (0, 1)]
        near = [
            (run > -max(before, self.lengths[number][0])) & (run < max(after, self.lengths[number][1]))
            for number, (run, (before, after)) in enumerate(zip(runs, farthest, strict=True))
        ]
        fade = joint_frame.of_limb(depths) * np.clip(1 - others, 0, 1) * connected(joint_frame, points, triangles)
        self.members = np.flatnonzero((near[0] | near[1]) & (fade > 0.01))
        self.points, self.fade = points[self.members], fade[self.members]
        self.share, self.rigidity = share[self.members], rigidity[self.members]
        self.runs, self.depths = runs[:, self.members], depths[:, self.members]
        self.second = nearer_second(self.depths)
        self.missed = []
        for bank, along, deep in zip(self.banks, self.runs, self.depths, strict=True):
            spots, normals = bank.at(along)
            self.missed.append(self.points - spots - deep[:, None] * normals)
        self.relax = Relaxing(points, triangles, self.members, self.depths.min(0) < HELD * joint_frame.half_width)

    def at(self, turn: float) -> Floats:
        """Where the members (k, 2) lie when the joint turns by `turn` rad, clockwise as seen."""
        base = blended(self.points, self.joint_frame.at, self.share, turn, self.rigidity)
        return np.asarray(base + self.fade[:, None] * (self._swept(turn) - base))

    def shapes(self, angles: Floats) -> Floats:
        """What is added to the members (angles, k, 2) px in each vertex's turning frame, at `angles` in degrees."""
        made = np.zeros((len(angles), len(self.members), 2))
        for number, degrees in enumerate(angles):
            turn = math.radians(degrees)
            base = blended(self.points, self.joint_frame.at, self.share, turn, self.rigidity)
            apart = (self.at(turn) - base) @ (1, 1j) * np.exp(-1j * blend_angles(self.share, turn))
            made[number] = np.stack([apart.real, apart.imag], 1)
        return made

    def _swept(self, turn: float) -> Floats:
        if abs(turn) < 1e-9:
            return self.points
        inner = 0 if turn > 0 else 1  # turned clockwise a limb closes on the side clockwise of the bone
        placed = [
            self._along_inner(number, turn) if number == inner else self._along_outer(number, turn) for number in (0, 1)
        ]
        swept = (1 - self.second)[:, None] * placed[0] + self.second[:, None] * placed[1]
        if self.curve > 0:
            swept = (1 - self.curve) * swept + self.curve * self._arched(turn)
        return self.relax(swept)

    def _along_outer(self, number: int, turn: float) -> Floats:
        """Where the bank on the outside puts the members: spread over its two halves and the arc between."""
        bank = self.banks[number]
        before, after = self.lengths[number]
        arc = bank.radius * abs(turn)
        along = np.clip(self.runs[number], -before, after)
        spread = (along + before) * (before + after + arc) / (before + after) - before
        on_arc = np.clip(spread, 0.0, arc)
        run = np.where(spread <= 0, spread, np.maximum(spread - arc, 0.0))
        run += self.runs[number] - along  # beyond what is shaped nothing slides
        spots, normals = bank.at(run)
        offset = spots + self.depths[number][:, None] * normals + self.missed[number]
        return turned(offset, self.joint_frame.at, np.sign(turn) * on_arc / max(bank.radius, 1e-9))

    def _along_inner(self, number: int, turn: float) -> Floats:
        """Where the bank on the inside puts the members: slid outward from where its halves cross."""
        bank = self.banks[number]
        first, second = self.crease(number, turn)
        before, after = self._shaped(number, turn)
        run = self.runs[number]
        ahead = np.where(run < after, second + run * (after - second) / after, run)
        behind = np.where(-run < before, -first + run * (before - first) / before, run)
        child = run >= 0
        spots, normals = bank.at(np.where(child, ahead, behind))
        angle = np.where(child, turn, 0.0)
        depth = self.depths[number]
        if first + second > 1e-6:
            between = self._between(bank, (first, second), turn)
            from_crease = np.maximum(np.where(child, ahead - second, -behind - first), 0.0)
            # at the crease the normal of either half is that of the middle; away from it just so much its own that
            # margins to the depth of a fan do not cross the middle
            fan = max(FAN * self.joint_frame.half_width, WIDEST_MARGIN)
            half = between / 2
            lean = half - np.arcsin(np.minimum(from_crease / fan, 1.0) * math.sin(half))
            normals = turned(normals, (0.0, 0.0), np.where(child, -lean, lean))
        offset = turned(spots, self.joint_frame.at, angle)
        depth = depth[:, None]
        turned_normals = turned(normals, (0.0, 0.0), angle)
        missed = turned(self.missed[number], (0.0, 0.0), angle)
        return np.asarray(offset + depth * turned_normals + missed)

    def _shaped(self, number: int, turn: float) -> tuple[float, float]:
        """How far along both halves of a bank (parent's, bone's) it is shaped when it closes by `turn` rad, px."""
        found = [
            max(length, min(crease / ROOM, end))
            for length, crease, end in zip(
                self.lengths[number], self.crease(number, turn), self.banks[number].ends, strict=True
            )
        ]
        return found[0], found[1]

    def _between(self, bank: Bank, crease: tuple[float, float], turn: float) -> float:
        """The angle from the normal of the parent's half at the crease to that of the bone's, rad."""
        _, ends = bank.at(np.array([-crease[0], crease[1]]))
        other = turned(ends[1:], (0.0, 0.0), np.array([turn]))[0]
        return math.atan2(ends[0][0] * other[1] - ends[0][1] * other[0], float(ends[0] @ other))

    def crease(self, number: int, turn: float) -> tuple[float, float]:
        """How far along both halves of a bank (parent's, bone's) they cross when it closes by `turn` rad, px."""
        angles, first, second = _creases(self.banks[number], self.joint_frame.at, 1 if turn > 0 else -1)
        return float(np.interp(abs(turn), angles, first)), float(np.interp(abs(turn), angles, second))

    def _arched(self, turn: float) -> Floats:
        """Where an even arc over the zone puts the members: tangent to both limbs at its ends."""
        length = min(min(one) for one in self.lengths)
        back, ahead = self.joint_frame.back, self.joint_frame.ahead
        rest = math.remainder(ahead - back - math.pi, 2 * math.pi)
        run = self.runs.mean(0)
        here = _arc(run, length, rest)
        there = _arc(run, length, rest + turn)
        own = turned(self.points - self.joint_frame.at, (0.0, 0.0), np.full(len(run), -back - math.pi))
        share = np.clip((run / length + 1) / 2, 0.0, 1.0)
        carried = turned(own - here, (0.0, 0.0), share * turn) + there
        return turned(carried, (0.0, 0.0), np.full(len(run), back + math.pi)) + self.joint_frame.at


@lru_cache(maxsize=256)
def _creases(bank: Bank, joint: tuple[float, float], sign: int) -> tuple[Floats, Floats, Floats]:
    """Angles (rad) with how far along both halves of a bank their crossing lies, evened out over the angle."""
    degrees = np.arange(0.0, 181.0, 2.0)
    room = [TIGHTEST * one for one in bank.ends]
    middle = int(np.searchsorted(bank.runs, 0.0))
    parent = LineString(bank.line[: middle + 1][::-1])
    child = bank.line[middle:]
    found = np.zeros((len(degrees), 2))
    for number, degree in enumerate(degrees[1:], 1):
        other = LineString(turned(child, joint, np.full(len(child), math.radians(sign * degree))))
        found[number] = _crossing(parent, other) or (np.nan, np.nan)
    for column in (0, 1):
        known = ~np.isnan(found[:, column])
        last = degrees[known][-1]
        found[:, column] = np.interp(degrees, degrees[known], found[known, column])
        if last < degrees[-1]:  # the halves do not reach one another any more
            found[degrees > last, column] = room[column]
        found[:, column] = np.minimum(np.maximum.accumulate(found[:, column]), room[column])
        even = scipy.ndimage.gaussian_filter1d(found[:, column], STEADY / 2.0, mode="nearest")
        found[:, column] = np.where(degrees < 2 * STEADY, found[:, column], even)
    return np.radians(degrees), found[:, 0], found[:, 1]


def _arc(run: Floats, length: float, bend: float) -> Floats:
    """Spots (n, 2) so far along a line that comes along x, bends by `bend` rad in an arc that touches both of its
    straight ends `length` px from the corner at the origin, and goes on."""
    inside = np.clip(run, -length, length)
    beyond = run - inside
    share = (inside / length + 1) / 2
    half = math.tan(bend / 2)
    if abs(half) < 1e-6:
        x, y = inside, np.zeros_like(run)
    else:
        radius = length / half
        x, y = radius * np.sin(share * bend) - length, radius * (1 - np.cos(share * bend))
    out = np.where(beyond > 0, bend, 0.0)
    return np.stack([x + beyond * np.cos(out), y + beyond * np.sin(out)], 1)


def _crossing(parent: LineString, child: LineString) -> tuple[float, float] | None:
    """How far along two lines they cross, px, where that is nearest to both their starts; None where they do not."""
    spots = shapely.points(shapely.get_coordinates(parent.intersection(child)))
    if not len(spots):
        return None
    along = [shapely.line_locate_point(line, spots) for line in (parent, child)]
    nearest = int(np.add(*along).argmin())
    return float(along[0][nearest]), float(along[1][nearest])


def solve_zone(sweep: Sweep, bone: Bone, zone: Zone, stores: Stores) -> Zone:
    """The zone with the shapes of its bend solved over the joint's range."""
    angles = angles_between(*range_of(bone))
    if not sweep.members.size or len(angles) < 2:
        return zone.model_copy(update={"solved": None})
    solved = Solved(
        low=float(angles[0]),
        high=float(angles[-1]),
        members=stores.put_array(sweep.members.astype(np.int32)),
        shapes=stores.put_array(np.round(sweep.shapes(angles), 4).astype(np.float32)),
    )
    return zone.model_copy(update={"solved": solved})
