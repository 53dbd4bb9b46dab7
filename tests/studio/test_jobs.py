"""Jobs: progress, stop, a lost worker, bad artwork; a whole result or none."""

from __future__ import annotations

import hashlib
import io
import zipfile
from datetime import timedelta

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command
from django.utils import timezone
from django_tasks_db.models import DBTaskResult

from kunstgriff.artwork.ora import write_ora
from studio.deliveries import tasks
from studio.deliveries.actions import revive_silent_jobs
from studio.deliveries.models import Job, SavedList
from studio.library.models import ArrayBlock, Figure
from tests.art import capsule, drawn, sheet_of
from tests.studio.conftest import post, signed_in

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def client(ada):
    return signed_in(ada)


def work() -> None:
    """Run what is enqueued, as a worker does, then return."""
    call_command("db_worker", batch=True, interval=0, startup_delay=False, reload=False, verbosity=0)


def files(folder) -> list:
    return [path for path in folder.rglob("*") if path.is_file()] if folder.exists() else []


def artwork() -> bytes:
    buffer = io.BytesIO()
    write_ora(buffer, sheet_of({"arm": drawn(capsule((100, 100), (300, 100), 30, 6))}))
    return buffer.getvalue()


def drop(client, name: str, data: bytes):
    return client.post("/jobs/import/", {"art": SimpleUploadedFile(name, data)})


def test_dropped_artwork_becomes_a_figure_with_a_thumbnail(client, settings):
    job = drop(client, "arm.ora", artwork()).json()
    work()
    told = client.get(f"/jobs/{job['id']}/").json()
    assert (told["state"], told["bench"]) == ("done", f"/bench/{Figure.objects.get().pk}/")
    figure = Figure.objects.get()
    assert figure.name == "arm"
    assert client.get(f"/figures/pictures/{figure.thumbnail_id}.png")["Content-Type"] == "image/png"
    assert not files(settings.UPLOADS)


def test_a_new_version_of_the_sheet_is_one_edit_and_keeps_the_binding(client, arm, bo):
    longer = {
        "forearm": drawn(capsule((200, 200), (370, 200), 40, 8)),
        "upper arm": drawn(capsule((60, 200), (200, 200), 40, 8)),
    }
    buffer = io.BytesIO()
    write_ora(buffer, sheet_of(longer))
    art = {"art": SimpleUploadedFile("arm.ora", buffer.getvalue()), "onto": arm.pk}
    job = client.post("/jobs/import/", art).json()
    work()
    told = client.get(f"/jobs/{job['id']}/").json()
    assert told["state"] == "done", told
    page = client.get(told["renewal"]).content.decode()
    assert "as it was" in page
    assert client.get(f"/bench/{arm.pk}/state/").json()["undo"] is None, "nothing is taken over before one has looked"
    assert client.post(told["renewal"], {"take-over": "yes"}).url == f"/bench/{arm.pk}/"
    state = client.get(f"/bench/{arm.pk}/state/").json()
    assert "1 changed: forearm." in state["notices"]
    assert state["undo"] == "new version of the sheet: 1 changed, 0 new"
    assert [part["binding"]["kind"] for part in state["figure"]["parts"]] == ["weighted", "weighted"]
    stranger = {"art": SimpleUploadedFile("arm.ora", b"x"), "onto": arm.pk}
    assert signed_in(bo).post("/jobs/import/", stranger).status_code == 404


@pytest.mark.parametrize("data", [b"", b"not a zip", artwork()[:200]])
def test_bad_artwork_gets_a_sentence_and_leaves_nothing_behind(client, settings, data):
    job = drop(client, "arm.ora", data or b" ").json()
    work()
    told = client.get(f"/jobs/{job['id']}/").json()
    assert (told["state"], told["sentence"]) == ("failed", "This is no OpenRaster file, or it is cut off.")
    assert not Figure.objects.exists()
    assert not ArrayBlock.objects.exists()
    assert not files(settings.UPLOADS)
    assert not files(settings.MEDIA_ROOT)


def test_only_layered_artwork_is_taken_whatever_its_name_says(client, settings):
    answer = drop(client, "../../evil.html", b"<script>")
    assert answer.status_code == 400
    assert "OpenRaster" in answer.json()["sentence"]
    assert not files(settings.UPLOADS)
    assert client.post("/jobs/import/").status_code == 400


def test_an_upload_beyond_the_limit_is_not_kept(client, settings):
    settings.UPLOAD_LIMIT = 1000  # in front of Django it is refused unread: test_bodies
    answer = drop(client, "arm.ora", bytes(2000))
    assert answer.status_code == 400
    assert answer.json()["sentence"].startswith("The file is larger")
    assert not files(settings.UPLOADS)


def test_a_delivery_is_made_of_the_figure_as_it_stood_and_sent_as_a_download(client, arm, bo):
    job = post(client, f"/jobs/deliver/{arm.pk}/", ending="png", pose={"turn": {"arm 2": 30}}, size=[64, 64]).json()
    post(client, f"/bench/{arm.pk}/edit/", base=arm.head_id, edit={"kind": "delete_bones", "bones": ["arm 2"]})
    work()
    told = client.get(f"/jobs/{job['id']}/").json()
    assert told["state"] == "done", told
    answer = client.get(told["file"])
    assert answer["Content-Disposition"].startswith("attachment")
    assert b"".join(answer.streaming_content).startswith(b"\x89PNG")
    assert signed_in(bo).get(told["file"]).status_code == 404


@pytest.mark.parametrize(
    "name", ["a hare with a name of more than fifty-two letters, lantern and all, in her coat", "兎" * 80]
)
def test_a_delivery_of_a_figure_with_a_long_name_is_made(client, arm, name):
    post(client, f"/bench/{arm.pk}/edit/", base=arm.head_id, edit={"kind": "rename_figure", "name": name[:80]})
    job = post(client, f"/jobs/deliver/{arm.pk}/", ending="png", size=[32, 32]).json()
    work()
    told = client.get(f"/jobs/{job['id']}/").json()
    assert told["state"] == "done", told
    assert b"".join(client.get(told["file"]).streaming_content).startswith(b"\x89PNG")


@pytest.mark.parametrize("onto", ["²", "٣", "9" * 30])
def test_digits_that_are_no_number_of_a_figure_make_a_new_one(client, onto):
    answer = client.post("/jobs/import/", {"art": SimpleUploadedFile("arm.ora", artwork()), "onto": onto})
    assert answer.status_code == 200


@pytest.mark.parametrize(
    "order",
    [
        {"ending": "exe"},
        {"ending": "png", "pose": {"turn": 3}},
        {"ending": "png", "size": [0, 9]},
        {"ending": "webm", "size": "big"},
        {"ending": "webm", "motion": "jig"},
        {"ending": "webm", "motion": ["test swing"]},
        {"ending": "webm", "shot": {"first": 9_000}},
        {"ending": "webp", "shot": {"background": "plaid"}},
        {"ending": "webp", "shot": {"zoom": 3}},
        {"ending": "webp", "shot": ["cropped"]},
        {"ending": "webp", "shot": {"last": -4}},
        {"list": 10**9},
        {"list": "for the game"},
        {"ending": "compared.html"},
        {"ending": "compared.html", "motion": "test swing", "before": 10**9},
        {"ending": "compared.html", "motion": "test swing", "before": "first"},
    ],
)
def test_an_impossible_order_gets_a_sentence(client, arm, order):
    answer = post(client, f"/jobs/deliver/{arm.pk}/", **order)
    assert answer.status_code == 400
    assert answer.json()["sentence"].endswith(".")


GAME = [{"file": "{figure}.png", "size": [32, 32]}, {"file": "swing.webp", "size": [32, 32], "last": 3}]


def test_a_list_is_kept_made_as_one_zip_kept_anew_and_dropped(client, arm):
    kept = post(client, "/jobs/lists/keep/", name="for the game", files=GAME).json()
    job = post(client, f"/jobs/deliver/{arm.pk}/", list=kept["id"]).json()
    assert job["ending"] == "list.zip"
    work()
    told = client.get(f"/jobs/{job['id']}/").json()
    assert told["state"] == "done", told
    data = io.BytesIO(b"".join(client.get(told["file"]).streaming_content))
    with zipfile.ZipFile(data) as archive:
        names = set(archive.namelist())
        assert {"swing.webp", "for-the-game.told.txt", "for-the-game.told.json", "for-the-game.sha256"} < names
        for line in archive.read("for-the-game.sha256").decode().splitlines():
            digest, name = line.split("  ")
            assert hashlib.sha256(archive.read(name)).hexdigest() == digest
    again = post(client, "/jobs/lists/keep/", name="for the game", files=GAME[:1]).json()
    assert again["id"] == kept["id"]
    (left,) = client.get("/jobs/lists/").json()["lists"]
    assert len(left["files"]) == 1
    assert post(client, f"/jobs/lists/{kept['id']}/drop/").json()["lists"] == []
    assert "not there any more" in post(client, f"/jobs/deliver/{arm.pk}/", list=kept["id"]).json()["sentence"]


@pytest.mark.parametrize(
    "said", [{}, {"name": "x"}, {"name": "", "files": GAME}, {"name": "x", "files": []}, {"name": "x", "files": [{"file": "a.png", "size": [0, 1]}]}]
)  # fmt: skip
def test_a_list_that_is_none_is_not_kept(client, arm, said):
    answer = post(client, "/jobs/lists/keep/", **said)
    assert answer.status_code == 400
    assert answer.json()["sentence"].endswith(".")
    assert client.get("/jobs/lists/").json() == {"lists": []}


def test_lists_are_their_owners_own(client, arm, bo):
    kept = post(client, "/jobs/lists/keep/", name="mine", files=GAME).json()
    client.force_login(bo)
    assert client.get("/jobs/lists/").json() == {"lists": []}
    post(client, f"/jobs/lists/{kept['id']}/drop/")
    assert SavedList.objects.filter(pk=kept["id"]).exists()


def test_a_motion_that_is_gone_from_a_list_is_told_before_anything_is_made(client, arm):
    kept = post(client, "/jobs/lists/keep/", name="dance", files=[{"file": "a.webp", "motion": "jig"}]).json()
    answer = post(client, f"/jobs/deliver/{arm.pk}/", list=kept["id"])
    assert answer.status_code == 400
    assert "jig" in answer.json()["sentence"]
    assert not Job.objects.exists()


def test_a_figure_is_compared_with_what_it_came_from(client, arm):
    first = arm.head_id
    cover = {"kind": "treat_joints", "joints": [{"bone": "arm 2", "treatment": "cover"}]}
    after = post(client, f"/bench/{arm.pk}/edit/", base=first, edit=cover).json()
    assert after.get("revision"), after
    (earlier,) = client.get(f"/bench/{arm.pk}/revisions/{after['revision']}/").json()["revisions"]
    assert earlier["id"] == first
    asked = {"ending": "compared.html", "motion": "test swing", "before": earlier["id"]}
    job = post(client, f"/jobs/deliver/{arm.pk}/", **asked).json()
    work()
    told = client.get(f"/jobs/{job['id']}/").json()
    assert told["state"] == "done", told
    page = b"".join(client.get(told["file"]).streaming_content).decode()
    assert "better" in page
    assert "frame 0" in page


def test_a_job_can_be_stopped_while_it_waits_and_while_it_runs(client, arm, settings, monkeypatch):
    waiting = post(client, f"/jobs/deliver/{arm.pk}/", ending="webp", size=[32, 32]).json()
    assert post(client, f"/jobs/{waiting['id']}/stop/").json()["state"] == "stopped"
    running = post(client, f"/jobs/deliver/{arm.pk}/", ending="webp", size=[32, 32]).json()
    monkeypatch.setattr(tasks, "TELL_EVERY", 0)
    painted = []

    def painter():
        painted.append(1)
        if len(painted) == 5:
            post(client, f"/jobs/{running['id']}/stop/")
        return real()

    from kunstgriff.delivery import frames

    real = frames.painter
    monkeypatch.setattr(frames, "painter", painter)
    work()
    told = client.get(f"/jobs/{running['id']}/").json()
    assert (told["state"], told["sentence"]) == ("stopped", "Stopped; nothing was kept of it.")
    assert len(painted) < 10
    assert not [path for path in files(settings.MEDIA_ROOT) if "deliveries" in str(path)]


def test_a_job_whose_worker_was_lost_is_begun_anew_and_given_up_after_three_times(client, arm, settings):
    job = Job.objects.get(pk=post(client, f"/jobs/deliver/{arm.pk}/", ending="png", size=[32, 32]).json()["id"])
    DBTaskResult.objects.all().delete()  # as if the worker had taken it
    silent = timezone.now() - timedelta(seconds=settings.JOB_SILENCE + 5)
    Job.objects.update(state="running", attempts=1, beat=timezone.now())
    assert revive_silent_jobs() == 0, "a worker that gives signs of life keeps its job"
    Job.objects.update(beat=silent)
    assert revive_silent_jobs() == 1
    work()
    job.refresh_from_db()
    assert (job.state, job.attempts) == ("done", 2)
    Job.objects.update(state="running", attempts=3, beat=silent)
    revive_silent_jobs()
    work()
    job.refresh_from_db()
    assert job.state == "failed"
    assert "three times" in job.sentence


def test_an_unforeseen_error_is_a_sentence_for_the_person(client, arm, monkeypatch):
    def broken(*args):
        raise ZeroDivisionError

    monkeypatch.setattr(tasks, "deliver", broken)
    job = post(client, f"/jobs/deliver/{arm.pk}/", ending="png").json()
    work()
    told = client.get(f"/jobs/{job['id']}/").json()
    assert told["state"] == "failed"
    assert "ZeroDivision" not in told["sentence"]
