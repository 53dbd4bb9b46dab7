"""Whether open benches may stay open: all of them asked about in one go, by what the database says now."""

from __future__ import annotations

import asyncio
from collections.abc import Collection
from dataclasses import dataclass
from weakref import WeakKeyDictionary

from channels.db import database_sync_to_async
from django.conf import settings
from django.contrib.auth import BACKEND_SESSION_KEY, HASH_SESSION_KEY, SESSION_KEY, get_user_model
from django.contrib.sessions.backends.db import SessionStore
from django.contrib.sessions.models import Session
from django.db import DatabaseError
from django.utils import timezone
from django.utils.crypto import constant_time_compare

from studio.accounts.models import User
from studio.library.models import Figure

SIGNED_OUT, GONE = 4401, 4404


@dataclass(frozen=True)
class Pass:
    """What lets a bench be open: a session's key and the figure it shows."""

    session: str
    figure: int


def barred(passes: Collection[Pass]) -> dict[Pass, int]:
    """Those that may not stay open, each with why: a closing code. Nothing is taken from memory."""
    users = _signed_in({one.session for one in passes})
    asked: dict[User, set[int]] = {}
    for draw_pass in passes:
        if draw_pass.session in users:
            asked.setdefault(users[draw_pass.session], set()).add(draw_pass.figure)
    seen = {
        user.pk: set(Figure.objects.seen_by(user).filter(pk__in=figures).values_list("pk", flat=True))
        for user, figures in asked.items()
    }
    found = {}
    for draw_pass in passes:
        user = users.get(draw_pass.session)
        if user is None:
            found[draw_pass] = SIGNED_OUT
        elif draw_pass.figure not in seen[user.pk]:
            found[draw_pass] = GONE
    return found


def _signed_in(keys: Collection[str]) -> dict[str, User]:
    """The users of sessions, as `django.contrib.auth.get_user` tells them; those of no use are left out."""
    rows = Session.objects.filter(session_key__in=keys, expire_date__gt=timezone.now())
    told = {row.session_key: SessionStore().decode(row.session_data) for row in rows}
    ids = {str(data[SESSION_KEY]) for data in told.values() if SESSION_KEY in data}
    users = {str(user.pk): user for user in get_user_model().objects.filter(pk__in=ids, is_active=True)}
    found = {}
    for key, data in told.items():
        user = users.get(str(data.get(SESSION_KEY)))
        if user is None or data.get(BACKEND_SESSION_KEY) not in settings.AUTHENTICATION_BACKENDS:
            continue
        mark = str(data.get(HASH_SESSION_KEY, ""))
        if any(
            constant_time_compare(mark, one)
            for one in (user.get_session_auth_hash(), *user.get_session_auth_fallback_hash())
        ):
            found[key] = user
    return found


class Guard:
    """Looks after all open benches of a process: one look for all, over and over."""

    def __init__(self) -> None:
        self.open: dict[object, tuple[Pass, asyncio.Future[int]]] = {}
        self.looking: asyncio.Task[None] | None = None

    def watch(self, bench: object, one: Pass) -> asyncio.Future[int]:
        """Look after a bench; what is given back is done when it may not stay open, with why."""
        ended: asyncio.Future[int] = asyncio.get_running_loop().create_future()
        self.open[bench] = one, ended
        if self.looking is None or self.looking.done():
            self.looking = asyncio.create_task(self._look())
        return ended

    def leave(self, bench: object) -> None:
        """Look after a bench no more."""
        self.open.pop(bench, None)

    async def _look(self) -> None:
        while self.open:
            await asyncio.sleep(settings.LIVE_RIGHTS_SECONDS)
            passes = {one for one, _ in self.open.values()}
            try:
                found = await database_sync_to_async(barred)(passes)
            except DatabaseError:
                continue  # it may be away; the next look tells
            for item, ended in list(self.open.values()):
                if item in found and not ended.done():
                    ended.set_result(found[item])


_guards: WeakKeyDictionary[asyncio.AbstractEventLoop, Guard] = WeakKeyDictionary()


def guard() -> Guard:
    """The one that looks after the benches of this event loop."""
    return _guards.setdefault(asyncio.get_running_loop(), Guard())
