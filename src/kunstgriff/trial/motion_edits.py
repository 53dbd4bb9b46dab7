"""Motions as they are made and changed: their length, the keys on their channels, marks."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Annotated, Literal

from pydantic import Field

from kunstgriff.figure.channels import parted, quantities
from kunstgriff.figure.edit import Edit, EditRefused, free_name, placed
from kunstgriff.figure.model import Figure, Name
from kunstgriff.figure.motions import MOST_FRAMES, MOST_MOTIONS, FigureMotion, Mark, Moment, Track, Way
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import Stores

SAME = 1e-6  # frames within which two keys are one
Frames = Annotated[int, Field(ge=1, le=MOST_FRAMES)]
Rate = Annotated[int, Field(ge=1, le=240)]
Channels = Annotated[tuple[str, ...], Field(max_length=5_000)]
Keys = list[tuple[float, float, Way]]  # of one channel: frame, value, how it goes on


def need_motion(figure: Figure, key: str) -> FigureMotion:
    """The motion with this id or name, else EditRefused."""
    found = next((one for one in figure.motions if key in (one.id, one.name)), None)
    if found is None:
        there = ", ".join(one.name for one in figure.motions) or "none yet"
        raise EditRefused(f"There is no motion “{key[:80]}” of the figure's own; there is {there}.")
    return found


def with_motion(figure: Figure, one: FigureMotion) -> Figure:
    """The figure with a motion in the place of the one with its id."""
    return figure.replace(motions=placed(figure.motions, one))


def with_keys(motion: FigureMotion, changed: Mapping[str, Keys]) -> FigureMotion:
    """The motion with other keys on some channels; a channel without any has no row."""
    before = {one.channel: one for one in motion.tracks}
    after = dict(before)
    for channel, keys in changed.items():
        after.pop(channel, None)
        if keys:
            at, values, ways = zip(*sorted(keys, key=lambda key: key[0]), strict=True)
            every = before[channel].every if channel in before else None
            after[channel] = Track(channel=channel, at=at, values=values, ways=ways, every=every)
    order = {channel: place for place, channel in enumerate((*before, *changed))}
    tracks = tuple(sorted(after.values(), key=lambda one: order[one.channel]))
    return FigureMotion(**{**dict(motion), "tracks": tracks})


def keys_of(track: Track) -> Keys:
    """The keys of a track, one after another."""
    return list(zip(track.at, track.values, track.ways, strict=True))


def keys_outside(keys: Keys, first: float, last: float) -> Keys:
    """Those of some keys before a span of frames and after it."""
    return [key for key in keys if not first <= key[0] <= last]


def put(keys: Keys, more: Keys) -> Keys:
    """Keys with others in the place of those on the same frames."""
    return [*(one for one in keys if not any(abs(one[0] - other[0]) < SAME for other in more)), *more]


class MakeMotion(Edit):
    """Make a motion of so many frames."""

    kind: Literal["make_motion"] = "make_motion"
    name: Name = "motion"
    frames: Frames = 48
    rate: Rate | None = None
    loop: bool = False

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        if len(figure.motions) >= MOST_MOTIONS:
            raise EditRefused(f"A figure has {MOST_MOTIONS} motions at most.")
        made = FigureMotion(
            id=f"m{figure.next_id}",
            name=free_name(self.name, {one.name for one in figure.motions}),
            frames=self.frames,
            rate=self.rate or figure.rate,
            loop=self.loop,
        )
        return figure.replace(motions=(*figure.motions, made), next_id=figure.next_id + 1)

    def describe(self, figure: Figure) -> str:
        return f"make the motion {self.name}"


class SetMotion(Edit):
    """Change a motion; what is not named stays. At another `rate` its keys keep their time, and so does its length."""

    kind: Literal["set_motion"] = "set_motion"
    motion: str
    name: Name | None = None
    frames: Frames | None = None
    rate: Rate | None = None
    loop: bool | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one = need_motion(figure, self.motion)
        if self.name is not None and any(other.name == self.name for other in figure.motions if other.id != one.id):
            raise EditRefused(f"A motion is called “{self.name}” already.")
        if self.rate is not None and self.rate != one.rate:
            one = _at_rate(one, self.rate)
        said = {name: value for name in ("name", "frames", "loop") if (value := getattr(self, name)) is not None}
        return with_motion(figure, FigureMotion(**{**dict(one), **said}))

    def describe(self, figure: Figure) -> str:
        return f"settings of {need_motion(figure, self.motion).name}"


def _at_rate(one: FigureMotion, rate: int) -> FigureMotion:
    times = rate / one.rate
    frames = max(round(one.frames * times), 1)
    if frames > MOST_FRAMES:
        raise EditRefused(f"A motion has {MOST_FRAMES:,} frames at most; at {rate} per second this one has {frames:,}.")
    tracks = tuple(
        each.model_copy(update={"at": tuple(at * times for at in each.at), "every": each.every and each.every * times})
        for each in one.tracks
    )
    marks = tuple(each.model_copy(update={"at": each.at * times}) for each in one.marks)
    sound = one.sound and one.sound.model_copy(update={"begins": one.sound.begins * times})
    said = {
        "sound": sound,
        "rate": rate,
        "frames": frames,
        "tracks": tracks,
        "marks": marks,
        "travels": one.travels / times,
    }
    return FigureMotion(**{**dict(one), **said})


class LiftMotion(Edit):
    """Take a motion away with all its keys."""

    kind: Literal["lift_motion"] = "lift_motion"
    motion: str

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one = need_motion(figure, self.motion)
        return figure.replace(motions=tuple(each for each in figure.motions if each.id != one.id))

    def describe(self, figure: Figure) -> str:
        return f"take the motion {need_motion(figure, self.motion).name} away"


class CopyMotion(Edit):
    """Make another motion that is the same."""

    kind: Literal["copy_motion"] = "copy_motion"
    motion: str
    name: Name | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one = need_motion(figure, self.motion)
        made = MakeMotion(name=self.name or one.name).apply(figure, stores)
        new = made.motions[-1]
        return with_motion(made, FigureMotion(**{**dict(one), "id": new.id, "name": new.name}))

    def describe(self, figure: Figure) -> str:
        return f"copy the motion {need_motion(figure, self.motion).name}"


class SetKeys(Edit):
    """Set keys on a frame: each channel of a `pose` gets one with its value there, in the place of one on that frame.

    They go on one `way` until the next key: hold, linear, smooth, one of the easing words of CSS, or by the two handles
    [x1, y1, x2, y2] of an easing curve; without one as the key before does, or smooth. Two keys on one frame are one.
    """

    kind: Literal["set_keys"] = "set_keys"
    motion: str
    at: Moment
    pose: Pose
    way: Way | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one = need_motion(figure, self.motion)
        if self.at > one.frames:
            raise EditRefused(f"“{one.name}” ends after {one.frames} frames; make it longer first.")
        pose = self.pose.by_id(figure)
        if not pose.channels:
            raise EditRefused("Nothing is posed that a key could keep.")
        tracks, changed = {each.channel: each for each in one.tracks}, dict[str, Keys]()
        for channel, value in pose.channels.items():
            known = quantities()[parted(channel)[1]]
            keys = keys_of(tracks[channel]) if channel in tracks else []
            before = max((key for key in keys if key[0] <= self.at + SAME), default=None, key=lambda key: key[0])
            way: Way = "hold" if known.stepped else self.way or (before[2] if before is not None else "smooth")
            changed[channel] = put(keys, [(self.at, min(max(value, known.low), known.high), way)])
        return with_motion(figure, with_keys(one, changed))

    def describe(self, figure: Figure) -> str:
        return f"keys on frame {self.at:g} of {need_motion(figure, self.motion).name}"


class ChangeKeys(Edit):
    """Base of what changes the keys of some `channels`, or of all, from one frame up to another, or just some `keys`,
    each told by its channel and frame."""

    motion: str
    channels: Channels = ()
    first: Moment = 0.0
    last: Moment = float(MOST_FRAMES)
    keys: Annotated[tuple[tuple[str, Moment], ...], Field(max_length=5_000)] = ()

    def _chosen(self, figure: Figure) -> tuple[FigureMotion, dict[str, tuple[Keys, Keys]]]:
        """The motion, and by channel the keys that are meant and the others; EditRefused where there are none."""
        one, found = need_motion(figure, self.motion), dict[str, tuple[Keys, Keys]]()
        asked = _addresses(figure, one, (*self.channels, *(channel for channel, _ in self.keys)))
        address = {channel: _addresses(figure, one, (channel,)).pop() for channel in {key[0] for key in self.keys}}
        told = [(address[channel], at) for channel, at in self.keys]
        for track in one.tracks:
            if track.channel not in asked:
                continue
            keys = keys_of(track)
            meant = [key for key in keys if self.first - SAME <= key[0] <= self.last + SAME]
            if told:
                here = [at for channel, at in told if channel == track.channel]
                meant = [key for key in meant if any(abs(key[0] - at) < SAME for at in here)]
            if meant:
                found[track.channel] = meant, [key for key in keys if key not in meant]
        if not found:
            raise EditRefused(f"“{one.name}” has no keys there.")
        return one, found


def _addresses(figure: Figure, motion: FigureMotion, channels: Iterable[str]) -> set[str]:
    """The addresses of channels that are named by id or name, of all that have keys where none is."""
    tracked = {one.channel for one in motion.tracks}
    named = tuple(channels)
    gone = {one for one in named if one in tracked}  # one that is not there any more has no name
    by_name = Pose(channels={one: 0.0 for one in named if one not in gone}).by_id(figure)
    return gone | set(by_name.channels) if named else tracked


class LiftKeys(ChangeKeys):
    """Take keys out."""

    kind: Literal["lift_keys"] = "lift_keys"

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one, chosen = self._chosen(figure)
        return with_motion(figure, with_keys(one, {channel: others for channel, (_, others) in chosen.items()}))

    def describe(self, figure: Figure) -> str:
        return f"take keys of {need_motion(figure, self.motion).name} out"


class MoveKeys(ChangeKeys):
    """Move keys `by` so many frames, perhaps leaving a copy behind, and stretch the time between them `times`.

    It is counted from the first that is meant. What they come to lie on gives way; nothing goes beyond the beginning or
    the end. Their values may become so much `more`."""

    kind: Literal["move_keys"] = "move_keys"
    by: Annotated[float, Field(allow_inf_nan=False, ge=-MOST_FRAMES, le=MOST_FRAMES)] = 0.0
    times: Annotated[float, Field(allow_inf_nan=False, gt=0, le=1_000)] = 1.0
    more: Annotated[float, Field(allow_inf_nan=False, ge=-1e6, le=1e6)] = 0.0
    copy_left: bool = False

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one, chosen = self._chosen(figure)
        begin = min(key[0] for meant, _ in chosen.values() for key in meant)

        def moved(at: float) -> float:
            return begin + (at - begin) * self.times + self.by

        ends = [moved(key[0]) for meant, _ in chosen.values() for key in meant]
        if min(ends) < -SAME or max(ends) > one.frames + SAME:
            raise EditRefused(f"Keys would lie before the beginning of “{one.name}” or after its {one.frames} frames.")
        changed = {}
        for channel, (meant, others) in chosen.items():
            gone_over = [(max(moved(at), 0.0), self._more(channel, value), way) for at, value, way in meant]
            changed[channel] = put([*others, *meant] if self.copy_left else others, gone_over)
        return with_motion(figure, with_keys(one, changed))

    def _more(self, channel: str, value: float) -> float:
        known = quantities().get(parted(channel)[1])
        return min(max(value + self.more, known.low), known.high) if known is not None else value

    def describe(self, figure: Figure) -> str:
        return f"{'copy' if self.copy_left else 'move'} keys of {need_motion(figure, self.motion).name}"


class EaseKeys(ChangeKeys):
    """Say how channels go on from keys."""

    kind: Literal["ease_keys"] = "ease_keys"
    way: Way

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one, chosen = self._chosen(figure)
        changed = {
            channel: [*others, *((at, value, self.way) for at, value, _ in meant)]
            for channel, (meant, others) in chosen.items()
            if not _is_stepped(channel)
        }
        return with_motion(figure, with_keys(one, changed))

    def describe(self, figure: Figure) -> str:
        return f"how keys of {need_motion(figure, self.motion).name} go on"


class CloseLoop(ChangeKeys):
    """Let channels end as they begin: what they are on their first key, they are on the last frame.

    With `shift` their keys go that many frames later, round and round, as what hangs on something comes after it."""

    kind: Literal["close_loop"] = "close_loop"
    shift: Annotated[float, Field(allow_inf_nan=False, ge=-MOST_FRAMES, le=MOST_FRAMES)] = 0.0

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one, chosen = self._chosen(figure)
        changed = {}
        for channel, (meant, others) in chosen.items():
            first = min(meant, key=lambda key: key[0])
            if self.shift:
                inside = [key for key in meant if key[0] < one.frames - SAME]
                meant = put([], [((at + self.shift) % one.frames, value, way) for at, value, way in inside])
                changed[channel] = put(others, meant)
            else:
                changed[channel] = put([*others, *meant], [(float(one.frames), first[1], first[2])])
        return with_motion(figure, with_keys(one, changed))

    def describe(self, figure: Figure) -> str:
        return f"close the loop of {need_motion(figure, self.motion).name}"


class SetMark(Edit):
    """Put words on a frame of a motion; without words what is there goes."""

    kind: Literal["set_mark"] = "set_mark"
    motion: str
    at: Moment
    words: Annotated[str, Field(max_length=80)] = ""

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one = need_motion(figure, self.motion)
        left = tuple(mark for mark in one.marks if abs(mark.at - self.at) >= SAME)
        if self.words.strip():
            left = tuple(sorted((*left, Mark(at=self.at, words=self.words)), key=lambda mark: mark.at))
        return with_motion(figure, FigureMotion(**{**dict(one), "marks": left}))

    def describe(self, figure: Figure) -> str:
        return f"a mark in {need_motion(figure, self.motion).name}"


def _is_stepped(channel: str) -> bool:
    known = quantities().get(parted(channel)[1])
    return known is not None and known.stepped
