"""Spring bones: chains of rods on torsion springs that lag, overshoot and settle.

`rods` tells the equations and how a chain's frequency and damping become stiffness, `swinging` how they are stepped,
`contacts` what stops a chain, `sheets` what ties several, `elastic` how links give, `jelly` how handles of lattices
swing. Here they are put
together with what a figure is: bones are placed by the same forward kinematics as poses are, chains may hang on chains,
and the deviation of each joint from where the pose holds it is what is shown, by its share and within the joint's
limits. Limits with a soft zone are answered by `eased`, so the stop lies as far beyond the end as the zone is wide.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import groupby, pairwise
from typing import NamedTuple

import numpy as np
import shapely
from numba import njit
from numpy.typing import NDArray

from kunstgriff.control.driving import TurnDriving
from kunstgriff.control.reaching import Reaching
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.channels import addressed
from kunstgriff.figure.follow import Spring
from kunstgriff.figure.model import Figure
from kunstgriff.follow.contacts import AROUND, GROUND, Stops, Touch, clear, nearest, stopped
from kunstgriff.follow.elastic import Elastic, lengthen, stretch_by
from kunstgriff.follow.jelly import Jelly, wobble
from kunstgriff.follow.rods import STEPS_PER_SECOND, rods_of
from kunstgriff.follow.sheets import Ties, pairs_of, tie_up
from kunstgriff.follow.swinging import ABREAST, LANES_OF, Chains, Scratch, Swing, blow, swing_on
from kunstgriff.follow.winds import Gusts
from kunstgriff.skeleton.kinematics import ForwardKinematics, JointLimits, carried_joint, carried_spot, eased, placed

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]

ENDLESS = 1e9  # degrees: a kernel that may assume numbers are finite gets no infinities
MOST_SETTLING, STILL = 40, 1e-4  # quarters of a second, rad/s
# what comes next in a step: a bone to be placed, chains to swing, a bone of a chain, chains to be tied
PLAIN, GROUP, SPRINGY, TIED = 0, 1, 2, 3


class Bodies(NamedTuple):
    """What a step needs to know of `b` bones, as flat arrays."""

    parents: Ints  # (b,)
    joints: Floats  # (b, 2) px at rest
    low: Floats  # (b,) degrees of a joint's limits, endless without
    high: Floats  # (b,)
    soft: Floats  # (b,)
    rest_angle: Floats  # (b,) rad
    order: Ints  # (m, 3) what a step does, see `_order`
    groups: Ints  # (g, 3) first chain, how many, how many rods they have
    bones: Ints  # (n, c) of each chain
    chain_of: Ints  # (b,) the chain a bone is in, or -1
    link_of: Ints  # (b,) and its place there
    given: Floats  # (c,) rad that what each chain hangs on is turned
    amount: Floats  # (c,) the share of its deviation that shows
    carrier: Ints  # (o,) the bone that carries each collider, or -1
    shapes: Floats  # (o, 6) colliders at rest: kind, a segment, radius
    hanger: Ints  # (c,) the bone that a chain's end hangs on, or -1
    hook: Floats  # (2, c) px: where, at rest
    counts: Ints  # (c,) rods of each chain


class Posed(NamedTuple):
    """The rig's own arrays, which a step fills."""

    absolute: Floats  # (b,) rad turned from rest
    matrices: Floats  # (b, 6)
    turn: Floats  # (b,) degrees
    stretch: Floats  # (b, 2)
    deepest: Floats  # (c,) px or rad that a chain was in what stops it


DOWN = (0.0, 1.0)
BAR, BEYOND = 25.0, 4_000.0  # px: half as thick as ground that is not even, and how far it goes on at its ends
FRAMES = 24  # a second: those that wishes and own cycles are told in


@dataclass(frozen=True)
class Shape:
    """What links do not enter: a capsule about the segment from `start` to `end` in figure space at rest, or a circle
    where both are one, `radius` px thick, carried by `bone` (its id; by nothing without). A `ground` is the level of
    `start`, below which no tip goes. `of` is the collider's id."""

    start: tuple[float, float]
    end: tuple[float, float]
    radius: float
    bone: str | None = None
    ground: bool = False
    of: str = ""

    @property
    def row(self) -> tuple[float, ...]:
        return (GROUND if self.ground else AROUND, *self.start, *self.end, self.radius)


def shapes_of(figure: Figure, ground: Sequence[tuple[float, float]] = ()) -> list[Shape]:
    """The colliders of a figure, and its floor: level, or as the `ground` of a motion goes from left to right (px) from
    that level on. Then it is bars along its upper side: edges are rounded by what a ball of `BAR` px rounds."""
    found = [Shape(one.start, one.end, one.radius, one.bone, of=one.id) for one in figure.colliders]
    floor = figure.floor
    if floor is None:
        return found
    level = floor.at[1]
    points = [(x, y + level) for x, y in ground]
    if not any(y for _, y in ground):
        return [*found, Shape(floor.at, floor.at, 0.0, ground=True, of=floor.id)]
    first, last = points[0], points[-1]
    bottom = max(y for _, y in points) + 10 * BAR
    far = [
        (last[0] + BEYOND, last[1]),
        (last[0] + BEYOND, bottom),
        (first[0] - BEYOND, bottom),
        (first[0] - BEYOND, first[1]),
    ]
    solid = shapely.Polygon([*points, *far]).buffer(0).buffer(-BAR, quad_segs=2)
    for body in shapely.get_parts(solid):
        for start, end in pairwise(body.exterior.coords):
            if max(start[1], end[1]) < bottom - 2 * BAR:  # not what lies deep below
                found.append(Shape((start[0], start[1]), (end[0], end[1]), BAR, of=floor.id))
    return found


class Prepared(NamedTuple):
    """Steps that are still to be gone through: how bones are driven and moved in each, the wind, and what is left in
    the rig after the last one."""

    driven: Floats  # (s, b) degrees
    moves: Floats  # (s, b, 2) px
    shifts: Floats  # (s, handles, 2) px by which handles of warps are posed
    wind: Floats  # (s, 2, c) px/s
    values: Floats  # (k,)
    swings: Floats  # (chains,)
    added: Floats  # (b,) degrees that reaches add


class State(NamedTuple):
    """Where everything that swings is at a moment, to go on from there."""

    arrays: tuple[Floats, ...]
    steps: int
    started: bool


@dataclass(frozen=True)
class _Run:
    """Bones of one spring that hang on each other, one after another, so many chains above them."""

    spring: Spring
    bones: tuple[int, ...]
    level: int

    def along(self, values: Sequence[float]) -> Floats:
        """Values at even places from root to tip, as each of its joints has them (n,)."""
        return np.interp(np.linspace(0.0, 1.0, len(self.bones)), np.linspace(0.0, 1.0, len(values)), values)


class Simulation:
    """What of a rig runs in time: its springs, from rest on. It poses the rig it was made for."""

    def __init__(
        self, rig: RigState, shapes: Sequence[Shape] | None = None, period: float | None = None, rate: int = FRAMES
    ) -> None:
        """`shapes` are what chains do not enter, the figure's colliders and floor unless given; gusts begin anew
        after `period` s. It steps as `moments` has it for `rate` frames a second."""
        self.rig, figure = rig, rig.program.figure
        shapes = shapes_of(figure) if shapes is None else shapes
        self.h = 1.0 / (rate * steps_for(rate))
        skeleton = rig.program.skeleton
        along = skeleton.tips - skeleton.joints
        self.lengths = np.maximum(np.hypot(along[:, 0], along[:, 1]), 1.0)
        groups, self.runs = _runs(rig)
        count, longest = ABREAST * len(groups), max((len(run.bones) for run in self.runs.values()), default=1)
        limits = JointLimits.of(figure)
        rows = {bone.id: row for row, bone in enumerate(figure.bones)}
        self.shapes = there = [one for one in shapes if one.bone is None or one.bone in rows]
        bones = np.full((longest, count), -1, np.int32)
        for number, run in self.runs.items():
            bones[: len(run.bones), number] = run.bones
        chain_of, link_of = np.full(len(figure.bones), -1, np.int32), np.zeros(len(figure.bones), np.int32)
        for (link, chain), bone in np.ndenumerate(bones):
            if bone >= 0:
                chain_of[bone], link_of[bone] = chain, link
        counts = (bones >= 0).sum(0).astype(np.int32)
        named = [(number, run.level, run.spring, figure.bones[run.bones[0]].id) for number, run in self.runs.items()]
        pairs = pairs_of(named)
        self.ties = Ties.of(pairs, bones, counts, skeleton.tips)
        self.jelly = Jelly.of(figure, rows, skeleton.joints, self.h)
        shares = rig.program.channels.index
        self.wobbles = np.array(
            [shares[addressed(one.id, "swings")] for one in figure.jellies for _ in one.handles], np.intp
        )
        carrier = np.array([-1 if one.bone is None else rows[one.bone] for one in there], np.int32)
        hanger, hook = np.full(count, -1, np.int32), np.zeros((2, count))
        for number, run in self.runs.items():
            hung = run.spring.hung
            if hung is not None and figure.bones[run.bones[-1]].id == run.spring.bones[-1]:
                hanger[number], hook[:, number] = rows[hung.bone], hung.place
        roots = skeleton.parents[np.array([run.bones[0] for run in self.runs.values()], np.intp)]
        carries = _carries(np.concatenate([roots, carrier, hanger, self.jelly.bones]), skeleton.parents)
        self.bodies = Bodies(
            parents=skeleton.parents, joints=skeleton.joints, low=np.maximum(limits.low, -ENDLESS),
            high=np.minimum(limits.high, ENDLESS), soft=limits.soft, rest_angle=skeleton.directions,
            order=_order(self.runs, groups, skeleton.parents, chain_of, sorted(pairs), carries),
            groups=groups, bones=bones,
            chain_of=chain_of, link_of=link_of, given=np.zeros(count), amount=np.ones(count),
            carrier=carrier, shapes=np.array([one.row for one in there], np.float64).reshape(-1, 6),
            hanger=hanger, hook=hook, counts=counts,
        )  # fmt: skip
        self.elastic = Elastic.of(count, len(figure.bones))
        self.chains = self._chains(longest)
        self.swing = Swing.of(longest, count)
        self.stops = self._stops(longest)
        self.posed = Posed(rig.angles, rig.matrices, rig.turn, rig.stretch, np.zeros(count))
        self.posed.absolute[:] = 0.0  # from rest, whatever the rig showed last
        self.scratch, self.touch = Scratch.of(longest), Touch.of(longest)
        places = np.zeros((count, 2))
        for number, run in self.runs.items():
            places[number] = skeleton.joints[run.bones[0]]
        self.gusts = None if figure.wind is None else Gusts(figure.wind, places, period)
        self.travel = np.zeros(2)  # px/s at which the figure goes on while it is shown on the spot
        self.steps = 0
        self.gravity = np.zeros(count)
        for number, run in self.runs.items():
            self.gravity[number] = run.spring.gravity
        self.started, self.added = False, np.zeros(len(rig.turn))  # degrees that reaches add
        nodes = rig.program.nodes
        self.reaching = [node for node in nodes if isinstance(node, ForwardKinematics | Reaching | TurnDriving)]
        turned = [one.turned for node in nodes if isinstance(node, Reaching) for one in node.chains]
        turned += [node.below.tolist() for node in nodes if isinstance(node, TurnDriving)]
        self.reached = np.unique(np.array([row for rows in turned for row in rows], np.intp))

    def _chains(self, longest: int) -> Chains:
        """The chains as the kernel has them, each with its stiffness."""
        count, angles = self.bodies.bones.shape[1], self.bodies.rest_angle
        chains = Chains.of(longest, count)
        for number, run in self.runs.items():
            bones, n, spring = list(run.bones), len(run.bones), run.spring
            tip = spring.weight * float(self.lengths[bones].sum())
            firmness, calm = run.along(spring.firmness), run.along(spring.calm)
            made = rods_of(
                self.lengths[bones], angles[bones], spring.frequency, spring.damping_ratio, firmness, calm, tip, self.h
            )
            if spring.stretch > 0:
                self.elastic.give(number, spring, self.lengths[bones], angles[bones], self.h)
            chains.air[number] = spring.air
            chains.weights[:n, :n, number], chains.moment[:n, number] = made.weights, made.moment
            for into, matrices in zip(chains[2:5], (made.stiffness, made.damping, made.solid), strict=True):
                into[:, :n, :n, number] = matrices
            chains.lengths[:n, number] = self.lengths[bones]
            chains.balance[:n, number] = made.moment * spring.gravity * np.cos(angles[bones])
        return chains

    def _stops(self, longest: int) -> Stops:
        """What may stop the chains; a link keeps from a collider as far as the two were drawn apart, at the most."""
        count, shapes = self.bodies.bones.shape[1], self.bodies.shapes
        rooms = np.full((longest, count, len(shapes)), -1.0)
        skeleton = self.rig.program.skeleton
        friction = np.zeros(count)
        for number, run in self.runs.items():
            friction[number] = run.spring.friction
            for link, bone in enumerate(run.bones):
                for o, shape in enumerate(shapes):
                    if self.shapes[o].of in run.spring.passes:
                        continue
                    drawn = apart(shape, skeleton.joints[bone], skeleton.tips[bone])
                    room = min(shape[5] + run.spring.thickness, drawn)
                    rooms[link, number, o] = room if room > (0.0 if shape[0] == AROUND else -1e-9) else -1.0
        return Stops(
            shapes.copy(), np.zeros((len(shapes), 4)), rooms, friction, np.full((longest, count), -ENDLESS),
            np.full((longest, count), ENDLESS), np.zeros(count), np.zeros((2, count)), np.zeros((2, count)),
            (rooms >= 0).any((0, 2)) | (self.bodies.hanger >= 0),
            max((run.spring.thickness for run in self.runs.values()), default=0.0),
        )  # fmt: skip

    @property
    def steps_a_second(self) -> float:
        return 1.0 / self.h

    def release(self, deviation: Floats) -> None:
        """Start at rest from these deviations (rad) of each bone's joint instead of from none."""
        for number, run in self.runs.items():
            self.swing.angles[: len(run.bones), number] = np.cumsum(deviation[list(run.bones)])

    def step(self, course: Floats, gravity: tuple[float, float] = DOWN) -> None:
        """Step through values of the rig's channels, one row for each step (steps, k), as controls drive them; each
        spring's gravity pulls along `gravity`.

        Leaves those of the last row in the rig, but for the turns, which are driven and spring together. A collider
        that a link is drawn in keeps it as far out as it is drawn.
        """
        if len(course):
            self.go(self.prepared(course), gravity)

    def prepared(self, course: Floats) -> Prepared:
        """What of values (steps, k) does not hang on how things swing, from the next step on."""
        channels, rig = self.rig.program.channels, self.rig
        count = len(rig.turn)
        if rig.program.controls:
            course = course.copy()
            rig.program.drive(course)
        driven, moves = (np.ascontiguousarray(channels.rows(course, name)[:, :count]) for name in ("turn", "move"))
        if len(self.reached):
            self._reach(course, driven, moves)
        self._go_round(driven)
        shifts = np.ascontiguousarray(channels.rows(course, "shift"))
        swings = [channels.index[addressed(run.spring.id, "swings")] for run in self.runs.values()]
        return Prepared(driven, moves, shifts, self._wind(course), course[-1], course[-1, swings], self.added.copy())

    def go(self, some: Prepared, gravity: tuple[float, float] = DOWN) -> None:
        """Step through what was prepared."""
        rig = self.rig
        rig.values[:], self.added[:] = some.values, some.added
        self.bodies.amount[list(self.runs)] = some.swings
        self.swing.pull[:] = np.outer(gravity, self.gravity)
        self.elastic.natural[:] = rig.stretch
        if len(rig.turn) or len(self.jelly.rows):
            step_rows(
                self.bodies, self.chains, self.swing, self.stops, self.ties, self.posed, self.scratch, self.touch,
                self.elastic, self.jelly, some.driven, some.moves, some.shifts, some.wind, self.h, self.started,
            )  # fmt: skip
            rig.turn[:] -= self.added  # which an evaluation adds by itself
            self._shift()
        self.started = True
        self.steps += len(some.driven)

    def _shift(self) -> None:
        """Leave in the rig how far handles of jelly are off, each in the frame of what carries it."""
        jelly = self.jelly
        if not len(jelly.rows):
            return
        carried = jelly.frame >= 0
        linear = np.tile(np.eye(2), (len(jelly.rows), 1, 1))
        linear[carried] = self.rig.matrices[jelly.frame[carried], :4].reshape(-1, 2, 2).transpose(0, 2, 1)
        shifts = self.rig.program.channels.seen(self.rig.values, "shift")
        off = self.rig.values[self.wobbles, None] * jelly.off
        shifts[jelly.rows] += np.linalg.solve(linear, off[..., None])[..., 0]

    def _wind(self, course: Floats) -> Floats:
        """The wind at each chain in each step, (steps, 2, c) px/s, against the figure where that goes on."""
        wind, channels = self.rig.program.figure.wind, self.rig.program.channels
        if self.gusts is None or wind is None:
            return np.broadcast_to(-self.travel[:, None], (len(course), 2, len(self.gravity)))
        strength, veers = (course[:, channels.index[addressed(wind.id, name)]] for name in ("blows", "veers"))
        return self.gusts.at(self._times(len(course)), strength, veers) - self.travel[:, None]

    def _times(self, count: int) -> Floats:
        """The moments of so many steps from now on, s."""
        return np.asarray((self.steps + np.arange(count)) * self.h, np.float64)

    def _go_round(self, driven: Floats) -> None:
        """Turn what has a small cycle of its own, each bone a little after the one before it."""
        times = self._times(len(driven))
        for run in self.runs.values():
            cycle = run.spring.cycle
            if cycle is not None:
                for link, bone in enumerate(run.bones):
                    late = link / (2 * len(run.bones))
                    phase = times * FRAMES / cycle.frames - late
                    driven[:, bone] += cycle.degrees / len(run.bones) * np.sin(2 * math.pi * phase)

    def knock(self, way: tuple[float, float], spring: str | None = None) -> None:
        """Let chains, or those of one spring, be knocked so many px/s that way."""
        for number, run in self.runs.items():
            if spring is None or run.spring.id == spring:
                self.swing.speed[:, number] += way

    def begin(self, course: Floats, settled: bool = False) -> None:
        """Begin anew in the pose of a row (k,): as it holds everything, or `settled` under what pulls there."""
        self.started = False
        for some in (self.swing.angles, self.swing.rates, self.jelly.off, self.jelly.rate, self.jelly.pace):
            some[:] = 0.0
        self.elastic.forget()
        self.step(course[None])
        if settled:
            before = self.steps
            for _ in range(MOST_SETTLING):
                self.step(np.tile(course, (STEPS_PER_SECOND // 4, 1)))
                self.steps = before
                if np.abs(self.swing.rates).max(initial=0.0) < STILL:
                    break
            self.swing.rates[:], self.elastic.rate[:] = 0.0, 0.0

    @property
    def _arrays(self) -> tuple[Floats, ...]:
        stops = self.stops
        return (
            *self.swing,
            self.bodies.given,
            stops.shapes,
            stops.ends,
            stops.ends_before,
            *self.posed[:2],
            self.rig.values,
            self.added,
            *self.elastic[-4:],
            *self.jelly[-4:],
        )

    @property
    def state(self) -> State:
        """Where everything is now."""
        return State(tuple(one.copy() for one in self._arrays), self.steps, self.started)

    @state.setter
    def state(self, state: State) -> None:
        for one, then in zip(self._arrays, state.arrays, strict=True):
            one[:] = then
        self.steps, self.started = state.steps, state.started

    def _reach(self, course: Floats, driven: Floats, moves: Floats) -> None:
        """Let bones be driven and moved as reaches have them, so that springs feel what they really hang on."""
        rig, matrices, angles = self.rig, self.rig.matrices.copy(), self.rig.angles.copy()
        channels = rig.program.channels
        alone = self.reaching[-1] if len(self.reaching) == 2 else None
        if isinstance(alone, Reaching):  # all rows at once, where nothing else turns bones
            turns, shifts = alone.rows(rig, course)
            self.added[:] = turns[-1] - channels.rows(course, "turn")[-1, : len(self.added)]
            driven[:, self.reached], moves[:, self.reached] = turns[:, self.reached], shifts[:, self.reached]
            rig.matrices[:], rig.angles[:] = matrices, angles
            return
        for number, values in enumerate(course):
            rig.values[:] = values
            for node in self.reaching:
                node.run(rig)
            self.added[:] = rig.turned - channels.seen(values, "turn")[: len(self.added)]
            driven[number, self.reached] = rig.turned[self.reached]
            moves[number, self.reached] = rig.moved[self.reached]
        rig.matrices[:], rig.angles[:] = matrices, angles  # the springs go on from where they were


def apart(shape: Floats, joint: Floats, tip: Floats) -> float:
    """How far a link is from a collider's middle line, in px; a tip below the ground is less than none."""
    if shape[0] == GROUND:
        return float(shape[2] - tip[1])
    share, along = nearest(*joint, *tip, *shape[1:5])
    off = joint + share * (tip - joint) - shape[1:3] - along * (shape[3:5] - shape[1:3])
    return float(np.hypot(*off))


def _runs(rig: RigState) -> tuple[Ints, dict[int, _Run]]:
    """All springs' bones as runs in which each hangs on the one before, by the number of their chain; one run a spring
    unless bones were hung elsewhere. Those that hang on others come after them, those of one length lie together in
    groups: first chain, how many, how many rods (g, 3)."""
    parents = rig.program.skeleton.parents
    runs: list[tuple[Spring, list[int]]] = []
    for spring in rig.program.figure.springs:
        for number, ref in enumerate(spring.bones):
            bone = rig.program.bone_index[ref]
            if number and parents[bone] == runs[-1][1][-1]:
                runs[-1][1].append(bone)
            else:
                runs.append((spring, [bone]))
    starts = {run[0] for _, run in runs}

    def level(bone: int) -> int:
        above, count = bone, 0
        while above >= 0:
            count += above in starts
            above = parents[above]
        return count

    made = sorted((level(run[0]), len(run), number) for number, (_, run) in enumerate(runs))
    groups, found = list[list[int]](), dict[int, _Run]()
    for like, some in groupby(made, key=lambda one: one[:2]):
        for place, (_, _, number) in enumerate(some):
            if place % ABREAST == 0:
                groups.append([ABREAST * len(groups), 0, like[1]])
            found[groups[-1][0] + place % ABREAST] = _Run(runs[number][0], tuple(runs[number][1]), like[0])
            groups[-1][1] += 1
    return np.array(groups, np.int32).reshape(-1, 3), found


def _carries(bones: Ints, parents: Ints) -> set[int]:
    """Bones (n,) (-1: none), and all that they hang on."""
    found = set[int]()
    for bone in bones.tolist():
        while bone >= 0 and bone not in found:
            found.add(bone)
            bone = int(parents[bone])
    return found


def _order(
    runs: Mapping[int, _Run], groups: Ints, parents: Ints, chain_of: Ints, tied: Sequence[int], carries: set[int]
) -> Ints:
    """What a step does one after another: what hangs on no chain, then chains and what hangs on them. Chains of some
    levels are `tied`. In each row what is done, to which, and whether in each step: bones that carry nothing that
    swings or stops it are placed in the last one only."""
    levels = np.zeros(len(parents), int)
    for bone, parent in enumerate(parents):
        levels[bone] = runs[chain_of[bone]].level if chain_of[bone] >= 0 else levels[parent] if parent >= 0 else 0
    found: list[tuple[int, int, int]] = []
    for level in range(int(levels.max(initial=0)) + 1):
        found += [(GROUP, number, 1) for number, group in enumerate(groups) if runs[int(group[0])].level == level]
        found += [(TIED, number, 1) for number, each in enumerate(tied) if each == level]
        found += [
            (SPRINGY if chain_of[bone] >= 0 else PLAIN, bone, bone in carries)
            for bone in np.flatnonzero(levels == level).tolist()
        ]
    return np.array(found, np.int32).reshape(-1, 3)


@njit(inline="always")
def carry(bodies: Bodies, stops: Stops, posed: Posed, h: float, started: bool) -> None:
    """Where colliders are now, and how fast they move."""
    for o in range(bodies.carrier.shape[0]):
        bone = bodies.carrier[o]
        for end in range(2):
            x, y = carried_spot(posed.matrices, bone, bodies.shapes[o, 1 + 2 * end], bodies.shapes[o, 2 + 2 * end])
            stops.moving[o, 2 * end] = (x - stops.shapes[o, 1 + 2 * end]) / h if started else 0.0
            stops.moving[o, 2 * end + 1] = (y - stops.shapes[o, 2 + 2 * end]) / h if started else 0.0
            stops.shapes[o, 1 + 2 * end], stops.shapes[o, 2 + 2 * end] = x, y


@njit(inline="always")
def hang(bodies: Bodies, stops: Stops, posed: Posed, c: int, started: bool) -> None:
    """Where the end of a chain that hangs on something hangs now."""
    bone = bodies.hanger[c]
    if bone < 0:
        return
    x, y = carried_spot(posed.matrices, bone, bodies.hook[0, c], bodies.hook[1, c])
    for axis in range(2):
        stops.ends_before[axis, c] = stops.ends[axis, c]
        stops.ends[axis, c] = x if axis == 0 else y
        if not started:
            stops.ends_before[axis, c] = stops.ends[axis, c]
    stops.hung[c] = 1.0


@njit(cache=True)
def step_rows(
    bodies: Bodies, chains: Chains, swing: Swing, stops: Stops, ties: Ties, posed: Posed, scratch: Scratch,
    touch: Touch, elastic: Elastic, jelly: Jelly, driven: Floats, moves: Floats, shifts: Floats, wind: Floats, h: float,
    started: bool,
) -> None:  # fmt: skip
    """All the steps of a frame in one call, since a call from Python costs as much as a step."""
    # arrays by themselves: taken out of a tuple again and again they cost more than the work (measured)
    parents, joints, low, high, soft = bodies.parents, bodies.joints, bodies.low, bodies.high, bodies.soft
    rest_angle, order, groups, bones = bodies.rest_angle, bodies.order, bodies.groups, bodies.bones
    chain_of, link_of, amount, before = bodies.chain_of, bodies.link_of, bodies.amount, bodies.given
    matrices, absolute, turned, stretch = posed.matrices, posed.absolute, posed.turn, posed.stretch
    angles, held, held_before, bend = swing.angles, swing.held, swing.held_before, swing.bend
    joint, joint_before, blowing = swing.joint, swing.joint_before, swing.wind
    least, most, bound, rooms, shapes = stops.least, stops.most, stops.bound, stops.rooms, stops.shapes
    hanger, lengths = bodies.hanger, chains.lengths
    last_row = driven.shape[0] - 1
    for row in range(driven.shape[0]):
        now, drive, move = started or row > 0, driven[row], moves[row]
        for c in range(blowing.shape[1]):
            blowing[0, c], blowing[1, c] = wind[row, 0, c], wind[row, 1, c]
        carried = False
        for number in range(order.shape[0]):
            what, which = order[number, 0], order[number, 1]
            if not order[number, 2] and row < last_row:
                continue
            if what == TIED:
                tie_up(chains, swing, ties, bodies.counts, ties.spans[which], h)
                for m in range(ties.spans[which, 2], ties.spans[which, 3]):
                    c = ties.members[m]
                    if bound[c]:  # what lies in the way holds more than cloth does
                        deepest = stopped(chains, swing, stops, touch, c, bodies.counts[c], h)
                        posed.deepest[c] = max(posed.deepest[c], deepest)
                continue
            if what != GROUP:
                px, py, given = carried_joint(which, parents, joints, move, matrices, absolute)
                turn = drive[which]
                if what == SPRINGY:
                    c, k = chain_of[which], link_of[which]
                    off = angles[k, c] - held[k, c]
                    if k > 0:
                        off -= angles[k - 1, c] - held[k - 1, c]
                    turn += amount[c] * off * (180.0 / math.pi)
                    if elastic.most[c] > 0.0:
                        stretch_by(elastic, c, amount[c], which, stretch)
                turned[which] = turn
                turn = eased(turn, low[which], high[which], soft[which])
                angle = given + turn * (math.pi / 180.0)
                placed(which, px, py, angle, joints, rest_angle, stretch, matrices, absolute)
                continue
            first, n = groups[which, 0], groups[which, 2]
            last = first + groups[which, 1]
            if not carried:
                carry(bodies, stops, posed, h, now)
                carried = True
            for c in range(first, last):
                px, py, given = carried_joint(bones[0, c], parents, joints, move, matrices, absolute)
                joint[0, c], joint[1, c] = px, py
                bend[c], before[c] = given - before[c], given
                for k in range(n):
                    bone = bones[k, c]
                    given += drive[bone] * (math.pi / 180.0)
                    held[k, c] = rest_angle[bone] + given
                    most[k, c] = (high[bone] + soft[bone] - drive[bone]) * (math.pi / 180.0)
                    least[k, c] = (low[bone] - soft[bone] - drive[bone]) * (math.pi / 180.0)
                if not now:  # it was always there
                    joint_before[0, c], joint_before[1, c], bend[c] = px, py, 0.0
                    for k in range(n):
                        held_before[k, c] = held[k, c]
                        angles[k, c] += held[k, c]
            w = min(-(-groups[which, 1] // LANES_OF) * LANES_OF, ABREAST)
            blow(chains, swing, scratch, first, n, w, h)
            swing_on(chains, swing, scratch, first, n, w, h)
            for c in range(first, last):
                off, beyond = 0.0, hanger[c] >= 0
                for k in range(n):
                    bent = angles[k, c] - held[k, c] - off
                    off += bent
                    beyond = beyond or bent > most[k, c] or bent < least[k, c]
                if not beyond and bound[c]:
                    beyond = not clear(shapes, rooms, lengths, angles, joint, c, n)
                posed.deepest[c] = 0.0
                if beyond:
                    hang(bodies, stops, posed, c, now)
                    posed.deepest[c] = stopped(chains, swing, stops, touch, c, n, h)
                if elastic.most[c] > 0.0:
                    lengthen(elastic, c, n, angles, swing.rates, lengths, swing.pull, joint, joint_before, h, now)
                joint_before[0, c], joint_before[1, c] = joint[0, c], joint[1, c]
                for k in range(n):
                    held_before[k, c] = held[k, c]
        if jelly.rows.shape[0]:
            wobble(jelly, matrices, shifts[row], h, now)


def steps_for(rate: int) -> int:
    """Simulation steps for each frame at `rate` frames per second; at least one."""
    return max(round(STEPS_PER_SECOND / rate), 1)


def moment_of(frame: int, rate: int) -> Floats:
    """The times in s of the steps that lead up to a frame; the first has only time 0."""
    if frame == 0:
        return np.zeros(1)
    per_frame = steps_for(rate)
    return np.asarray((frame - 1 + np.arange(1, per_frame + 1) / per_frame) / rate)


def moments(count: int, rate: int) -> Iterator[Floats]:
    """For each of `count` frames, the times in s of the steps that lead up to it."""
    return (moment_of(frame, rate) for frame in range(count))
