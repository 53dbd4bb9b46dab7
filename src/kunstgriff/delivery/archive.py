"""The figure archive as a delivery."""

from __future__ import annotations

from pathlib import Path

from kunstgriff.figure.archive import write_archive
from kunstgriff.figure.model import Figure
from kunstgriff.figure.stores import Stores


def write_figure_archive(target: Path, figure: Figure, stores: Stores) -> None:
    """The whole figure, to be opened again as it is."""
    write_archive(target, figure, stores)
