"""Walks: legs that step by themselves along the way of the body, as keys; how they step; the ground under them."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from kunstgriff.evaluate.state import RigState, compile_rig
from kunstgriff.figure.channels import addressed
from kunstgriff.figure.edit import Edit, EditRefused
from kunstgriff.figure.model import Bone, Figure
from kunstgriff.figure.motions import MOST_GROUND, FigureMotion, Mark, Moment, Stepper, Way
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.values import Point
from kunstgriff.trial.around import facings_shown
from kunstgriff.trial.feet import LONGEST, world_of
from kunstgriff.trial.ground_path import ground_of_path
from kunstgriff.trial.keys import KeyedMotion
from kunstgriff.trial.motion_edits import SAME, Keys, keys_of, need_motion, put, with_keys, with_motion
from kunstgriff.trial.stepping import STANDS, Step, Walker, steady
from kunstgriff.trial.turning_about import Stretch, as_seen_there, reversals, turned_about
from kunstgriff.trial.walking import Footing, body_of, dips, footing_of

Floats = NDArray[np.float64]
FINE = 8  # looks a frame at where the body goes
BAKED = 0.9  # keys a frame from which they are an earlier walk's
SETS_OFF = 0.5  # of a cycle in which a walk comes to its speed, and stops
DOWN = "down"  # the word on the strip where a foot comes down


class SetStepper(Edit):
    """Say how legs step by themselves; what is not named stays. See `figure.motions.Stepper`."""

    kind: Literal["set_stepper"] = "set_stepper"
    stride: Annotated[float, Field(ge=0.05, le=4)] | None = None
    period: Annotated[float, Field(ge=4, le=240)] | None = None
    lift: Annotated[float, Field(ge=0, le=1)] | None = None
    air: Annotated[float, Field(ge=0.05, le=0.5)] | None = None
    sets: Literal["alternate", "wave", "pairs"] | None = None
    lag: Annotated[float, Field(ge=0, le=48)] | None = None
    roll: Annotated[float, Field(ge=0, le=60)] | None = None
    height: Annotated[float, Field(ge=0, le=1)] | None = None
    tilt: Annotated[float, Field(ge=0, le=1)] | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        said = {name: value for name in Stepper.model_fields if (value := getattr(self, name)) is not None}
        return figure.replace(stepper=Stepper(**{**dict(figure.stepper), **said}))

    def describe(self, figure: Figure) -> str:
        return "how the legs step"


class SetGround(Edit):
    """Say what ground a motion stands on.

    That is `points` from left to right (px of the figure, y down), or the `path` of an SVG drawing with the standing
    point at its 0, 0. Without either it is even."""

    kind: Literal["set_ground"] = "set_ground"
    motion: str
    points: Annotated[tuple[Point, ...], Field(max_length=MOST_GROUND)] = ()
    path: Annotated[str, Field(max_length=200_000)] = ""

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one = need_motion(figure, self.motion)
        ground = ground_of_path(self.path) if self.path.strip() else tuple(sorted(self.points))
        return with_motion(figure, FigureMotion(**{**dict(one), "ground": ground}))

    def describe(self, figure: Figure) -> str:
        return f"the ground of {need_motion(figure, self.motion).name}"


class Walk(Edit):
    """Let the legs step by themselves from one frame to another, along the way the body goes.

    With a `speed` (px a frame, to the left below 0) the body sets off, walks and stops; without one it goes as it has
    keys. A motion that goes round and round walks on the spot instead, at one speed, in so many `cycles` or as many as
    fit; each cycle is exactly like the last. What an earlier walk made of these frames gives way. Where feet come
    down is marked. With `about` a figure that is seen from several sides looks where it goes: where its way is reversed
    it turns, so many frames for each side in between. Raises EditRefused where no leg can step, where one is too
    short, with how much and when, and where no side of the figure looks that way.
    """

    kind: Literal["walk"] = "walk"
    motion: str
    first: Moment = 0.0
    last: Moment | None = None
    speed: Annotated[float, Field(allow_inf_nan=False, ge=-1e4, le=1e4)] | None = None
    cycles: Annotated[int, Field(ge=1, le=200)] | None = None
    about: Annotated[int, Field(ge=0, le=48)] | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one = need_motion(figure, self.motion)
        last = float(one.frames) if self.last is None or one.loop else self.last
        first = 0.0 if one.loop else self.first
        if not first < last <= one.frames:
            raise EditRefused(f"A walk goes from one frame to a later one of the {one.frames} of “{one.name}”.")
        if last - first > LONGEST:
            raise EditRefused(f"Legs step over {LONGEST:,} frames at most; do it piece by piece.")
        rig = compile_rig(figure, stores)
        footing = footing_of(rig, figure.stepper, stores, one.ground)
        root = body_of(figure, footing.legs)
        one = _before_a_walk(one, root, first, last)
        if self.speed is not None and not one.loop:
            one = _carried(one, root, footing, first, last, self.speed)
        if self.about is None:
            return with_motion(figure, self._walked(rig, footing, one, first, last))
        return self._looking(rig, footing, one, stores, first, last)

    def _walked(
        self, rig: RigState, footing: Footing, one: FigureMotion, first: float, last: float, mirrored: bool = False
    ) -> FigureMotion:  # fmt: skip
        """The motion with steps from one frame to another, or on the spot; it may be told as in a mirror."""
        root = body_of(rig.program.figure, footing.legs)
        if one.loop:
            left = ((self.speed or 1.0) < 0) != mirrored
            return _on_the_spot(rig, one, footing, root, self.cycles, -1.0 if left else 1.0)
        return _along(rig, one, footing, root, first, last)

    def _looking(
        self, rig: RigState, footing: Footing, one: FigureMotion, stores: Stores, first: float, last: float
    ) -> Figure:  # fmt: skip
        """The figure with a motion in which it looks where it goes, each stretch walked as it is drawn there."""
        figure = rig.program.figure
        turns = [(first, last, (self.speed or 1.0) < 0)]
        if not one.loop:
            root = body_of(figure, footing.legs)
            turns = reversals(*_way_of(rig, one, root, first, last), STANDS * footing.gait.speed) or turns
        *_, seen = facings_shown(rig.program, KeyedMotion(one), 0, int(first) + 1, one.rate)
        one, stretches = turned_about(figure, one, seen, turns, last, self.about or 0)
        figure = with_motion(figure, one)
        for each in stretches:

            def walked(there: Figure, told: FigureMotion, mirrored: bool, each: Stretch = each) -> FigureMotion:
                rig = compile_rig(there, stores)
                footing = footing_of(rig, there.stepper, stores, told.ground)
                return self._walked(rig, footing, told, each.first, each.last, mirrored)

            figure = as_seen_there(figure, one.id, each.facing, walked)
        return figure

    def describe(self, figure: Figure) -> str:
        return f"let the legs step in {need_motion(figure, self.motion).name}"


def _before_a_walk(one: FigureMotion, root: Bone, first: float, last: float) -> FigureMotion:
    """The motion without what an earlier walk made of the body over these frames: a key on each of them, by which it
    went up and down and leaned."""
    changed = {}
    for track in one.tracks:
        if track.channel not in (addressed(root.id, "move.y"), addressed(root.id, "turn")):
            continue
        keys = keys_of(track)
        inside = [key for key in keys if first - SAME <= key[0] <= last + SAME]
        if len(inside) > BAKED * (last - first):
            changed[track.channel] = [key for key in keys if key not in inside]
    return with_keys(one, changed) if changed else one


def _carried(
    one: FigureMotion, root: Bone, footing: Footing, first: float, last: float, speed: float
) -> FigureMotion:  # fmt: skip
    """The motion with the body carried along: it sets off, goes at a speed, and stops."""
    address = addressed(root.id, "move.x")
    keys = next((keys_of(each) for each in one.tracks if each.channel == address), [])
    begins = next((value for at, value, _ in reversed(keys) if at <= first + SAME), 0.0)
    ramp = min(SETS_OFF * footing.gait.stepper.period, (last - first) / 2)
    on = speed * ramp / 2
    far = begins + speed * (last - first - ramp)
    quick: Way = (1 / 3, 0.0, 2 / 3, 1 / 3)  # half a parabola: from a stand to speed,
    slow: Way = (1 / 3, 2 / 3, 2 / 3, 1.0)  # and back
    way: Keys = [
        (first, begins, quick),
        (first + ramp, begins + on, "linear"),
        (last - ramp, far - on, slow),
        (last, far, "hold"),
    ]
    if last - first - 2 * ramp < SAME:
        way.pop(1)
    others = [key for key in keys if not first - SAME <= key[0] <= last + SAME]
    return with_keys(one, {address: put(others, way)})


def _on_the_spot(
    rig: RigState, one: FigureMotion, footing: Footing, root: Bone, cycles: int | None, way: float
) -> FigureMotion:  # fmt: skip
    """A motion that goes round and round with steps on the spot, the body going to the right, or to the left where
    `way` is -1."""
    gait = footing.gait
    if not footing.ground.even:
        raise EditRefused("On ground that is not even no walk goes round and round; let the motion end instead.")
    cycles = cycles or max(round(one.frames / gait.stepper.period), 1)
    period = one.frames / cycles
    speed = way * gait.stride / period
    footing.shift = speed
    cycle = steady(footing.legs, gait, period, speed)
    for turn in range(-1, cycles + 1):
        by, far = turn * period, turn * period * speed
        footing.steps += [
            Step(each.leg, each.lifts + by, each.lands + by, each.start + far, each.end + far) for each in cycle
        ]
    frames = np.arange(one.frames, dtype=np.float64)
    keys = {leg: footing.keys_around(leg, float(one.frames)) for leg in range(len(footing.legs))}
    one = _stepped(rig.program.figure, one, footing, keys, 0.0, float(one.frames))
    one = gone_down(rig, one, footing, root, frames, around=True)
    return FigureMotion(**{**dict(one), "travels": speed})


def _way_of(rig: RigState, one: FigureMotion, root: Bone, first: float, last: float) -> tuple[Floats, Floats]:
    """Where the body is (px from its rest, to the right), looked at finely: frames and ways."""
    fine = np.linspace(first, last, round((last - first) * FINE) + 1)
    place = rig.program.channels.index[addressed(root.id, "move.x")]
    return fine, KeyedMotion(one).course(rig.program, fine / one.rate)[:, place]


def _along(rig: RigState, one: FigureMotion, footing: Footing, root: Bone, first: float, last: float) -> FigureMotion:
    """The motion with steps along the way that its body goes."""
    fine, way = _way_of(rig, one, root, first, last)

    def body(frame: float) -> float:
        return float(np.interp(frame, fine, way))

    numbers = [footing.number_in(rig.program.figure, leg) for leg in footing.legs]
    rig.values[:] = KeyedMotion(one).course(rig.program, np.array([first / one.rate]))[0]
    rig.program.drive(rig.values[None])
    rig.evaluate()
    footing.begins = [footing.under(leg, float(rig.goals[number, 0])) for leg, number in enumerate(numbers)]
    walker = Walker(footing.legs, footing.gait, list(footing.begins), now=first)
    footing.steps = [_by(last, step) for step in walker.advance(last, body) if step.lands <= last or _half(last, step)]
    keys = {leg: footing.keys(leg, first, last) for leg in range(len(footing.legs))}
    one = _stepped(rig.program.figure, one, footing, keys, first, last)
    return gone_down(rig, one, footing, root, np.arange(np.ceil(first), last + SAME), around=False)


def _held(first: float, value: float) -> Keys:
    return [(first, value, "hold")]


def _half(last: float, step: Step) -> bool:
    """Whether a step is half done by a frame."""
    return step.share(last) >= 0.5


def _by(last: float, step: Step) -> Step:
    """A step that comes down by a frame at the latest."""
    return replace(step, lands=min(step.lands, last))


def _stepped(
    figure: Figure, one: FigureMotion, footing: Footing, keys: dict[int, dict[str, Keys]], first: float, last: float
) -> FigureMotion:
    """The motion with the keys of all feet in the place of those there were, and marks where they come down."""
    tracks = {each.channel: keys_of(each) for each in one.tracks}
    reaches = {each.id: each for each in figure.reaches}
    changed: dict[str, Keys] = {}
    for leg, each in enumerate(footing.legs):
        held = {"share": 1.0, "hang": float(world_of(reaches[each.reach]))}  # type: ignore[arg-type]
        told = keys[leg] | {name: _held(first, value) for name, value in held.items()}
        if each.foot is not None:
            changed[addressed(each.foot, "turn")] = []
        for name, some in told.items():
            address = addressed(each.reach, name)
            others = [key for key in tracks.get(address, []) if not first - SAME <= key[0] <= last + SAME]
            changed[address] = put(others, some)
    landings = {
        round(step.lands, 3): footing.legs[step.leg].name for step in footing.steps if first <= step.lands < last
    }
    marks = [mark for mark in one.marks if not (first <= mark.at <= last and mark.words.endswith(DOWN))]
    taken = {round(mark.at, 3) for mark in marks}
    marks += [Mark(at=at, words=f"{name[:70]} {DOWN}") for at, name in landings.items() if at not in taken]
    after = with_keys(one, changed)
    return FigureMotion(**{**dict(after), "marks": tuple(sorted(marks, key=lambda mark: mark.at)[:1_000])})


def gone_down(
    rig: RigState, one: FigureMotion, footing: Footing, root: Bone, frames: Floats, around: bool
) -> FigureMotion:
    """The motion with the body as high as its feet want it, and leaning as the ground does."""
    stepper, channels = footing.gait.stepper, rig.program.channels
    tracks = {each.channel: keys_of(each) for each in one.tracks}
    high, turn = (addressed(root.id, name) for name in ("move.y", "turn"))
    heights, leans = np.array([footing.heights(float(now)) for now in frames]).T
    poses = KeyedMotion(one).course(rig.program, frames / one.rate)
    changed: dict[str, Keys] = {}
    if not footing.ground.even and stepper.tilt:
        leaning = poses[:, channels.index[turn]] + stepper.tilt * leans
        poses[:, channels.index[turn]] = leaning
        changed[turn] = _over(tracks.get(turn, []), frames, leaning)
    poses[:, channels.index[high]] += stepper.height * heights
    poses[:, channels.index[high]] += dips(rig, footing, poses, frames, around)
    changed[high] = _over(tracks.get(high, []), frames, poses[:, channels.index[high]])
    return with_keys(one, changed)


def _over(keys: Keys, frames: Floats, values: Floats) -> Keys:
    """Keys from what a channel is on frames, in the place of those there were."""
    first, last = float(frames[0]), float(frames[-1])
    others = [key for key in keys if not first - SAME <= key[0] <= last + SAME]
    return put(others, [(at, by, "smooth") for at, by in zip(frames.tolist(), values.tolist(), strict=True)])
