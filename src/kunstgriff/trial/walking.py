"""Steps on a figure: its legs, where their goals go while feet stand and swing, how the body goes along, and the keys
of all that."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter1d, uniform_filter1d

from kunstgriff.control.chains import PUSHED, bend_of, over_by
from kunstgriff.control.reaching import SLIGHT, Chain, bones_of
from kunstgriff.control.taking_over import numbers_of
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.channels import addressed
from kunstgriff.figure.controls import Reach
from kunstgriff.figure.model import Bone, Figure, Point
from kunstgriff.figure.motions import Stepper, Way
from kunstgriff.figure.refusal import EditRefused
from kunstgriff.figure.stores import Stores
from kunstgriff.skeleton.bones import ancestors
from kunstgriff.skeleton.kinematics import posed
from kunstgriff.trial.feet import LOW, soles_of, world_of
from kunstgriff.trial.ground import Ground
from kunstgriff.trial.motion_edits import Keys
from kunstgriff.trial.stepping import Gait, Leg, Step, arranged, gait_of

Floats = NDArray[np.float64]
STRETCHED = 0.999  # of how long a leg is before it is eased, that a step may take it up to
ROLLS, UNROLLS = 0.3, 0.85  # of a swing's time after which a foot is turned most, one way and the other
SETTLES = 12  # rounds in which it is found where a foot stands on uneven ground
AGAIN = 0.5  # of how far it was turned as it left, a foot is turned the other way before it comes down
RISES: Way = (1 / 3, 2 / 3, 2 / 3, 1.0)  # half a parabola, up and down
FALLS: Way = (1 / 3, 0.0, 2 / 3, 1 / 3)


def legs_of(rig: RigState, stepper: Stepper, stores: Stores) -> list[Leg]:
    """The legs of a figure, in their sets: reaches that may hang on the world and end near the ground. Raises
    EditRefused where there are none."""
    figure, found = rig.program.figure, list[Leg]()
    soles, height = soles_of(rig, stores), float(np.ptp(rig.program.rest[:, 1])) if len(rig.program.rest) else 1.0
    for one in figure.reaches:
        if not isinstance(one, Reach) or not _stands(one):
            continue
        try:
            chain, numbers = bones_of(figure, one), numbers_of(rig, one)
        except EditRefused:
            continue
        if one.foot is not None and one.foot_goes == "along":
            raise EditRefused(f"The foot of “{one.name}” goes along with its shin; let it stay level, and it can step.")
        home = chain[-1].tip
        ends = soles.get(one.foot or one.tip)
        if home[1] < -LOW * height or not ancestors(figure, chain[0].id):
            continue
        sole = (0.0, 0.0)
        if ends is not None:
            left, right = (ends[:, 0] - home[0]).tolist()
            sole = (min(left, 0.0), max(right, 0.0))
        found.append(Leg(one.id, one.name, home, chain[0].joint, _long(chain, numbers), sole, foot=one.foot))
    if not found:
        raise EditRefused("No leg ends near the ground with a goal in the world; lay a reach on each leg in Controls.")
    return arranged(found, stepper.sets)


def _long(chain: Sequence[Bone], numbers: Chain) -> float:
    """How far a leg reaches, px, before it is eased, or a knee that is drawn pushed through goes over."""
    spots = np.array([*(bone.joint for bone in chain), chain[-1].tip])
    whole = float(np.hypot(*np.diff(spots, axis=0).T).sum())
    drawn, bend = float(np.hypot(*(spots[-1] - spots[0]))), float(bend_of(spots))
    if len(chain) == 2 and bend * numbers.side < 0 and SLIGHT < abs(bend) < PUSHED:
        return drawn - float(over_by(whole, drawn))
    return whole * (1 - numbers.soft) * STRETCHED


def _stands(one: Reach) -> bool:
    try:
        world_of(one)
    except EditRefused:
        return False
    return True


def body_of(figure: Figure, legs: Sequence[Leg]) -> Bone:
    """The root that all legs hang on. Raises EditRefused where they hang on several."""
    reaches = {one.id: one for one in figure.reaches}
    roots = {ancestors(figure, bones_of(figure, reaches[leg.reach])[0].id)[-1].id for leg in legs}
    if len(roots) > 1:
        raise EditRefused("The legs hang on several roots; what steps hangs on one.")
    root = figure.bone(roots.pop())
    assert root is not None
    return root


@dataclass
class Footing:
    """Where the feet of a figure are, step by step, on a ground: with `shift` px a frame the ground goes by under it
    instead of the figure over the ground."""

    legs: Sequence[Leg]
    gait: Gait
    ground: Ground
    begins: Sequence[float]  # where each foot stands before its first step, an x
    steps: list[Step] = field(default_factory=list)
    shift: float = 0.0

    def number_in(self, figure: Figure, leg: Leg) -> int:
        """Which of a figure's reaches a leg has."""
        return next(k for k, one in enumerate(figure.reaches) if one.id == leg.reach)

    def standing(self, leg: int, x: float) -> tuple[float, float, float]:
        """Where a goal (x, y) is and how its foot is turned (degrees), standing at an x."""
        one = self.legs[leg]
        high, turned = self.ground.stood_on(x, one.sole)
        over, lean = -one.home[1], math.radians(turned)
        return x + over * math.sin(lean), high - over * math.cos(lean), turned

    def under(self, leg: int, goal: float) -> float:
        """The x at which a foot stands whose goal has an x."""
        x = goal
        for _ in range(SETTLES):
            x += goal - self.standing(leg, x)[0]
        return x

    def at(self, leg: int, now: float) -> tuple[float, float, float]:
        """The same on a frame, in the air as well."""
        step = self._step_at(leg, now)
        if step is None or now >= step.lands:
            x, y, turned = self.standing(leg, self.begins[leg] if step is None else step.end)
        else:
            (x0, y0, _), (x1, y1, _) = self.standing(leg, step.start), self.standing(leg, step.end)
            t, top = step.share(now), self.top(step)
            x = x0 + (x1 - x0) * step.eased(now)
            y = top + ((y0 if t < 0.5 else y1) - top) * (1 - 2 * t) ** 2
            shares, turns = np.array(self.turns(step)).T
            turned = float(np.interp(t, shares, turns))
        return x - self.shift * now, y, turned

    def _step_at(self, leg: int, now: float) -> Step | None:
        """The last step of a foot that has begun."""
        return max((one for one in self.steps if one.leg == leg and one.lifts <= now), default=None, key=_lifts)

    def top(self, step: Step) -> float:
        """How high the goal goes half way of a step: `lift` over all that lies between."""
        between = np.linspace(step.start, step.end, 17)
        over = min(float(self.ground.heights(between).min()) + self.legs[step.leg].home[1],
                   *(self.standing(step.leg, x)[1] for x in (step.start, step.end)))  # fmt: skip
        return over - self.gait.lift

    def turns(self, step: Step) -> list[tuple[float, float]]:
        """How the foot is turned (degrees) by the share of a step's time: heel first off, toe last on."""
        leaves, comes = self.standing(step.leg, step.start)[2], self.standing(step.leg, step.end)[2]
        if self.legs[step.leg].foot is None or not self.gait.stepper.roll:
            return [(0.0, leaves), (1.0, comes)]
        way = math.copysign(self.gait.stepper.roll, step.end - step.start)
        return [(0.0, leaves), (ROLLS, leaves + way), (UNROLLS, comes - AGAIN * way), (1.0, comes)]

    def heights(self, now: float) -> tuple[float, float]:
        """How high the ground under the feet lies in the mean (px), and how it leans (degrees)."""
        x, y = [], []
        for leg in range(len(self.legs)):
            step = self._step_at(leg, now)
            end = self.begins[leg] if step is None else step.end
            start = end if step is None else step.start
            ease = 1.0 if step is None else step.eased(now)
            x.append(start + (end - start) * ease)
            y.append(self.ground.at(start) * (1 - ease) + self.ground.at(end) * ease)
        across = np.array(x) - np.mean(x)
        spread = float(across @ across)
        lean = math.degrees(math.atan(float(across @ np.array(y)) / spread)) if spread > 1e-6 else 0.0
        return float(np.mean(y)), lean

    def keys(self, leg: int, first: float, last: float) -> dict[str, Keys]:
        """The keys of a foot from one frame to another, by quantity: they say just what `at` says."""
        x, y, turned = self.at(leg, first)
        rolls: Way = "linear" if self.shift else "hold"
        found: dict[str, Keys] = {
            "goal.x": [(first, x, rolls)], "goal.y": [(first, y, "hold")], "foot": [(first, turned, "hold")]
        }  # fmt: skip
        for step in sorted((one for one in self.steps if one.leg == leg), key=_lifts):
            if step.lifts < last:
                for name, keys in self._of_step(step).items():
                    found[name] += keys
        return self._from_rest(leg, found)

    def keys_around(self, leg: int, frames: float) -> dict[str, Keys]:
        """The keys of a foot that goes round and round in so many frames, on the spot."""
        found: dict[str, Keys] = {"goal.x": [], "goal.y": [], "foot": []}
        for step in self.steps:
            if step.leg == leg and 0 <= step.lands < frames - 1e-6:
                for name, keys in self._of_step(step).items():
                    found[name] += [(round(at % frames, 9) % frames, value, way) for at, value, way in keys]
        return self._from_rest(leg, found)

    def _of_step(self, step: Step) -> dict[str, Keys]:
        rolls: Way = "linear" if self.shift else "hold"
        time, middle = step.lands - step.lifts, (step.lifts + step.lands) / 2
        (x0, y0, _), (x1, y1, _) = self.standing(step.leg, step.start), self.standing(step.leg, step.end)
        a, b = x0 - self.shift * step.lifts, x1 - self.shift * step.lands
        turns = [(step.lifts + at * time, by) for at, by in self.turns(step)]
        return {
            "goal.x": [(step.lifts, a, _gently(b - a, -self.shift * time)), (step.lands, b, rolls)],
            "goal.y": [(step.lifts, y0, RISES), (middle, self.top(step), FALLS), (step.lands, y1, "hold")],
            "foot": [*((at, by, "linear") for at, by in turns[:-1]), (*turns[-1], "hold")],
        }

    def _from_rest(self, leg: int, told: Mapping[str, Keys]) -> dict[str, Keys]:
        """Keys counted from where a goal is at rest, in order, the last said of those on one frame."""
        home = self.legs[leg].home
        rest = {"goal.x": home[0], "goal.y": home[1], "foot": 0.0}
        found = {}
        for name, keys in told.items():
            last = {round(at, 6): (at, value - rest[name], way) for at, value, way in keys}
            found[name] = [last[at] for at in sorted(last)]
        return found


def _lifts(step: Step) -> float:
    return step.lifts


def _gently(by: float, slope: float) -> Way:
    """How a channel goes `by` so much, leaving and coming at a `slope` (so much over the whole time): Hermite's cubic,
    by its handles."""
    if abs(by) < 1e-9:
        return "linear"
    y = min(max(slope / by / 3, -90.0), 90.0)
    return (1 / 3, y, 2 / 3, 1 - y)


def dips(rig: RigState, footing: Footing, poses: Floats, frames: Floats, around: bool) -> Floats:
    """How far the body must go down on each frame (n,) so that no leg is too short, px, going up and down evenly. The
    `poses` (n, k) are all channels on those frames, without it. Raises EditRefused where a leg is too short even so."""
    figure = rig.program.figure
    reaches = {one.id: one for one in figure.reaches}
    rows = [rig.program.bone_index[bones_of(figure, reaches[leg.reach])[0].id] for leg in footing.legs]
    joints = rig.program.skeleton.joints[rows]
    needed = np.zeros(len(frames))
    for k, (now, values) in enumerate(zip(frames.tolist(), poses, strict=True)):
        rig.values[:] = values
        rig.program.drive(rig.values[None])
        rig.evaluate()
        hips = posed(joints, rig.matrices[rows])
        for leg, (hip, one) in enumerate(zip(hips, footing.legs, strict=True)):
            x, y, _ = footing.at(leg, now)
            across, down = x - hip[0], y - hip[1]
            if abs(across) > one.long:
                raise EditRefused(
                    f"“{one.name}” cannot step that far: on frame {now:g} it is {abs(across) - one.long:.0f} px short."
                    " Make the stride shorter, the steps quicker, or the body slower."
                )
            needed[k] = max(needed[k], down - math.sqrt(one.long**2 - across**2))
    wide = 2 * max(round(footing.gait.airborne(footing.gait.speed) / 4), 1) + 1
    mode = "wrap" if around else "nearest"
    return np.asarray(uniform_filter1d(maximum_filter1d(needed, wide, mode=mode), wide, mode=mode))


def placed(footing: Footing, reaches: Mapping[str, Reach], now: float) -> dict[str, float]:
    """The channels of all goals on a frame."""
    found: dict[str, float] = {}
    for leg, one in enumerate(footing.legs):
        x, y, turned = footing.at(leg, now)
        values = {"goal.x": x - one.home[0], "goal.y": y - one.home[1], "foot": turned, "share": 1.0,
                  "hang": float(world_of(reaches[one.reach]))}  # fmt: skip
        found |= {addressed(one.reach, name): value for name, value in values.items()}
    return found


def footing_of(rig: RigState, stepper: Stepper, stores: Stores, ground: Sequence[Point] = ()) -> Footing:
    """A figure standing as it is drawn, ready to step."""
    legs = legs_of(rig, stepper, stores)
    return Footing(legs, gait_of(stepper, legs), Ground(ground), [leg.home[0] for leg in legs])
