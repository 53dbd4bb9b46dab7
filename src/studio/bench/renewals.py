"""A new version of the sheet, kept until a person has looked at what matches what and takes it over."""

from __future__ import annotations

import contextlib
from typing import Any

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods

from kunstgriff.artwork.renewing import Cut, Matching, RenewSheet, match_sheet, renewal
from kunstgriff.artwork.sheet_records import sheet_from_data
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.facings import Facing
from kunstgriff.figure.model import Figure as FigureValue
from kunstgriff.paint.painter import PainterMissing
from studio.accounts.models import User
from studio.bench.seen import Seen
from studio.bench.state import compiled, seen_at
from studio.bench.views import tell_others
from studio.deliveries.tasks import make_thumbnail
from studio.library.actions import NotAllowed, Stale, make_edit, require_right, value_of
from studio.library.models import ArtSheet, Figure
from studio.library.stores import DatabaseStores
from studio.painting import painted
from studio.requests import number, user_of

NEW, NOT = "new", "not"


@login_required
@require_http_methods(["GET", "POST"])
def renewal_page(request: HttpRequest, figure_id: int, sheet_id: int) -> HttpResponse:
    """The new sheet beside the figure, from the facing it shows: matched, changed, new, missing; each match can be
    corrected."""
    figure = get_object_or_404(Figure.objects.seen_by(request.user).select_related("head"), pk=figure_id)
    kept = get_object_or_404(ArtSheet, pk=sheet_id, figure=figure)
    if kept.sheet is None:
        return redirect("bench", figure.pk)
    try:
        require_right(user_of(request), figure)
    except NotAllowed as error:
        messages.error(request, str(error))
        return redirect("library")
    stores = DatabaseStores()
    asked = request.POST.get("facing", request.GET.get("facing", ""))
    seen = _drawn_at(figure.newest.pk, number(asked) or 0)
    value, other = compiled(seen)[0], bool(seen.facing)
    sheet = sheet_from_data(kept.sheet, stores)
    if request.method == "POST" and "let-be" in request.POST:
        kept.delete()
        return redirect("bench", figure.pk)
    decided = request.method == "POST" and "match" not in request.POST
    chosen = _chosen(request.POST, value) if decided else {}
    settled = {piece: ref if ref not in (NEW, NOT) else None for piece, ref in chosen.items()}
    matching = match_sheet(value, sheet, stores, settled)
    sentence = ""
    if decided:
        try:
            _require_once(settled, value)
            taken = matching.without({piece for piece, ref in chosen.items() if ref == NOT})
            _take_over(user_of(request), figure, renewal(value, sheet, taken, stores, from_elsewhere=other), seen)
            kept.notices = taken.told(value) + kept.notices
            kept.sheet = None
            kept.save()
            return redirect("bench", figure.pk)
        except (EditRefused, NotAllowed) as error:
            sentence = str(error)
        except Stale:
            sentence = "The figure was changed meanwhile; look once more and take it over."
    rows = _rows(value, matching, chosen)
    context = {"figure": figure, "kept": kept, "rows": rows, "parts": value.parts, "sentence": sentence}
    context |= {"facings": drawn_facings(value), "facing": seen.facing, "elsewhere": other}
    missing = [part for part in value.parts if part.id in matching.missing]
    return render(request, "bench/renewal.html", {**context, "missing": missing, "counts": _counts(matching)})


def _chosen(data: Any, value: FigureValue) -> dict[int, str]:
    """What the page's form says of each piece: a part's id, `new` or `not`; anything else is left to the guess."""
    refs = {part.id for part in value.parts} | {NEW, NOT}
    found = {}
    for key, ref in data.items():
        piece = key.removeprefix("piece-")
        if piece != key and piece.isascii() and piece.isdigit() and len(piece) < 6 and ref in refs:
            found[int(piece)] = str(ref)
    return found


def _require_once(settled: dict[int, str | None], value: FigureValue) -> None:
    refs = [ref for ref in settled.values() if ref is not None]
    for ref in refs:
        if refs.count(ref) > 1:
            part = value.part(ref)
            raise EditRefused(f"Two layers cannot both be “{part.name if part else ref}”; choose again.")


def _drawn_at(revision: int, facing: int) -> Seen:
    """A revision from a facing, or from the one that is drawn where a facing mirrors it."""
    turnaround = compiled(Seen(revision))[0].turnaround
    return Seen(revision) if turnaround is None else seen_at(revision, turnaround.drawn(facing).number)


def drawn_facings(value: FigureValue) -> list[Facing]:
    """The facings a drawing may be of, the first one as number 0; none where there is one side only."""
    turnaround = value.turnaround
    drawn = [] if turnaround is None else [one for one in turnaround.facings if one.mirrors is None]
    first = turnaround.first if turnaround is not None else 0
    return [one.model_copy(update={"number": 0}) if one.number == first else one for one in drawn]


def _take_over(user: User, figure: Figure, edit: RenewSheet, seen: Seen) -> None:
    """Make the edit on a facing, unless it changes nothing, and show the figure anew in the library."""
    if not (edit.looks or edit.new or edit.scale or edit.order):
        return
    data = edit.model_dump(mode="json")
    if seen.facing:
        data = {"kind": "in_facing", "facing": seen.facing, "edit": data}
    revision = make_edit(user, figure, seen.revision, data)
    tell_others(figure.pk, revision.pk)
    with contextlib.suppress(PainterMissing):
        painted(lambda _: make_thumbnail(figure, value_of(revision), DatabaseStores()))


def _counts(matching: Matching) -> dict[str, int]:
    return {
        "same": len(matching.same),
        "changed": len(matching.changed),
        "new": len(matching.new),
        "missing": len(matching.missing),
    }


def _rows(value: FigureValue, matching: Matching, chosen: dict[int, str]) -> list[dict[str, Any]]:
    """One row a piece of the new sheet, what needs a look first."""

    def row(order: int, word: str, cut: Cut, ref: str | None) -> dict[str, Any]:
        part = value.part(ref) if ref else None
        return {
            "order": order,
            "word": word,
            "number": cut.number,
            "name": cut.name,
            "picture": cut.digest,
            "part": part,
            "choice": chosen.get(cut.number, ref or NEW),
        }

    rows = [row(0, "new", cut, None) for cut in matching.new]
    rows += [row(1, "changed", cut, ref) for ref, cut in matching.changed]
    rows += [row(2, "as it was", cut, ref) for ref, cut in matching.same]
    return sorted(rows, key=lambda one: (one["order"], one["number"]))
