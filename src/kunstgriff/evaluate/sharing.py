"""One program for figures that differ only in what no picture shows: names, kept poses, what a person said of findings.

Most edits change how a figure looks, but many do not, and then neither is a program compiled anew nor geometry sent.
"""

from __future__ import annotations

import hashlib
from dataclasses import replace
from typing import Any, Final

from kunstgriff.evaluate.program import RigProgram
from kunstgriff.figure.model import Figure

# what compiling never looks at; whatever is not listed counts, so that a new field can only cost time
_UNSEEN: Final[dict[str, Any]] = {
    "name": True,
    "rate": True,
    "next_id": True,
    "tolerances": True,
    "poses": True,
    "motions": True,
    "stepper": True,
    "hems": True,
    "reference": True,
    "accepted": True,
    "groups": {"__all__": {"name"}},
    "parts": {"__all__": {"name": True, "locked": True, "shelved": True, "drawing": {"remade"}}},
    "bones": {"__all__": {"name", "locked"}},
    "reaches": {"__all__": {"name", "hue"}},
    "levers": {"__all__": {"name", "place", "hangs_on", "hue"}},
    "shapes": {"__all__": {"name"}},
    "correctives": {"__all__": {"name"}},
    "turnaround": {"name", "first", "shown", "facings"},
}


def program_key(figure: Figure) -> str:
    """SHA-256 over all of a figure that its program, its geometry and its colours depend on, in hex.

    >>> from kunstgriff.figure.model import Figure, Sheet
    >>> hare = Figure(name="Hare", sheet=Sheet(width=10, height=10, standing_point=(5, 10)))
    >>> program_key(hare) == program_key(hare.replace(name="Pell"))
    True
    """
    seen = figure.model_dump_json(exclude=_UNSEEN)
    return hashlib.sha256(seen.encode()).hexdigest()


def shared_with(program: RigProgram, figure: Figure) -> RigProgram:
    """The program of a figure that has the same key: the same arrays and nodes, with its own names."""
    parts = {part.id: part for part in figure.parts}
    blocks = {ref: replace(block, part=parts[block.part.id]) for ref, block in program.blocks.items()}
    return replace(program, figure=figure, nets=replace(program.nets, blocks=blocks))
