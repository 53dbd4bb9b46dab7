"""A database that is away is said in one sentence."""

from __future__ import annotations

from collections.abc import Callable

from django.db import InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse, JsonResponse

SENTENCE = "The database does not answer just now. Nothing is lost; try again in a moment."


class SayDatabaseIsAway:
    """Turns a lost database into a sentence and 503, so that the bench can keep an edit and send it again."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        try:
            return self.get_response(request)
        except (OperationalError, InterfaceError):
            return self._say(request)

    def process_exception(self, request: HttpRequest, exception: Exception) -> HttpResponse | None:
        return self._say(request) if isinstance(exception, OperationalError | InterfaceError) else None

    def _say(self, request: HttpRequest) -> HttpResponse:
        if request.path.startswith("/bench/") or request.headers.get("Accept", "").startswith("application/json"):
            return JsonResponse({"sentence": SENTENCE}, status=503)
        return HttpResponse(SENTENCE, status=503, content_type="text/plain; charset=utf-8")
