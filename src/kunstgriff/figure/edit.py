"""The edit mechanism: every change to a figure is a small value with one pure function.

>>> from kunstgriff.figure.model import Figure, Sheet
>>> from kunstgriff.figure.stores import MemoryStores
>>> from kunstgriff.stages import install
>>> install()
>>> figure = Figure(name="Hare", sheet=Sheet(width=10, height=10, standing_point=(5, 10)))
>>> apply_edit({"kind": "rename_figure", "name": "Pell"}, figure, MemoryStores()).name
'Pell'
"""

from __future__ import annotations

from abc import abstractmethod
from typing import Annotated, Any, ClassVar, Protocol, TypeVar

from pydantic import ConfigDict, Field, ValidationError

from kunstgriff.figure.budget import Budget, drawing_on
from kunstgriff.figure.model import Bone, Figure, Group, Part, Value
from kunstgriff.figure.refusal import EditRefused as EditRefused
from kunstgriff.figure.refusal import tell as tell
from kunstgriff.figure.stage import Stages, of_stages
from kunstgriff.figure.stores import Missing, Stores

BoneKeys = Annotated[tuple[str, ...], Field(min_length=1, max_length=2_000)]  # bones by id or name
PartKeys = Annotated[tuple[str, ...], Field(min_length=1, max_length=1_000)]  # parts by id or name


# kinds of edits as they were called once; lists of them are still read
RENAMED = {"lay_patch": "lay_gusset", "set_mush": "set_delta_mush"}


class Edit(Value):
    """Base of all edits. A subclass declares `kind: Literal["…"]` with that default and implements `apply`."""

    model_config = ConfigDict(defer_build=True)  # most of them are never asked for by one start of the shell

    heeds_locks: ClassVar[bool] = True  # False for edits of the figure as a whole and for the lock itself

    @abstractmethod
    def apply(self, figure: Figure, stores: Stores) -> Figure:
        """The figure after this edit. Pure: reads and adds to the stores, changes nothing. Raises EditRefused."""

    @abstractmethod
    def describe(self, figure: Figure) -> str:
        """What the edit did, in a few words for the undo button, told of the figure before it."""


class HasId(Protocol):
    """What has an id."""

    @property
    def id(self) -> str: ...


Identified = TypeVar("Identified", bound=HasId)


class Edits:
    """Kinds of edits that a stage brings."""

    def __init__(self, *kinds: type[Edit]) -> None:
        self.kinds = kinds


@of_stages
def edit_kinds(stages: Stages) -> dict[str, type[Edit]]:
    """Every kind of edit by its name. Raises TypeError where two have the same."""
    found: dict[str, type[Edit]] = {}
    for edits in stages.all(Edits):
        for each_kind in edits.kinds:
            kind = str(each_kind.model_fields["kind"].default)
            if found.setdefault(kind, each_kind) is not each_kind:
                raise TypeError(f"Two edits are called {kind}.")
    return found


def parse_edit(data: Any) -> Edit:
    """An edit from plain data. Raises EditRefused with a sentence on anything that is not one."""
    kind = data.get("kind") if isinstance(data, dict) else None
    if isinstance(kind, str) and kind in RENAMED:
        kind = RENAMED[kind]
        data = {**data, "kind": kind}
    edit_class = edit_kinds().get(kind) if isinstance(kind, str) else None
    if edit_class is None:
        raise EditRefused(f"There is no edit called “{str(kind)[:60]}”.")
    try:
        return edit_class.model_validate(data)
    except ValidationError as error:
        raise EditRefused(f"The edit “{kind}” is incomplete or wrong: {tell(error)}") from error


def apply_edit(data: Any, figure: Figure, stores: Stores) -> Figure:
    """Parse and apply in one go. Raises EditRefused; the figure given is never touched."""
    edit = data if isinstance(data, Edit) else parse_edit(data)
    try:
        with drawing_on(Budget(EditRefused)):
            after = edit.apply(figure, stores)
        if edit.heeds_locks:
            _require_locked_unchanged(figure, after)
        return unseen_elsewhere(figure, after)
    except ValidationError as error:
        raise EditRefused(tell(error)) from error
    except Missing as error:
        raise EditRefused("The figure refers to a picture or mesh that is not there.") from error


def unseen_elsewhere(before: Figure, after: Figure) -> Figure:
    """The figure after an edit, whose new parts are seen only on the facing they were made on: others that have
    drawings of their own do not show them until they get one."""
    turnaround = after.turnaround
    if turnaround is None or before.turnaround is None or turnaround.shown != before.turnaround.shown:
        return after
    known = {part.id for part in before.parts} | {part.id for one in turnaround.facings for part in one.parts}
    new = [part for part in after.parts if part.id not in known]
    unseen = tuple(part.model_copy(update={"visible": False}) for part in new)
    facings = tuple(
        one.model_copy(update={"parts": (*one.parts, *unseen)}) if one.parts and one.number != turnaround.shown else one
        for one in turnaround.facings
    )
    return after.model_copy(update={"turnaround": turnaround.model_copy(update={"facings": facings})})


def _require_locked_unchanged(before: Figure, after: Figure) -> None:
    """A locked part keeps its drawing and place; how it is bound may change."""
    for part in before.parts:
        now = after.part(part.id) if part.locked else part
        how = {name: getattr(part, name) for name in ("binding", "deformers", "shelved", "shifted")}
        if now is None or (part.locked and now.model_copy(update=how) != part):
            raise EditRefused(f"“{part.name}” is locked; unlock it first.")


def need_part(figure: Figure, key: str) -> Part:
    """The part with this id or name, else EditRefused."""
    for part in figure.parts:
        if part.id == key:
            return part
    for part in figure.parts:
        if part.name == key:
            return part
    raise EditRefused(f"There is no part “{key}”.")


def need_bone(figure: Figure, key: str) -> Bone:
    """The bone with this id or name, else EditRefused."""
    for bone in figure.bones:
        if bone.id == key:
            return bone
    for bone in figure.bones:
        if bone.name == key:
            return bone
    raise EditRefused(f"There is no bone “{key}”.")


def need_group(figure: Figure, key: str) -> Group:
    """The group with this id or name, else EditRefused."""
    for group in figure.groups:
        if key in (group.id, group.name):
            return group
    raise EditRefused(f"There is no group “{key}”.")


def group_path(figure: Figure, group: str | None) -> tuple[str, ...]:
    """Ids of the groups around, outermost first, that one included."""
    path: tuple[str, ...] = ()
    while group is not None:
        one = next(one for one in figure.groups if one.id == group)
        path, group = (one.id, *path), one.parent
    return path


def these(figure: Figure, keys: tuple[str, ...]) -> str:
    """The one part named, or how many there are, for telling what an edit did."""
    return need_part(figure, keys[0]).name if len(keys) == 1 else f"{len(keys)} parts"


def placed(some: tuple[Identified, ...], one: Identified) -> tuple[Identified, ...]:
    """Some things with one of them in the place of the one that has its id, or behind them all."""
    if any(other.id == one.id for other in some):
        return tuple(one if other.id == one.id else other for other in some)
    return (*some, one)


def free_name(wanted: str, taken: set[str]) -> str:
    """`wanted`, or with the lowest number that is free.

    >>> free_name("leg", {"leg", "leg 2"})
    'leg 3'
    """
    if wanted not in taken:
        return wanted
    number = 2
    while f"{wanted} {number}" in taken:
        number += 1
    return f"{wanted} {number}"
