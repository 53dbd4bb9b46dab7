"""What one import or one edit may use up: asked for before anything is allocated, refused with a sentence.

One budget is drawn on by everything that happens in its course, however deep, also in threads that are handed it.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, field
from threading import Lock

PIXELS = 600_000_000  # decoded in all; a sheet of 100 layers has 400 M
BYTES = 1_500_000_000  # worked on at a time
NAMES = 20_000  # of layers and groups
DEPTH = 64  # of groups in one another
SECONDS = 240.0
LONGEST_LINE = 40_000.0  # px of one drawn line


class TooDear(ValueError):
    """More is asked for than may be used; the message is a sentence."""


@dataclass
class Budget:
    """What is left, and which exception says that nothing is."""

    refusal: type[Exception] = TooDear
    pixels: int = PIXELS
    bytes: int = BYTES
    names: int = NAMES
    depth: int = DEPTH
    seconds: float = SECONDS
    began: float = field(default_factory=time.monotonic)
    lock: Lock = field(default_factory=Lock, repr=False)

    def decode(self, pixels: int) -> None:
        """So many pixels of a picture are to be decoded."""
        with self.lock:
            self.pixels -= pixels
            if self.pixels < 0:
                raise self.refusal("The layers together have more pixels than Kunstgriff takes at once.")
        self.tick()

    def name(self, length: int, depth: int) -> None:
        """One more thing is named, by so many letters, so many groups deep."""
        with self.lock:
            self.names -= 1
        if self.names < 0:
            raise self.refusal(f"The file names more than {NAMES} layers and groups.")
        if depth > self.depth or length > 100 * self.depth:
            raise self.refusal(f"The layers are nested deeper than the {self.depth} levels allowed.")

    def need(self, width: float, height: float, each: int, what: str) -> None:
        """A picture of so many px is to be worked on, with so many bytes for each of them."""
        if not (width >= 0 and height >= 0 and width * height * each <= self.bytes):
            raise self.refusal(
                f"{what} would take {width:.0f} x {height:.0f} px, more than Kunstgriff works on at once."
            )
        self.tick()

    def line(self, length: float, what: str) -> None:
        """A line so many px long is to be followed."""
        if not length <= LONGEST_LINE:
            raise self.refusal(f"{what} is {length:.0f} px long, more than Kunstgriff follows.")
        self.tick()

    def tick(self) -> None:
        """Time goes by."""
        if time.monotonic() - self.began > self.seconds:
            raise self.refusal(f"This took longer than {self.seconds:.0f} s; it was given up.")


_drawn_on: ContextVar[Budget | None] = ContextVar("budget", default=None)


def budget() -> Budget:
    """The budget everything now draws on; one of its own where nobody opened any."""
    return _drawn_on.get() or Budget()


@contextmanager
def drawing_on(opened: Budget) -> Iterator[Budget]:
    """Let everything inside draw on a budget."""
    token = _drawn_on.set(opened)
    try:
        yield opened
    finally:
        _drawn_on.reset(token)
