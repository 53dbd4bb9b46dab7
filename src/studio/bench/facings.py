"""The facings of a figure, as the bench tells and shows them."""

from __future__ import annotations

from functools import lru_cache

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.views.decorators.http import require_GET

from kunstgriff.delivery.turnaround import even_view, turnaround_sheet
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.pose import Pose
from kunstgriff.figure.refusal import DeliveryRefused
from kunstgriff.figure.stores import encode_png
from kunstgriff.paint.painter import Painter, PainterMissing, as_seen
from studio.bench.seen import Seen
from studio.bench.state import compiled
from studio.bench.views import require_revision
from studio.library.stores import DatabaseStores
from studio.painting import painted
from studio.requests import lasting, refused

SMALL, WIDE = 96, 1600  # px high, px across


@login_required
@require_GET
def facing_picture(request: HttpRequest, figure_id: int, seen: Seen) -> HttpResponse:
    """A small picture of the figure from one of its facings."""
    return _answered(require_revision(request, figure_id, seen), SMALL)


@login_required
@require_GET
def ghost_picture(request: HttpRequest, figure_id: int, seen: Seen) -> HttpResponse:
    """The figure at rest from one of its facings, as large as it is, as wide to both sides of where it stands."""
    return _answered(require_revision(request, figure_id, seen), None)


@login_required
@require_GET
def turnaround_picture(request: HttpRequest, figure_id: int, seen: Seen) -> HttpResponse:
    """All facings side by side, with what is wrong between them."""
    try:
        return lasting(_around(require_revision(request, figure_id, seen).revision))
    except (DeliveryRefused, PainterMissing) as error:
        return refused(error)


@lru_cache(maxsize=8)
def _around(revision: int) -> bytes:
    figure, _ = compiled(Seen(revision))
    return painted(lambda painter: encode_png(turnaround_sheet(figure, DatabaseStores(), width=WIDE, by=painter)))


def _answered(seen: Seen, height: int | None) -> HttpResponse:
    try:
        return lasting(_pictured(seen, height))
    except PainterMissing as error:
        return refused(error)


@lru_cache(maxsize=128)
def _pictured(seen: Seen, height: int | None) -> bytes:
    figure, program = compiled(seen)
    view = even_view(figure, 1.0 if height is None else height / figure.sheet.height)
    mirrored = figure.turnaround is not None and figure.turnaround.is_mirrored(seen.facing)

    def paint(painter: Painter) -> bytes:
        rig = RigState(program)
        return encode_png(as_seen(painter, rig, rig.evaluate(Pose()), view, DatabaseStores(), mirrored))

    return painted(paint)
