"""What is said of the figure as a whole."""

from __future__ import annotations

from kunstgriff.figure.edit import Edits
from kunstgriff.figure.edits import AcceptFinding, RenameFigure, SetReference, SetSides, SetTolerances
from kunstgriff.figure.stage import Stage

FIGURE = Stage(
    "figure",
    (Edits(RenameFigure, SetSides, AcceptFinding, SetReference, SetTolerances),),
)
