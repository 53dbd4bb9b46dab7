"""A request larger than allowed is refused before it is read; a database that is away is said in one sentence."""

from __future__ import annotations

from collections.abc import Callable

from django.conf import settings
from django.db import InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse, JsonResponse

from studio.bodies import ROOM_FOR_FORM

SENTENCE = "The database does not answer just now. Nothing is lost; try again in a moment."


class RefuseHugeBodies:
    """Turns away what says it is larger than the largest upload, before anything reads or stores it."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        length = request.META.get("CONTENT_LENGTH") or "0"
        if not length.isascii() or not length.isdigit() or int(length) > settings.UPLOAD_LIMIT + ROOM_FOR_FORM:
            return JsonResponse({"sentence": "The file is larger than the 512 MB allowed."}, status=413)
        return self.get_response(request)


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
