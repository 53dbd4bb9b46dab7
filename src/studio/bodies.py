"""How large a request may be: told before a byte of it is read or kept, and while it comes where it does not say.

Django's ASGI handler puts a whole body on disk before any middleware sees the request, so this stands in front of it.
"""

from __future__ import annotations

import json
from collections.abc import Awaitable, Callable
from typing import Any

from django.conf import settings

ROOM_FOR_FORM = 1024 * 1024  # bytes a form may have beside its file
ANONYMOUS_LIMIT = 1024 * 1024  # bytes of a request without a session: signing in needs far less

Scope = dict[str, Any]
Message = dict[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
Application = Callable[[Scope, Receive, Send], Awaitable[None]]


class TooLarge(Exception):
    """More of a body came than is taken."""


class LimitBodies:
    """Turns away larger requests with 413 and a sentence."""

    def __init__(self, application: Application) -> None:
        self.application = application

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        headers = {name.lower(): value for name, value in scope["headers"]}
        limit = limit_of(headers)
        said = headers.get(b"content-length", b"0")
        if not said.isdigit() or len(said) > 15 or int(said) > limit:
            await _refuse(send, limit)
            return
        came, answered = 0, False

        async def counted() -> Message:
            nonlocal came
            message = await receive()
            came += len(message.get("body", b""))
            if came > limit:
                raise TooLarge
            return message

        async def noted(message: Message) -> None:
            nonlocal answered
            answered = True
            await send(message)

        try:
            await self.application(scope, counted, noted)
        except TooLarge:
            if not answered:
                await _refuse(send, limit)


def limit_of(headers: dict[bytes, bytes]) -> int:
    """Bytes a request may have: an upload where a session is named, whoever's it is, else little."""
    named = f"{settings.SESSION_COOKIE_NAME}=".encode()
    if any(one.strip().startswith(named) for one in headers.get(b"cookie", b"").split(b";")):
        return int(settings.UPLOAD_LIMIT) + ROOM_FOR_FORM
    return min(ANONYMOUS_LIMIT, int(settings.UPLOAD_LIMIT) + ROOM_FOR_FORM)


async def _refuse(send: Send, limit: int) -> None:
    words = (
        "The file is larger than the 512 MB allowed." if limit > ANONYMOUS_LIMIT else "Sign in before you send files."
    )
    body = json.dumps({"sentence": words}).encode()
    headers = [
        (b"content-type", b"application/json"),
        (b"content-length", str(len(body)).encode()),
        (b"connection", b"close"),
    ]
    await send({"type": "http.response.start", "status": 413, "headers": headers})
    await send({"type": "http.response.body", "body": body})
