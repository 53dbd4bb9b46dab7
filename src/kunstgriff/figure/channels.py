"""Channels: everything of a figure that can be posed, each by an address.

A stage brings the quantities that it can pose: what they are called, their unit, the value at rest, how far they go.
The address of a channel names what it is of and the quantity: `b4.turn`, or from outside by name, `near forearm.turn`.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

from kunstgriff.figure.stage import Stages, of_stages

Kind = Literal["turn", "length", "stretch", "stretch across", "plain"]
Of = Literal["bone", "part", "group", "handle", "reach", "lever", "shape", "spring", "wind", "figure"]


@dataclass(frozen=True)
class Quantity:
    """One number that can be posed.

    `word` and `unit` are those on screen, `rest` its value at rest, `low` and `high` its ends; `kind` is what it is to
    the document (see `references`). It is `of` bones, parts, groups, handles of warps, reaches,
    levers, laid-on shapes, springs, the wind or the figure. Numbers
    that belong together lie in one `array`, in the order they are brought. Mirrored to the other side it is `mirrored`
    times as much. What is `stepped` has whole values only and none between.
    """

    name: str
    word: str
    unit: str
    rest: float
    low: float
    high: float
    kind: Kind = "plain"
    of: tuple[Of, ...] = ("bone",)
    array: str = ""
    mirrored: float = 1.0
    stepped: bool = False


@of_stages
def quantities(stages: Stages) -> dict[str, Quantity]:
    """Every quantity by name. Raises TypeError where two have the same."""
    found: dict[str, Quantity] = {}
    for quantity in stages.all(Quantity):
        if found.setdefault(quantity.name, quantity) != quantity:
            raise TypeError(f"Two quantities are called {quantity.name}.")
    return found


@of_stages
def _parter(stages: Stages) -> Callable[[str], tuple[str, str]]:
    endings = sorted(("." + one.name for one in stages.all(Quantity)), key=len, reverse=True)

    @lru_cache(maxsize=65_536)
    def parts(address: str) -> tuple[str, str]:
        for ending in endings:
            if address.endswith(ending):
                return address[: -len(ending)], ending[1:]
        ref, _, name = address.partition(".")
        return ref, name

    return parts


def parted(address: str) -> tuple[str, str]:
    """What a channel is of, by id or name, and its quantity's name; a name may have points in it.

    >>> parted("b4.turn")
    ('b4', 'turn')
    """
    return _parter()(address)


def kind_of(address: str) -> Kind:
    """What the value of a channel is to the document."""
    found = quantities().get(parted(address)[1])
    return found.kind if found is not None else "plain"


def addressed(ref: str, name: str) -> str:
    """The address of a channel."""
    return f"{ref}.{name}"
