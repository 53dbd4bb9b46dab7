"""The studio from the shell: `kunstgriff-studio backup FILE`, `restore FILE`, and what Django brings."""

from __future__ import annotations

import os
import sys

from django.core.management import execute_from_command_line


def main() -> None:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "studio.settings")
    execute_from_command_line(["kunstgriff-studio", *sys.argv[1:]])
