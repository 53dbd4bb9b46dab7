"""Ordering, stopping and reviving jobs."""

from __future__ import annotations

import os
import tempfile
import uuid
from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from django.db.models import QuerySet
from django.utils import timezone
from django_tasks import TaskResultStatus
from django_tasks_db.models import DBTaskResult
from pydantic import ValidationError

from kunstgriff.artwork.importing import ENDINGS
from kunstgriff.artwork.sheet import no_progress
from kunstgriff.artwork.svg import SCALES
from kunstgriff.delivery.deliver import WRITERS
from kunstgriff.delivery.frames import Shot, fitted_size
from kunstgriff.delivery.lists import list_of, orders
from kunstgriff.figure.edit import EditRefused, tell
from kunstgriff.figure.pose import parse_pose
from kunstgriff.trial.motion import motion_named
from studio.accounts.models import User
from studio.deliveries.models import Job, SavedList
from studio.deliveries.tasks import run_job
from studio.library.actions import require_right, value_of
from studio.library.models import Figure
from studio.library.stores import DatabaseStores

SIDE_LIMIT = 8192
RATE_LIMIT = 120
MOVING = ("webm", "webp", "apng", "contact.png")  # shown on a screen: fitted to 1080 lines unless a size is asked for
FILMED = (*MOVING, "frames.zip", "show.html")
MOST_LISTS = 200  # that one person keeps
UPLOAD_ENDINGS = ENDINGS


def order_delivery(
    user: User, figure: Figure, ending: str, pose: object, size: object, rate: object = None, motion: object = None,
    before: object = None, shot: object = None,
) -> Job:  # fmt: skip
    """Order a delivery of the figure as it stands, filmed as `shot` says; a comparison with its revision `before`.
    Raises EditRefused or DeliveryRefused with a sentence."""
    if rate is not None and not (type(rate) is int and 1 <= rate <= RATE_LIMIT):
        raise EditRefused(f"A rate is from 1 to {RATE_LIMIT} frames per second.")
    if f".{ending}" not in WRITERS:
        raise EditRefused("There is no such delivery.")
    parse_pose(pose or {})
    wanted, value = _size(size), value_of(figure.head) if figure.head is not None else None
    asked = _filmed(shot)
    if value is not None:
        if wanted is None and ending in MOVING and not asked.cropped:
            wanted = list(fitted_size(value, 1920, 1080))
        played = motion_named(value, None if motion is None else str(motion))
        if ending in FILMED:
            asked.frames(played, value)
            asked.behind()
    if before is not None or ending == "compared.html":
        earlier = figure.revisions.filter(pk=before).first() if type(before) is int else None
        if earlier is None:
            raise EditRefused("Choose a revision of this figure to compare it with.")
        motion_named(value_of(earlier), str(motion or ""))
    order = {
        "ending": ending, "pose": pose or {}, "revision": figure.head_id, "size": wanted, "rate": rate,
        "motion": motion and str(motion), "before": before, "shot": asked.model_dump(mode="json"),
    }  # fmt: skip
    return _enqueue(Job(owner=user, kind=Job.Kind.DELIVERY, figure=figure, order=order))


def _filmed(shot: object) -> Shot:
    """How a delivery is filmed, from what a page said of it."""
    try:
        return Shot.model_validate({} if shot is None else shot)
    except ValidationError as error:
        raise EditRefused(tell(error)) from error


def order_list(user: User, figure: Figure, key: object) -> Job:
    """Order all deliveries of a saved list, as one zip. Raises EditRefused or DeliveryRefused with a sentence."""
    saved = SavedList.objects.filter(owner=user, pk=key).first() if type(key) is int else None
    if saved is None or figure.head is None:
        raise EditRefused("That delivery list is not there any more.")
    orders(list_of(saved.document), value_of(figure.head), DatabaseStores(), no_progress)
    order = {"ending": "list.zip", "list": saved.document, "revision": figure.head_id}
    return _enqueue(Job(owner=user, kind=Job.Kind.DELIVERY, figure=figure, order=order))


def save_list(user: User, data: object) -> SavedList:
    """Keep a delivery list under its name, in the place of one of that name. Raises DeliveryRefused for what is none,
    EditRefused for one too many."""
    made = list_of(data)
    document = made.model_dump(mode="json")
    others = SavedList.objects.filter(owner=user).exclude(name=made.name)
    if others.count() >= MOST_LISTS:
        raise EditRefused(f"You keep {MOST_LISTS} delivery lists already; delete one first.")
    saved, _ = SavedList.objects.update_or_create(owner=user, name=made.name, defaults={"document": document})
    return saved


def _size(size: object) -> list[int] | None:
    if size is None:
        return None
    if isinstance(size, list) and len(size) == 2 and all(type(one) is int and 1 <= one <= SIDE_LIMIT for one in size):
        return size
    raise EditRefused(f"A size is a width and a height from 1 to {SIDE_LIMIT} px.")


def order_import(
    user: User, upload: UploadedFile[bytes], onto: Figure | None = None, scale: int = 1, name: str = ""
) -> Job:
    """Keep an upload under a name of our own, where nothing serves it, and order its import.

    `scale` (1, 2, 4) is that of an SVG. With `onto` it is a new version of that figure's sheet. Raises EditRefused or
    NotAllowed with a sentence.
    """
    if onto is not None:
        require_right(user, onto)
    ending = Path(upload.name or "").suffix.lower()
    if ending not in UPLOAD_ENDINGS:
        raise EditRefused("Kunstgriff reads OpenRaster (.ora), SVG, TIFF, PNG, zips of PNGs, its own archives (.zip).")
    if (upload.size or 0) > settings.UPLOAD_LIMIT:
        raise EditRefused("The file is larger than 512 MB.")
    settings.UPLOADS.mkdir(parents=True, exist_ok=True)
    handle, kept = tempfile.mkstemp(suffix=ending, dir=settings.UPLOADS)
    with os.fdopen(handle, "wb") as out:
        for chunk in upload.chunks():
            out.write(chunk)
    name = " ".join(name.split())[:80] or Path(upload.name or "figure").stem[:80] or "figure"
    order = {"upload": Path(kept).name, "name": name, "onto": onto.pk if onto else None}
    if ending == ".svg" and onto is None:
        order["scale"] = scale
    return _enqueue(Job(owner=user, kind=Job.Kind.IMPORT, order=order, figure=onto))


def order_scale(user: User, figure: Figure, scale: object) -> Job:
    """Order the figure's drawing to be read again at another scale. Raises EditRefused or NotAllowed."""
    require_right(user, figure)
    if scale not in SCALES:
        raise EditRefused("An SVG is read at 1, 2 or 4 times its size.")
    kept = figure.art_sheets.exclude(source="").order_by("-pk").first()
    if kept is None:
        raise EditRefused("Only a figure that came from an SVG can be read again at another scale.")
    order = {"source": kept.source, "name": Path(kept.file_name).stem, "onto": figure.pk, "scale": scale}
    return _enqueue(Job(owner=user, kind=Job.Kind.IMPORT, order=order, figure=figure))


def ask_to_stop(job: Job) -> None:
    """Stop a job: at once when it waits, at its next sign of progress when it runs."""
    Job.objects.filter(pk=job.pk).update(stop_asked=True)
    Job.objects.filter(pk=job.pk, state=Job.State.WAITING).update(state=Job.State.STOPPED, stage="stopped")


def revive_silent_jobs() -> int:
    """Enqueue again the jobs whose worker has given no sign of life for `JOB_SILENCE` seconds."""
    silent = timezone.now() - timedelta(seconds=settings.JOB_SILENCE)
    revived = 0
    for job in Job.objects.filter(state=Job.State.RUNNING, beat__lt=silent):
        taken = Job.objects.filter(pk=job.pk, state=Job.State.RUNNING, beat=job.beat).update(
            state=Job.State.WAITING, stage="its worker was lost; it begins anew", beat=None
        )
        if taken:
            _begin_anew(job)
            revived += 1
    # a worker may be lost between taking a task and beginning its job
    for job in Job.objects.filter(state=Job.State.WAITING, created__lt=silent):
        tasks = _tasks_of(job)
        if tasks.filter(started_at__lt=silent).exists() and not tasks.filter(status=TaskResultStatus.READY).exists():
            _begin_anew(job)
            revived += 1
    return revived


def _begin_anew(job: Job) -> None:
    """Enqueue a job again; the task of the worker that was lost is over."""
    with transaction.atomic():
        _tasks_of(job).filter(status=TaskResultStatus.RUNNING).update(
            status=TaskResultStatus.FAILED, finished_at=timezone.now(), traceback="Its worker was lost."
        )
        run_job.enqueue(str(job.pk))


def _tasks_of(job: Job) -> QuerySet[DBTaskResult]:
    found: QuerySet[DBTaskResult] = DBTaskResult.objects.filter(args_kwargs__args__0=str(job.pk))
    return found


def _enqueue(job: Job) -> Job:
    job.id = uuid.uuid4()
    with transaction.atomic():
        job.save(force_insert=True)
        run_job.enqueue(str(job.pk))
    return job
