"""The seams of a figure for the bench: which joints have one, and each one's readings."""

from __future__ import annotations

from dataclasses import asdict
from functools import lru_cache

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_GET

from kunstgriff.figure.edit import EditRefused, need_bone
from kunstgriff.paint.painter import PainterMissing
from kunstgriff.reading.seams import Seam, joints_with_seams, read_seam, sentence_of
from studio.bench.state import compiled
from studio.bench.views import require_revision
from studio.library.stores import DatabaseStores
from studio.painting import painted
from studio.requests import sentence


@login_required
@require_GET
def seam_joints(request: HttpRequest, figure_id: int, revision_id: int) -> HttpResponse:
    """The bones at whose joints two parts meet."""
    figure, _ = compiled(require_revision(request, figure_id, revision_id))
    return JsonResponse({"bones": [bone.id for bone in joints_with_seams(figure, DatabaseStores())]})


@login_required
@require_GET
def seam_readings(request: HttpRequest, figure_id: int, revision_id: int, bone_id: str) -> HttpResponse:
    """One seam over its range, with what misses in sentences, or a sentence where there is none."""
    try:
        seam = _seam(require_revision(request, figure_id, revision_id), bone_id)
    except (EditRefused, PainterMissing) as error:
        return sentence(str(error), 400)
    return JsonResponse(
        {
            "bone": seam.bone,
            "radius": round(seam.radius, 1),
            "line": round(seam.line, 2),
            "badness": round(seam.badness, 2),
            "misses": [{**asdict(miss), "sentence": sentence_of(seam, miss)} for miss in seam.misses],
            "readings": [{key: round(value, 3) for key, value in asdict(one).items()} for one in seam.readings],
        }
    )


@lru_cache(maxsize=128)
def _seam(revision_id: int, bone_id: str) -> Seam:
    figure, _ = compiled(revision_id)
    bone = need_bone(figure, bone_id)
    return painted(lambda painter: read_seam(figure, DatabaseStores(), bone, painter))
