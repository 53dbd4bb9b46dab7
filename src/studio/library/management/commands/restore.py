"""Put a backup back into an empty studio."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from studio.library.backup import BackupRefused, read_backup


class Command(BaseCommand):
    """Restore a backup."""

    help = "Put a backup back into a studio that has nothing yet; with --dry-run only look whether it could be done."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("file", type=Path)
        parser.add_argument("--dry-run", action="store_true")

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            counts = read_backup(options["file"], options["dry_run"])
        except BackupRefused as error:
            raise CommandError(str(error)) from error
        for name, count in counts.items():
            self.stdout.write(f"{count:>9,}  {name}")
