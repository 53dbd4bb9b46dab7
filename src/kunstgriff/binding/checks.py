"""Findings of the Binding stage: what would be left behind when the figure moves."""

from __future__ import annotations

from collections.abc import Iterator

from kunstgriff.figure.findings import Finding, Remedy, about, check
from kunstgriff.figure.model import Figure, Unbound, Weighted
from kunstgriff.figure.stores import Stores


@check
def unbound_parts(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Parts that follow nothing while there are bones."""
    loose = [part for part in figure.parts if isinstance(part.binding, Unbound) and not part.left_out]
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
def redrawn_beyond_the_mesh(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """Bound parts whose outline a new drawing moved further than a mesh's margin."""
    for part in figure.parts:
        if part.shifted == 0 or isinstance(part.binding, Unbound):
            continue
        remedies = []
        if isinstance(part.binding, Weighted):
            bind = {
                "kind": "bind_weighted",
                "parts": [part.id],
                "influences": list(part.binding.influences),
                "count": max(part.binding.mesh.vertex_count, 12),
            }
            remedies.append(Remedy(word="Bind it anew", edit=bind))
        sentence = f"{part.name} was redrawn up to {part.shifted:.0f} px away from where it was bound"
        yield about(part, "shifted", sentence, 0.45, *remedies, stage="binding")


@check
def no_bones(figure: Figure, stores: Stores) -> Iterator[Finding]:
    """A figure without bones cannot move."""
    if not figure.bones:
        sentence = f"No bones yet: {len(figure.parts)} parts wait for a chain to be drawn"
        yield Finding(stage="bones", sentence=sentence, weight=0.9)
