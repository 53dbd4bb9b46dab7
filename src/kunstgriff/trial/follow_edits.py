"""What of a motion is for its springs: blows, cuts, and their swing baked to keys."""

from __future__ import annotations

from collections.abc import Sequence
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
from kunstgriff.figure.warps import Lattice, Tacks
from kunstgriff.follow.edits import need_spring
from kunstgriff.trial.keys import KeyedMotion, thinned
from kunstgriff.trial.motion import Playback
from kunstgriff.trial.motion_edits import SAME, Keys, keys_of, keys_outside, need_motion, with_keys, with_motion
from kunstgriff.warp.named import need_warp

Floats = NDArray[np.float64]
LEAST_ERROR = 0.05  # px
Jellied = Lattice | Tacks


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
    """Lay what chains and jelly do in a motion as keys, from one frame to another, and let them be still there.

    Keys are as few as keep every tip, or every handle of jelly, within `error` px; they are edited like any others, and
    taken off again they leave all as it was. Without bones or warps it is for all that follows through.
    """

    kind: Literal["bake_springs"] = "bake_springs"
    motion: str
    bones: Annotated[tuple[str, ...], Field(max_length=2_000)] = ()
    warps: Annotated[tuple[str, ...], Field(max_length=500)] = ()
    first: Moment = 0.0
    last: Moment | None = None
    error: Annotated[float, Field(ge=LEAST_ERROR, le=1_000)] = 0.5

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one = need_motion(figure, self.motion)
        springs, jellies = _following(figure, self.bones, self.warps)
        if not springs and not jellies:
            raise EditRefused("Nothing of this figure is springy yet.")
        first, last = round(self.first), min(round(one.frames if self.last is None else self.last), one.frames)
        if last - first < 2:
            raise EditRefused("Two frames at least are baked.")
        channels = compile_rig(figure, stores).program.channels
        at, swung = _swung(figure, stores, one, first, last)
        keys: dict[str, Keys] = {}
        before = {track.channel: keys_of(track) for track in one.tracks}
        within = {
            **_within_of_springs(figure, springs, self.error),
            **{channel: self.error / 2**0.5 for warp in jellies for channel in _posed_by(warp)},
        }
        for channel, error in within.items():
            values = swung[:, channels.index[channel]]
            made: Keys = [(float(at[k]), float(values[k]), "smooth") for k in thinned(at, values, error)]
            keys[channel] = [*keys_outside(before.get(channel, []), first, last), *made]
        for ref in (each.id for each in (*springs, *jellies)):
            still = addressed(ref, "swings")
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
    """Take the keys off that springs and jelly of a motion were baked to, so that they swing by themselves again."""

    kind: Literal["lift_baked"] = "lift_baked"
    motion: str
    bones: Annotated[tuple[str, ...], Field(max_length=2_000)] = ()
    warps: Annotated[tuple[str, ...], Field(max_length=500)] = ()

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one = need_motion(figure, self.motion)
        springs, jellies = _following(figure, self.bones, self.warps)
        baked = {track.channel for track in one.tracks}
        gone: list[str] = []
        for each in (*springs, *jellies):
            if addressed(each.id, "swings") in baked:
                gone += [addressed(each.id, "swings"), *_posed_by(each)]
        if not gone:
            raise EditRefused(f"Nothing is baked in “{one.name}”.")
        tracks = tuple(track for track in one.tracks if track.channel not in gone)
        return with_motion(figure, _with(one, tracks=tracks))

    def describe(self, figure: Figure) -> str:
        return f"springs of {need_motion(figure, self.motion).name} swing again"


def _following(figure: Figure, bones: Sequence[str], warps: Sequence[str]) -> tuple[list[Spring], list[Jellied]]:
    """The springs of some chains and the jelly of some warps; all there are where none are named."""
    if not bones and not warps:
        return list(figure.springs), list(figure.jellies)
    chosen = {need_warp(figure, key).id for key in warps}
    for key in warps:
        if need_warp(figure, key).id not in {one.id for one in figure.jellies}:
            raise EditRefused(f"“{need_warp(figure, key).name}” is no jelly.")
    springs = list(dict.fromkeys(need_spring(figure, key) for key in bones))
    return springs, [one for one in figure.jellies if one.id in chosen]


def _posed_by(one: Spring | Jellied) -> list[str]:
    """The channels that something which follows through changes."""
    if not isinstance(one, Spring):
        return [addressed(handle.id, name) for handle in one.handles for name in ("shift.x", "shift.y")]
    stretched = ("stretch.along", "stretch.across") if one.stretch > 0 else ()
    return [addressed(ref, name) for ref in one.bones for name in ("turn", *stretched)]


def _within_of_springs(figure: Figure, springs: Sequence[Spring], error: float) -> dict[str, float]:
    """How far each channel of some chains may be off, so that no tip is by more than `error` px."""
    lengths = {bone.id: float(np.hypot(*np.subtract(bone.tip, bone.joint))) for bone in figure.bones}
    found = dict[str, float]()
    for spring in springs:
        reach = sum(lengths[ref] for ref in spring.bones)
        # what each joint is off moves all beyond it; all together keep to the error, with what they give
        each = error / len(spring.bones) / (2 if spring.stretch > 0 else 1)
        for ref in spring.bones:
            found[addressed(ref, "turn")] = float(np.degrees(each / max(reach, 1.0)))
            reach -= lengths[ref]
        for channel in set(_posed_by(spring)) - set(found):
            found[channel] = each / max(lengths[channel.split(".")[0]], 1.0)
    return found


def _with(one: FigureMotion, **said: Any) -> FigureMotion:
    return FigureMotion(**{**dict(one), **said})


def _swung(figure: Figure, stores: Stores, one: FigureMotion, first: int, last: int) -> tuple[Floats, Floats]:
    """Frames (n,) and the values of all channels on them (n, k), as springs and keys make them together."""
    rig = compile_rig(figure, stores)
    playback, seen = Playback(rig, KeyedMotion(one)), []
    count = min(last, playback.count - 1)
    for frame in range(first, count + 1):
        playback.go_to(frame)
        seen.append(rig.values.copy())
    at = np.arange(first, count + 1, dtype=np.float64)
    if one.loop and first == 0 and last == one.frames:  # it ends where it begins
        at, seen = np.append(at, float(last)), [*seen, seen[0]]
    return at, np.array(seen)
