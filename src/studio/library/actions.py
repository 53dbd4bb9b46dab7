"""What can be done with a figure, each one checked, done in one transaction, and kept."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from django.db import transaction

from kunstgriff.figure.edit import EditRefused, apply_edit, free_name, parse_edit
from kunstgriff.figure.model import Figure as FigureValue
from kunstgriff.figure.stores import Beside
from studio.accounts.models import User
from studio.library.models import ArtSheet, Figure, Revision
from studio.library.stores import DatabaseStores


class NotAllowed(Exception):
    """The user may look but not edit; the message is a sentence."""


@dataclass
class Stale(Exception):
    """The edit was made on a revision that is no longer the head; `figure` is as it stands now."""

    figure: Figure


def value_of(revision: Revision) -> FigureValue:
    """The figure document of a revision; revisions never change."""
    return _value_of(revision.pk, Beside(revision))


@lru_cache(maxsize=64)
def _value_of(_pk: int, beside: Beside[Revision]) -> FigureValue:
    return FigureValue.model_validate(beside.value.document)


@transaction.atomic
def create_figure(
    owner: User,
    value: FigureValue,
    told: str,
    file_name: str = "",
    notices: list[str] | None = None,
    source: str = "",
) -> Figure:
    """A new figure in the library with its first revision; all its pictures and arrays must be stored already."""
    figure = Figure.objects.create(owner=owner, name=value.name)
    figure.head = Revision.objects.create(
        figure=figure, author=owner, told=told[:200], document=value.model_dump(mode="json")
    )
    figure.save()
    if file_name:
        ArtSheet.objects.create(figure=figure, file_name=file_name[:200], notices=notices or [], source=source)
    return figure


@transaction.atomic
def copy_figure(user: User, figure: Figure) -> Figure:
    """A working copy of a figure one may see, as it stands, in one's own library."""
    assert figure.head is not None
    taken = set(Figure.objects.filter(owner=user).values_list("name", flat=True))
    value = value_of(figure.head)
    copy = create_figure(user, value.replace(name=free_name(f"{value.name[:66]}, copy", taken)), f"copy {figure.name}")
    copy.thumbnail_id = figure.thumbnail_id
    copy.save(update_fields=["thumbnail"])
    for sheet in figure.art_sheets.filter(sheet=None).order_by("pk"):  # so that a new drawing is taken over alike
        ArtSheet.objects.create(figure=copy, file_name=sheet.file_name, notices=sheet.notices, source=sheet.source)
    return copy


def require_right(user: User, figure: Figure) -> None:
    """Raise NotAllowed unless the user may edit the figure."""
    if not figure.may_edit(user):
        raise NotAllowed("This figure is shared with you to look at; ask its owner for the right to edit.")


def make_edit(user: User, figure: Figure, base: int, data: Any) -> Revision:
    """Apply an edit made on revision `base`. Raises EditRefused, NotAllowed or Stale; then nothing has changed.

    The edit is computed before the figure is locked, since a binding takes a moment; the lock then holds only for
    comparing the head and writing the revision.
    """
    require_right(user, figure)
    edit = parse_edit(data)
    parent = Revision.objects.filter(figure=figure, pk=base).defer("document").first()
    if parent is None or figure.head_id != base:
        figure.refresh_from_db()
        raise Stale(figure)
    before = value_of(parent)
    after = apply_edit(edit, before, DatabaseStores())
    told = edit.describe(before)[:200]
    with transaction.atomic():
        locked = Figure.objects.select_for_update().get(pk=figure.pk)
        if locked.head_id != base:
            raise Stale(locked)
        revision = Revision.objects.create(
            figure=locked,
            parent=parent,
            author=user,
            edit=edit.model_dump(mode="json"),
            told=told,
            document=after.model_dump(mode="json"),
        )
        _move_head(locked, revision, after.name)
    return revision


def undo(user: User, figure: Figure, base: int) -> Revision:
    """Go back to the parent of the head. Raises EditRefused when there is none."""
    return _step(user, figure, base, lambda head: head.parent, "There is nothing to undo.")


def redo(user: User, figure: Figure, base: int) -> Revision:
    """Go on to the newest child of the head. Raises EditRefused when there is none."""
    return _step(user, figure, base, lambda head: head.children.order_by("-pk").first(), "There is nothing to redo.")


def _step(user: User, figure: Figure, base: int, where: Any, none: str) -> Revision:
    require_right(user, figure)
    with transaction.atomic():
        locked = Figure.objects.select_for_update().get(pk=figure.pk)
        if locked.head is None or locked.head_id != base:
            raise Stale(locked)
        target: Revision | None = where(locked.head)
        if target is None:
            raise EditRefused(none)
        _move_head(locked, target, target.document["name"])
    return target


def _move_head(figure: Figure, revision: Revision, name: str) -> None:
    figure.head = revision
    figure.name = name
    figure.save(update_fields=["head", "name", "changed"])
