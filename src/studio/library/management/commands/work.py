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
from studio.library.sweeping import sweep

logger = logging.getLogger(__name__)


SWEEP_EVERY = 3600.0  # s


def _look_after() -> None:
    swept = time.monotonic() - SWEEP_EVERY + 60  # the first time a minute after the start
    while True:
        try:
            revive_silent_jobs()
            if time.monotonic() - swept > SWEEP_EVERY:
                swept = time.monotonic()
                sweep()
                call_command("prune_db_task_results", verbosity=0)
        except Exception as error:  # the database may be restarting
            logger.warning("could not look for lost jobs: %s", error)
            close_old_connections()
        time.sleep(settings.JOB_SILENCE / 4)


class Command(BaseCommand):
    """Do jobs, one after another."""

    help = "Run jobs until stopped."

    def handle(self, *args: Any, **options: Any) -> None:
        threading.Thread(target=_look_after, name="look-after", daemon=True).start()
        call_command("db_worker", interval=0.1, startup_delay=False, reload=False, verbosity=0)
