"""Shared fixtures."""

from __future__ import annotations

from pathlib import Path

import pytest

from kunstgriff.artwork.sheet import ArtSheet
from kunstgriff.artwork.svg import read_svg
from kunstgriff.figure.archive import read_archive
from kunstgriff.figure.model import Figure
from kunstgriff.figure.stores import MemoryStores
from kunstgriff.stages import install

install()

DEMO = Path(__file__).resolve().parents[1] / "demo"


@pytest.fixture(scope="session")
def pell() -> tuple[Figure, MemoryStores]:
    """The demo figure."""
    return read_archive(DEMO / "pell.zip")


@pytest.fixture(scope="session")
def calm(pell: tuple[Figure, MemoryStores]) -> tuple[Figure, MemoryStores]:
    """The demo figure on a day without wind."""
    figure, stores = pell
    return figure.replace(wind=None), stores


@pytest.fixture(scope="session")
def pell_drawing() -> ArtSheet:
    """The demo's SVG, read once: rendering it takes seconds."""
    return read_svg(DEMO / "pell.svg")
