"""Turning a figure to another of its facings and back.

A figure lists what it is seen as from one side. Turned to another side it lists that one's drawings and places, and its
own are laid by: nothing is lost, and turned back it is what it was. What a side has none of its own of it is lent by
the side nearest to it, moved along with the bone that carries it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import Any, Final, TypeVar, get_args

from kunstgriff.figure.bones import Bone
from kunstgriff.figure.controls import Aim, Lever, Look, Reach
from kunstgriff.figure.facings import Facing, Listed, Turnaround
from kunstgriff.figure.flipping import aimed_otherwise, end_of, flipped_ids, standing_otherwise, with_flipped
from kunstgriff.figure.mirroring import with_sides_changed
from kunstgriff.figure.model import Figure, Value
from kunstgriff.figure.parts import Group, Part, Rider
from kunstgriff.figure.references import carried
from kunstgriff.figure.values import Point

# what differs from side to side; all else of these things is the same from all of them
DRAWN: Final[Mapping[type[Value], tuple[str, ...]]] = {
    Part: ("drawing", "visible", "shifted", "binding", "mesh", "deformers", "shelved"),
    Bone: ("joint", "tip", "limits", "flipped"),
    Group: ("pivot",),
    Reach: ("side",),
    Look: ("goal", "low", "high"),
    Lever: ("place",),
}
THINGS: Final = ("bones", "groups", "parts", "reaches", "levers")  # bones first: they carry the others along
LISTS: Final[tuple[Listed, ...]] = get_args(Listed)
Thing = Part | Bone | Group | Aim | Lever
T = TypeVar("T", bound=Value)
STAYS: Final[Point] = (0.0, 0.0)


def apart(one: float, other: float) -> float:
    """How many degrees lie between two facings."""
    return abs((one - other + 180.0) % 360.0 - 180.0)


def turned_to(figure: Figure, number: int) -> Figure:
    """The figure as it is seen from the facing of that number, or the one that mirrors; the first where there is none.

    A figure without a turnaround is seen from one side only.
    """
    turnaround = figure.turnaround
    if turnaround is None or (wanted := turnaround.drawn(number).number) == turnaround.shown:
        return figure
    after = _shown(figure, _laid_by(figure, turnaround), wanted)
    return with_flipped(after, flipped_ids(figure) ^ flipped_ids(after))


def seen_from(figure: Figure, number: int) -> Figure:
    """The figure turned to a facing, as far as it can be worked on there: on one that mirrors another, that other one,
    with its sides called as they are seen. What is then seen of it is to be mirrored."""
    turned = turned_to(figure, number)
    mirrored = figure.turnaround is not None and figure.turnaround.is_mirrored(number)
    return with_sides_changed(turned) if mirrored else turned


def in_every_facing(figure: Figure, change: Callable[[Figure], Figure]) -> Figure:
    """The figure changed as it is seen from each side that is drawn, and turned back."""
    turnaround = figure.turnaround
    if turnaround is None:
        return change(figure)
    for one in turnaround.facings:
        if one.mirrors is None:
            figure = change(turned_to(figure, one.number))
    return turned_to(figure, turnaround.shown)


def carrying(parts: Mapping[str, Part], part: Part) -> str | None:
    """The bone that a part follows, or that carries what it rides on; None where neither is so, or riders go round."""
    seen: set[str] = set()
    while part.id not in seen:
        seen.add(part.id)
        if part.followed:
            return part.followed[0]
        if not isinstance(part.binding, Rider):
            return None
        ridden = parts.get(part.binding.carrier)
        if ridden is None:
            return part.binding.carrier
        part = ridden
    return None


def owners(facings: Iterable[Facing], facing: Facing, has: Callable[[Facing], bool]) -> Iterator[Facing]:
    """The other sides that have something of their own, from the nearest on; of two as near the one that faces us
    more."""
    drawn = [one for one in facings if one.mirrors is None and one.number != facing.number and has(one)]
    yield from sorted(drawn, key=lambda one: (apart(one.angle, facing.angle), abs(one.angle), one.number))


def on_loan(figure: Figure) -> frozenset[str]:
    """The ids of all that a figure shows as another side lends it."""
    turnaround = figure.turnaround
    facing = turnaround.facing(turnaround.shown) if turnaround is not None else None
    if facing is None:
        return frozenset()
    return frozenset(facing.loans) - {one.id for one in _own_things(figure, facing, _Lender(figure, facing))}


class _Lender:
    """What other sides lend to one that is shown by a figure."""

    def __init__(self, figure: Figure, facing: Facing, facings: Sequence[Facing] | None = None) -> None:
        assert figure.turnaround is not None
        self.facings = figure.turnaround.facings if facings is None else facings
        self.facing = facing
        self.bones = {bone.id: bone for bone in figure.bones}
        self.groups = {group.id: group for group in figure.groups}
        self.parts = {part.id: part for part in figure.parts}
        self.own: dict[tuple[int, str], dict[str, Any]] = {}

    def own_of(self, facing: Facing, name: str) -> dict[str, Any]:
        """What a side has of its own, of one kind, by id."""
        key = facing.number, name
        if key not in self.own:
            self.own[key] = {one.id: one for one in getattr(facing, name)}
        return self.own[key]

    def of(self, name: str, ref: str) -> tuple[Any, Point]:
        """A thing of one kind as another side has it, None where none does, and how far it is to be moved."""
        for owner in owners(self.facings, self.facing, lambda one: ref in self.own_of(one, name)):
            thing = self.own_of(owner, name)[ref]
            if name == "reaches" and self.is_flipped(owner, end_of(thing)):
                thing = aimed_otherwise(thing)
            if name == "levers" and self.is_flipped(owner, thing.hangs_on):
                there = self.bone_of(owner, thing.hangs_on)
                thing = standing_otherwise(thing, {there.id: there})
            return thing, STAYS if name == "bones" else self.shift(thing, owner)
        return None, STAYS

    def listed(self, name: str) -> tuple[Any, dict[str, Point]]:
        """A list as another side has it, None where none does, and how far each thing in it is to be moved, by id."""
        for owner in owners(self.facings, self.facing, lambda one: getattr(one, name) is not None):
            some = getattr(owner, name)
            if name in ("order", "meetings"):
                return some, {}
            return some, {one.id: self.shift(self.part_of(one), owner) for one in some}
        return None, {}

    def part_of(self, one: Any) -> Any:
        """What a warp or treatment lies on, as far as that tells which bone carries it."""
        named = getattr(one, "of", None) or getattr(one, "parts", None) or [getattr(one, "part", None)]
        return self.parts.get(named[0]) or self.groups.get(named[0]) or one

    def shift(self, of: Any, owner: Facing) -> Point:
        """How far what a side has is to be moved to lie where the bone that carries it is on the side shown."""
        bone = self.carrier(of)
        now, before = self.bones.get(bone or ""), self.bone_of(owner, bone)
        if now is None or before is None:
            return STAYS
        return now.joint[0] - before.joint[0], now.joint[1] - before.joint[1]

    def bone_of(self, facing: Facing, ref: str | None) -> Any:
        """A bone as it lies on a side that may have it on loan itself."""
        if ref is None:
            return None
        found = self.own_of(facing, "bones").get(ref)
        if found is None:
            others = owners(self.facings, facing, lambda one: ref in self.own_of(one, "bones"))
            found = next((self.own_of(one, "bones")[ref] for one in others), None)
        return found

    def is_flipped(self, owner: Facing, ref: str | None) -> bool:
        """Whether a bone turns the other way round than on a side."""
        now, before = self.bones.get(ref or ""), self.bone_of(owner, ref)
        return now is not None and before is not None and now.flipped != before.flipped

    def carrier(self, one: Any) -> str | None:
        """The bone that carries a thing."""
        if isinstance(one, Part):
            bone = carrying(self.parts, one)
            return bone if bone is not None else self.carrier(self.groups.get(one.group or ""))
        if isinstance(one, Group):
            return one.bone or self.carrier(self.groups.get(one.parent or ""))
        found = getattr(one, "bone", None) or getattr(one, "hangs_on", None)
        return found if isinstance(found, str) else None


def _moved(thing: T, shift: Point) -> T:
    return thing if shift == STAYS else carried(thing, lambda at: (at[0] + shift[0], at[1] + shift[1]))


def _own_things(figure: Figure, facing: Facing, lender: _Lender) -> Iterator[Thing]:
    """What a figure lists that is the shown side's own: not on loan, or not as it was lent any more."""
    for name in THINGS:
        for one in getattr(figure, name):
            fields = DRAWN.get(type(one), ())
            if not fields:
                continue
            lent = lender.of(name, one.id)[0] if one.id in facing.loans else None
            lent = lent and _moved(lent, facing.loans[one.id])
            if lent is None or any(getattr(one, field) != getattr(lent, field) for field in fields):
                yield one


def _laid_by(figure: Figure, turnaround: Turnaround) -> tuple[Facing, ...]:
    """All facings with what is their own laid by with them, that of the shown one too."""
    facing = turnaround.facing(turnaround.shown)
    assert facing is not None
    lender = _Lender(figure, facing)
    own = {one.id for one in _own_things(figure, facing, lender)}
    update: dict[str, Any] = {name: tuple(one for one in getattr(figure, name) if one.id in own) for name in THINGS}
    for name in LISTS:
        some = tuple(part.id for part in figure.parts) if name == "order" else getattr(figure, name)
        lent = lender.listed(name)[0] if name in facing.listed_loans else None
        update[name] = None if lent is not None and some == _as_lent(name, figure, facing, lent) else some
    laid = facing.model_copy(update={**update, "loans": {}, "listed_loans": ()})
    return tuple(laid if one.number == facing.number else one for one in turnaround.facings)


def _as_lent(name: str, figure: Figure, facing: Facing, lent: Any) -> Any:
    """A list that is lent as a figure lists it."""
    if name == "order":
        return tuple(part.id for part in in_order(figure.parts, lent))
    return tuple(_moved(one, facing.loans.get(getattr(one, "id", ""), STAYS)) for one in lent)


def _shown(figure: Figure, facings: tuple[Facing, ...], number: int) -> Figure:
    """The figure with what is one side's own, or lent to it, listed."""
    assert figure.turnaround is not None
    facing = next(one for one in facings if one.number == number)
    loans, listed_loans = dict[str, Point](), list[str]()
    for name in THINGS:
        lender, things = _Lender(figure, facing, facings), list[Thing]()  # bones and groups are that side's by now
        own = {one.id: one for one in getattr(facing, name)}
        for one in getattr(figure, name):
            fields = DRAWN.get(type(one), ())
            drawn = own.get(one.id) if fields else None
            if fields and drawn is None:
                drawn, shift = lender.of(name, one.id)
                loans[one.id] = shift
                drawn = drawn and _moved(drawn, shift)
            things.append(one if drawn is None else one.model_copy(update={f: getattr(drawn, f) for f in fields}))
        figure = figure.model_copy(update={name: tuple(things)})
    lender = _Lender(figure, facing, facings)
    for name in LISTS:
        some = getattr(facing, name)
        if some is None:
            listed_loans.append(name)
            some, shifts = lender.listed(name)
            loans |= shifts
            some = (
                some
                if name == "order"
                else tuple(_moved(one, shifts.get(getattr(one, "id", ""), STAYS)) for one in some or ())
            )
        if name == "order":
            figure = figure.model_copy(update={"parts": in_order(figure.parts, some or ())})
        else:
            figure = figure.model_copy(update={name: some or ()})
    nothing: dict[str, Any] = {**dict.fromkeys(THINGS, ()), **dict.fromkeys(LISTS)}
    bare = facing.model_copy(update={**nothing, "loans": loans, "listed_loans": tuple(listed_loans)})
    facings = tuple(bare if one.number == number else one for one in facings)
    turnaround = figure.turnaround
    assert turnaround is not None
    return figure.model_copy(update={"turnaround": turnaround.model_copy(update={"shown": number, "facings": facings})})


def in_order(parts: tuple[Part, ...], order: Sequence[str]) -> tuple[Part, ...]:
    """Parts in an order; those it does not name go right in front of the part they were in front of."""
    rank = {ref: float(place) for place, ref in enumerate(order)}
    before = -1.0
    for one, part in enumerate(parts):
        if part.id not in rank:
            rank[part.id] = before + 1e-6 * (one + 1)
        before = rank[part.id]
    return tuple(sorted(parts, key=lambda part: rank[part.id]))
