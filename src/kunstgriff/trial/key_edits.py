"""Keys copied from one limb or moment to another, and channels that go round on a clock of their own."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Annotated, Literal

import numpy as np
from pydantic import Field, FiniteFloat
from scipy.interpolate import PchipInterpolator

from kunstgriff.figure.channels import addressed, parted, quantities
from kunstgriff.figure.controls import Counter
from kunstgriff.figure.edit import Edit, EditRefused, need_bone
from kunstgriff.figure.mirroring import in_mirror
from kunstgriff.figure.model import Figure
from kunstgriff.figure.motions import MOST_FRAMES, FigureMotion, Moment, Way
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import Stores
from kunstgriff.skeleton.bones import with_descendants
from kunstgriff.trial.keys import thinned
from kunstgriff.trial.motion_edits import (
    SAME,
    ChangeKeys,
    Keys,
    keys_of,
    keys_outside,
    need_motion,
    put,
    with_keys,
    with_motion,
)

SLIGHT = 0.1  # px or degrees by which recorded keys may leave what was recorded
RECORDED = 5_000  # moments of a recording
Copied = tuple[str, Moment, float, Way]  # a key: its channel, frame, value and how it goes on
Onto = Callable[[str], tuple[str, float]]


class PasteKeys(Edit):
    """Paste keys that were copied, the first of them `at` a frame.

    They go where they came from, to the like of each thing on the `other_side` with their values mirrored, or `onto`
    another limb: what the first bone they are of and those that hang on it did, that bone and those on it do, in their
    order, and the reach of one what the reach of the other did.
    """

    kind: Literal["paste_keys"] = "paste_keys"
    motion: str
    at: Moment
    keys: Annotated[tuple[Copied, ...], Field(min_length=1, max_length=5_000)]
    other_side: bool = False
    onto: str | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one = need_motion(figure, self.motion)
        first = min(key[1] for key in self.keys)
        if self.at + max(key[1] for key in self.keys) - first > one.frames:
            raise EditRefused(f"Keys would lie after the {one.frames} frames of “{one.name}”.")
        there = self._there(figure)
        tracks = {each.channel: keys_of(each) for each in one.tracks}
        changed: dict[str, Keys] = {}
        for channel, at, value, way in self.keys:
            address, sign = there(channel)
            known = quantities().get(parted(address)[1])
            if known is None or parted(address)[0] not in figure.posed_ids:
                continue
            kept = min(max(sign * value, known.low), known.high)
            key = (self.at + at - first, kept, "hold" if known.stepped else way)
            changed[address] = put(changed.get(address, tracks.get(address, [])), [key])
        if not changed:
            raise EditRefused("What these keys are of is not there.")
        return with_motion(figure, with_keys(one, changed))

    def _there(self, figure: Figure) -> Onto:
        if self.onto is not None:
            return _limb_to_limb(figure, [key[0] for key in self.keys], need_bone(figure, self.onto).id)
        return in_mirror(figure) if self.other_side else lambda channel: (channel, 1.0)

    def describe(self, figure: Figure) -> str:
        return f"paste keys into {need_motion(figure, self.motion).name}"


class RecordKeys(Edit):
    """Lay as keys what channels did moment by moment while someone acted live, from a frame `first` on.

    `at` are frames counted from there, each channel has a value at each. Keys are as few as keep to it within 0.1 px
    or degrees, and take the place of what was there meanwhile; a motion that is too short is made longer.
    """

    kind: Literal["record_keys"] = "record_keys"
    motion: str
    first: Moment = 0.0
    at: Annotated[tuple[Moment, ...], Field(min_length=2, max_length=RECORDED)]
    channels: Annotated[
        dict[str, Annotated[tuple[FiniteFloat, ...], Field(max_length=RECORDED)]], Field(max_length=500)
    ]

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one = need_motion(figure, self.motion)
        told = np.array(self.at)
        if (np.diff(told) <= 0).any() or any(len(values) != len(told) for values in self.channels.values()):
            raise EditRefused("What is recorded has a value for each moment, one moment after the other.")
        frames = np.arange(math.ceil(told[0]), math.floor(told[-1]) + 1, dtype=np.float64)
        last = self.first + told[-1]
        if len(frames) < 2 or last > MOST_FRAMES:
            raise EditRefused(f"A recording is from 2 to {MOST_FRAMES:,} frames long.")
        tracks, changed = {each.channel: keys_of(each) for each in one.tracks}, dict[str, Keys]()
        for channel, values in self.channels.items():
            (address,) = Pose(channels={channel: 0.0}).by_id(figure).channels
            known = quantities()[parted(address)[1]]
            way: Way = "hold" if known.stepped else "smooth"
            if known.stepped:
                course = np.array(values)[np.searchsorted(told, frames + SAME) - 1]
                kept = np.flatnonzero(np.diff(course, prepend=np.inf)).tolist()
            else:
                course = np.clip(PchipInterpolator(told, np.array(values))(frames), known.low, known.high)
                kept = thinned(frames, course, SLIGHT)
            made: Keys = [(self.first + float(frames[k]), float(course[k]), way) for k in kept]
            changed[address] = sorted(
                [*keys_outside(tracks.get(address, []), self.first, last), *made], key=lambda key: key[0]
            )
        if not changed:
            raise EditRefused("Nothing was recorded.")
        longer = one.model_copy(update={"frames": max(one.frames, math.ceil(last))})
        return with_motion(figure, with_keys(longer, changed))

    def describe(self, figure: Figure) -> str:
        return f"what was acted live, as keys of {need_motion(figure, self.motion).name}"


def _limb_to_limb(figure: Figure, channels: list[str], onto: str) -> Onto:
    """From the channels of one limb to those of another, bone by bone in their order; what is not of it stays.
    Raises EditRefused where the keys are of no limb, or of one that the other lies in."""
    reaches = {one.id: one for one in figure.reaches if not isinstance(one, Counter)}
    ends = {ref: one.tip if one.kind == "reach" else one.bone for ref, one in reaches.items()}
    meant = {ends.get(parted(channel)[0], parted(channel)[0]) for channel in channels}
    first = next((bone for bone in figure.bones if bone.id in meant), None)
    if first is None:
        raise EditRefused("These keys are of no limb.")
    from_limb, to_limb = ([bone.id for bone in with_descendants(figure, ref)] for ref in (first.id, onto))
    if first.id in to_limb or onto in from_limb:
        raise EditRefused("One of these limbs is a piece of the other.")
    there = dict(zip(from_limb, to_limb, strict=False))
    reaching = {end: ref for ref, end in ends.items()}
    there |= {ref: reaching[there[end]] for ref, end in ends.items() if there.get(end) in reaching}

    def changed(channel: str) -> tuple[str, float]:
        ref, name = parted(channel)
        return addressed(there.get(ref, ref), name), 1.0

    return changed


class LoopKeys(ChangeKeys):
    """Let channels go round on a clock of their own, every so many `frames` again, while the motion goes on.

    The keys within these frames are what goes round; without `frames` they go along with the motion again."""

    kind: Literal["loop_keys"] = "loop_keys"
    frames: Annotated[float, Field(allow_inf_nan=False, ge=1, le=MOST_FRAMES)] | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one, chosen = self._chosen(figure)
        tracks = tuple(
            each.model_copy(update={"every": self.frames}) if each.channel in chosen else each for each in one.tracks
        )
        return with_motion(figure, FigureMotion(**{**dict(one), "tracks": tracks}))

    def describe(self, figure: Figure) -> str:
        return f"own loops in {need_motion(figure, self.motion).name}"
