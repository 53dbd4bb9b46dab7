"""Findings of the Binding stage: what would be left behind when the figure moves."""

from __future__ import annotations

from collections.abc import Iterator

from kunstgriff.figure.findings import Finding, check
from kunstgriff.figure.model import Figure, Unbound
from kunstgriff.figure.stores import Stores


@check
def unbound_parts(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Parts that follow nothing while there are bones."""
    loose = [part for part in figure.parts if isinstance(part.binding, Unbound)]
    if not figure.bones or not loose:
        return
    if len(loose) > 4:
        sentence = f"{len(loose)} of {len(figure.parts)} parts follow nothing yet and would be left behind"
        yield Finding(stage="binding", sentence=sentence, weight=0.6, parts=tuple(part.id for part in loose))
        return
    for part in loose:
        sentence = f"{part.name} follows nothing and would be left behind"
        yield Finding(stage="binding", sentence=sentence, weight=0.6, parts=(part.id,))


@check
def no_bones(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """A figure without bones cannot move."""
    if not figure.bones:
        sentence = f"No bones yet: {len(figure.parts)} parts wait for a chain to be drawn"
        yield Finding(stage="bones", sentence=sentence, weight=0.9)
