"""What a bench shows: a revision of a figure, from one of its facings."""

from __future__ import annotations

import re
from typing import Final, NamedTuple

from django.urls import register_converter

WRITTEN: Final = re.compile(r"[0-9]{1,18}(?:\.[0-9]{1,2})?")


class Seen(NamedTuple):
    """A revision by its key, and the number of a facing; 0 is the first."""

    revision: int
    facing: int = 0

    def __str__(self) -> str:
        return f"{self.revision}.{self.facing}" if self.facing else str(self.revision)

    @classmethod
    def read(cls, said: str) -> Seen:
        """One from how it is written. Raises ValueError for anything else."""
        if WRITTEN.fullmatch(said) is None:
            raise ValueError("This says no revision.")
        revision, _, facing = said.partition(".")
        return cls(int(revision), int(facing or 0))


class SeenConverter:
    """What a bench shows, in a path: `123`, or `123.4` from the fourth facing."""

    regex = WRITTEN.pattern

    def to_python(self, value: str) -> Seen:
        return Seen.read(value)

    def to_url(self, value: Seen | int) -> str:
        return str(value)


register_converter(SeenConverter, "seen")
