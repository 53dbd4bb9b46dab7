"""How many at once, and how often from one address: what costs much or could be used to guess."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from contextlib import contextmanager
from threading import BoundedSemaphore

from django.conf import settings
from django.core.cache import cache
from django.core.exceptions import ValidationError
from django.http import HttpRequest

turns = BoundedSemaphore(settings.SIGN_INS_AT_ONCE)


class Busy(ValidationError):
    """Very many hash passwords just now."""

    def __init__(self) -> None:
        super().__init__("Very many sign in just now. Try again in a moment.", "throttled")


@contextmanager
def hashing() -> Iterator[None]:
    """Hash passwords within, a few at a time. Raises Busy where one's turn does not come."""
    if not turns.acquire(timeout=settings.SIGN_IN_PATIENCE):
        raise Busy
    try:
        yield
    finally:
        turns.release()


def too_often(request: HttpRequest, what: str) -> bool:
    """Whether something was asked for from this address `LOGIN_TRIES` times in a while; if not, it is counted."""
    key = f"{what}-" + hashlib.sha256(request.META.get("REMOTE_ADDR", "").encode()).hexdigest()
    tries: int = cache.get(key, 0)
    if tries >= settings.LOGIN_TRIES:
        return True
    cache.set(key, tries + 1, settings.LOGIN_WAIT)
    return False
