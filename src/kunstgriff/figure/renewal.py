"""When a part's picture, a bone or the rest pose changes: what each stage does so that nothing made from it is lost.

A stage brings these as values; the edit that changes something runs all of a kind.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from kunstgriff.figure.model import Figure, Part
from kunstgriff.figure.schedule import scheduled
from kunstgriff.figure.stage import Stages, of_stages, stages
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.turning import in_every_facing


@dataclass(frozen=True)
class OnArtChanged:
    """`run(figure, before, ref, stores) -> figure`: `before` is the part as it was, `ref` its id in a figure that has
    the new picture already. What it `reads` and `writes` says which come first."""

    run: Callable[[Figure, Part, str, Stores], Figure]
    reads: frozenset[str] = frozenset()
    writes: frozenset[str] = frozenset()


@dataclass(frozen=True)
class OnBonesChanged:
    """`run(figure, became, stores) -> figure`: what hung on the bones that are the keys of `became` goes over to those
    they became, which the figure has already."""

    run: Callable[[Figure, dict[str, tuple[str, ...]], Stores], Figure]


@dataclass(frozen=True)
class OnSetupCopied:
    """`run(figure, bones, parts, stores) -> figure`: what the stage made at the bones and parts that are keys is made
    alike at those they are mapped to."""

    run: Callable[[Figure, dict[str, str], dict[str, str], Stores], Figure]


@dataclass(frozen=True)
class OnRestChanged:
    """`run(before, after, stores) -> figure`: what the stage made is made anew for a figure whose rest pose became
    another one."""

    run: Callable[[Figure, Figure, Stores], Figure]


@of_stages
def _on_art_changed(there: Stages) -> tuple[OnArtChanged, ...]:
    order, circles = scheduled(there.all(OnArtChanged))
    if circles:
        raise TypeError("What is made anew with a drawing waits for itself in a circle.")
    return order


def renewed(figure: Figure, before: Part, stores: Stores) -> Figure:
    """The figure with everything made from `before`'s picture made anew from its new one."""
    for item in _on_art_changed():
        figure = item.run(figure, before, before.id, stores)
    return figure


def redrawn(figure: Figure, after: Part, stores: Stores) -> Figure:
    """The figure with a part as it is drawn now in the place of the one of its id, and all made from it made anew."""
    before = next(part for part in figure.parts if part.id == after.id)
    figure = figure.replace(parts=tuple(after if part.id == after.id else part for part in figure.parts))
    return renewed(figure, before, stores)


def reboned(figure: Figure, became: dict[str, tuple[str, ...]], stores: Stores) -> Figure:
    """The figure with everything bound to changed bones bound to what they became, on every facing."""

    def run(seen: Figure) -> Figure:
        for on_bones_changed in stages().all(OnBonesChanged):
            seen = on_bones_changed.run(seen, became, stores)
        return seen

    return in_every_facing(figure, run)


def set_up_alike(figure: Figure, bones: dict[str, str], parts: dict[str, str], stores: Stores) -> Figure:
    """The figure with what later stages made at some bones and parts made at others too."""
    for on_setup_copied in stages().all(OnSetupCopied):
        figure = on_setup_copied.run(figure, bones, parts, stores)
    return figure


def set_at_rest(before: Figure, after: Figure, stores: Stores) -> Figure:
    """The figure with everything made anew that depends on where bones and parts are at rest."""
    for on_rest_changed in stages().all(OnRestChanged):
        after = on_rest_changed.run(before, after, stores)
    return after
