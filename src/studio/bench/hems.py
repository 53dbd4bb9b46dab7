"""A hem read row by row: each answer is the near thigh at one turn, so that one sees how far it is and can stop."""

from __future__ import annotations

from functools import lru_cache
from threading import Lock

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_GET

from kunstgriff.figure.edit import EditRefused
from kunstgriff.warp.hem.edits import need_hem
from kunstgriff.warp.hem.laying import shares_of
from kunstgriff.warp.hem.reading import STEPS, HemReader, HemReading, HemReport
from studio.bench.seen import Seen
from studio.bench.state import compiled
from studio.bench.views import require_revision
from studio.library.stores import DatabaseStores
from studio.requests import refused

_one_at_a_time = Lock()  # a reader has one state


@login_required
@require_GET
def hem_row(request: HttpRequest, figure_id: int, seen: Seen, hem_id: str, row: int) -> HttpResponse:
    """The readings of one row; behind the last row what the whole comes to, in words."""
    try:
        seen = require_revision(request, figure_id, seen)
        if row < STEPS:
            near, far = _reader(seen, hem_id).turns()
            readings = _row(seen, hem_id, row)
            cells = [{"leg": round(one.leg), "wedge": round(one.wedge), "folded": one.folded} for one in readings]
            return JsonResponse({"near": round(float(near[row]), 1), "far": far.round(1).tolist(), "cells": cells})
        return JsonResponse(_told(seen, hem_id))
    except EditRefused as error:
        return refused(error)


@lru_cache(maxsize=4)
def _reader(seen: Seen, hem_id: str) -> HemReader:
    figure, _ = compiled(seen)
    return HemReader(figure, need_hem(figure, hem_id), DatabaseStores())


@lru_cache(maxsize=8 * STEPS)
def _row(seen: Seen, hem_id: str, row: int) -> tuple[HemReading, ...]:
    reader = _reader(seen, hem_id)
    near, far = reader.turns()
    with _one_at_a_time:
        return reader.row(float(near[row]), far)


@lru_cache(maxsize=16)
def _told(seen: Seen, hem_id: str) -> dict[str, object]:
    """The worst of a hem and where it breaks, in words, with its shares."""
    reader = _reader(seen, hem_id)
    near, far = reader.turns()
    grid = tuple(_row(seen, hem_id, row) for row in range(STEPS))
    with _one_at_a_time:
        kept = reader.kept()
    report = HemReport(near, far, grid, kept)
    drawn, pressed = report.table("greatest").max(), report.table("least").min()
    return {
        "sentences": list(report.sentences(reader.hem.name)),
        "facts": [
            f"moves at the most {report.jump:.2f} px for a px of a knee",
            f"cloth drawn to {drawn:.2f}, pressed to {pressed:.2f} of its length at the most",
            f"waist moves {report.table('waist').max():.1f} px off its pelvis at the most",
        ],
        "shares": vars(shares_of(reader.figure, reader.hem)),
    }
