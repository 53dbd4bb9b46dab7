"""When a part's picture or a bone changes: each stage says how what it made from the old one is made anew.

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


BoneRenewer = Callable[[Figure, dict[str, tuple[str, ...]], Stores], Figure]

_bone_renewers: list[BoneRenewer] = []


def bone_renewer(function: BoneRenewer) -> BoneRenewer:
    """Register `function(figure, became, stores) -> figure`: what hung on the bones that are the keys of `became` goes
    over to those they became, which the figure has already."""
    _bone_renewers.append(function)
    return function


def reboned(figure: Figure, became: dict[str, tuple[str, ...]], stores: Stores) -> Figure:
    """The figure with everything bound to changed bones bound to what they became."""
    for function in _bone_renewers:
        figure = function(figure, became, stores)
    return figure


SetupCopier = Callable[[Figure, dict[str, str], dict[str, str], Stores], Figure]

_setup_copiers: list[SetupCopier] = []


def setup_copier(function: SetupCopier) -> SetupCopier:
    """Register `function(figure, bones, parts, stores) -> figure`: what a stage made at the bones and parts that are
    keys is made alike at those they are mapped to."""
    _setup_copiers.append(function)
    return function


def set_up_alike(figure: Figure, bones: dict[str, str], parts: dict[str, str], stores: Stores) -> Figure:
    """The figure with what later stages made at some bones and parts made at others too."""
    for function in _setup_copiers:
        figure = function(figure, bones, parts, stores)
    return figure


RestSetter = Callable[[Figure, Figure, Stores], Figure]

_rest_setters: list[RestSetter] = []


def rest_setter(function: RestSetter) -> RestSetter:
    """Register `function(before, after, stores) -> figure`: what a stage made is made anew for a figure whose rest pose
    became another one."""
    _rest_setters.append(function)
    return function


def set_at_rest(before: Figure, after: Figure, stores: Stores) -> Figure:
    """The figure with everything made anew that depends on where bones and parts are at rest."""
    for function in _rest_setters:
        after = function(before, after, stores)
    return after
