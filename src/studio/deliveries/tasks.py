"""The work of jobs, run by a worker: import, delivery, thumbnails."""

from __future__ import annotations

import logging
import shutil
import threading
import time
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from django.conf import settings
from django.db import close_old_connections, connection, transaction
from django.db.models import F
from django.utils import timezone
from django_tasks import task

from kunstgriff.artwork.importing import read_artwork
from kunstgriff.artwork.sheet import ArtworkRefused, Progress, figure_from_sheet, pieces_of
from kunstgriff.artwork.sheet_records import sheet_to_data
from kunstgriff.delivery.deliver import DeliveryOrder, deliver
from kunstgriff.delivery.frames import Shot
from kunstgriff.delivery.lists import deliver_list, list_of
from kunstgriff.delivery.names import file_stem
from kunstgriff.delivery.png import pose_picture
from kunstgriff.figure.archive import ArchiveRefused, is_archive, read_archive
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.model import Figure as FigureValue
from kunstgriff.figure.pose import Pose, parse_pose
from kunstgriff.figure.refusal import DeliveryRefused
from kunstgriff.figure.stores import MemoryStores, Stores, digest_of, encode_png
from kunstgriff.paint.painter import PainterMissing
from kunstgriff.trial.motion import motion_named
from studio.deliveries.models import Job
from studio.library.actions import NotAllowed, create_figure, value_of
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
    if job.kind == Job.Kind.IMPORT and job.order.get("upload"):
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
    upload = (
        settings.SOURCES / job.order["source"] if job.order.get("source") else settings.UPLOADS / job.order["upload"]
    )
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
    file_name = job.order["name"] + upload.suffix
    source = keep_source(upload)
    with transaction.atomic():  # both or neither: a worker may be lost at any moment, and the job is begun anew
        figure = create_figure(job.owner, value, f"import {job.order['name']}", file_name, notices, source)
        done = {"figure": figure, "state": Job.State.DONE, "stage": "done", "sentence": " ".join(notices)[:500]}
        if not Job.objects.filter(pk=job.pk, state=Job.State.RUNNING).update(**done):
            raise Stopped  # another worker has taken it meanwhile
    make_thumbnail(figure, value, stores)
    upload.unlink(missing_ok=True)


def _renew(job: Job, upload: Path, progress: Progress) -> None:
    """Read a new version of the sheet and keep it until a person has looked at what matches what."""
    figure = Figure.objects.get(pk=job.order["onto"])
    scale = int(job.order.get("scale") or 0)
    if not scale:
        scale = int(value_of(figure.newest).sheet.scale) if upload.suffix == ".svg" else 1
    sheet = read_artwork(upload, scale, progress)
    if not pieces_of(sheet):
        raise ArtworkRefused("No layer of this picture has anything painted on it.")
    sheet.notices = list(dict.fromkeys(sheet.notices))
    progress(0, 1, "matching the parts")
    data = sheet_to_data(sheet, DatabaseStores())
    figure.art_sheets.filter(sheet__isnull=False).delete()
    waiting = ArtSheet.objects.create(
        figure=figure,
        file_name=(job.order["name"] + upload.suffix)[:200],
        notices=sheet.notices,
        sheet=data,
        source=keep_source(upload),
    )
    Job.objects.filter(pk=job.pk).update(
        order={**job.order, "renewal": waiting.pk}, state=Job.State.DONE, stage="done", sentence=""
    )
    discard_upload(job, upload)


def keep_source(upload: Path) -> str:
    """Keep a drawing that can be read again at another scale; its name in `SOURCES`, or nothing."""
    if upload.suffix != ".svg":
        return ""
    settings.SOURCES.mkdir(parents=True, exist_ok=True)
    name = f"{digest_of(upload.read_bytes())}.svg"
    if not (settings.SOURCES / name).exists():
        shutil.copyfile(upload, settings.SOURCES / f".{name}")
        (settings.SOURCES / f".{name}").replace(settings.SOURCES / name)
    return name


def discard_upload(job: Job, upload: Path) -> None:
    """Remove an upload; a source that is read again stays."""
    if not job.order.get("source"):
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
    folder = Path(settings.MEDIA_ROOT) / "deliveries"
    unfinished = folder / f".unfinished-{job.pk}"
    shutil.rmtree(unfinished, ignore_errors=True)  # of a worker that was lost
    unfinished.mkdir(parents=True)
    try:
        write = _all_of_a_list if "list" in job.order else _single
        written, told = write(job, value, unfinished, progress)
        target = folder / str(job.pk) / written.name
        shutil.rmtree(target.parent, ignore_errors=True)
        target.parent.mkdir()
        written.replace(target)
    finally:
        shutil.rmtree(unfinished, ignore_errors=True)
    Job.objects.filter(pk=job.pk).update(
        result=str(target.relative_to(settings.MEDIA_ROOT)),
        state=Job.State.DONE,
        stage="done",
        sentence=" ".join(told)[:500],
    )


def _single(job: Job, value: FigureValue, folder: Path, progress: Progress) -> tuple[Path, tuple[str, ...]]:
    """One delivery in a folder, and what is told of it."""
    order = job.order
    written = folder / f"{file_stem(value.name)}.{order['ending']}"
    memory = folder.parent / "proofs" / f"{job.figure_id}.json"
    memory.parent.mkdir(exist_ok=True)
    asked = DeliveryOrder(
        value,
        DatabaseStores(),
        parse_pose(order["pose"]).by_id(value),
        tuple(order["size"]) if order["size"] else None,
        progress,
        order.get("rate"),
        motion_named(value, order.get("motion")),
        memory,
        value_of(Revision.objects.get(pk=order["before"])) if order.get("before") else None,
        Shot(**order.get("shot", {})),
    )
    return written, deliver(written, asked)


def _all_of_a_list(job: Job, value: FigureValue, folder: Path, progress: Progress) -> tuple[Path, tuple[str, ...]]:
    """All deliveries of a list in one zip, with what is told of them."""
    one = list_of(job.order["list"])
    made = deliver_list(folder / "files", one, value, DatabaseStores(), progress)
    written = folder / f"{file_stem(value.name)[:80]}-{file_stem(one.name)[:60]}.zip"
    with zipfile.ZipFile(written, "w", zipfile.ZIP_STORED) as archive:
        for path in sorted((folder / "files").iterdir()):
            archive.write(path, path.name)
    return written, (f"{len(made)} files; what each leaves out is told beside them.",)
