"""The stages of the work and all that they bring, in one object that is built explicitly.

A stage is a name and what it brings: kinds of edits, quantities, checks, nodes of an evaluation. Each of these says by
its type what it is, and whoever uses a type asks for all of it. So a new kind of thing to bring changes nothing here,
and a new stage changes no other.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar

T = TypeVar("T")


@dataclass(frozen=True)
class Stage:
    """One stage of the work, by name, and what it `brings`."""

    name: str
    brings: tuple[object, ...]


class Stages:
    """All stages, in the order of the work.

    >>> both = Stages(Stage("one", (1, "a")), Stage("two", (2,)))
    >>> both.all(int)
    (1, 2)
    """

    def __init__(self, *stages: Stage) -> None:
        self.stages = stages
        self.known: dict[Any, Any] = {}

    def all(self, kind: type[T]) -> tuple[T, ...]:
        """Everything of one type that the stages bring, in their order."""
        if kind not in self.known:
            self.known[kind] = tuple(one for stage in self.stages for one in stage.brings if isinstance(one, kind))
        found: tuple[T, ...] = self.known[kind]
        return found


_NONE = Stages()
_installed = _NONE


def install(stages: Stages) -> None:
    """Let these be the stages there are."""
    global _installed
    _installed = stages


def stages() -> Stages:
    """The stages there are. Raises RuntimeError where none were installed."""
    if _installed is _NONE:
        raise RuntimeError("No stages are installed: call kunstgriff.stages.install first.")
    return _installed


def of_stages(function: Callable[[Stages], T]) -> Callable[[], T]:
    """A function without arguments that tells what `function` makes of the stages there are, worked out once."""

    def told() -> T:
        there = stages()
        if function not in there.known:
            there.known[function] = function(there)
        made: T = there.known[function]
        return made

    told.__doc__ = function.__doc__
    return told
