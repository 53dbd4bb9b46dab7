"""Spring bones: chains of rods on torsion springs that lag, overshoot and settle.

A chain's coordinates are the angles q by which its joints deviate from where the pose holds them. With absolute
deviations S q (S lower triangular ones), uniform rods and small deviations,

    M q'' + (2 ζ / ω) K q' + K q = Sᵀ [ Q(g - a, θ) - Q(g, θ₀) - M₀ 1 φ'' ]

where M₀ is the rods' mass matrix about the first joint, M = Sᵀ M₀ S, Q the moment of gravity g and of the first
joint's acceleration a on each rod (subtracting its value at rest balances gravity there), φ the angle the parent
gives. K is diagonal, each joint's stiffness in proportion to the square of the length it carries, which bends a chain
evenly under its own weight, and scaled so that the slowest mode has the frequency asked for, ω = 2π f; damping in
proportion to K gives that mode the ratio ζ and calms faster ones more. One rod alone is the damped harmonic
oscillator (e.g. Thomson, Theory of Vibration).

The modes of (K, M) are independent oscillators, each stepped exactly with the forcing held over a step; so it is stable
for any stiffness, and results do not depend on the frame rate.

A joint at the end of its limits stops there without rebound: its deviation is held and loses the speed that leads
further out, and the modes take over what is left (an inelastic stop). Limits with a soft zone are answered by `eased`,
so there the stop lies as far beyond the end as the zone is wide. A link that would lie in a collider stops the same
way, turned about its joint to the tangent. Bones are placed by the same forward kinematics as poses are.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
import scipy
from numba import njit
from numpy.typing import NDArray

from kunstgriff.control.driving import TurnDriving
from kunstgriff.control.reaching import Reaching
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.model import Spring
from kunstgriff.skeleton.kinematics import ForwardKinematics, JointLimits, carried_joint, eased, placed

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]

# The small kernels below are inlined: handing these arrays from one to the next costs as much as the work (measured).
ENDLESS = 1e9  # degrees: a kernel that may assume numbers are finite gets no infinities
STEPS_PER_SECOND = 240  # 20, 10 and 4 steps a frame at 12, 24 and 60 frames per second


def oscillator_step(omega: float, zeta: float, h: float) -> Floats:
    """Exact propagator (2, 2) of (x, x') over h seconds for x'' = -ω² x - 2 ζ ω x'."""
    decay = zeta * omega
    split = omega * omega - decay * decay
    if abs(split) < 1e-9 * omega * omega:  # critical damping
        c, s = 1.0, h
    elif split > 0:
        root = math.sqrt(split)
        c, s = math.cos(root * h), math.sin(root * h) / root
    else:
        # cosh and sinh would overflow for a fast, strongly damped mode; fold the decay into their exponentials
        root = math.sqrt(-split)
        slow, fast = math.exp((root - decay) * h), math.exp((-root - decay) * h)
        c, s = (slow + fast) / 2, (slow - fast) / (2 * root)
        return np.array([[c + decay * s, s], [-omega * omega * s, c - decay * s]])
    fade = math.exp(-decay * h)
    return fade * np.array([[c + decay * s, s], [-omega * omega * s, c - decay * s]])


def rod_masses(lengths: Floats, angles: Floats) -> tuple[Floats, Floats]:
    """Mass matrix (n, n) of a chain of uniform rods in absolute angles, at the `angles` (rad) of rest, and each rod's
    first moment (n,) with all it carries. Lengths in px; a rod's mass is its length."""
    carried = np.concatenate([np.cumsum(lengths[::-1])[::-1][1:], [0.0]])
    moment = lengths * (lengths / 2 + carried)
    towards = np.cos(angles[:, None] - angles[None, :])
    outer = np.maximum.outer(np.arange(len(lengths)), np.arange(len(lengths)))
    inner = np.minimum.outer(np.arange(len(lengths)), np.arange(len(lengths)))
    masses = lengths[inner] * moment[outer] * towards
    np.fill_diagonal(masses, lengths**2 * (lengths / 3 + carried))
    return masses, moment


class Bodies(NamedTuple):
    """What a step needs to know, as flat arrays; `c` chains padded to `n` joints, `b` bones of the figure."""

    parents: Ints  # (b,)
    joints: Floats  # (b, 2) px at rest
    low: Floats  # (b,) degrees of a joint's limits, infinite without
    high: Floats  # (b,)
    soft: Floats  # (b,)
    limited: bool  # whether any joint has limits
    rest_angle: Floats  # (b,) rad
    rest_cosine: Floats  # (b,)
    chain_of: Ints  # (b,) the chain a bone begins, or -1
    bones: Ints  # (c, n) bones of each chain, -1 past its end
    springy: NDArray[np.bool_]  # (b,) whether a bone is in a chain
    tips: Floats  # (b, 2) px at rest
    modes: Floats  # (c, n, n) a column a mode, in joint deviations
    shares: Floats  # (c, n, n) its inverse: a row a mode, of joint deviations
    propagators: Floats  # (c, n, 2, 2)
    omega_squared: Floats  # (c, n) rad²/s²
    moment: Floats  # (c, n) of gravity and pivot acceleration on each rod
    spin: Floats  # (c, n) of the parent's angular acceleration on each rod
    gravity: Floats  # (c,) px/s², as it is balanced at rest
    pull: Floats  # (c, 2) px/s², as it pulls now


class Motion(NamedTuple):
    """What a step changes."""

    amounts: Floats  # (c, n, 2) each mode's amount and rate
    pivots: Floats  # (3, c, 2) first joints now and at the two steps before, px
    given: Floats  # (3, c) angle given by the parent, likewise, rad
    deviation: Floats  # (b,) rad
    forcing: Floats  # (n,) scratch
    rates: Floats  # (n,) scratch
    touched: Floats  # (b,) the way (-1 or 1) a collider keeps a joint from turning back, 0 where none does
    absolute: Floats  # (b,) the rig's, rad turned from rest
    matrices: Floats  # (b, 6) the rig's
    turn: Floats  # (b,) the rig's, degrees
    stretch: Floats  # (b, 2) the rig's


@dataclass(frozen=True)
class Forces:
    """What pulls at springs from outside: the direction (x, y) of gravity, by which each spring's own is multiplied."""

    gravity: tuple[float, float] = (0.0, 1.0)


WEIGHT = Forces()


@dataclass(frozen=True)
class Collider:
    """A circle that links do not enter: `centre` in figure space at rest, `radius` in px, carried by `bone` (its id; by
    nothing without)."""

    centre: tuple[float, float]
    radius: float
    bone: str | None = None


class Simulation:
    """What of a rig runs in time: its springs, from rest on. It poses the rig it was made for."""

    def __init__(self, rig: RigState) -> None:
        self.rig, figure = rig, rig.program.figure
        self.h = 1.0 / STEPS_PER_SECOND
        chains = [(spring, run) for spring in figure.springs for run in _runs(rig, spring)]
        count, longest = len(chains), max((len(run) for _, run in chains), default=1)
        skeleton = rig.program.skeleton
        along = skeleton.tips - skeleton.joints
        rest_angle = skeleton.directions
        limits = JointLimits.of(figure)
        self.bodies = Bodies(
            parents=skeleton.parents,
            joints=skeleton.joints,
            low=np.maximum(limits.low, -ENDLESS),
            high=np.minimum(limits.high, ENDLESS),
            soft=limits.soft,
            limited=any(bone.limits for bone in figure.bones),
            rest_angle=rest_angle,
            rest_cosine=np.cos(rest_angle),
            chain_of=np.full(len(figure.bones), -1, np.int32),
            bones=np.full((count, longest), -1, np.int32),
            springy=np.zeros(len(figure.bones), np.bool_),
            tips=skeleton.tips,
            modes=np.zeros((count, longest, longest)),
            shares=np.zeros((count, longest, longest)),
            propagators=np.zeros((count, longest, 2, 2)),
            omega_squared=np.ones((count, longest)),
            moment=np.zeros((count, longest)),
            spin=np.zeros((count, longest)),
            gravity=np.array([spring.gravity for spring, _ in chains], np.float64),
            pull=np.zeros((count, 2)),
        )
        lengths = np.maximum(np.hypot(along[:, 0], along[:, 1]), 1.0)
        for number, (spring, run) in enumerate(chains):
            self.bodies.bones[number, : len(run)] = run
            self.bodies.springy[run] = True
            self.bodies.chain_of[run[0]] = number
            self._set_modes(number, spring, lengths[run], rest_angle[run])
        self.motion = Motion(
            amounts=np.zeros((count, longest, 2)),
            pivots=np.zeros((3, count, 2)),
            given=np.zeros((3, count)),
            deviation=np.zeros(len(figure.bones)),
            forcing=np.zeros(longest),
            rates=np.zeros(longest),
            touched=np.zeros(len(figure.bones)),
            absolute=rig.angles,
            matrices=rig.matrices,
            turn=rig.turn,
            stretch=rig.stretch,
        )
        self.motion.absolute[:] = 0.0  # from rest, whatever the rig showed last
        self.started, self.added = False, np.zeros(len(rig.turn))  # degrees that reaches add
        nodes = rig.program.nodes
        self.reaching = [node for node in nodes if isinstance(node, ForwardKinematics | Reaching | TurnDriving)]
        turned = [one.turned for node in nodes if isinstance(node, Reaching) for one in node.chains]
        turned += [node.below.tolist() for node in nodes if isinstance(node, TurnDriving)]
        self.reached = np.unique(np.array([row for rows in turned for row in rows], np.intp))

    def _set_modes(self, number: int, spring: Spring, lengths: Floats, angles: Floats) -> None:
        n = len(lengths)
        masses, moment = rod_masses(lengths, angles)
        sums = np.tril(np.ones((n, n)))
        stiffness = np.diag(np.cumsum(lengths[::-1])[::-1] ** 2)
        squares, shapes = scipy.linalg.eigh(stiffness, sums.T @ masses @ sums)
        omega = 2 * math.pi * spring.frequency
        omegas = omega * np.sqrt(squares / squares[0])
        bodies = self.bodies
        bodies.modes[number, :n, :n] = shapes
        bodies.shares[number, :n, :n] = np.linalg.inv(shapes)
        bodies.omega_squared[number, :n] = omegas**2
        bodies.moment[number, :n] = moment
        bodies.spin[number, :n] = masses.sum(1)
        for mode in range(n):
            ratio = spring.damping_ratio * omegas[mode] / omega
            bodies.propagators[number, mode] = oscillator_step(omegas[mode], ratio, self.h)

    def release(self, deviation: Floats) -> None:
        """Start at rest from these deviations (rad) of each bone's joint instead of from none."""
        for number, bones in enumerate(self.bodies.bones):
            n = int((bones >= 0).sum())
            self.motion.amounts[number, :n, 0] = self.bodies.shares[number, :n, :n] @ deviation[bones[:n]]
            self.motion.amounts[number, :, 1] = 0.0

    def step(self, course: Floats, forces: Forces = WEIGHT, colliders: Sequence[Collider] = ()) -> None:
        """Step through values of the rig's channels, one row for each 1 / STEPS_PER_SECOND s (steps, k), as controls
        drive them, under forces and among colliders.

        Leaves those of the last row in the rig, but for the turns, which are driven and spring together. A collider
        whose bone is not there, and one that a chain's own joint lies in, keeps nothing out.
        """
        if not len(course):
            return
        channels, rig = self.rig.program.channels, self.rig
        count = len(rig.turn)
        if rig.program.controls:
            course = course.copy()
            rig.program.drive(course)
        driven, moves = (np.ascontiguousarray(channels.rows(course, name)[:, :count]) for name in ("turn", "move"))
        if len(self.reached):
            self._reach(course, driven, moves)
        rig.values[:] = course[-1]
        if count:
            self.bodies.pull[:] = self.bodies.gravity[:, None] * forces.gravity
            step_rows(self.bodies, self.motion, driven, moves, self._circles(colliders), self.h, self.started)
            rig.turn[:] -= self.added  # which an evaluation adds by itself
        self.started = True

    def _circles(self, colliders: Sequence[Collider]) -> Floats:
        """Colliders as rows (k, 4): the number of the bone that carries them, or -1, centre and radius."""
        rows = {bone.id: row for row, bone in enumerate(self.rig.program.figure.bones)}
        there = [one for one in colliders if one.bone is None or one.bone in rows]
        table = [(-1 if one.bone is None else rows[one.bone], *one.centre, one.radius) for one in there]
        return np.array(table, np.float64).reshape(-1, 4)

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


def _runs(rig: RigState, spring: Spring) -> list[list[int]]:
    """A spring's bones as runs in which each hangs on the one before; one run unless bones were hung elsewhere."""
    runs: list[list[int]] = []
    for ref in spring.bones:
        bone = rig.program.bone_index[ref]
        if runs and rig.program.skeleton.parents[bone] == runs[-1][-1]:
            runs[-1].append(bone)
        else:
            runs.append([bone])
    return runs


@njit(inline="always")
def remember(motion: Motion, chain: int, px: float, py: float, angle: float, started: bool) -> None:
    """Note where a chain's first joint is now; at the very start it was always there."""
    pivots, given = motion.pivots, motion.given
    for k in range(2, 0, -1):
        pivots[k, chain, 0], pivots[k, chain, 1] = pivots[k - 1, chain, 0], pivots[k - 1, chain, 1]
        given[k, chain] = given[k - 1, chain]
    for k in range(1 if started else 3):
        pivots[k, chain, 0], pivots[k, chain, 1], given[k, chain] = px, py, angle


@njit(inline="always")
def step_chain(bodies: Bodies, motion: Motion, chain: int, h: float) -> None:
    """Step the modes of one chain under its forcing, and put the joints' deviations together from them."""
    pivots, given, forcing = motion.pivots, motion.given, motion.forcing
    ax = (pivots[0, chain, 0] - 2 * pivots[1, chain, 0] + pivots[2, chain, 0]) / (h * h)
    ay = (pivots[0, chain, 1] - 2 * pivots[1, chain, 1] + pivots[2, chain, 1]) / (h * h)
    turning = (given[0, chain] - 2 * given[1, chain] + given[2, chain]) / (h * h)
    n = 0
    while n < bodies.bones.shape[1] and bodies.bones[chain, n] >= 0:
        n += 1
    total = 0.0
    for k in range(n - 1, -1, -1):  # Sᵀ: a joint feels every rod from it outwards
        bone = bodies.bones[chain, k]
        theta = bodies.rest_angle[bone] + motion.absolute[bone]
        pull = (ax - bodies.pull[chain, 0]) * math.sin(theta) + (bodies.pull[chain, 1] - ay) * math.cos(theta)
        pull -= bodies.gravity[chain] * bodies.rest_cosine[bone]
        total += bodies.moment[chain, k] * pull - bodies.spin[chain, k] * turning
        forcing[k] = total
        motion.deviation[bone] = 0.0
    for mode in range(n):
        amount = 0.0
        for k in range(n):
            amount += bodies.modes[chain, k, mode] * forcing[k]
        settled = amount / bodies.omega_squared[chain, mode]
        p = bodies.propagators[chain, mode]
        d, v = motion.amounts[chain, mode, 0] - settled, motion.amounts[chain, mode, 1]
        motion.amounts[chain, mode, 0] = settled + p[0, 0] * d + p[0, 1] * v
        motion.amounts[chain, mode, 1] = p[1, 0] * d + p[1, 1] * v
        for k in range(n):
            motion.deviation[bodies.bones[chain, k]] += bodies.modes[chain, k, mode] * motion.amounts[chain, mode, 0]


@njit(inline="always")
def taken_over(bodies: Bodies, motion: Motion, chain: int, n: int) -> None:
    """Let the modes of a chain take over how its `n` joints deviate, and the rates they have."""
    for mode in range(n):
        amount = speed = 0.0
        for k in range(n):
            amount += bodies.shares[chain, mode, k] * motion.deviation[bodies.bones[chain, k]]
            speed += bodies.shares[chain, mode, k] * motion.rates[k]
        motion.amounts[chain, mode, 0], motion.amounts[chain, mode, 1] = amount, speed


@njit(inline="always")
def rate_of(bodies: Bodies, motion: Motion, chain: int, joint: int) -> float:
    """How fast a joint of a chain deviates, in rad/s."""
    rate = 0.0
    for mode in range(bodies.bones.shape[1]):
        rate += bodies.modes[chain, joint, mode] * motion.amounts[chain, mode, 1]
    return rate


@njit(inline="always")
def stop_at_limits(bodies: Bodies, motion: Motion, chain: int, driven: Floats) -> None:
    """Hold the joints of a chain within their limits, and take the speed from those that would go on outwards."""
    deviation, rates, stopped = motion.deviation, motion.rates, False
    n = 0
    while n < bodies.bones.shape[1] and bodies.bones[chain, n] >= 0:
        bone = bodies.bones[chain, n]
        rate = rate_of(bodies, motion, chain, n)
        most = (bodies.high[bone] + bodies.soft[bone] - driven[bone]) * (math.pi / 180.0)
        least = (bodies.low[bone] - bodies.soft[bone] - driven[bone]) * (math.pi / 180.0)
        if deviation[bone] > most:
            deviation[bone], rate, stopped = most, min(rate, 0.0), True
        elif deviation[bone] < least:
            deviation[bone], rate, stopped = least, max(rate, 0.0), True
        rates[n] = rate
        n += 1
    if stopped:
        taken_over(bodies, motion, chain, n)


@njit(cache=True)
def turned_out(px: float, py: float, tx: float, ty: float, cx: float, cy: float, radius: float) -> float:
    """How far (rad) a link from (px, py) to (tx, ty) turns about its joint to leave a circle, the shorter way: until it
    touches with its side, or with its tip where it ends before that. 0 where it is outside, or cannot leave."""
    away, length = math.hypot(cx - px, cy - py), math.hypot(tx - px, ty - py)
    if away <= radius or length < 1e-9 or away - radius >= length:
        return 0.0
    side = math.sqrt(away * away - radius * radius)
    if length >= side:
        clear = math.asin(radius / away)
    else:
        clear = math.acos((length * length + away * away - radius * radius) / (2 * length * away))
    apart = math.atan2(ty - py, tx - px) - math.atan2(cy - py, cx - px)
    apart = (apart + math.pi) % (2 * math.pi) - math.pi
    if abs(apart) >= clear:
        return 0.0
    return clear - apart if apart >= 0 else -clear - apart


@njit(cache=True)
def leaving(bodies: Bodies, motion: Motion, bone: int, px: float, py: float, circles: Floats) -> float:
    """How far (rad) a link that is placed turns about its joint to lie in none of the colliders (k, 4)."""
    m = motion.matrices[bone]
    x, y = bodies.tips[bone]
    tx, ty = m[0] * x + m[2] * y + m[4], m[1] * x + m[3] * y + m[5]
    total = 0.0
    for circle in circles:
        cx, cy = circle[1], circle[2]
        if circle[0] >= 0:
            of = motion.matrices[int(circle[0])]
            cx, cy = of[0] * cx + of[2] * cy + of[4], of[1] * cx + of[3] * cy + of[5]
        turn = turned_out(px, py, tx, ty, cx, cy, circle[3])
        if turn != 0.0:
            c, s = math.cos(turn), math.sin(turn)
            tx, ty = px + c * (tx - px) - s * (ty - py), py + s * (tx - px) + c * (ty - py)
            total += turn
    return total


@njit(cache=True)
def stop_at_contacts(bodies: Bodies, motion: Motion) -> None:
    """Take from touched joints the speed that leads back into what they touched, and let the modes take over."""
    for chain in range(bodies.bones.shape[0]):
        n, stopped = 0, False
        while n < bodies.bones.shape[1] and bodies.bones[chain, n] >= 0:
            way = motion.touched[bodies.bones[chain, n]]
            rate = rate_of(bodies, motion, chain, n)
            motion.rates[n] = 0.0 if way * rate < 0 else rate
            stopped = stopped or way != 0.0
            n += 1
        if stopped:
            taken_over(bodies, motion, chain, n)


@njit(inline="always")
def step_bones(
    bodies: Bodies, motion: Motion, driven: Floats, move: Floats, circles: Floats, h: float, started: bool
) -> None:
    """One step of all bones, parents first; a chain is stepped when its first bone is reached."""
    matrices, absolute, deviation = motion.matrices, motion.absolute, motion.deviation
    for bone in range(bodies.parents.shape[0]):
        px, py, given = carried_joint(bone, bodies.parents, bodies.joints, move, matrices, absolute)
        chain = bodies.chain_of[bone]
        if chain >= 0:
            remember(motion, chain, px, py, given + driven[bone] * (math.pi / 180.0), started)
            step_chain(bodies, motion, chain, h)
            if bodies.limited:
                stop_at_limits(bodies, motion, chain, driven)
        turn = driven[bone] + deviation[bone] * (180.0 / math.pi)
        motion.turn[bone] = turn
        if bodies.limited:
            turn = eased(turn, bodies.low[bone], bodies.high[bone], bodies.soft[bone])
        angle = given + turn * (math.pi / 180.0)
        placed(bone, px, py, angle, bodies.joints, bodies.rest_angle, motion.stretch, matrices, absolute)
        if circles.shape[0] and bodies.springy[bone]:
            out = leaving(bodies, motion, bone, px, py, circles)
            motion.touched[bone] = np.sign(out)
            if out != 0.0:
                deviation[bone] += out
                motion.turn[bone] += out * (180.0 / math.pi)
                placed(bone, px, py, angle + out, bodies.joints, bodies.rest_angle, motion.stretch, matrices, absolute)
    if circles.shape[0]:
        stop_at_contacts(bodies, motion)


@njit(cache=True, fastmath=True)
def step_rows(
    bodies: Bodies, motion: Motion, driven: Floats, moves: Floats, circles: Floats, h: float, started: bool
) -> None:
    """All the steps of a frame in one call, since a call from Python costs as much as a step."""
    for row in range(driven.shape[0]):
        step_bones(bodies, motion, driven[row], moves[row], circles, h, started or row > 0)


def steps_for(rate: int) -> int:
    """Simulation steps for each frame at `rate` frames per second; at least one."""
    return max(round(STEPS_PER_SECOND / rate), 1)


def moments(count: int, rate: int) -> Iterator[Floats]:
    """For each of `count` frames, the times in s of the steps that lead up to it; the first has only time 0."""
    per_frame = steps_for(rate)
    for frame in range(count):
        if frame == 0:
            yield np.zeros(1)
        else:
            yield (frame - 1 + np.arange(1, per_frame + 1) / per_frame) / rate
