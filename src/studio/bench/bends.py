"""Bends as they were read: kept by a mark of all they depend on, told as findings as long as that stays."""

from __future__ import annotations

from contextlib import suppress

from django.db import IntegrityError, transaction

from kunstgriff.figure.edit import need_bone
from kunstgriff.figure.findings import Finding
from kunstgriff.reading.bends import Told, bend_finding, bend_mark, bending_bones
from studio.bench.models import BendRead
from studio.bench.seen import Seen
from studio.bench.state import compiled


def keep_bend(figure_id: int, seen: Seen, bone_id: str, worst: tuple[Told, float] | None) -> None:
    """Keep what the worst of a bend is. Someone else may have read it meanwhile; then theirs stays."""
    figure, _ = compiled(seen)
    (times, words), angle = worst or ((0.0, ""), 0.0)
    mark = bend_mark(figure, need_bone(figure, bone_id))
    with suppress(IntegrityError), transaction.atomic():
        BendRead.objects.create(
            figure_id=figure_id, mark=mark, bone=bone_id, times=times, angle=angle, words=words[:200]
        )


def bend_findings(figure_id: int, seen: Seen) -> list[Finding]:
    """Those bends of a revision that have been read and miss something."""
    figure, _ = compiled(seen)
    marks = {bend_mark(figure, bone): bone for bone in bending_bones(figure)}
    rows = BendRead.objects.filter(figure_id=figure_id, mark__in=list(marks), times__gt=1)
    return [bend_finding(figure, marks[one.mark], (one.times, one.words), one.angle) for one in rows]
