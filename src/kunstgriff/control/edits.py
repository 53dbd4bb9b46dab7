"""Reaches laid, changed, put in order and taken off."""

from __future__ import annotations

import math
from collections.abc import Iterator
from itertools import pairwise
from typing import Annotated, Any, Literal

from pydantic import Field

from kunstgriff.control.reaching import chain_of
from kunstgriff.figure.channels import addressed, parted
from kunstgriff.figure.controls import FEWEST_LINKS, MOST_LINKS, Foot, Reach, Side
from kunstgriff.figure.edit import Edit, EditRefused, free_name, need_bone
from kunstgriff.figure.model import Bone, Figure, Name
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.stores import Stores
from kunstgriff.skeleton.bones import with_descendants

STRAIGHT = 2.0  # degrees of bend at rest below which a chain says nothing of its side

ONE_WAY = 3.0  # times as far that a chain's limits must let it bend to one side as to the other to say which is its own

Links = Annotated[int, Field(ge=FEWEST_LINKS, le=MOST_LINKS)]
Share = Annotated[float, Field(allow_inf_nan=False, ge=0, le=4)]
Kept = Annotated[float, Field(ge=0, le=1)]


def need_reach(figure: Figure, key: str) -> Reach:
    """The reach with this id or name, else EditRefused."""
    found = next((one for one in figure.reaches if key in (one.id, one.name)), None)
    if found is None:
        raise EditRefused(f"There is no reach “{key}”.")
    return found


def side_of(chain: list[Bone]) -> Side:
    """To which side a chain bends: the one its limits leave it far more room to, else as it is drawn; where that is
    straight, the one with more room."""
    bends = [_direction(bone) - _direction(before) for before, bone in pairwise(chain)]
    drawn = math.degrees(sum(math.remainder(one, 2 * math.pi) for one in bends))
    limits = [bone.limits for bone in chain[1:] if bone.limits is not None]
    low, high = (drawn + sum(ends) for ends in ([one.low for one in limits], [one.high for one in limits]))
    one_way = len(limits) == len(chain) - 1 and max(-low, high) > ONE_WAY * max(min(-low, high), 1.0)
    bend = low + high if one_way or abs(drawn) < STRAIGHT else drawn
    return "counterclockwise" if bend < 0 else "clockwise"


def _direction(bone: Bone) -> float:
    return math.atan2(bone.tip[1] - bone.joint[1], bone.tip[0] - bone.joint[0])


def refuse_shared(figure: Figure, one: Reach) -> None:
    """Raise EditRefused where a reach cannot be worked out: on no chain, on bones that another one turns, with a goal
    on what it moves itself, or in a circle with others."""
    chain = chain_of(figure, one.tip, one.bones)
    ids = {bone.id for bone in chain}
    for other in figure.reaches:
        if other.id != one.id and (shared := ids & {bone.id for bone in chain_of(figure, other.tip, other.bones)}):
            name = next(bone.name for bone in chain if bone.id in shared)
            raise EditRefused(f"“{name}” reaches already, with “{other.name}”.")
    if one.hangs_on is not None and one.hangs_on in _moved(figure, one):
        name = need_bone(figure, one.hangs_on).name
        raise EditRefused(f"“{name}” moves with this reach itself; hang its goal elsewhere.")
    if one.foot is not None and need_bone(figure, one.foot).parent != one.tip:
        raise EditRefused(f"“{need_bone(figure, one.foot).name}” does not hang on “{chain[-1].name}”.")


def in_order(figure: Figure) -> tuple[Reach, ...]:
    """The reaches with each after those that move what its chain or its goal hangs on; else as they are. Raises
    EditRefused, naming them, where some wait for each other."""
    waiting, order = list(figure.reaches), list[Reach]()
    moves = {one.id: _moved(figure, one) for one in waiting}
    while waiting:
        ready = next((one for one in waiting if not any(_waits(figure, one, moves[each.id]) for each in waiting)), None)
        if ready is None:
            names = " and ".join(f"“{one.name}”" for one in waiting[:3])
            raise EditRefused(f"{names} wait for each other: the goal of each hangs on what the other moves.")
        waiting.remove(ready)
        order.append(ready)
    return tuple(order)


def _moved(figure: Figure, one: Reach) -> set[str]:
    first = chain_of(figure, one.tip, one.bones)[0]
    return {bone.id for bone in with_descendants(figure, first.id)}


def _waits(figure: Figure, one: Reach, moved: set[str]) -> bool:
    first = chain_of(figure, one.tip, one.bones)[0]
    return one.hangs_on in moved or first.parent in moved  # it never waits for itself: neither is moved by it


def with_reach(figure: Figure, one: Reach) -> Figure:
    """The figure with a reach, in the place of the one with its id where there is one, all put in order."""
    known = [other.id for other in figure.reaches]
    reaches = tuple(one if other.id == one.id else other for other in figure.reaches)
    if one.id not in known:
        reaches = (*reaches, one)
    after = figure.replace(reaches=reaches, next_id=figure.next_id + (one.id not in known))
    refuse_shared(after, one)
    return after.replace(reaches=in_order(after))


def _poses_kept(figure: Figure, one: Reach, turned: set[str]) -> Figure:
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

    An empty `hangs_on` hangs its goal on the world, an empty `foot` leaves the foot free.
    """

    kind: Literal["set_reach"] = "set_reach"
    reach: str
    name: Name | None = None
    bones: Links | None = None
    side: Side | None = None
    hangs_on: str | None = None
    stretch: Share | None = None
    keeps: Kept | None = None
    soft: Annotated[float, Field(allow_inf_nan=False, ge=0, le=0.5)] | None = None
    foot: str | None = None
    foot_goes: Foot | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return with_reach(figure, need_reach(figure, self.reach).model_copy(update=dict(self._changes(figure))))

    def _changes(self, figure: Figure) -> Iterator[tuple[str, Any]]:
        for name in ("name", "bones", "side", "stretch", "keeps", "soft", "foot_goes"):
            if (value := getattr(self, name)) is not None:
                yield name, value
        for name in ("hangs_on", "foot"):
            if (key := getattr(self, name)) is not None:
                yield name, need_bone(figure, key).id if key else None

    def describe(self, figure: Figure) -> str:
        return f"settings of {need_reach(figure, self.reach).name}"


class LiftReach(Edit):
    """Take a reach off; its bones stay as they are at rest."""

    kind: Literal["lift_reach"] = "lift_reach"
    reach: str

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return figure.without([need_reach(figure, self.reach).id])

    def describe(self, figure: Figure) -> str:
        return f"{need_reach(figure, self.reach).name} reaches no more"
