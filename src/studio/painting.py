"""The web process's painter: all painting is done in one thread, whose context keeps the pictures it has seen."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

from django.db import connections

from kunstgriff.delivery.frames import painter
from kunstgriff.paint.painter import Painter

Painted = TypeVar("Painted")
_room = ThreadPoolExecutor(1, thread_name_prefix="painter")
SECONDS_LIMIT = 30.0


def painted(paint: Callable[[Painter], Painted]) -> Painted:
    """What `paint` gives when it is handed the painter; one at a time. Raises what it raises."""

    def job() -> Painted:
        try:
            return paint(painter())
        finally:
            connections.close_all()  # no request ends this thread's; after a restart of the database it would stay dead

    return _room.submit(job).result(SECONDS_LIMIT)
