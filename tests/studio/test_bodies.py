"""Bodies too large are turned away before they are read, said or not said to be so."""

from __future__ import annotations

import asyncio

import pytest

from studio.bodies import ANONYMOUS_LIMIT, LimitBodies

COOKIE = (b"cookie", b"theme=light; sessionid=abc")


def ask(headers: list[tuple[bytes, bytes]], pieces: list[bytes]) -> tuple[int, int]:
    """The status of the answer, and how many bytes were read for it."""
    read, answers = 0, []

    async def reading(scope, receive, send):
        while (await receive()).get("more_body"):
            pass
        await send({"type": "http.response.start", "status": 200, "headers": []})
        await send({"type": "http.response.body", "body": b""})

    async def receive():
        nonlocal read
        piece = pieces.pop(0)
        read += len(piece)
        return {"type": "http.request", "body": piece, "more_body": bool(pieces)}

    async def send(message):
        answers.append(message)

    asyncio.run(LimitBodies(reading)({"type": "http", "headers": headers}, receive, send))
    return answers[0]["status"], read


def test_a_stranger_may_send_little_and_someone_with_a_session_a_file(settings):
    settings.UPLOAD_LIMIT = 8 * ANONYMOUS_LIMIT
    piece = bytes(ANONYMOUS_LIMIT // 2)
    assert ask([], [piece]) == (200, len(piece))
    assert ask([COOKIE], [piece] * 6) == (200, 6 * len(piece))


@pytest.mark.parametrize("said", [b"1500000000", b"9" * 40, b"-3", "²".encode(), b"12 3"])
def test_what_is_said_to_be_too_large_is_not_read_at_all(said):
    assert ask([(b"content-length", said)], [bytes(10)]) == (413, 0)


def test_what_does_not_say_how_large_it_is_is_cut_off():
    piece = bytes(ANONYMOUS_LIMIT // 4)
    status, read = ask([(b"transfer-encoding", b"chunked")], [piece] * 400)
    assert status == 413
    assert read <= ANONYMOUS_LIMIT + len(piece)
