"""Sets of other figures, to be taken over."""

from __future__ import annotations

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_GET, require_POST

from kunstgriff.binding.taken_sets import taken_from
from kunstgriff.figure.edit import EditRefused
from studio.bench.seen import Seen
from studio.bench.state import compiled
from studio.bench.views import require_revision
from studio.library.actions import value_of
from studio.library.models import Figure
from studio.requests import json_body, refused, sentence

MOST_OTHERS = 40  # figures that are looked through, those changed last first


@login_required
@require_GET
def other_sets(request: HttpRequest, figure_id: int) -> HttpResponse:
    """The sets of the other figures one may see, to be taken over."""
    get_object_or_404(Figure.objects.seen_by(request.user).only("pk"), pk=figure_id)
    found = []
    others = Figure.objects.seen_by(request.user).exclude(pk=figure_id).select_related("head")
    for one in others.order_by("-changed")[:MOST_OTHERS]:
        value = value_of(one.newest)
        found += [{"figure": one.pk, "set": group.id, "words": f"{group.name}, {one.name}"}
                  for group in value.groups if group.drawings]  # fmt: skip
    return JsonResponse({"sets": found})


@login_required
@require_POST
def take_set(request: HttpRequest, figure_id: int, seen: Seen) -> HttpResponse:
    """The edit that takes a set of another figure over, to be made."""
    onto, _ = compiled(require_revision(request, figure_id, seen))
    body = json_body(request)
    asked = body.get("figure")
    other = Figure.objects.seen_by(request.user).filter(pk=asked if type(asked) is int else 0).first()
    if other is None:
        return sentence("That figure is not there any more.", 400)
    try:
        edit = taken_from(value_of(other.newest), str(body.get("set"))[:80], onto)
    except EditRefused as error:
        return refused(error)
    return JsonResponse({"edit": edit.model_dump(mode="json")})
