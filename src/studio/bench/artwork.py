"""What the Artwork stage asks for beside the figure itself: readings of a part, ink lifted off, a reference picture."""

from __future__ import annotations

import io
from functools import lru_cache
from typing import Any

from django.conf import settings
from django.contrib.auth.decorators import login_required
from django.core.files.uploadedfile import UploadedFile
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_GET, require_POST
from PIL import Image

from kunstgriff.artwork.facts import facts_of
from kunstgriff.artwork.ink import lifted, part_ink
from kunstgriff.artwork.meetings import suggested_pivot
from kunstgriff.artwork.middle import bend_of
from kunstgriff.artwork.sheet import ArtworkRefused, composite
from kunstgriff.artwork.svg import FILE_LIMIT, read_svg
from kunstgriff.figure.edit import EditRefused, parse_edit
from kunstgriff.figure.findings import findings
from kunstgriff.figure.model import Part
from kunstgriff.figure.stores import Beside, encode_png
from kunstgriff.paint.painter import PainterMissing
from kunstgriff.reading.previewing import preview
from kunstgriff.reading.sentences import seam_findings
from studio.bench.bends import bend_findings
from studio.bench.readings import need_pair_at, stored_seams, stored_together
from studio.bench.seen import Seen
from studio.bench.state import compiled
from studio.bench.views import require_revision
from studio.library.actions import NotAllowed, require_right
from studio.library.models import Figure
from studio.library.stores import DatabaseStores
from studio.painting import painted
from studio.requests import json_body, refused, sentence, user_of

PREVIEW = 420  # px of a side of each picture
REFERENCE_BYTES = 32 * 1024 * 1024
REFERENCE_SIDE = 4096  # px; a larger picture to go by is made smaller
DRAWING_SIDE = 10_000  # px; as much as 100 million pixels may have


@login_required
@require_GET
def open_findings(request: HttpRequest, figure_id: int, seen: Seen) -> HttpResponse:
    """What still needs a look at a revision, worst first."""
    seen = require_revision(request, figure_id, seen)
    figure, _ = compiled(seen)
    every = (*stored_seams(figure_id, seen), *stored_together(figure_id, seen))
    read = ((seam, need_pair_at(figure, seam.bone)) for seam in every)
    told = [*seam_findings(figure, read), *bend_findings(figure_id, seen)]
    found = _findings(seen) + [one.model_dump() for one in told if one.key not in figure.accepted]
    return JsonResponse({"findings": sorted(found, key=lambda one: -one["weight"])})


@lru_cache(maxsize=32)
def _findings(seen: Seen) -> list[dict[str, Any]]:
    return [finding.model_dump() for finding in findings(compiled(seen)[0], DatabaseStores())]


@login_required
@require_POST
def edit_preview(request: HttpRequest, figure_id: int, seen: Seen) -> HttpResponse:
    """What an edit would make of the drawing: before, after, what differs, side by side as a PNG. Nothing is kept."""
    figure, _ = compiled(require_revision(request, figure_id, seen))
    try:
        edit = parse_edit(json_body(request).get("edit"))
        pictures = painted(lambda painter: preview(figure, DatabaseStores(), edit, painter, PREVIEW))
    except (EditRefused, PainterMissing) as error:
        return refused(error)
    return HttpResponse(encode_png(pictures), content_type="image/png")


@login_required
@require_GET
def part_readings(request: HttpRequest, figure_id: int, seen: Seen, part_id: str) -> HttpResponse:
    """What was read from a part's picture."""
    figure, _ = compiled(require_revision(request, figure_id, seen))
    part = figure.part(part_id)
    if part is None:
        raise Http404
    stores = DatabaseStores()
    facts = facts_of(part, stores)
    pivot = suggested_pivot(figure, part, stores)
    return JsonResponse(
        {
            "lineWidth": round(facts.line_width, 1),
            "lineSpread": round(facts.line_spread, 2),
            "inked": round(100 * facts.inked),
            "pieces": max(len(facts.islands), 1),
            "holes": len(facts.holes),
            "softness": round(facts.softness, 1),
            "bend": round(bend_of(part, stores) or 0),
            "suggestedPivot": [round(pivot[0], 1), round(pivot[1], 1)] if pivot else None,
        }
    )


@login_required
@require_GET
def ink_lifted(request: HttpRequest, figure_id: int, seen: Seen) -> HttpResponse:
    """Digests of the parts' pictures without their ink, for the parts asked for."""
    figure, _ = compiled(require_revision(request, figure_id, seen))
    stores = DatabaseStores()
    wanted = set(request.GET.get("parts", "").split(","))
    chosen = (part for part in figure.parts if part.id in wanted and part.drawing.strip is None)
    return JsonResponse({"pictures": {part.id: _lifted(part.drawing.looks, Beside((part, stores))) for part in chosen}})


@lru_cache(maxsize=4096)
def _lifted(_drawing: object, beside: Beside[tuple[Part, DatabaseStores]]) -> str:
    """The digest of a part's picture without its ink, made once for each drawing."""
    part, stores = beside.value
    rgba = stores.get_pixels(part.drawing.picture)
    return stores.put_picture(encode_png(lifted(rgba, part_ink(part, stores))))


@login_required
@require_POST
def keep_reference(request: HttpRequest, figure_id: int) -> HttpResponse:
    """Keep an uploaded picture to go by; answers with its digest, for the edit that lays it on the sheet."""
    return _kept_picture(request, figure_id, REFERENCE_SIDE)


@login_required
@require_POST
def keep_drawing(request: HttpRequest, figure_id: int) -> HttpResponse:
    """Keep an uploaded picture as it is, or all of an SVG as one; answers with its digest, for the edit that makes it a
    drawing of a set."""
    return _kept_picture(request, figure_id, DRAWING_SIDE)


def _kept_svg(upload: UploadedFile[bytes]) -> HttpResponse:
    """All layers of an SVG as one picture in the stores."""
    if (upload.size or 0) > FILE_LIMIT:
        return sentence("An SVG of at most 16 MB is taken.", 400)
    try:
        picture = composite(read_svg(io.BytesIO(upload.read())))
    except ArtworkRefused as error:
        return refused(error)
    return JsonResponse({"picture": DatabaseStores().put_picture(encode_png(picture))})


def _kept_picture(request: HttpRequest, figure_id: int, side: int) -> HttpResponse:
    """An uploaded picture in the stores, made smaller where it is larger than `side` px."""
    figure = Figure.objects.seen_by(request.user).filter(pk=figure_id).first()
    upload = request.FILES.get("picture")
    if figure is None:
        raise Http404
    try:
        require_right(user_of(request), figure)
    except NotAllowed as error:
        return sentence(str(error), 403)
    if upload is not None and side == DRAWING_SIDE and str(upload.name).lower().endswith(".svg"):
        return _kept_svg(upload)
    if upload is None or (upload.size or 0) > min(REFERENCE_BYTES, settings.UPLOAD_LIMIT):
        return sentence("Choose a PNG or JPEG picture of at most 32 MB.", 400)
    try:
        with Image.open(io.BytesIO(upload.read()), formats=["PNG", "JPEG"]) as opened:
            if opened.width * opened.height > 100_000_000:
                return sentence("The picture has more pixels than Kunstgriff takes.", 400)
            image = opened.convert("RGBA")
            image.thumbnail((side, side))
            buffer = io.BytesIO()
            image.save(buffer, "PNG")
    except (OSError, SyntaxError, ValueError, Image.DecompressionBombError):
        return sentence("This is no PNG or JPEG picture, or it is damaged.", 400)
    digest = DatabaseStores().put_picture(buffer.getvalue())
    return JsonResponse({"picture": digest, "size": image.size})
