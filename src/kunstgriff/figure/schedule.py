"""The order in which things are worked out that say what they read and what they write."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Protocol, TypeVar


class Work(Protocol):
    """Something to do: the names of what it `reads` and of what it `writes`. What is named in both it changes."""

    @property
    def reads(self) -> frozenset[str]: ...
    @property
    def writes(self) -> frozenset[str]: ...


W = TypeVar("W", bound=Work)


def scheduled(works: Sequence[W]) -> tuple[tuple[W, ...], tuple[tuple[W, ...], ...]]:
    """The works in an order in which each name is written before it is changed, and changed before it is read; those
    that change the same come in the order given, and so do all that do not depend on one another. And the circles in
    which some wait for each other: the first of a circle is then taken without what it waits for.
    """
    waiting = dict(enumerate(_waits_for(works)))
    order: list[W] = []
    circles: list[tuple[W, ...]] = []
    done: set[int] = set()
    while waiting:
        number = next((k for k, needed in waiting.items() if needed <= done), None)
        if number is None:
            circle = _circle(waiting)
            circles.append(tuple(works[k] for k in circle))
            number = min(circle)
        del waiting[number]
        done.add(number)
        order.append(works[number])
    return tuple(order), tuple(circles)


def _waits_for(works: Sequence[Work]) -> Iterator[set[int]]:
    """For each work the numbers of those that come before it."""
    writers: dict[str, list[int]] = {}
    changers: dict[str, list[int]] = {}
    for number, work in enumerate(works):
        for name in work.writes:
            (changers if name in work.reads else writers).setdefault(name, []).append(number)
    for number, work in enumerate(works):
        before: set[int] = set()
        for name in work.reads:
            before.update(writers.get(name, ()))
            own = name in work.writes
            before.update(k for k in changers.get(name, ()) if not own or k < number)
        yield before - {number}


def _circle(waiting: dict[int, set[int]]) -> tuple[int, ...]:
    """Some that wait for each other in a circle: every one of those waiting waits for another of them."""
    path: list[int] = []
    number = next(iter(waiting))
    while number not in path:
        path.append(number)
        number = min(k for k in waiting[number] if k in waiting)
    return tuple(path[path.index(number) :])
