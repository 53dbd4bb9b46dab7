"""What goes with a figure, what stays for others, and work that was lost half way."""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path

import pytest
from django.apps import apps
from django.db import models
from django.urls import reverse
from django.utils import timezone
from django_tasks_db.models import DBTaskResult

from kunstgriff.artwork.sheet import no_progress
from studio.deliveries import tasks
from studio.deliveries.actions import revive_silent_jobs
from studio.deliveries.models import Job
from studio.library.actions import create_figure, value_of
from studio.library.models import ArrayBlock, Figure, Leaving, Picture, Share
from studio.library.stores import DatabaseStores, picture_path
from studio.library.sweeping import delete_figure, sweep
from tests.art import capsule, drawn, edited, figure_of
from tests.studio.conftest import post, signed_in
from tests.studio.test_jobs import artwork, drop, files, work

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def client(ada):
    return signed_in(ada)


def later(days: float) -> None:
    """As if what has left had left so many days earlier."""
    for item in Leaving.objects.all():
        Leaving.objects.filter(pk=item.pk).update(since=item.since - timedelta(days=days))


def test_a_deleted_figure_takes_its_deliveries_at_once_and_its_pictures_after_some_days(client, ada, arm, settings):
    own = {part.drawing.picture for part in value_of(arm.head).parts}
    other, memory = figure_of({"leg": drawn(capsule((60, 200), (200, 200), 30, 6))})
    shared = memory.put_picture(DatabaseStores().get_picture(next(iter(own))))
    other = other.replace(parts=(other.parts[0].with_drawing(picture=shared),))
    tasks.keep(memory, no_progress)
    create_figure(ada, other, "uses one of the pictures, too")
    job = Job.objects.get(pk=post(client, f"/jobs/deliver/{arm.pk}/", ending="png", size=[32, 32]).json()["id"])
    work()
    assert [path for path in files(settings.MEDIA_ROOT) if str(job.pk) in str(path)]

    client.post(reverse("delete-figure", args=[arm.pk]), {"name": arm.name})
    assert not Figure.objects.filter(pk=arm.pk).exists()
    assert not [path for path in files(settings.MEDIA_ROOT) if str(job.pk) in str(path)]
    assert sweep() == 0, "nothing goes before its time"
    later(days=settings.SWEEP_AFTER_DAYS + 1)
    assert sweep() > 0
    assert not ArrayBlock.objects.exists()
    assert set(Picture.objects.values_list("digest", flat=True)) >= {shared}
    assert picture_path(shared).exists()
    assert not any(picture_path(one).exists() for one in own - {shared})
    assert not Leaving.objects.exists()


def test_what_is_stored_again_meanwhile_stays(arm, settings):
    picture = value_of(arm.head).parts[0].drawing.picture
    png = DatabaseStores().get_picture(picture)
    delete_figure(arm)
    later(days=settings.SWEEP_AFTER_DAYS + 1)
    DatabaseStores().put_picture(png)  # by an import that has no figure yet
    sweep()
    assert picture_path(picture).exists()


def test_an_import_lost_at_any_moment_leaves_one_figure(client, monkeypatch, settings):
    class Lost(BaseException):
        """As if the process was killed."""

    def killed(*args, **kwargs):
        raise Lost

    drop(client, "arm.ora", artwork())
    job = Job.objects.get()
    for moment in ("create_figure", "make_thumbnail"):
        monkeypatch.setattr(tasks, moment, killed)
        Job.objects.filter(pk=job.pk, state="waiting").update(attempts=0)
        with pytest.raises(Lost):
            tasks.run_job.func(str(job.pk))
        monkeypatch.undo()
        settings.MEDIA_ROOT = Path(settings.MEDIA_ROOT)
        Job.objects.filter(pk=job.pk, state="running").update(beat=timezone.now() - timedelta(seconds=999))
        revive_silent_jobs()
    work()
    assert Figure.objects.count() == 1
    assert Job.objects.get().state == "done"


def test_a_task_whose_worker_was_lost_is_over_and_its_job_begun_anew(client, arm, settings):
    post(client, f"/jobs/deliver/{arm.pk}/", ending="png", size=[32, 32])
    silent = timezone.now() - timedelta(seconds=settings.JOB_SILENCE + 5)
    DBTaskResult.objects.update(status="RUNNING", started_at=silent)  # lost before it began the job
    Job.objects.update(created=silent)
    assert revive_silent_jobs() == 1
    assert revive_silent_jobs() == 0
    assert sorted(DBTaskResult.objects.values_list("status", flat=True)) == ["FAILED", "READY"]
    work()
    assert Job.objects.get().state == "done"


@pytest.mark.parametrize("letter", ["w", "兎", "𝕜"])
def test_the_longest_names_find_room_in_every_column(client, ada, letter):
    figure, memory = figure_of({"arm": drawn(capsule((60, 200), (340, 200), 40, 8))})
    longest = letter * 80
    figure = edited(
        figure, memory, {"kind": "rename_figure", "name": longest},
        {"kind": "rename_part", "part": "arm", "name": longest},
        {"kind": "draw_chain", "name": letter * 78, "joints": [(-140, -40), (0, -40), (140, -40)]},
        {"kind": "bind_figure"}, {"kind": "keep_pose", "name": longest, "pose": {"turn": {letter * 78: 20}}},
    )  # fmt: skip
    tasks.keep(memory, no_progress)
    kept = create_figure(ada, figure, "t" * 400, file_name=longest + ".svg", notices=[longest])
    for ending in ("png", "zip"):
        post(client, f"/jobs/deliver/{kept.pk}/", ending=ending, size=[32, 32] if ending == "png" else None)
    drop(client, letter * 60 + ".ora", artwork())
    work()
    assert set(Job.objects.values_list("state", flat=True)) == {"done"}
    # whatever column holds a name, of this or any other table, it takes the longest one
    named = [
        field for model in apps.get_models() if model.__module__.startswith("studio.")
        for field in model._meta.fields if isinstance(field, models.CharField) and field.name in ("name", "joint")
    ]  # fmt: skip
    assert named
    assert all(field.max_length >= 80 for field in named)


def test_a_working_copy_is_a_figure_of_ones_own_and_the_first_stays(ada, bo, arm):
    Share.objects.create(figure=arm, user=bo)
    other = signed_in(bo)
    for _ in range(2):
        assert other.post(reverse("copy-figure", args=[arm.pk])).status_code == 302
    names = sorted(Figure.objects.filter(owner=bo).values_list("name", flat=True))
    assert names == [f"{arm.name}, copy", f"{arm.name}, copy 2"]
    copy = Figure.objects.filter(owner=bo).first()
    post(other, f"/bench/{copy.pk}/edit/", base=copy.head_id, edit={"kind": "delete_parts", "parts": ["forearm"]})
    arm.refresh_from_db()
    assert len(value_of(arm.head).parts) == 2
    assert signed_in(ada).post(reverse("copy-figure", args=[copy.pk])).status_code == 404
