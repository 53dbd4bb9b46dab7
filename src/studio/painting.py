"""The web process's painter: all painting is done in one thread, whose context keeps the pictures it has seen."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from concurrent.futures import TimeoutError as FutureTimeout
from typing import TypeVar

from django.db import connections

from kunstgriff.delivery.frames import painter
from kunstgriff.paint.painter import Painter, PainterMissing

Painted = TypeVar("Painted")
_room = ThreadPoolExecutor(1, thread_name_prefix="painter")
SECONDS_LIMIT = 30.0


class PainterBusy(PainterMissing):
    """The painter has not come to it in time; later it will."""

    code = "painter-busy"


def painted(paint: Callable[[Painter], Painted]) -> Painted:
    """What `paint` gives when it is handed the painter; one at a time. Raises what it raises, and PainterBusy where
    it takes too long; what has not begun by then is not begun."""

    def job() -> Painted:
        try:
            return paint(painter())
        finally:
            connections.close_all()  # no request ends this thread's; after a restart of the database it would stay dead

    waiting = _room.submit(job)
    try:
        return waiting.result(SECONDS_LIMIT)
    except FutureTimeout as error:
        if waiting.done():
            raise  # what was painted ran out of time itself
        waiting.cancel()
        raise PainterBusy("The painter has very much to do just now. Try again in a moment.") from error
