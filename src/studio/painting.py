"""The web process's painter: all painting is done in one thread, whose context keeps the pictures it has seen."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

from kunstgriff.delivery.frames import painter
from kunstgriff.paint.painter import Painter

Painted = TypeVar("Painted")
_room = ThreadPoolExecutor(1, thread_name_prefix="painter")
SECONDS_LIMIT = 30.0


def painted(paint: Callable[[Painter], Painted]) -> Painted:
    """What `paint` gives when it is handed the painter; one at a time. Raises what it raises."""
    return _room.submit(lambda: paint(painter())).result(SECONDS_LIMIT)
