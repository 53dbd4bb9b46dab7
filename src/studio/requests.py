"""Small things every JSON view needs."""

from __future__ import annotations

import json
from typing import Any

from django.http import HttpRequest, JsonResponse

from kunstgriff.figure.edit import EditRefused


def sentence(text: str, status: int, **more: Any) -> JsonResponse:
    """An answer that is a sentence for the person."""
    return JsonResponse({"sentence": text, **more}, status=status)


def json_body(request: HttpRequest) -> dict[str, Any]:
    """The request's JSON object. Raises EditRefused on anything else."""
    try:
        data = json.loads(request.body)
    except (ValueError, RecursionError) as error:
        raise EditRefused("The request was no JSON.") from error
    if not isinstance(data, dict):
        raise EditRefused("The request was no JSON object.")
    return data
