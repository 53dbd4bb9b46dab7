"""Write everything the studio keeps to one file."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from studio.library.backup import BackupRefused, write_backup


class Command(BaseCommand):
    """Make a backup."""

    help = "Write accounts, figures with all revisions, pictures and delivery lists to a tar file."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("file", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            counts = write_backup(options["file"])
        except BackupRefused as error:
            raise CommandError(str(error)) from error
        for name, count in counts.items():
            self.stdout.write(f"{count:>9,}  {name}")
