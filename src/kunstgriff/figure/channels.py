"""Channels: everything of a figure that can be posed, each by an address.

A stage registers the quantities it brings: what they are called, their unit, the value at rest, how far they go. The
address of a channel names what it is of and the quantity: `b4.turn`, or from outside by name, `near forearm.turn`.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

Kind = Literal["turn", "length", "stretch", "stretch across", "plain"]


@dataclass(frozen=True)
class Quantity:
    """One number that can be posed.

    `word` and `unit` are those on screen, `rest` its value at rest, `low` and `high` its ends; `kind` is what it is to
    the document (see `references`). It is of a bone, a part, a group or the figure. Numbers that belong together lie in
    one `array`, in the order they were registered. Mirrored to the other side it is `mirrored` times as much. What is
    `stepped` has no values between.
    """

    name: str
    word: str
    unit: str
    rest: float
    low: float
    high: float
    kind: Kind = "plain"
    of: Literal["bone", "part", "group", "figure"] = "bone"
    array: str = ""
    mirrored: float = 1.0
    stepped: bool = False


QUANTITIES: dict[str, Quantity] = {}


def quantity(one: Quantity) -> Quantity:
    """Register a quantity. Raises TypeError where another one has its name."""
    if QUANTITIES.setdefault(one.name, one) != one:
        raise TypeError(f"Two quantities are called {one.name}.")
    parted.cache_clear()
    return one


@lru_cache(maxsize=65_536)
def parted(address: str) -> tuple[str, str]:
    """What a channel is of, by id or name, and its quantity's name; a name may have points in it.

    >>> parted("b4.turn")
    ('b4', 'turn')
    """
    for name in sorted(QUANTITIES, key=len, reverse=True):
        if address.endswith("." + name):
            return address[: -len(name) - 1], name
    ref, _, name = address.partition(".")
    return ref, name


def kind_of(address: str) -> Kind:
    """What the value of a channel is to the document."""
    found = QUANTITIES.get(parted(address)[1])
    return found.kind if found is not None else "plain"


def addressed(ref: str, name: str) -> str:
    """The address of a channel."""
    return f"{ref}.{name}"
