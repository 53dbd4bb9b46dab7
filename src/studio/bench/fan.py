"""The bend fan of a joint: what was read, and the pictures in one strip."""

from __future__ import annotations

from functools import lru_cache

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_GET, require_POST

from kunstgriff.figure.edit import EditRefused, need_bone
from kunstgriff.figure.stores import encode_png
from kunstgriff.paint.painter import PainterMissing
from kunstgriff.reading.correcting import proposed_corrective
from kunstgriff.reading.fan import Fan, bend_fan
from studio.bench.bends import keep_bend
from studio.bench.seen import Seen
from studio.bench.state import compiled
from studio.bench.views import require_revision
from studio.library.stores import DatabaseStores
from studio.painting import painted
from studio.requests import json_body, lasting, refused, sentence

TILE = 180  # px; shown at half of that on the card


@login_required
@require_GET
def fan_readings(request: HttpRequest, figure_id: int, seen: Seen, bone_id: str) -> HttpResponse:
    """The readings at each angle, or a sentence where nothing bends; asked to be bare, without correctives."""
    bare = "bare" in request.GET
    try:
        seen = require_revision(request, figure_id, seen)
        fan = _fan(seen, bone_id, bare)
    except (EditRefused, PainterMissing) as error:
        return refused(error)
    if not bare:
        keep_bend(figure_id, seen, bone_id, fan.worst)
    picture = request.path.rstrip("/") + (".png?bare" if bare else ".png")
    return JsonResponse({"readings": fan.rows(), "picture": picture})


@login_required
@require_GET
def fan_picture(request: HttpRequest, figure_id: int, seen: Seen, bone_id: str) -> HttpResponse:
    """The pictures side by side."""
    try:
        fan = _fan(require_revision(request, figure_id, seen), bone_id, "bare" in request.GET)
    except (EditRefused, PainterMissing) as error:
        return refused(error)
    return lasting(encode_png(fan.strip))


@login_required
@require_POST
def correct_bend(request: HttpRequest, figure_id: int, seen: Seen, bone_id: str) -> HttpResponse:
    """The sample of a corrective that mends what the bend misses at an angle, with what was missed and what still is;
    a sentence where nothing found reads better."""
    figure, _ = compiled(require_revision(request, figure_id, seen))
    angle = json_body(request).get("angle")
    if not isinstance(angle, int | float) or not -360 <= angle <= 360:
        return sentence("Say at which angle the bend shall be mended.", 400)
    try:
        bone = need_bone(figure, bone_id)
        found = painted(lambda painter: proposed_corrective(figure, DatabaseStores(), bone, painter, [float(angle)]))
    except (EditRefused, PainterMissing) as error:
        return refused(error)
    told = {name: [one and one[1] for one in some.values()] for name, some in
            (("before", found.before), ("after", found.after))}  # fmt: skip
    return JsonResponse({"samples": found.edit["samples"], **told})


@lru_cache(maxsize=24)
def _fan(seen: Seen, bone_id: str, bare: bool) -> Fan:
    figure, _ = compiled(seen)
    if bare:
        figure = figure.replace(correctives=())
    bone = need_bone(figure, bone_id)
    return painted(lambda painter: bend_fan(figure, DatabaseStores(), bone, painter, tile=TILE))
