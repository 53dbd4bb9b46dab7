"""Whether this web server serves, and whether it can do its work: for whatever watches over it or sends it traffic."""

from __future__ import annotations

from django.db import connection
from django.http import HttpRequest, HttpResponse
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_safe


@never_cache
@require_safe
def health(request: HttpRequest) -> HttpResponse:
    """It serves, whatever else may be away."""
    return HttpResponse("It serves.\n", content_type="text/plain; charset=utf-8")


@never_cache
@require_safe
def ready(request: HttpRequest) -> HttpResponse:
    """The database answers it; where that is away, a sentence and 503 (`middleware.SayDatabaseIsAway`)."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT 1")
    return HttpResponse("It is ready.\n", content_type="text/plain; charset=utf-8")
