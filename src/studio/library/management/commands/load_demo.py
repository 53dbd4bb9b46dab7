"""Load the demo figure for the demo user, once."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

from kunstgriff.artwork.sheet import no_progress
from kunstgriff.figure.archive import read_archive
from studio.accounts.models import User
from studio.deliveries.tasks import keep, make_thumbnail
from studio.library.actions import create_figure
from studio.library.models import Figure

NAME, PASSWORD = "pell", "lamplighter"


class Command(BaseCommand):
    help = "Make the demo user and figure when they are not there yet."

    def handle(self, *args: Any, **options: Any) -> None:
        user, made = User.objects.get_or_create(username=NAME)
        if made:
            user.set_password(PASSWORD)
            user.save()
        if made or not Figure.objects.filter(owner=user).exists():
            value, memory = read_archive(Path(settings.ROOT) / "demo" / "pell.zip")
            stores = keep(memory, no_progress)
            figure = create_figure(user, value, "open the demo", "pell.ora")
            make_thumbnail(figure, value, stores)
