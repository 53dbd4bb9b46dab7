"""A job worker: takes jobs as they come and revives those whose worker was lost."""

from __future__ import annotations

import logging
import threading
import time
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand
from django.db import close_old_connections

from studio.deliveries.actions import revive_silent_jobs

logger = logging.getLogger(__name__)


def _look_after() -> None:
    while True:
        try:
            revive_silent_jobs()
        except Exception as error:  # the database may be restarting
            logger.warning("could not look for lost jobs: %s", error)
            close_old_connections()
        time.sleep(settings.JOB_SILENCE / 4)


class Command(BaseCommand):
    help = "Run jobs until stopped."

    def handle(self, *args: Any, **options: Any) -> None:
        threading.Thread(target=_look_after, name="look-after", daemon=True).start()
        call_command("db_worker", interval=0.1, startup_delay=False, reload=False, verbosity=0)
