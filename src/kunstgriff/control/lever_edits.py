"""Levers laid, taught by example, their curves given by numbers, taken off; turns of bones that drive by themselves."""

from __future__ import annotations

from collections.abc import Iterator
from graphlib import CycleError
from typing import Annotated, Any, Literal

from pydantic import Field

from kunstgriff.control.curves import value_of, with_rest
from kunstgriff.control.driving import alike, by_levers, by_shapes, by_turns, ends_of, in_turn
from kunstgriff.control.reaching import bones_now, hung_on
from kunstgriff.figure.channels import parted, quantities
from kunstgriff.figure.controls import MOST_KNOTS, Axis, DeadZone, Drive, Knot, Lever, TurnDrives
from kunstgriff.figure.edit import Edit, EditRefused, free_name, need_bone, placed
from kunstgriff.figure.model import Figure, Name, Point
from kunstgriff.figure.pose import Pose, posable
from kunstgriff.figure.stores import Stores
from kunstgriff.skeleton.bones import with_descendants

STILL_WITHIN = 2.0  # degrees in which a step does not go back and forth; common practice, no source
Way = Literal["x", "y"]
Number = Annotated[float, Field(allow_inf_nan=False, ge=-36_000, le=36_000)]
By = Annotated[float, Field(allow_inf_nan=False, ge=-1e6, le=1e6)]
Ends = Annotated[float, Field(allow_inf_nan=False, ge=-1000, le=1000)]


def need_lever(figure: Figure, key: str) -> Lever:
    """The lever with this id or name, else EditRefused."""
    found = next((one for one in figure.levers if key in (one.id, one.name)), None)
    if found is None:
        raise EditRefused(f"There is no lever “{key}”.")
    return found


def need_axis(lever: Lever, way: Way) -> Axis:
    """Its axis that goes that way, else EditRefused."""
    axis = lever.x if way == "x" else lever.y
    if axis is None:
        raise EditRefused(f"“{lever.name}” does not go {'across' if way == 'x' else 'up and down'}.")
    return axis


def word_for(figure: Figure, address: str) -> str:
    """What a channel is called in a sentence."""
    ref, name = parted(address)
    thing = next((one for some in posable(figure).values() for one in some if one.id == ref), None)
    known = quantities().get(name)
    return f"{known.word if known is not None else name} of “{thing.name if thing is not None else ref}”"


def with_lever(figure: Figure, one: Lever) -> Figure:
    """The figure with a lever, in the place of the one with its id where there is one. Raises EditRefused where what is
    driven then drives itself, or what comes in steps is driven twice."""
    levers = placed(figure.levers, one)
    after = figure.replace(levers=levers, next_id=figure.next_id + len(levers) - len(figure.levers))
    refuse_tangles(after)
    return after


def refuse_tangles(figure: Figure) -> None:
    """Raise EditRefused where channels drive one another in a circle, where one that comes in steps is driven twice, or
    where the turn of a bone drives what has been done by then."""
    names = quantities()
    at_once = [*by_levers(figure), *by_shapes(figure)]
    for movers in (at_once, list(by_turns(figure))):
        try:
            in_turn(movers, alike(figure))
        except CycleError as error:
            words = [word_for(figure, one) for one in dict.fromkeys(error.args[1])]
            what = f"{words[0]} would drive itself" if len(words) < 2 else f"{' and '.join(words[:3])} drive each other"
            raise EditRefused(f"This goes round in a circle: {what}.") from error
    seen = set[str]()
    for one in (*at_once, *by_turns(figure)):
        if parted(one.target)[1] in names and names[parted(one.target)[1]].stepped:
            if one.target in seen:
                raise EditRefused(f"The {word_for(figure, one.target)} comes in steps and is driven already.")
            seen.add(one.target)
    _refuse_late(figure)


def _refuse_late(figure: Figure) -> None:
    targets = {parted(one.target)[0] for one in by_turns(figure)}
    controls = {one.id for some in (figure.levers, figure.reaches) for one in some}
    if targets & controls:
        raise EditRefused(
            "The turn of a bone is known only when levers and reaches are done; let it drive what they do."
        )
    moved = {one.id for ref in targets if figure.bone(ref) for one in with_descendants(figure, ref)}
    for reach in figure.reaches:
        needed = {bone.id for bone in bones_now(figure, reach)} | hung_on(figure, reach)
        if moved & needed:
            raise EditRefused(f"“{reach.name}” is worked out before the turns of bones are known, and would be wrong.")


def addressed_by_name(figure: Figure, address: str) -> str:
    """A channel's address by id, from one by name. Raises EditRefused where there is none."""
    if parted(address)[1] not in quantities():
        raise EditRefused(f"“{address[:60]}” names no channel.")
    return next(iter(Pose(channels={address: 0.0}).by_id(figure).channels))


def drive_of(figure: Figure, channel: str, points: list[tuple[float, float]], smooth: bool) -> Drive:
    """A drive by its points, with its rest among them. Raises EditRefused where there are too many, or they go beyond
    what the channel can be."""
    known = quantities()[parted(channel)[1]]
    knots = with_rest(points)
    if len(knots) > MOST_KNOTS:
        raise EditRefused(f"A curve has {MOST_KNOTS} knots at the most.")
    if len(knots) < 2 or not any(by for _, by in knots):
        raise EditRefused("A curve moves something somewhere; give it one knot beside its rest.")
    if dict(knots)[0.0] != 0:
        raise EditRefused("At rest nothing is moved; a curve goes through nothing there.")
    for _, by in knots:
        if not known.low <= known.rest + by <= known.high:
            raise EditRefused(
                f"The {word_for(figure, channel)} goes from {known.low:g} to {known.high:g} {known.unit}."
            )
        if known.stepped and by != int(by):
            raise EditRefused(f"The {word_for(figure, channel)} comes in whole steps.")
    return Drive(channel=channel, knots=tuple(Knot(at=at, by=by) for at, by in knots), smooth=smooth)


def _with_drive(drives: tuple[Drive, ...], channel: str, drive: Drive | None) -> tuple[Drive, ...]:
    if drive is None:
        return tuple(one for one in drives if one.channel != channel)
    if any(one.channel == channel for one in drives):
        return tuple(drive if one.channel == channel else one for one in drives)
    return (*drives, drive)


class LayLever(Edit):
    """Make a lever that goes across (`x`), up and down (`y`) or both ways.

    It stands on the sheet at a `place`, where it goes along with the bone it `hangs_on`, or on the slip alone.
    """

    kind: Literal["lay_lever"] = "lay_lever"
    name: Name = "lever"
    axes: Literal["x", "y", "both"] = "y"
    low: Ends = -1.0
    high: Ends = 1.0
    rest: Ends = 0.0
    place: Point | None = None
    hangs_on: str | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        axis = Axis(low=self.low, high=self.high, rest=self.rest)
        lever = Lever(
            id=f"k{figure.next_id}",
            name=free_name(self.name, {other.name for other in figure.levers}),
            x=axis if self.axes != "y" else None,
            y=axis if self.axes != "x" else None,
            place=self.place,
            hangs_on=need_bone(figure, self.hangs_on).id if self.hangs_on else None,
        )
        return with_lever(figure, lever)

    def describe(self, figure: Figure) -> str:
        return f"make the lever {self.name}"


class SetLever(Edit):
    """Change a lever; what is not named stays.

    Ends, rest, resistance and where it catches are those of an `axis`, which is added where it has none; what it drives
    is counted from its rest. An empty `hangs_on` lets it stand on the world, `on_sheet` false takes it to the slip.
    """

    kind: Literal["set_lever"] = "set_lever"
    lever: str
    name: Name | None = None
    axis: Way | None = None
    low: Ends | None = None
    high: Ends | None = None
    rest: Ends | None = None
    soft: Annotated[float, Field(allow_inf_nan=False, ge=0, le=1000)] | None = None
    detents: Annotated[tuple[Ends, ...], Field(max_length=40)] | None = None
    place: Point | None = None
    on_sheet: bool = True
    hangs_on: str | None = None
    hue: Annotated[float, Field(ge=0, lt=360)] | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        lever = need_lever(figure, self.lever)
        return with_lever(figure, lever.model_copy(update=dict(self._changes(figure, lever))))

    def _changes(self, figure: Figure, lever: Lever) -> Iterator[tuple[str, Any]]:
        for name in ("name", "place", "hue"):
            if (value := getattr(self, name)) is not None:
                yield name, value
        if not self.on_sheet:
            yield "place", None
        if self.hangs_on is not None:
            yield "hangs_on", need_bone(figure, self.hangs_on).id if self.hangs_on else None
        if self.axis is not None:
            names = ("low", "high", "rest", "soft", "detents")
            said = {name: value for name in names if (value := getattr(self, name)) is not None}
            yield self.axis, Axis(**{**dict(getattr(lever, self.axis) or Axis()), **said})

    def describe(self, figure: Figure) -> str:
        return f"settings of {need_lever(figure, self.lever).name}"


class TeachLever(Edit):
    """Teach a lever a pose: where its axis is `at`, what it drives is moved by so much more than now.

    Of the `pose` all channels count that are off rest, but the lever's own; with `only` those of these things.
    """

    kind: Literal["teach_lever"] = "teach_lever"
    lever: str
    axis: Way = "y"
    at: Ends
    pose: Pose
    only: Annotated[tuple[str, ...], Field(max_length=5_000)] | None = None
    smooth: bool = True

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        lever = need_lever(figure, self.lever)
        axis = need_axis(lever, self.axis)
        low, high = ends_of(axis)
        at = self.at - axis.rest
        if at == 0:
            raise EditRefused("At rest a lever moves nothing; move it first, then teach it.")
        if not low <= at <= high:
            raise EditRefused(f"“{lever.name}” goes from {axis.low:g} to {axis.high:g}.")
        pose = self.pose.by_id(figure).without([lever.id]).sparse()
        if self.only is not None:
            pose = pose.restricted_to(self.only)
        if not pose.channels:
            raise EditRefused("Nothing is posed that the lever could learn.")
        drives = axis.drives
        for channel, value in pose.channels.items():
            known = quantities()[parted(channel)[1]]
            before = next((one for one in drives if one.channel == channel), None)
            points = {knot.at: knot.by for knot in before.knots} if before is not None else {}
            so_far = value_of(before, at) if before is not None and not known.stepped else 0.0
            points[at] = so_far + value - known.rest
            smooth = before.smooth if before is not None else self.smooth
            drives = _with_drive(drives, channel, drive_of(figure, channel, list(points.items()), smooth))
        after = Axis(**{**dict(axis), "drives": drives})
        return with_lever(figure, lever.model_copy(update={self.axis: after}))

    def describe(self, figure: Figure) -> str:
        return f"teach {need_lever(figure, self.lever).name} a pose"


class DriveChannel(Edit):
    """Let a lever, or the turn of a bone, drive a channel by a curve through points.

    Points are [where it is, by how much the channel is moved]: a lever in its own numbers, a bone in degrees; that
    nothing is moved at rest is understood. Without points it drives that channel no more. A stepped channel that a bone
    drives goes back only `dead` degrees before each point.
    """

    kind: Literal["drive"] = "drive"
    by: str
    axis: Way = "y"
    channel: Annotated[str, Field(min_length=3, max_length=130)]
    points: Annotated[tuple[tuple[Number, By], ...], Field(max_length=MOST_KNOTS)]
    smooth: bool = True
    dead: DeadZone = STILL_WITHIN

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        channel = addressed_by_name(figure, self.channel)
        lever = next((one for one in figure.levers if self.by in (one.id, one.name)), None)
        if lever is None:
            return self._by_turn(figure, channel)
        axis = need_axis(lever, self.axis)
        drive = self._drive(figure, channel, axis.rest)
        after = axis.model_copy(update={"drives": _with_drive(axis.drives, channel, drive)})
        return with_lever(figure, lever.model_copy(update={self.axis: after}))

    def _drive(self, figure: Figure, channel: str, rest: float) -> Drive | None:
        points = [(at - rest, by) for at, by in self.points]
        return drive_of(figure, channel, points, self.smooth) if points else None

    def _by_turn(self, figure: Figure, channel: str) -> Figure:
        bone = figure.bone(self.by) or next((one for one in figure.bones if one.name == self.by), None)
        if bone is None:
            raise EditRefused(f"There is no lever and no bone “{self.by}”.")
        known = next((one for one in figure.by_turns if one.bone == bone.id), None)
        drive = self._drive(figure, channel, 0.0)
        if drive is not None and quantities()[parted(channel)[1]].stepped:
            drive = drive.model_copy(update={"dead": self.dead})
        drives = _with_drive(known.drives if known else (), channel, drive)
        others = tuple(one for one in figure.by_turns if one.bone != bone.id)
        after = figure.replace(by_turns=(*others, TurnDrives(bone=bone.id, drives=drives)) if drives else others)
        refuse_tangles(after)
        return after

    def describe(self, figure: Figure) -> str:
        return f"what drives {self.channel}"


class LiftLever(Edit):
    """Take a lever off; what it drove stays as it is at rest."""

    kind: Literal["lift_lever"] = "lift_lever"
    lever: str

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return figure.without([need_lever(figure, self.lever).id])

    def describe(self, figure: Figure) -> str:
        return f"take {need_lever(figure, self.lever).name} off"
