"""Reaches laid, changed, put in order and taken off."""

from __future__ import annotations

import math
from collections.abc import Iterator
from itertools import pairwise
from typing import Annotated, Any, Literal

from pydantic import Field

from kunstgriff.control.reaching import bones_now, bones_of, chain_of, hung_on
from kunstgriff.figure.channels import addressed, parted
from kunstgriff.figure.controls import FEWEST_LINKS, MOST_LINKS, Aim, Counter, Foot, Hang, Look, Reach, Side
from kunstgriff.figure.edit import Edit, EditRefused, free_name, need_bone, need_part, placed
from kunstgriff.figure.model import Bone, Figure, Name, Point
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import Stores
from kunstgriff.skeleton.bones import with_descendants

STRAIGHT = 2.0  # degrees of bend at rest below which a chain says nothing of its side

ONE_WAY = 3.0  # times as far that a chain's limits must let it bend to one side as to the other to say which is its own

AHEAD = 4.0  # lengths of a bone that a goal it looks at lies ahead unless told

Links = Annotated[int, Field(ge=FEWEST_LINKS, le=MOST_LINKS)]
Share = Annotated[float, Field(allow_inf_nan=False, ge=0, le=4)]
Kept = Annotated[float, Field(ge=0, le=1)]


def need_aim(figure: Figure, key: str) -> Aim:
    """The reach, look or counter with this id or name, else EditRefused."""
    found = next((one for one in figure.reaches if key in (one.id, one.name)), None)
    if found is None:
        raise EditRefused(f"There is no reach “{key}”, nor a look or counter.")
    return found


def need_reach(figure: Figure, key: str) -> Reach:
    """The reach with this id or name, else EditRefused."""
    found = next((one for one in figure.reaches if key in (one.id, one.name) and isinstance(one, Reach)), None)
    if found is None:
        raise EditRefused(f"There is no reach “{key}”.")
    return found


def side_of(chain: list[Bone]) -> Side:
    """To which side a chain bends: the one its limits leave it far more room to, else as it is drawn; where that is
    straight, the one with more room."""
    bends = [bone.direction - before.direction for before, bone in pairwise(chain)]
    drawn = math.degrees(sum(math.remainder(one, 2 * math.pi) for one in bends))
    limits = [bone.limits for bone in chain[1:] if bone.limits is not None]
    low, high = (drawn + sum(ends) for ends in ([one.low for one in limits], [one.high for one in limits]))
    one_way = len(limits) == len(chain) - 1 and max(-low, high) > ONE_WAY * max(min(-low, high), 1.0)
    bend = low + high if one_way or abs(drawn) < STRAIGHT else drawn
    return "counterclockwise" if bend < 0 else "clockwise"


def refuse_shared(figure: Figure, one: Aim) -> None:
    """Raise EditRefused where one cannot be worked out: on no chain, on bones that another one turns, with a goal on
    what it moves itself, or in a circle with others."""
    chain = bones_of(figure, one)
    ids = {bone.id for bone in chain}
    for other in figure.reaches:
        if other.id != one.id and (shared := ids & {bone.id for bone in bones_now(figure, other)}):
            name = next(bone.name for bone in chain if bone.id in shared)
            does = {"reach": "reaches", "look": "looks", "counter": "is countered"}[other.kind]
            raise EditRefused(f"“{name}” {does} already, with “{other.name}”.")
    own = hung_on(figure, one) & _moved(figure, one)
    if own:
        names = " and ".join(need_bone(figure, ref).name for ref in sorted(own))
        raise EditRefused(f"“{names}” moves with this itself; hang its goal elsewhere.")
    if isinstance(one, Reach) and one.foot is not None and need_bone(figure, one.foot).parent != one.tip:
        raise EditRefused(f"“{need_bone(figure, one.foot).name}” does not hang on “{chain[-1].name}”.")


def in_order(figure: Figure) -> tuple[Aim, ...]:
    """Reaches, looks and counters, each after those that move what its bones or its goal hang on; else as they are.
    Raises EditRefused, naming them, where some wait for each other."""
    waiting, order = list(figure.reaches), list[Aim]()
    moves = {one.id: _moved(figure, one) for one in waiting}
    while waiting:
        ready = next((one for one in waiting if not any(_waits(figure, one, moves[each.id]) for each in waiting)), None)
        if ready is None:
            names = " and ".join(f"“{one.name}”" for one in waiting[:3])
            raise EditRefused(f"{names} wait for each other: the goal of each hangs on what the other moves.")
        waiting.remove(ready)
        order.append(ready)
    return tuple(order)


def _moved(figure: Figure, one: Aim) -> set[str]:
    return {below.id for bone in bones_now(figure, one)[:1] for below in with_descendants(figure, bone.id)}


def _waits(figure: Figure, one: Aim, moved: set[str]) -> bool:
    """Whether it goes by what is moved; it never waits for itself, since neither is moved by it."""
    return any(bone.parent in moved for bone in bones_now(figure, one)[:1]) or bool(hung_on(figure, one) & moved)


def with_reach(figure: Figure, one: Aim) -> Figure:
    """The figure with a reach, look or counter, in the place of the one with its id, if any, and all put in order."""
    reaches = placed(figure.reaches, one)
    after = figure.replace(reaches=reaches, next_id=figure.next_id + len(reaches) - len(figure.reaches))
    refuse_shared(after, one)
    return after.replace(reaches=in_order(after))


def _poses_kept(figure: Figure, one: Aim, turned: set[str]) -> Figure:
    """The figure with its kept poses as they look: in those that turn bones of a reach it does nothing."""
    off = Pose(channels={addressed(one.id, "share"): 0.0})
    poses = tuple(
        kept.model_copy(update={"pose": kept.pose.merged(off)})
        if any(parted(address)[0] in turned for address in kept.pose.by_id(figure).channels)
        else kept
        for kept in figure.poses
    )
    return figure.replace(poses=poses)


class LayReach(Edit):
    """Let a chain of bones reach: so many `bones` back from the one whose `tip` goes to the goal.

    Without a `side` it bends as its limits let it, or as it is drawn; without `hangs_on` its goal hangs on the world.
    In kept poses that turn its bones it does nothing.
    """

    kind: Literal["lay_reach"] = "lay_reach"
    tip: str
    bones: Links = 2
    name: Name | None = None
    side: Side | None = None
    hangs_on: str | None = None
    stretch: Share = 0.0
    keeps: Kept = 1.0
    foot: str | None = None
    foot_goes: Foot = "level"

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        tip = need_bone(figure, self.tip)
        chain = chain_of(figure, tip.id, self.bones)
        one = Reach(
            id=f"k{figure.next_id}",
            name=free_name(self.name or tip.name, {other.name for other in figure.reaches}),
            tip=tip.id,
            bones=self.bones,
            side=self.side or side_of(chain),
            hangs_on=need_bone(figure, self.hangs_on).id if self.hangs_on is not None else None,
            stretch=self.stretch,
            keeps=self.keeps,
            foot=need_bone(figure, self.foot).id if self.foot is not None else None,
            foot_goes=self.foot_goes,
        )
        return _poses_kept(with_reach(figure, one), one, {bone.id for bone in chain} | {one.foot or chain[-1].id})

    def describe(self, figure: Figure) -> str:
        return f"let {need_bone(figure, self.tip).name} reach"


class SetReach(Edit):
    """Change a reach; what is not named stays.

    An empty `hangs_on` hangs its goal on the world, `hangs_at` on the spot of a part under it; an empty `foot` leaves
    the foot free.
    """

    kind: Literal["set_reach"] = "set_reach"
    reach: str
    name: Name | None = None
    bones: Links | None = None
    side: Side | None = None
    hangs_on: str | None = None
    hangs_at: str | None = None
    stretch: Share | None = None
    keeps: Kept | None = None
    soft: Annotated[float, Field(allow_inf_nan=False, ge=0, le=0.5)] | None = None
    foot: str | None = None
    foot_goes: Foot | None = None
    hue: Annotated[float, Field(ge=0, lt=360)] | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return with_reach(figure, need_reach(figure, self.reach).model_copy(update=dict(self._changes(figure))))

    def _changes(self, figure: Figure) -> Iterator[tuple[str, Any]]:
        for name in ("name", "bones", "side", "stretch", "keeps", "soft", "foot_goes", "hue"):
            if (value := getattr(self, name)) is not None:
                yield name, value
        yield from hung(figure, self.hangs_on, self.hangs_at)
        if self.foot is not None:
            yield "foot", need_bone(figure, self.foot).id if self.foot else None

    def describe(self, figure: Figure) -> str:
        return f"settings of {need_reach(figure, self.reach).name}"


class LiftReach(Edit):
    """Take a reach, a look or a counter off; its bones stay as they are at rest."""

    kind: Literal["lift_reach"] = "lift_reach"
    reach: str

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return figure.without([need_aim(figure, self.reach).id])

    def describe(self, figure: Figure) -> str:
        return f"take {need_aim(figure, self.reach).name} off"


class LayLook(Edit):
    """Let a bone look at a goal.

    The goal lies where it is told to, or ahead of the bone on the sheet, and hangs on a bone or the world. The bone
    takes a share of the way, `low` to `high` degrees at the most. In kept poses that turn it, it does nothing.
    """

    kind: Literal["lay_look"] = "lay_look"
    bone: str
    name: Name | None = None
    goal: Point | None = None
    takes: Kept = 1.0
    low: Annotated[float, Field(ge=-180, le=0)] = -60.0
    high: Annotated[float, Field(ge=0, le=180)] = 60.0
    hangs_on: str | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone = need_bone(figure, self.bone)
        one = Look(
            id=f"k{figure.next_id}",
            name=free_name(self.name or f"{bone.name} looks", {other.name for other in figure.reaches}),
            bone=bone.id,
            goal=self.goal or _ahead(figure, bone),
            takes=self.takes,
            low=self.low,
            high=self.high,
            **dict(hung(figure, self.hangs_on, None)),
        )
        if one.goal == bone.joint:
            raise EditRefused(f"“{bone.name}” cannot look at its own joint; put the goal elsewhere.")
        return _poses_kept(with_reach(figure, one), one, {bone.id})

    def describe(self, figure: Figure) -> str:
        return f"let {need_bone(figure, self.bone).name} look"


def _ahead(figure: Figure, bone: Bone) -> Point:
    """A place ahead of a bone, AHEAD lengths from its joint or less, where that would not lie on the sheet any more."""
    times, sheet = AHEAD, figure.sheet
    for joint, tip, stands, size in zip(
        bone.joint, bone.tip, sheet.standing_point, (sheet.width, sheet.height), strict=True
    ):
        if tip != joint:
            times = min(times, ((size - stands if tip > joint else -stands) - joint) / (tip - joint))
    times = max(times, 1.0)
    (x, y), (tx, ty) = bone.joint, bone.tip
    return x + times * (tx - x), y + times * (ty - y)


class LayCounter(Edit):
    """Let a bone keep how it lies in the world, whatever it hangs on.

    It keeps its angle by a share `turn` and its joint's place by a share `place`. In kept poses that turn what it hangs
    on it does nothing.
    """

    kind: Literal["lay_counter"] = "lay_counter"
    bone: str
    name: Name | None = None
    turn: Kept = 1.0
    place: Kept = 0.0

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        bone = need_bone(figure, self.bone)
        if bone.parent is None:
            raise EditRefused(f"“{bone.name}” hangs on nothing that could turn it.")
        name = free_name(self.name or f"{bone.name} keeps still", {other.name for other in figure.reaches})
        one = Counter(id=f"k{figure.next_id}", name=name, bone=bone.id, turn=self.turn, place=self.place)
        above, parents = set[str](), {each.id: each.parent for each in figure.bones}
        ref: str | None = bone.parent
        while ref is not None:
            above.add(ref)
            ref = parents[ref]
        return _poses_kept(with_reach(figure, one), one, above)

    def describe(self, figure: Figure) -> str:
        return f"let {need_bone(figure, self.bone).name} keep still"


class SetLook(Edit):
    """Change a look or a counter; what is not named stays, and what the one has not is not heeded by the other."""

    kind: Literal["set_look"] = "set_look"
    look: str
    name: Name | None = None
    goal: Point | None = None
    takes: Kept | None = None
    low: Annotated[float, Field(ge=-180, le=0)] | None = None
    high: Annotated[float, Field(ge=0, le=180)] | None = None
    turn: Kept | None = None
    place: Kept | None = None
    hangs_on: str | None = None
    hangs_at: str | None = None
    hue: Annotated[float, Field(ge=0, lt=360)] | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one = need_aim(figure, self.look)
        if isinstance(one, Reach):
            raise EditRefused(f"“{one.name}” reaches; it does not look.")
        names = ("name", "goal", "takes", "low", "high", "turn", "place", "hue")
        said = {name: value for name in names if (value := getattr(self, name)) is not None}
        said |= dict(hung(figure, self.hangs_on, self.hangs_at))
        changes = {name: value for name, value in said.items() if name in type(one).model_fields}
        return with_reach(figure, one.model_copy(update=changes))

    def describe(self, figure: Figure) -> str:
        return f"settings of {need_aim(figure, self.look).name}"


class AlsoHang(Edit):
    """Let the goal of a reach or a look hang on something else as well, which a pose may choose by its number.

    That is a bone, the spot of a part under it at rest, or without either the world. With a `number` the one that has
    it is taken away.
    """

    kind: Literal["also_hang"] = "also_hang"
    reach: str
    bone: str | None = None
    part: str | None = None
    number: Annotated[int, Field(ge=1, le=99)] | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one = need_aim(figure, self.reach)
        if isinstance(one, Counter):
            raise EditRefused(f"“{one.name}” has no goal that could hang on anything.")
        if self.number is not None:
            others = tuple(other for other in one.others if other.number != self.number)
        else:
            numbers = {other.number for other in one.others}
            number = next(k for k in range(1, 100) if k not in numbers)
            bone = need_bone(figure, self.bone).id if self.bone else None
            part = need_part(figure, self.part).id if self.part else None
            others = (*one.others, Hang(number=number, bone=bone, part=part))
        return with_reach(figure, type(one)(**{**dict(one), "others": others}))

    def describe(self, figure: Figure) -> str:
        return f"what {need_aim(figure, self.reach).name} may hang on"


class OrderReach(Edit):
    """Work a reach, a look or a counter out `before` another one, or last of all.

    What must come before it still does: the order is the nearest to the one asked for.
    """

    kind: Literal["order_reach"] = "order_reach"
    reach: str
    before: str | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one = need_aim(figure, self.reach)
        others = [other for other in figure.reaches if other.id != one.id]
        place = others.index(need_aim(figure, self.before)) if self.before is not None else len(others)
        asked = figure.replace(reaches=(*others[:place], one, *others[place:]))
        return asked.replace(reaches=in_order(asked))

    def describe(self, figure: Figure) -> str:
        return f"when {need_aim(figure, self.reach).name} is worked out"


def hung(figure: Figure, bone: str | None, part: str | None) -> Iterator[tuple[str, Any]]:
    """What a goal hangs on as it is to be changed: an empty name means the world."""
    if part:
        yield "hangs_on", None
        yield "hangs_at", need_part(figure, part).id
    elif bone is not None or part is not None:
        yield "hangs_on", need_bone(figure, bone).id if bone else None
        yield "hangs_at", None
