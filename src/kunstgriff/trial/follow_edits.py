"""What of a motion is for its springs: blows, cuts, and their swing baked to keys."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.channels import addressed
from kunstgriff.figure.edit import Edit, EditRefused
from kunstgriff.figure.follow import Blow, Cut, Pace, Spring
from kunstgriff.figure.model import Figure
from kunstgriff.figure.motions import FigureMotion, Moment
from kunstgriff.figure.stores import Stores
from kunstgriff.follow.edits import need_spring
from kunstgriff.trial.keys import KeyedMotion, thinned
from kunstgriff.trial.motion import Playback
from kunstgriff.trial.motion_edits import SAME, Keys, keys_of, keys_outside, need_motion, with_keys, with_motion

Floats = NDArray[np.float64]
LEAST_ERROR = 0.05  # px


class SetBlow(Edit):
    """Knock chains on a frame, so many px/s that way (to the right, downwards): that of a bone, or all.

    Without a way what is there goes.
    """

    kind: Literal["set_blow"] = "set_blow"
    motion: str
    at: Moment
    way: tuple[Pace, Pace] | None = None
    bone: str | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one = need_motion(figure, self.motion)
        spring = need_spring(figure, self.bone).id if self.bone is not None else None
        left = [blow for blow in one.blows if abs(blow.at - self.at) >= SAME or blow.spring != spring]
        if self.way is not None:
            left.append(Blow(at=self.at, way=self.way, spring=spring))
        return with_motion(figure, _with(one, blows=tuple(sorted(left, key=lambda blow: blow.at))))

    def describe(self, figure: Figure) -> str:
        return f"a blow in {need_motion(figure, self.motion).name}"


class SetCut(Edit):
    """Let springs begin anew on a frame: `settled` under what pulls there, or as the pose has everything.

    Where there is no `cut` they swing on.
    """

    kind: Literal["set_cut"] = "set_cut"
    motion: str
    at: Moment
    cut: bool = True
    settled: bool = True

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one = need_motion(figure, self.motion)
        left = [cut for cut in one.cuts if abs(cut.at - self.at) >= SAME]
        if self.cut:
            left.append(Cut(at=self.at, settled=self.settled))
        return with_motion(figure, _with(one, cuts=tuple(sorted(left, key=lambda cut: cut.at))))

    def describe(self, figure: Figure) -> str:
        return f"a cut in {need_motion(figure, self.motion).name}"


class BakeSprings(Edit):
    """Lay what chains do in a motion as keys, from one frame to another, and let their springs be still there.

    Keys are as few as keep every tip within `error` px; they are edited like any others, and taken off again they leave
    the springs as they were. Without bones it is for all chains.
    """

    kind: Literal["bake_springs"] = "bake_springs"
    motion: str
    bones: Annotated[tuple[str, ...], Field(max_length=2_000)] = ()
    first: Moment = 0.0
    last: Moment | None = None
    error: Annotated[float, Field(ge=LEAST_ERROR, le=1_000)] = 0.5

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one = need_motion(figure, self.motion)
        springs = list(dict.fromkeys(need_spring(figure, key) for key in self.bones)) or list(figure.springs)
        if not springs:
            raise EditRefused("Nothing of this figure is springy yet.")
        first, last = round(self.first), min(round(one.frames if self.last is None else self.last), one.frames)
        if last - first < 2:
            raise EditRefused("Two frames at least are baked.")
        at, swung, grown = _swung(figure, stores, one, first, last)
        keys: dict[str, Keys] = {}
        before = {track.channel: keys_of(track) for track in one.tracks}
        rows = {bone.id: row for row, bone in enumerate(figure.bones)}
        lengths = {bone.id: float(np.hypot(*np.subtract(bone.tip, bone.joint))) for bone in figure.bones}
        for spring in springs:
            reach = sum(lengths[ref] for ref in spring.bones)
            error = self.error / (2 if spring.stretch > 0 else 1)  # by turns, and by what they give
            for ref in spring.bones:
                channel = addressed(ref, "turn")
                # what each joint is off moves all beyond it; all together keep to the error
                within = np.degrees(error / (len(spring.bones) * max(reach, 1.0)))
                reach -= lengths[ref]
                kept = thinned(at, swung[:, rows[ref]], within)
                made: Keys = [(float(at[k]), float(swung[k, rows[ref]]), "smooth") for k in kept]
                keys[channel] = [*keys_outside(before.get(channel, []), first, last), *made]
                for axis, channel in enumerate(_grown(spring, ref)):
                    values = grown[:, rows[ref], axis]
                    kept = thinned(at, values, error / (len(spring.bones) * max(lengths[ref], 1.0)))
                    made = [(float(at[k]), float(values[k]), "smooth") for k in kept]
                    keys[channel] = [*keys_outside(before.get(channel, []), first, last), *made]
            still = addressed(spring.id, "swings")
            held = keys_outside(before.get(still, []), first, last)
            if first > 0:
                held.append((0.0, 1.0, "hold"))
            held.append((float(first), 0.0, "hold"))
            if last < one.frames and not (one.loop and first == 0):
                held.append((float(last), 1.0, "hold"))
            keys[still] = held
        return with_motion(figure, with_keys(one, keys))

    def describe(self, figure: Figure) -> str:
        return f"springs of {need_motion(figure, self.motion).name} baked to keys"


class LiftBaked(Edit):
    """Take the keys off that springs of a motion were baked to, so that they swing by themselves again."""

    kind: Literal["lift_baked"] = "lift_baked"
    motion: str
    bones: Annotated[tuple[str, ...], Field(max_length=2_000)] = ()

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one = need_motion(figure, self.motion)
        springs = [need_spring(figure, key) for key in self.bones] or list(figure.springs)
        baked = {track.channel for track in one.tracks}
        gone: list[str] = []
        for spring in springs:
            if addressed(spring.id, "swings") in baked:
                gone += [addressed(spring.id, "swings"), *(addressed(ref, "turn") for ref in spring.bones)]
                gone += [channel for ref in spring.bones for channel in _grown(spring, ref)]
        if not gone:
            raise EditRefused(f"Nothing is baked in “{one.name}”.")
        tracks = tuple(track for track in one.tracks if track.channel not in gone)
        return with_motion(figure, _with(one, tracks=tracks))

    def describe(self, figure: Figure) -> str:
        return f"springs of {need_motion(figure, self.motion).name} swing again"


def _with(one: FigureMotion, **said: Any) -> FigureMotion:
    return FigureMotion(**{**dict(one), **said})


def _grown(spring: Spring, ref: str) -> list[str]:
    """The channels of a bone that a chain stretches."""
    return [addressed(ref, name) for name in ("stretch.along", "stretch.across")] if spring.stretch > 0 else []


def _swung(figure: Figure, stores: Stores, one: FigureMotion, first: int, last: int) -> tuple[Floats, Floats, Floats]:
    """Frames (n,), the turns of all bones on them, degrees (n, b), and their stretch (n, b, 2), as springs and keys
    make them together."""
    rig = compile_rig(figure, stores)
    playback, seen, grown = Playback(rig, KeyedMotion(one)), [], []
    count = min(last, playback.count - 1)
    for frame in range(first, count + 1):
        playback.go_to(frame)
        seen.append(rig.turn.copy())
        grown.append(rig.stretch.copy())
    at = np.arange(first, count + 1, dtype=np.float64)
    if one.loop and first == 0 and last == one.frames:  # it ends where it begins
        at, seen, grown = np.append(at, float(last)), [*seen, seen[0]], [*grown, grown[0]]
    return at, np.array(seen), np.array(grown)
