"""Seams read for a revision: from the database where nothing they depend on changed, else painted and read anew."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator
from contextlib import suppress
from dataclasses import asdict, fields, replace
from functools import lru_cache, partial

from django.db import IntegrityError, transaction

from kunstgriff.figure.edit import EditRefused, need_bone
from kunstgriff.figure.model import Bone, Part
from kunstgriff.figure.model import Figure as FigureValue
from kunstgriff.paint.painter import Painter
from kunstgriff.reading.around import mark_of
from kunstgriff.reading.seam import SeamReading
from kunstgriff.reading.seams import Seam, joints_with_seams, read_seam, seam_of
from kunstgriff.reading.together import Situation, read_together, situations
from kunstgriff.seam.joints import limb_radius, need_meeting
from studio.bench.models import Reading, SeamRead
from studio.bench.seen import Seen
from studio.bench.state import compiled
from studio.library.models import Revision
from studio.library.stores import DatabaseStores
from studio.painting import painted

NAMES = tuple(one.name for one in fields(SeamReading))
AT_ONCE = 12  # situations read before others may have the painter: half a second to three


class Unread(LookupError):
    """The seam has not been read yet."""


def seam_at(figure_id: int, seen: Seen, bone_id: str) -> Seam:
    """One joint's seam at a revision. Raises EditRefused where no two parts meet."""
    try:
        return stored_seam(figure_id, seen, bone_id)
    except Unread:
        figure, _ = compiled(seen)
        bone = need_bone(figure, bone_id)
        seam = painted(lambda painter: read_seam(figure, DatabaseStores(), bone, painter))
        _store(figure_id, _mark(seen, bone_id), seam, bone)
        return seam


@lru_cache(maxsize=2048)  # revisions never change
def stored_seam(figure_id: int, seen: Seen, bone_id: str) -> Seam:
    """The seam as it was read before, judged by the figure's tolerances. Raises Unread or EditRefused."""
    return _kept(figure_id, seen, bone_id)


def stored_seams(figure_id: int, seen: Seen) -> list[Seam]:
    """Those of a revision's seams that have been read, each alone."""
    read = SeamRead.objects.filter(figure_id=figure_id, situation="")
    found = []
    for bone_id in read.values_list("bone", flat=True).distinct():
        with suppress(Unread, EditRefused):
            found.append(stored_seam(figure_id, seen, bone_id))
    return found


def together_at(figure_id: int, seen: Seen, bone_id: str) -> list[Seam]:
    """One joint's seam with its neighbours turned and in the kept poses. Raises EditRefused where no two parts meet."""
    figure, _ = compiled(seen)
    bone = need_bone(figure, bone_id)
    need_pair_at(figure, bone_id)
    every = situations_at(seen, bone_id)
    known = {one.words: seam for one, seam in _kept_together(figure_id, seen, bone_id)}
    lacking = [one for one in every if one.words not in known]
    for first in range(0, len(lacking), AT_ONCE):
        some = lacking[first : first + AT_ONCE]
        read = painted(partial(_read_together, figure, bone, some))
        for item, seam in zip(some, read, strict=True):
            _store(figure_id, _mark(seen, bone_id, item), seam, bone, item.words)
            known[item.words] = seam
    return [known[one.words] for one in every]


def _read_together(figure: FigureValue, bone: Bone, some: list[Situation], painter: Painter) -> list[Seam]:
    return list(read_together(figure, DatabaseStores(), painter, bone, some))


def stored_together(figure_id: int, seen: Seen, bone_ids: Iterable[str] | None = None) -> list[Seam]:
    """Those seams of some joints, or of all, that have been read with others turned, and nothing has changed since."""
    read = SeamRead.objects.filter(figure_id=figure_id).exclude(situation="")
    wanted = set(read.values_list("bone", flat=True).distinct())
    if bone_ids is not None:
        wanted &= set(bone_ids)
    figure, _ = compiled(seen)
    found = []
    for bone in figure.bones:
        if bone.id in wanted:
            with suppress(EditRefused):
                found += [seam for _, seam in _kept_together(figure_id, seen, bone.id)]
    return found


@lru_cache(maxsize=1024)
def situations_at(seen: Seen, bone_id: str) -> list[Situation]:
    """What else is turned while a joint's seam is read."""
    figure, _ = compiled(seen)
    return situations(figure, DatabaseStores(), need_bone(figure, bone_id))


def _kept_together(figure_id: int, seen: Seen, bone_id: str) -> Iterator[tuple[Situation, Seam]]:
    for item in situations_at(seen, bone_id):
        with suppress(Unread):
            yield item, _kept(figure_id, seen, bone_id, item)


def _kept(figure_id: int, seen: Seen, bone_id: str, situation: Situation | None = None) -> Seam:
    """A seam from its rows. Raises Unread or EditRefused."""
    row = SeamRead.objects.filter(figure_id=figure_id, mark=_mark(seen, bone_id, situation)).first()
    if row is None:
        raise Unread
    figure, _ = compiled(seen)
    bone = need_bone(figure, bone_id)
    readings = tuple(SeamReading(**{name: getattr(one, name) for name in NAMES}) for one in row.readings.all())
    seam = seam_of(figure, DatabaseStores(), bone, (row.radius, row.line), readings)
    return seam if situation is None else replace(seam, name=f"{bone.name} {situation.words}")


@lru_cache(maxsize=64)
def joints_at(seen: Seen) -> tuple[Bone, ...]:
    """The bones at whose joints two parts meet."""
    return tuple(joints_with_seams(compiled(seen)[0], DatabaseStores()))


def seam_before(figure_id: int, seen: Seen, bone_id: str) -> Seam | None:
    """The same joint's seam at the revision this one was made from, if it was another one and was read."""
    parent = _changed_since(seen, bone_id)
    try:
        return stored_seam(figure_id, parent, bone_id) if parent is not None else None
    except Unread:
        return None


def together_before(figure_id: int, seen: Seen, bone_id: str) -> list[Seam] | None:
    """The same with others turned; None unless the seam was another one and was read so."""
    parent = _changed_since(seen, bone_id)
    return (stored_together(figure_id, parent, [bone_id]) or None) if parent is not None else None


def _changed_since(seen: Seen, bone_id: str) -> Seen | None:
    """The revision this one was made from, if the seam was there and was another one then."""
    before = Revision.objects.filter(pk=seen.revision).values_list("parent_id", flat=True).first()
    if before is None:
        return None
    parent = seen._replace(revision=before)
    try:
        same = _mark(parent, bone_id) == _mark(seen, bone_id)
    except EditRefused:
        return None
    return None if same else parent


def need_pair_at(figure: FigureValue, bone_id: str) -> tuple[Part, Part]:
    """The two parts that meet at a bone's joint. Raises EditRefused where none do."""
    return need_meeting(figure, need_bone(figure, bone_id), DatabaseStores())


def _mark(seen: Seen, bone_id: str, situation: Situation | None = None) -> str:
    """A digest of all that a seam's readings depend on. Raises EditRefused where no two parts meet."""
    mark = _mark_alone(seen, bone_id)
    if situation is None:
        return mark
    posed = f"{mark} {sorted(situation.beside.channels.items())} {situation.angles}"
    return hashlib.sha256(posed.encode()).hexdigest()


@lru_cache(maxsize=8192)
def _mark_alone(seen: Seen, bone_id: str) -> str:
    figure, _ = compiled(seen)
    pair = need_pair_at(figure, bone_id)
    bone = need_bone(figure, bone_id)
    return mark_of(figure, pair, bone, limb_radius(pair, bone, DatabaseStores()))


def _store(figure_id: int, mark: str, seam: Seam, bone: Bone, situation: str = "") -> None:
    """Keep a seam's readings, all or none. Someone else may have read it meanwhile; then theirs stay."""
    try:
        with transaction.atomic():
            row = SeamRead.objects.create(
                figure_id=figure_id, mark=mark, bone=bone.id, joint=bone.name, treatment=seam.treated,
                situation=situation, radius=seam.radius, line=seam.line,
            )  # fmt: skip
            Reading.objects.bulk_create(Reading(seam=row, **asdict(one)) for one in seam.readings)
    except IntegrityError:
        return
