"""Small things every view needs."""

from __future__ import annotations

import json
from typing import Any

from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponse, JsonResponse

from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.refusal import Refusal
from studio.accounts.models import User


def sentence(text: str, status: int, **more: Any) -> JsonResponse:
    """An answer that is a sentence for the person."""
    return JsonResponse({"sentence": text, **more}, status=status)


def refused(error: Refusal, status: int = 400) -> JsonResponse:
    """An answer that says why something cannot be had, with a code for programs."""
    return sentence(str(error), status, code=error.code)


def lasting(data: bytes, content_type: str = "image/png") -> HttpResponse:
    """An answer that never changes: its address names a revision or a hash."""
    response = HttpResponse(data, content_type=content_type)
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return response


def user_of(request: HttpRequest) -> User:
    """Who is signed in. Raises PermissionDenied where nobody is, which no view lets come so far."""
    if not isinstance(request.user, User):
        raise PermissionDenied
    return request.user


def json_body(request: HttpRequest) -> dict[str, Any]:
    """The request's JSON object. Raises EditRefused on anything else."""
    try:
        data = json.loads(request.body)
    except (ValueError, RecursionError) as error:
        raise EditRefused("The request was no JSON.") from error
    if not isinstance(data, dict):
        raise EditRefused("The request was no JSON object.")
    if b"\\ud" in request.body.lower():  # half of a letter, which no database takes
        try:
            json.dumps(data, ensure_ascii=False).encode()
        except (UnicodeEncodeError, RecursionError) as error:
            raise EditRefused("The request holds half a letter (a lone surrogate).") from error
    return data


def number(text: str) -> int | None:
    """A whole number from a query or a form; None for anything else, digits of other scripts among it.

    >>> number("42"), number("²"), number("9" * 30)
    (42, None, None)
    """
    return int(text) if text.isascii() and text.isdigit() and len(text) < 16 else None
