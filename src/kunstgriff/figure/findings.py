"""Findings: things the program saw that a person should look at. Each stage registers its own checks."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator

from kunstgriff.figure.model import Figure, Value
from kunstgriff.figure.stores import Stores

Check = Callable[[Figure, Stores], Iterable["Finding"]]


class Finding(Value):
    """One sentence with a number in it, the stage it belongs to, what to jump to and how bad it is (0 to 1)."""

    stage: str
    sentence: str
    weight: float
    parts: tuple[str, ...] = ()
    bones: tuple[str, ...] = ()
    remedy: str | None = None


_checks: list[Check] = []


def check(function: Check) -> Check:
    """Register a check; it is run by `findings`."""
    _checks.append(function)
    return function


def findings(figure: Figure, stores: Stores) -> list[Finding]:
    """Everything that still needs a look, worst first."""

    def found() -> Iterator[Finding]:
        for one in _checks:
            yield from one(figure, stores)

    return sorted(found(), key=lambda finding: -finding.weight)
