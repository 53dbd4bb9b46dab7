"""What the servers write down: a line each, with the request it is about, and nothing of who asked or what for.

A request's id comes from the proxy before us in X-Request-ID, or is made here; it goes back with the answer, so that a
sentence a person reads can be found in the log. Of an address only its pattern is written.
"""

from __future__ import annotations

import json
import logging
import re
import time
import uuid
from collections.abc import Callable
from contextvars import ContextVar

from django.http import HttpRequest, HttpResponse

HEADER = "X-Request-ID"
KNOWN = re.compile(r"[\w-]{8,64}")
asked: ContextVar[str] = ContextVar("asked", default="")
logger = logging.getLogger("studio.requests")


class SayWhichRequest:
    """Gives each request an id, tells it with the answer, and writes down how it went and how long it took."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        told = request.headers.get(HEADER, "")
        token = asked.set(told if KNOWN.fullmatch(told) else uuid.uuid4().hex)
        began = time.monotonic()
        try:
            response = self.get_response(request)
            response[HEADER] = asked.get()
            match = request.resolver_match
            more = {
                "method": request.method, "route": match.route if match else "", "status": response.status_code,
                "ms": round(1e3 * (time.monotonic() - began), 1),
            }  # fmt: skip
            logger.info("answered", extra={"more": more})
            return response
        finally:
            asked.reset(token)


class OfRequest(logging.Filter):
    """Lays the request's id on every line."""

    def filter(self, record: logging.LogRecord) -> bool:
        record.request_id = asked.get() or "-"
        return True


class AsJson(logging.Formatter):
    """A line of JSON for each record."""

    def format(self, record: logging.LogRecord) -> str:
        told = {
            "time": time.strftime("%Y-%m-%dT%H:%M:%S", time.gmtime(record.created)) + f".{int(record.msecs):03}Z",
            "level": record.levelname.lower(), "logger": record.name, "request": getattr(record, "request_id", "-"),
            "message": record.getMessage(), **getattr(record, "more", {}),
        }  # fmt: skip
        if record.exc_info:
            told["error"] = self.formatException(record.exc_info)
        return json.dumps(told, ensure_ascii=False)
