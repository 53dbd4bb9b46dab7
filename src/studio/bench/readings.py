"""Seams read for a revision: from the database where nothing they depend on changed, else painted and read anew."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import asdict, fields
from functools import lru_cache

from django.db import IntegrityError, transaction

from kunstgriff.figure.edit import EditRefused, need_bone
from kunstgriff.figure.model import Bone, Part
from kunstgriff.figure.model import Figure as FigureValue
from kunstgriff.reading.around import mark_of
from kunstgriff.reading.seam import SeamReading
from kunstgriff.reading.seams import Seam, joints_with_seams, read_seam, seam_of
from kunstgriff.seam.joints import limb_radius, need_meeting
from studio.bench.models import Reading, SeamRead
from studio.bench.state import compiled
from studio.library.models import Revision
from studio.library.stores import DatabaseStores
from studio.painting import painted

NAMES = tuple(one.name for one in fields(SeamReading))


class Unread(LookupError):
    """The seam has not been read yet."""


def seam_at(figure_id: int, revision_id: int, bone_id: str) -> Seam:
    """One joint's seam at a revision. Raises EditRefused where no two parts meet."""
    try:
        return stored_seam(figure_id, revision_id, bone_id)
    except Unread:
        figure, _ = compiled(revision_id)
        bone = need_bone(figure, bone_id)
        seam = painted(lambda painter: read_seam(figure, DatabaseStores(), bone, painter))
        _store(figure_id, _mark(figure, bone), seam)
        return seam


@lru_cache(maxsize=2048)  # revisions never change
def stored_seam(figure_id: int, revision_id: int, bone_id: str) -> Seam:
    """The seam as it was read before, judged by the figure's tolerances. Raises Unread or EditRefused."""
    figure, _ = compiled(revision_id)
    bone = need_bone(figure, bone_id)
    row = SeamRead.objects.filter(figure_id=figure_id, mark=_mark(figure, bone)).first()
    if row is None:
        raise Unread
    readings = tuple(SeamReading(**{name: getattr(one, name) for name in NAMES}) for one in row.readings.all())
    return seam_of(figure, DatabaseStores(), bone, (row.radius, row.line), readings)


def stored_seams(figure_id: int, revision_id: int) -> list[Seam]:
    """Those of a revision's seams that have been read."""
    found = []
    for bone_id in SeamRead.objects.filter(figure_id=figure_id).values_list("bone", flat=True).distinct():
        with suppress(Unread, EditRefused):
            found.append(stored_seam(figure_id, revision_id, bone_id))
    return found


@lru_cache(maxsize=64)
def joints_at(revision_id: int) -> tuple[Bone, ...]:
    """The bones at whose joints two parts meet."""
    return tuple(joints_with_seams(compiled(revision_id)[0], DatabaseStores()))


def seam_before(figure_id: int, revision_id: int, bone_id: str) -> Seam | None:
    """The same joint's seam at the revision this one was made from, if it was another one and was read."""
    parent = Revision.objects.filter(pk=revision_id).values_list("parent_id", flat=True).first()
    if parent is None:
        return None
    (figure, _), (now, _) = compiled(parent), compiled(revision_id)
    bone = figure.bone(bone_id)
    try:
        if bone is None or _mark(figure, bone) == _mark(now, need_bone(now, bone_id)):
            return None
        return stored_seam(figure_id, parent, bone_id)
    except (EditRefused, Unread):
        return None


def need_pair_at(figure: FigureValue, bone_id: str) -> tuple[Part, Part]:
    """The two parts that meet at a bone's joint. Raises EditRefused where none do."""
    return need_meeting(figure, need_bone(figure, bone_id), DatabaseStores())


def _mark(figure: FigureValue, bone: Bone) -> str:
    pair = need_pair_at(figure, bone.id)
    return mark_of(figure, pair, bone, limb_radius(pair, bone, DatabaseStores()))


def _store(figure_id: int, mark: str, seam: Seam) -> None:
    """Keep a seam's readings, all or none. Someone else may have read it meanwhile; then theirs stay."""
    try:
        with transaction.atomic():
            row = SeamRead.objects.create(
                figure_id=figure_id, mark=mark, bone=seam.bone, joint=seam.name, treatment=seam.treated,
                radius=seam.radius, line=seam.line,
            )  # fmt: skip
            Reading.objects.bulk_create(Reading(seam=row, **asdict(one)) for one in seam.readings)
    except IntegrityError:
        return
