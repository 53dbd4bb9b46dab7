"""Load the demo figures for the demo user, once."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

from kunstgriff.artwork.ora import read_ora
from kunstgriff.artwork.sheet import figure_from_sheet, no_progress
from kunstgriff.figure.archive import read_archive
from kunstgriff.figure.edit import apply_edit
from kunstgriff.figure.model import Figure as FigureValue
from kunstgriff.figure.stores import MemoryStores
from studio.accounts.models import User
from studio.deliveries.tasks import keep, make_thumbnail
from studio.library.actions import create_figure
from studio.library.models import Figure

NAME, PASSWORD = "pell", "lamplighter"


class Command(BaseCommand):
    """Make the demo user and figures, once."""

    help = "Make the demo user and figure when they are not there yet."

    def handle(self, *args: Any, **options: Any) -> None:
        user, made = User.objects.get_or_create(username=NAME)
        if made:
            user.set_password(PASSWORD)
            user.save()
        if made or not Figure.objects.filter(owner=user).exists():
            demo = Path(settings.ROOT) / "demo"
            pell = self._add(user, *read_archive(demo / "pell.zip"), "pell.ora", [])
            memory = MemoryStores()
            faulty = read_ora(demo / "faulty.ora")
            moth = figure_from_sheet(faulty, "Lamp moth, the faulty sheet", memory)
            self._add(user, moth, memory, "faulty.ora", faulty.notices)
            for edit in json.loads((demo / "faulty-rig.json").read_text()):
                moth = apply_edit(edit, moth, memory)
            boned = moth.replace(name="Lamp moth, every seam open")
            self._add(user, boned, memory, "faulty.ora", faulty.notices)
            tallow = self._add(user, *read_archive(demo / "tallow.zip"), "tallow.ora", [])
            self._add(user, *read_archive(demo / "soot.zip"), "soot-front.svg", [])
            self._add(user, *read_archive(demo / "simmer.zip"), "simmer.svg", [])
            tallow.save(update_fields=["changed"])
            pell.save(update_fields=["changed"])  # changed last, so that it comes first in the library

    def _add(self, user: User, value: FigureValue, memory: MemoryStores, file_name: str, notices: list[str]) -> Figure:
        stores = keep(memory, no_progress)
        figure = create_figure(user, value, "open the demo", file_name, notices)
        make_thumbnail(figure, value, stores)
        return figure
