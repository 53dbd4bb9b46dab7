"""What the fields of a document say, told by their types, and one walk over all of them.

Every reference and every number of a document says by its annotation what it is: a bone, a picture, a place on the
figure, a length in px, a turn from rest. What has to go through a whole document (archives, what may leave the studio,
deleting, copying, another scale, another rest pose) goes by that, and lists no fields.
"""

from __future__ import annotations

import types
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import cache
from typing import Annotated, Any, Final, Literal, TypeVar, Union, get_args, get_origin, get_type_hints

import annotated_types
from pydantic import BaseModel
from pydantic.fields import FieldInfo

from kunstgriff.figure.channels import kind_of, parted

Kind = Literal[
    # references to other things of the document
    "bone", "part", "group", "carrier", "member", "posed", "channel",
    # names of the thing itself
    "id",
    # references to content by its digest
    "picture", "loose picture", "array",
    # px of the figure: places and moves (x, y), lengths, what is measured on a picture of its own, whole px
    "place", "move", "length", "own place", "own length", "pixels",
    # degrees a bone is turned from rest, how many times it is stretched, and whatever a channel beside it says it is,
    # or by how much it says that it is more than that
    "turn", "stretch", "stretch across", "channel value", "channel offset",
    # shares, counts, colours: the same whatever becomes of the figure
    "plain",
]  # fmt: skip

CHANNEL = "channel"
M = TypeVar("M", bound=BaseModel)


@dataclass(frozen=True)
class Means:
    """What a value is.

    A `subject` is the bone that turns and stretches beside it in the same model are of; a turn of 360 degrees bounds
    nothing where it may be `endless`. An array `in_px` holds px; a reference that is `needed` takes what it stands in
    along when it goes, up to the next thing in a list, even where it might be left out or is one of several. A digest
    that is not `kept` only says what a picture was, which may be gone. A number may be `least` at the least. A channel
    that is named `loose`ly need not be there.
    """

    kind: Kind
    subject: bool = False
    endless: bool = False
    in_px: bool = False
    needed: bool = False
    kept: bool = True
    least: float | None = None
    loose: bool = False


@dataclass(frozen=True)
class Found:
    """A value met on the way: what it is, the value, the bone it is of where it is a turn or a stretch, and the names
    and numbers that lead to it."""

    means: Means
    value: Any
    subject: str | None
    path: tuple[str | int, ...]


class _Gone:
    """Stands for what is not there any more."""


GONE: Final = _Gone()
LOST: Final = _Gone()  # the same of what was needed
ENDLESS = 360.0  # degrees: a turn that far bounds nothing
Change = Callable[[Found], Any]


@dataclass(frozen=True)
class _Leaf:
    means: Means


@dataclass(frozen=True)
class _Each:
    """A tuple of any length; one that may not be `empty` goes when nothing of it is left."""

    node: _Node
    empty: bool


@dataclass(frozen=True)
class _Keyed:
    key: _Node | None
    node: _Node | None


@dataclass(frozen=True)
class _Models:
    """One of several models, told by its type."""


@dataclass(frozen=True)
class _Maybe:
    """What may be None."""

    node: _Node


_Node = _Leaf | _Each | _Keyed | _Models | _Maybe


@dataclass
class _Plan:
    """What the fields of a model are, without those that say nothing, and which one names its subject."""

    nodes: dict[str, _Node] = field(default_factory=dict)
    subject: str | None = None


@cache
def _plan_of(model: type[BaseModel]) -> _Plan:
    plan = _Plan()
    hints = get_type_hints(model, include_extras=True)
    for name in model.model_fields:
        node = _node_of(hints[name])
        if node is not None:
            plan.nodes[name] = node
            inner = node.node if isinstance(node, _Maybe) else node
            if isinstance(inner, _Leaf) and inner.means.subject:
                plan.subject = name
    return plan


def _node_of(hint: Any) -> _Node | None:
    """What values of a type are; None where they say nothing about the document."""
    if get_origin(hint) is Annotated:
        base, *notes = get_args(hint)
        found = next((note for note in notes if isinstance(note, Means)), None)
        if found is not None:
            return _Leaf(found)
        node = _node_of(base)
        return _Each(node.node, not _needs_one(notes)) if isinstance(node, _Each) else node
    if get_origin(hint) in (Union, types.UnionType):
        kinds = [kind for kind in get_args(hint) if kind is not type(None)]
        node = _Models() if all(_is_model(kind) for kind in kinds) else _node_of(kinds[0])
        return _Maybe(node) if node is not None and len(kinds) < len(get_args(hint)) else node
    if get_origin(hint) is tuple:
        node = _node_of(get_args(hint)[0])
        return None if node is None else _Each(node, True)
    if get_origin(hint) is dict:
        key, value = (_node_of(one) for one in get_args(hint))
        return _Keyed(key, value) if key or value else None
    return _Models() if _is_model(hint) else None


def _is_model(hint: Any) -> bool:
    if get_origin(hint) is Annotated:
        hint = get_args(hint)[0]
    return isinstance(hint, type) and issubclass(hint, BaseModel)


def _needs_one(notes: list[Any]) -> bool:
    inner = [one for note in notes for one in (note.metadata if isinstance(note, FieldInfo) else [note])]
    return any(isinstance(one, annotated_types.MinLen) and one.min_length > 0 for one in inner)


def walk(model: BaseModel) -> Iterator[Found]:
    """Everything a document, or a piece of one, refers to and every number in it, in the order of its fields."""
    yield from _walked(_Models(), model, None, ())


def _walked(node: _Node, value: Any, subject: str | None, path: tuple[str | int, ...]) -> Iterator[Found]:
    if value is None:
        return
    match node:
        case _Leaf(means):
            yield _found(means, value, subject, path)
        case _Maybe(inner):
            yield from _walked(inner, value, subject, path)
        case _Each(inner):
            for number, item in enumerate(value):
                yield from _walked(inner, item, subject, (*path, number))
        case _Keyed(key, inner):
            for name, item in value.items():
                if key is not None:
                    yield from _walked(key, name, subject, (*path, name))
                if inner is not None:
                    yield from _walked(inner, item, name, (*path, name))
        case _Models():
            model: type[BaseModel] = type(value)
            plan = _plan_of(model)
            of = getattr(value, plan.subject) if plan.subject is not None else subject
            for name, inner in plan.nodes.items():
                yield from _walked(inner, getattr(value, name), of, (*path, name))


def _found(means: Means, value: Any, subject: str | None, path: tuple[str | int, ...]) -> Found:
    """A value met on the way. One of a channel, or more than that by so much, is what the channel's quantity is, and of
    what the channel is of; more by some degrees is so from any rest."""
    if means.kind not in ("channel value", "channel offset") or subject is None:
        return Found(means, value, subject, path)
    kind = kind_of(subject)
    if means.kind == "channel offset" and kind == "turn":
        kind = "plain"
    return Found(Means(kind), value, parted(subject)[0], path)


def changed(model: M, change: Change) -> M | _Gone:
    """The model with everything in it as `change` makes it.

    What becomes `GONE` leaves the list or mapping it is in, is None where it may be, and else takes the model it is in
    along. Nothing is validated.
    """
    result: M | _Gone = _rebuilt(_Models(), model, None, (), change)
    return result


def mapped(model: M, change: Change) -> M:
    """The model with everything in it as `change` makes it, which lets nothing go. Nothing is validated."""
    after = changed(model, change)
    assert not isinstance(after, _Gone)
    return after


def _rebuilt(node: _Node, value: Any, subject: str | None, path: tuple[str | int, ...], change: Change) -> Any:
    if value is None:
        return None
    match node:
        case _Leaf(means):
            left = change(_found(means, value, subject, path))
            return LOST if left is GONE and means.needed else left
        case _Maybe(inner):
            after = _rebuilt(inner, value, subject, path, change)
            return None if after is GONE else after
        case _Each(inner, empty):
            made = [_rebuilt(inner, one, subject, (*path, number), change) for number, one in enumerate(value)]
            if isinstance(inner, _Leaf) and LOST in made:
                return LOST
            left = tuple(one for one in made if one is not GONE and one is not LOST)
            return GONE if made and not left and not empty else left
        case _Keyed(key, inner):
            pairs = {}
            for name, item in value.items():
                here = name if key is None else _rebuilt(key, name, subject, (*path, name), change)
                there = item
                if inner is not None:
                    there = _rebuilt(inner, item, name, (*path, name), change)
                if not (isinstance(here, _Gone) or isinstance(there, _Gone)):
                    pairs[here] = there
            return pairs
        case _Models():
            model: type[BaseModel] = type(value)
            plan = _plan_of(model)
            of = getattr(value, plan.subject) if plan.subject is not None else subject
            updates = {}
            for name, inner in plan.nodes.items():
                was = getattr(value, name)
                now = _rebuilt(inner, was, of, (*path, name), change)
                if isinstance(now, _Gone):
                    return now
                if now is not was and now != was:
                    updates[name] = now
            return value.model_copy(update=updates) if updates else value


NAMES: Final = frozenset({"bone", "part", "group", "carrier", "member"})


def mentions(model: BaseModel) -> list[tuple[Kind, str]]:
    """Every bone, part and group that a document or a piece of one refers to, each with its kind; without paths, for
    what is asked at every edit."""
    found: list[tuple[Kind, str]] = []
    _mentioned(model, found)
    return found


def _mentioned(model: BaseModel, found: list[tuple[Kind, str]]) -> None:
    for name, gather in _gatherers(type(model)):
        value = getattr(model, name)
        if value is not None:
            gather(value, found)


@cache
def _gatherers(model: type[BaseModel]) -> list[tuple[str, Gather]]:
    """How to gather what the fields of a model mention; without those that can mention nothing."""
    made = ((name, _gatherer(node)) for name, node in _plan_of(model).nodes.items())
    return [(name, gather) for name, gather in made if gather is not None]


Gather = Callable[[Any, list[tuple[Kind, str]]], None]


def _gatherer(node: _Node) -> Gather | None:
    match node:
        case _Leaf(means):
            kind = means.kind
            if means.loose:
                return None
            if kind == CHANNEL:
                return lambda value, found: found.append(("posed", parted(value)[0]))
            return (lambda value, found: found.append((kind, value))) if kind in NAMES else None
        case _Maybe(inner):
            return _gatherer(inner)
        case _Models():
            return _mentioned
        case _Each(inner):
            each = _gatherer(inner)
            if each is None:
                return None

            def all_of(value: Any, found: list[tuple[Kind, str]]) -> None:
                for item in value:
                    each(item, found)

            return all_of
        case _Keyed(key, inner):
            of_key, of_value = (None if one is None else _gatherer(one) for one in (key, inner))

            def keyed(value: Any, found: list[tuple[Kind, str]]) -> None:
                for name, item in value.items():
                    if of_key is not None:
                        of_key(name, found)
                    if of_value is not None:
                        of_value(item, found)

            return keyed if of_key or of_value else None


def refs(model: BaseModel, kind: Kind) -> frozenset[str]:
    """All bones, or parts, or groups that a document or a piece of one refers to."""
    return frozenset(value for one, value in mentions(model) if one == kind)


def content(model: BaseModel) -> tuple[frozenset[str], frozenset[str]]:
    """The digests of all pictures and of all arrays that a document needs."""
    pictures, arrays = set(), set()
    for item in walk(model):
        if item.means.kind in ("picture", "loose picture") and item.means.kept:
            pictures.add(item.value)
        elif item.means.kind == "array":
            arrays.add(item.value)
    return frozenset(pictures), frozenset(arrays)


def named_by(found: Found) -> str | None:
    """The id of the bone, part or group that a value names or refers to; None where it does neither."""
    if found.means.kind == CHANNEL:
        return parted(found.value)[0]
    return found.value if found.means.kind in NAMES or found.means.kind == "id" else None


def without(model: M, gone: frozenset[str] | set[str], posed: frozenset[str] | set[str] = frozenset()) -> M | _Gone:
    """The model without anything that refers to the bones, parts or groups of these ids, and without themselves.
    Channels stay of what is still `posed`."""

    def left(found: Found) -> Any:
        name = named_by(found)
        stays = found.means.loose or (found.means.kind == CHANNEL and name in posed)
        return GONE if name in gone and not stays else found.value

    return changed(model, left)


def forgetting(model: M, gone: frozenset[str] | set[str]) -> M:
    """The model with what it merely mentions of these left out. Raises LookupError where it is nothing without one."""
    if gone.isdisjoint(value for _, value in mentions(model)):
        return model
    after = without(model, gone)
    if isinstance(after, _Gone):
        raise LookupError("What is left refers to what is not there.")
    return after


def renamed(model: M, ids: dict[str, str]) -> M:
    """The model with ids, and what refers to them, replaced by others; those that are not keys stay."""

    def other(found: Found) -> Any:
        name = named_by(found)
        if name not in ids:
            return found.value
        return found.value.replace(name, ids[name], 1) if found.means.kind == CHANNEL else ids[name]

    return mapped(model, other)


def carried(model: M, move: Callable[[tuple[float, float]], tuple[float, float]]) -> M:
    """The model with each of its places on the figure where `move` puts it."""
    return mapped(model, lambda found: move(found.value) if found.means.kind == "place" else found.value)


def from_new_rest(model: M, turned: Mapping[str, float], stretched: Mapping[str, tuple[float, float]]) -> M:
    """The model with turns and stretches of bones counted from a rest pose in which they are `turned` (degrees) and
    `stretched` (times along, across) against the one before.
    """

    def counted(found: Found) -> Any:
        value, subject = found.value, found.subject or ""
        if found.means.kind == "turn" and not (found.means.endless and abs(value) == ENDLESS):
            now = value - turned.get(subject, 0.0)
            return min(max(now, -ENDLESS), ENDLESS) if abs(value) <= ENDLESS else now
        if found.means.kind in ("stretch", "stretch across"):
            now = value / stretched.get(subject, (1.0, 1.0))[found.means.kind == "stretch across"]
            return now if found.means.least is None else max(now, found.means.least)
        return value

    return mapped(model, counted)
