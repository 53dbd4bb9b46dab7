"""All that must be done before the studio can start, in one process: tables, the cache's table, the demo."""

from __future__ import annotations

from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand


class Command(BaseCommand):
    """Bring the database up to date."""

    help = "Migrate, make the cache's table and load the demo, unless that is done."

    def handle(self, *args: Any, **options: Any) -> None:
        call_command("migrate", verbosity=0)
        call_command("createcachetable", verbosity=0)
        call_command("load_demo")
