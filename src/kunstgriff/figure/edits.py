"""Edits about the figure as a whole."""

from __future__ import annotations

from typing import Literal

from kunstgriff.figure.edit import Edit
from kunstgriff.figure.model import Figure, Name
from kunstgriff.figure.stores import Stores


class RenameFigure(Edit):
    """Give the figure another name."""

    kind: Literal["rename_figure"] = "rename_figure"
    name: Name

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        return figure.replace(name=self.name)

    def told(self, figure: Figure) -> str:
        return f"rename the figure to {self.name}"
