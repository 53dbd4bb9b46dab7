"""The bench over HTTP: the page, its state, edits, undo and redo. Posing goes over the live socket."""

from __future__ import annotations

import json
import logging
import secrets
from collections.abc import Callable
from typing import Any

from asgiref.sync import async_to_sync
from channels.layers import get_channel_layer
from django.contrib.auth.decorators import login_required
from django.db import DatabaseError
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_GET, require_POST

from kunstgriff.figure.edit import EditRefused
from studio.bench.packing import pack
from studio.bench.seen import Seen
from studio.bench.state import bench_geometry, bench_state
from studio.library.actions import NotAllowed, Stale, make_edit, redo, undo
from studio.library.models import Figure, Revision
from studio.requests import json_body, lasting, number, refused, sentence, user_of

logger = logging.getLogger(__name__)
GONE = "This figure was deleted, perhaps in another tab. The library shows what there is."


def _seen(request: HttpRequest, figure_id: int) -> Figure | None:
    seen = Figure.objects.seen_by(request.user).select_related("head").defer("head__document")
    return seen.filter(pk=figure_id).first()


def require_revision(request: HttpRequest, figure_id: int, seen: Seen) -> Seen:
    """What is seen, if it is a revision of a figure the user may see; else 404."""
    may = Figure.objects.seen_by(request.user).filter(pk=figure_id).exists()
    if not may or not Revision.objects.filter(pk=seen.revision, figure_id=figure_id).exists():
        raise Http404
    return seen


# each a folder of templates and of scripts
STAGES = ("artwork", "bones", "binding", "warps", "seams", "controls", "follow", "trial", "delivery")


@login_required
@require_GET
@ensure_csrf_cookie
def bench(request: HttpRequest, figure_id: int) -> HttpResponse:
    """The working page of a figure."""
    figure = get_object_or_404(Figure.objects.seen_by(request.user).defer("head__document"), pk=figure_id)
    return render(
        request, "bench/bench.html", {"figure": figure, "stages": [f"bench/{one}/card.html" for one in STAGES]}
    )


@login_required
@require_GET
def state(request: HttpRequest, figure_id: int) -> HttpResponse:
    """What the bench needs to know of the newest revision, from the facing it shows, as JSON."""
    figure = _seen(request, figure_id)
    if figure is None:
        return sentence(GONE, 410)
    facing = number(request.GET.get("facing", "")) or 0
    return JsonResponse(bench_state(figure, figure.may_edit(user_of(request)), facing))


@login_required
@require_GET
def geometry(request: HttpRequest, figure_id: int, seen: Seen) -> HttpResponse:
    """Vertices, triangles and tints of a revision, packed."""
    seen = require_revision(request, figure_id, seen)
    return lasting(pack(bench_geometry(seen)), "application/octet-stream")


@login_required
@require_POST
def edit(request: HttpRequest, figure_id: int) -> HttpResponse:
    """Make an edit on the revision it was made for."""
    return _changed(
        request, figure_id, lambda figure, base, data: make_edit(user_of(request), figure, base, data.get("edit"))
    )


@login_required
@require_POST
def undo_edit(request: HttpRequest, figure_id: int) -> HttpResponse:
    """Take the last edit back."""
    return _changed(request, figure_id, lambda figure, base, data: undo(user_of(request), figure, base))


@login_required
@require_POST
def redo_edit(request: HttpRequest, figure_id: int) -> HttpResponse:
    """Make the edit again that was taken back."""
    return _changed(request, figure_id, lambda figure, base, data: redo(user_of(request), figure, base))


def _changed(
    request: HttpRequest, figure_id: int, change: Callable[[Figure, int, dict[str, Any]], Revision]
) -> HttpResponse:
    """Do one change and answer with the bench's new state, or with a sentence and, when stale, the newer state."""
    figure, facing = _seen(request, figure_id), 0
    if figure is None:
        return sentence(GONE, 410)
    try:
        data = json_body(request)
        facing = data["facing"] if type(data.get("facing")) is int else 0
        base = data.get("base")
        if type(base) is not int:
            raise EditRefused("The request does not say which revision it was made on.")
        revision = change(figure, base, data)
    except EditRefused as error:
        return refused(error)
    except NotAllowed as error:
        return sentence(str(error), 403)
    except Figure.DoesNotExist:
        return sentence(GONE, 410)
    except Stale as stale:
        newer = bench_state(stale.figure, stale.figure.may_edit(user_of(request)), facing)
        return sentence("The figure was changed elsewhere; the bench has caught up.", 409, state=newer)
    except DatabaseError:
        raise  # said as such, so that the bench sends the edit again
    except Exception:
        return _unforeseen(data)
    figure.refresh_from_db()
    tell_others(figure_id, revision.pk)
    return JsonResponse(bench_state(figure, True, facing))


def _unforeseen(data: dict[str, Any]) -> HttpResponse:
    """A sentence with a number to quote, the edit and what it was at; the log has the number, too, and all of it."""
    number = secrets.token_hex(3).upper()
    logger.exception("%s: an edit failed: %s", number, json.dumps(data)[:4_000])
    edit = data.get("edit")
    edit = edit if isinstance(edit, dict) else {}
    kind = str(edit.get("kind", "what was asked for")).replace("_", " ")[:60]
    at = next((edit[key] for key in ("part", "parts", "bone", "bones", "treatment") if edit.get(key)), "")
    names = ", ".join(str(one) for one in (at if isinstance(at, list) else [at]))[:120]
    where = f" at {names}" if names else ""
    words = (
        f"“{kind}”{where} failed in a way nobody foresaw; nothing was changed. Tell whoever runs the studio: {number}."
    )
    return sentence(words, 500)


def tell_others(figure_id: int, revision: int) -> None:
    """Tell every bench that has this figure open that its head moved."""
    layer = get_channel_layer()
    if layer is not None:
        async_to_sync(layer.group_send)(f"figure-{figure_id}", {"type": "head.moved", "revision": revision})
