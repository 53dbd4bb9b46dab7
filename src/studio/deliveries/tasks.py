"""The work of jobs, run by a worker: import, delivery, thumbnails."""

from __future__ import annotations

import logging
import re
import shutil
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from django.conf import settings
from django.db import close_old_connections, connection
from django.db.models import F
from django.utils import timezone
from django_tasks import task

from kunstgriff.artwork.reading import read_artwork
from kunstgriff.artwork.renewing import match_sheet, renewal
from kunstgriff.artwork.sheet import ArtworkRefused, Progress, figure_from_sheet
from kunstgriff.delivery.deliver import DeliveryRefused, Order, deliver
from kunstgriff.delivery.png import pose_picture
from kunstgriff.evaluate.pose import Pose, parse_pose
from kunstgriff.figure.archive import ArchiveRefused, is_archive, read_archive
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.model import Figure as FigureValue
from kunstgriff.figure.stores import MemoryStores, Stores, encode_png
from kunstgriff.paint.painter import PainterMissing
from studio.deliveries.models import Job
from studio.library.actions import NotAllowed, Stale, create_figure, make_edit, value_of
from studio.library.models import ArtSheet, Figure, Picture, Revision
from studio.library.stores import DatabaseStores

logger = logging.getLogger(__name__)

REFUSALS = (ArtworkRefused, ArchiveRefused, DeliveryRefused, EditRefused, PainterMissing, NotAllowed, ValueError)
ATTEMPTS = 3
TELL_EVERY = 0.25  # s between notes of progress
THUMBNAIL = (360, 440)


class Stopped(Exception):
    """The person asked for the job to stop."""


@task()
def run_job(job_id: str) -> None:
    """Run one job to its end, whatever that is."""
    waiting = Job.objects.filter(pk=job_id, state=Job.State.WAITING)
    if not waiting.update(state=Job.State.RUNNING, attempts=F("attempts") + 1, beat=timezone.now()):
        return
    job = Job.objects.get(pk=job_id)
    if job.attempts > ATTEMPTS:
        _end(job, Job.State.FAILED, "This was begun three times and the worker was lost each time.")
        return
    try:
        with _beating(job):
            {Job.Kind.IMPORT: _import, Job.Kind.DELIVERY: _delivery}[Job.Kind(job.kind)](job, _progress(job))
    except Stopped:
        _end(job, Job.State.STOPPED, "Stopped; nothing was kept of it.")
    except REFUSALS as error:
        _end(job, Job.State.FAILED, str(error))
    except Exception:
        logger.exception("job %s failed", job.pk)
        _end(job, Job.State.FAILED, "Something went wrong that should not have; the server's log says what.")


def _end(job: Job, state: str, sentence: str) -> None:
    Job.objects.filter(pk=job.pk, state=Job.State.RUNNING).update(state=state, sentence=sentence[:500], stage=state)
    if job.kind == Job.Kind.IMPORT:
        (settings.UPLOADS / job.order["upload"]).unlink(missing_ok=True)


def _progress(job: Job) -> Progress:
    """Notes progress in the database now and then, and stops the work when asked to."""
    last = [0.0]

    def tell(done: int, total: int, stage: str) -> None:
        now = time.monotonic()
        if now - last[0] < TELL_EVERY:
            return
        last[0] = now
        Job.objects.filter(pk=job.pk).update(done=done, total=total, stage=stage[:80], beat=timezone.now())
        if Job.objects.filter(pk=job.pk, stop_asked=True).exists():
            raise Stopped

    return tell


@contextmanager
def _beating(job: Job) -> Iterator[None]:
    """Give signs of life while the work goes on, however long one step of it takes."""
    over = threading.Event()

    def beat() -> None:
        while not over.wait(settings.JOB_SILENCE / 5):
            try:
                Job.objects.filter(pk=job.pk).update(beat=timezone.now())
            except Exception:  # the database may be restarting; the next beat tries again
                close_old_connections()
        connection.close()

    thread = threading.Thread(target=beat, name="beat", daemon=True)
    thread.start()
    try:
        yield
    finally:
        over.set()
        thread.join()


def _import(job: Job, progress: Progress) -> None:
    upload = Path(settings.UPLOADS) / job.order["upload"]
    if job.order.get("onto"):
        _renew(job, upload, progress)
        return
    if upload.suffix == ".zip" and is_archive(upload):
        value, memory = read_archive(upload)
        notices: list[str] = []
    else:
        memory = MemoryStores()
        sheet = read_artwork(upload, job.order.get("scale", 1), progress)
        value = figure_from_sheet(sheet, job.order["name"], memory, progress)
        notices = sheet.notices
    stores = keep(memory, progress)
    figure = create_figure(job.owner, value, f"import {job.order['name']}", job.order["name"] + upload.suffix, notices)
    make_thumbnail(figure, value, stores)
    Job.objects.filter(pk=job.pk).update(
        figure=figure, state=Job.State.DONE, stage="done", sentence=" ".join(notices)[:500]
    )
    upload.unlink(missing_ok=True)


def _renew(job: Job, upload: Path, progress: Progress) -> None:
    """Take a new version of the sheet over as one edit, made again on the newer head when someone was quicker."""
    sheet = read_artwork(upload, 1, progress)
    stores = DatabaseStores()
    for attempt in range(ATTEMPTS):
        figure = Figure.objects.select_related("head").get(pk=job.order["onto"])
        value = value_of(figure.head)
        matching = match_sheet(value, sheet, stores)
        edit = renewal(value, sheet, matching, stores)
        try:
            if edit.looks or edit.new:
                make_edit(job.owner, figure, figure.head_id, edit.model_dump(mode="json"))
            break
        except Stale:
            if attempt + 1 == ATTEMPTS:
                raise EditRefused("The figure is being changed all the time; import when it is quiet.") from None
    told = matching.told(value) + sheet.notices
    ArtSheet.objects.create(figure=figure, file_name=(job.order["name"] + upload.suffix)[:200], notices=told)
    figure.refresh_from_db()
    make_thumbnail(figure, value_of(figure.head), stores)
    Job.objects.filter(pk=job.pk).update(state=Job.State.DONE, stage="done", sentence=" ".join(told)[:500])
    upload.unlink(missing_ok=True)


def keep(memory: MemoryStores, progress: Progress) -> DatabaseStores:
    """Everything of a memory store into the database's. Blocks no figure refers to are harmless and shared."""
    stores = DatabaseStores()
    for number, png in enumerate(memory.pictures.values()):
        progress(number, len(memory.pictures), "keeping the pictures")
        stores.put_picture(png)
    for digest in memory.arrays:
        stores.put_array(memory.get_array(digest))
    return stores


def make_thumbnail(figure: Figure, value: FigureValue, stores: Stores) -> None:
    """Paint the figure small for the library."""
    try:
        digest = stores.put_picture(encode_png(pose_picture(value, stores, Pose(), THUMBNAIL)))
    except PainterMissing:
        return
    Figure.objects.filter(pk=figure.pk).update(thumbnail=Picture.objects.get(digest=digest))


def _delivery(job: Job, progress: Progress) -> None:
    """Write into a folder of the job's own and move it into place whole."""
    value = value_of(Revision.objects.get(pk=job.order["revision"]))
    size = tuple(job.order["size"]) if job.order["size"] else None
    name = re.sub(r"[^\w-]+", "-", value.name.lower()).strip("-") or "figure"
    folder = Path(settings.MEDIA_ROOT) / "deliveries"
    unfinished = folder / f".unfinished-{job.pk}"
    shutil.rmtree(unfinished, ignore_errors=True)  # of a worker that was lost
    unfinished.mkdir(parents=True)
    try:
        written = unfinished / f"{name}.{job.order['ending']}"
        pose = parse_pose(job.order["pose"]).by_id(value)
        deliver(written, Order(value, DatabaseStores(), pose, size, progress))
        target = folder / str(job.pk) / written.name
        shutil.rmtree(target.parent, ignore_errors=True)
        target.parent.mkdir()
        written.replace(target)
    finally:
        shutil.rmtree(unfinished, ignore_errors=True)
    Job.objects.filter(pk=job.pk).update(
        result=str(target.relative_to(settings.MEDIA_ROOT)), state=Job.State.DONE, stage="done"
    )
