"""Findings: things the program saw that a person should look at. Each stage brings its own checks."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from typing import Any

from kunstgriff.figure.model import Figure, Part, Value
from kunstgriff.figure.stage import stages
from kunstgriff.figure.stores import Stores


class Remedy(Value):
    """A way to mend what was found: the word on its button and the edit it makes."""

    word: str
    edit: dict[str, Any]


class Finding(Value):
    """One sentence with a number in it, the stage it belongs to, what to jump to and how bad it is (0 to 1).

    Where it shows with the first of its `bones` turned, `angle` (degrees) is where it is worst.

    `key` names the same finding at every look; a finding without one cannot be said to be meant so.
    """

    key: str = ""
    stage: str
    sentence: str
    weight: float
    parts: tuple[str, ...] = ()
    bones: tuple[str, ...] = ()
    angle: float | None = None
    remedies: tuple[Remedy, ...] = ()


def meant(key: str) -> Remedy:
    """A click that says of the finding with a key that it is meant so."""
    return Remedy(word="It is meant so", edit={"kind": "accept_finding", "key": key})


def about(
    part: Part,
    what: str,
    sentence: str,
    weight: float,
    *remedies: Remedy,
    others: tuple[Part, ...] = (),
    stage: str = "artwork",
) -> Finding:
    """A finding about a part (and others) as their drawing is now; a person may always judge that it is meant so."""
    key = f"{what}:" + ":".join(f"{one.id}.{one.drawing.picture[:8]}" for one in (part, *others))
    return Finding(
        key=key,
        stage=stage,
        sentence=sentence,
        weight=weight,
        parts=(part.id, *(one.id for one in others)),
        remedies=(*remedies, meant(key)),
    )


@dataclass(frozen=True)
class Check:
    """What a stage looks for in a figure."""

    find: Callable[[Figure, Stores], Iterable[Finding]]


def findings(figure: Figure, stores: Stores) -> list[Finding]:
    """Everything that still needs a look, worst first, but for what a person said is meant so."""

    def found() -> Iterator[Finding]:
        for check in stages().all(Check):
            yield from check.find(figure, stores)

    accepted = set(figure.accepted)
    left = (finding for finding in found() if finding.key not in accepted)
    return sorted(left, key=lambda finding: -finding.weight)
