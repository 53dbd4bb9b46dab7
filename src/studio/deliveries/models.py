"""Jobs: long work with progress and stop, which survives a killed worker and leaves a whole result or none."""

from __future__ import annotations

import shutil
import uuid
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import models
from django.db.models.signals import post_delete
from django.dispatch import receiver

from studio.library.models import Figure


class Job(models.Model):
    """One piece of long work. `beat` is the worker's last sign of life."""

    class State(models.TextChoices):
        WAITING = "waiting"
        RUNNING = "running"
        DONE = "done"
        FAILED = "failed"
        STOPPED = "stopped"

    class Kind(models.TextChoices):
        IMPORT = "import"
        DELIVERY = "delivery"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="jobs")
    kind = models.CharField(max_length=12, choices=Kind.choices)
    figure = models.ForeignKey(Figure, models.CASCADE, null=True, related_name="jobs")
    order = models.JSONField(default=dict)
    state = models.CharField(max_length=12, choices=State.choices, default=State.WAITING)
    done = models.PositiveIntegerField(default=0)
    total = models.PositiveIntegerField(default=0)
    stage = models.CharField(max_length=80, default="waiting for a worker")
    sentence = models.CharField(max_length=500, default="")
    stop_asked = models.BooleanField(default=False)
    attempts = models.PositiveIntegerField(default=0)
    beat = models.DateTimeField(null=True)
    result = models.FileField(null=True, max_length=400)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-created"]
        indexes = [models.Index(fields=["state", "beat"])]

    @property
    def is_over(self) -> bool:
        return self.state in (self.State.DONE, self.State.FAILED, self.State.STOPPED)


class SavedList(models.Model):
    """A delivery list that a person keeps, for any of their figures; `document` is it as its JSON."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="delivery_lists")
    name = models.CharField(max_length=80)
    document = models.JSONField()
    changed = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["owner", "name"], name="one_list_of_a_name")]


@receiver(post_delete, sender=Job)
def remove_result(sender: type[Job], instance: Job, **more: Any) -> None:
    """A job that is deleted, with its figure or its owner, takes what it delivered along."""
    if instance.result.name:
        shutil.rmtree((Path(settings.MEDIA_ROOT) / instance.result.name).parent, ignore_errors=True)
    memory = Path(settings.MEDIA_ROOT) / "deliveries" / "proofs" / f"{instance.figure_id}.json"
    memory.unlink(missing_ok=True)  # a proof made anew reads all again
