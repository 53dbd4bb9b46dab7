"""When a part's picture changes: each stage says how what it made from the old one is made anew.

A stage registers a `@renewer`; the edit that brings the new picture runs them all, in the order of the work.
"""

from __future__ import annotations

from collections.abc import Callable

from kunstgriff.figure.model import Figure, Part
from kunstgriff.figure.stores import Stores

Renewer = Callable[[Figure, Part, str, Stores], Figure]

_renewers: list[tuple[int, Renewer]] = []


def renewer(order: int) -> Callable[[Renewer], Renewer]:
    """Register `function(figure, before, ref, stores) -> figure`: `before` is the part as it was, `ref` its id in a
    figure that has the new picture already. Orders: binding 30, warps 40, seams 50."""

    def register(function: Renewer) -> Renewer:
        _renewers.append((order, function))
        _renewers.sort(key=lambda entry: entry[0])
        return function

    return register


def renewed(figure: Figure, before: Part, stores: Stores) -> Figure:
    """The figure with everything made from `before`'s picture made anew from its new one."""
    for _, function in _renewers:
        figure = function(figure, before, before.id, stores)
    return figure


def redrawn(figure: Figure, after: Part, stores: Stores) -> Figure:
    """The figure with a part as it is drawn now in the place of the one of its id, and all made from it made anew."""
    before = next(part for part in figure.parts if part.id == after.id)
    figure = figure.replace(parts=tuple(after if part.id == after.id else part for part in figure.parts))
    return renewed(figure, before, stores)
