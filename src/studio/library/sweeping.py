"""What only deleted figures referred to leaves the studio some days after them: pictures, arrays, kept drawings.

A digest that left with a figure is noted; when its time has come, and nothing else refers to it, its content goes. What
is stored again meanwhile is noted no more.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from datetime import timedelta

from django.conf import settings
from django.db import transaction
from django.utils import timezone

from studio.library.models import ArrayBlock, ArtSheet, Figure, Leaving, Picture, Revision
from studio.library.stores import picture_path

DIGEST = re.compile(r"(?<![0-9a-f])[0-9a-f]{64}(?![0-9a-f])")


def delete_figure(figure: Figure) -> None:
    """Delete a figure for good, with all its revisions, and note what may leave with it."""
    with transaction.atomic():
        revisions, sheets = figure.revisions.all(), figure.art_sheets.all()
        digests = set(_referred(revisions.values_list("document", flat=True)))
        digests |= set(_referred(sheets.values_list("sheet", flat=True)))
        digests |= set(_referred(sheets.values_list("source", flat=True)))
        if figure.thumbnail_id is not None:
            digests.add(figure.thumbnail_id)
        now = timezone.now()
        leaving = [Leaving(digest=digest, since=now) for digest in sorted(digests)]
        Leaving.objects.bulk_create(leaving, batch_size=500, ignore_conflicts=True)
        Figure.objects.filter(pk=figure.pk).update(head=None)
        revisions.update(parent=None)
        figure.delete()


def sweep() -> int:
    """Let go of what has left for long enough and is referred to by nothing; how many pictures and arrays went."""
    due = timezone.now() - timedelta(days=settings.SWEEP_AFTER_DAYS)
    leaving = set(Leaving.objects.filter(since__lte=due).values_list("digest", flat=True))
    if not leaving:
        return 0
    kept = leaving & _needed()
    Leaving.objects.filter(digest__in=kept).delete()
    gone = 0
    for digest in leaving - kept:
        with transaction.atomic():
            # whoever stores this content again takes the note away first, and waits for us here
            if not Leaving.objects.select_for_update().filter(digest=digest, since__lte=due).exists():
                continue
            gone += (
                ArrayBlock.objects.filter(digest=digest).delete()[0] + Picture.objects.filter(digest=digest).delete()[0]
            )
            picture_path(digest).unlink(missing_ok=True)
            (settings.SOURCES / f"{digest}.svg").unlink(missing_ok=True)
            Leaving.objects.filter(digest=digest).delete()
    return gone


def _needed() -> set[str]:
    """Every digest any figure refers to, in whichever revision."""
    found = set(_referred(Revision.objects.values_list("document", flat=True).iterator(50)))
    found |= set(_referred(ArtSheet.objects.values_list("sheet", flat=True).iterator(50)))
    found |= set(_referred(ArtSheet.objects.values_list("source", flat=True).iterator(500)))
    return found | set(Figure.objects.exclude(thumbnail=None).values_list("thumbnail_id", flat=True))


def _referred(documents: object) -> Iterator[str]:
    for document in documents:  # type: ignore[attr-defined]
        yield from DIGEST.findall(document if isinstance(document, str) else json.dumps(document))
