"""Edits over HTTP: validated by the core, kept for good, undone and redone, refused when stale."""

from __future__ import annotations

import pytest
from django.db import OperationalError

from studio.bench import views
from studio.library.models import Revision
from tests.studio.conftest import post, signed_in

pytestmark = pytest.mark.django_db


@pytest.fixture
def client(ada):
    return signed_in(ada)


def edit(client, arm, base, **data):
    return post(client, f"/bench/{arm.pk}/edit/", base=base, edit=data)


def test_an_accepted_edit_is_a_revision_and_the_new_head(client, arm, ada):
    answer = edit(client, arm, arm.head_id, kind="rename_bone", bone="arm", name="near arm")
    arm.refresh_from_db()
    assert answer.json()["revision"] == arm.head_id
    assert (arm.head.author, arm.head.edit["kind"], arm.head.parent_id) == (ada, "rename_bone", arm.head.parent.pk)
    assert [bone["name"] for bone in answer.json()["figure"]["bones"]] == ["near arm", "near arm 2"]


def test_undo_and_redo_move_the_head_and_survive_leaving(client, arm, ada):
    first = arm.head_id
    second = edit(client, arm, first, kind="rename_figure", name="Second").json()
    assert second["undo"] == "rename the figure to Second"
    undone = post(signed_in(ada), f"/bench/{arm.pk}/undo/", base=second["revision"]).json()
    assert (undone["revision"], undone["redo"]) == (first, "rename the figure to Second")
    again = post(client, f"/bench/{arm.pk}/redo/", base=first).json()
    assert again["figure"]["name"] == "Second"
    assert post(client, f"/bench/{arm.pk}/redo/", base=again["revision"]).status_code == 400


def test_an_edit_after_undo_keeps_what_was_undone(client, arm):
    first = arm.head_id
    second = edit(client, arm, first, kind="rename_figure", name="Second").json()["revision"]
    post(client, f"/bench/{arm.pk}/undo/", base=second)
    edit(client, arm, first, kind="rename_figure", name="Third")
    assert Revision.objects.filter(pk=second).exists()
    assert Revision.objects.get(pk=first).children.count() == 2


def test_an_edit_on_an_old_revision_gets_409_and_the_newer_figure(client, arm):
    old = arm.head_id
    newer = edit(client, arm, old, kind="rename_figure", name="Newer").json()["revision"]
    for path in ("edit", "undo"):
        answer = post(client, f"/bench/{arm.pk}/{path}/", base=old, edit={"kind": "rename_figure", "name": "Older"})
        assert answer.status_code == 409
        assert answer.json()["state"]["revision"] == newer
        assert answer.json()["state"]["figure"]["name"] == "Newer"


@pytest.mark.parametrize(
    "data",
    [
        {"kind": "draw_chain", "joints": [[0, 0], [0, 0]]}, {"kind": "no_such"}, {"kind": "bind_rigid", "parts": ["p999"], "bone": "b1"},
        {"kind": "bind_rigid", "parts": [], "bone": "arm"}, {"kind": "set_opacity", "parts": ["forearm"], "opacity": 7}, None, "x",
    ],
)  # fmt: skip
def test_what_the_core_refuses_changes_nothing_and_says_why(client, arm, data):
    before = Revision.objects.count()
    answer = post(client, f"/bench/{arm.pk}/edit/", base=arm.head_id, edit=data)
    assert answer.status_code == 400
    assert answer.json()["sentence"].endswith(".")
    assert Revision.objects.count() == before


@pytest.mark.parametrize("body", [b"", b"[]", b"{", b'{"base": "1"}', b"[" * 100_000])
def test_a_body_that_is_no_edit_gets_a_sentence(client, arm, body):
    answer = client.post(f"/bench/{arm.pk}/edit/", body, content_type="application/json")
    assert answer.status_code == 400
    assert answer.json()["sentence"]


def test_geometry_is_told_by_revision_and_only_of_that_figure(client, arm, bo):
    url = f"/bench/{arm.pk}/geometry/{arm.head_id}/"
    answer = client.get(url)
    assert answer["Content-Type"] == "application/octet-stream"
    assert int.from_bytes(answer.content[:4], "little") < len(answer.content)
    assert client.get(f"/bench/{arm.pk}/geometry/999999/").status_code == 404
    assert signed_in(bo).get(url).status_code == 404


def test_a_server_says_that_it_serves_and_is_ready_only_while_the_database_answers(client, monkeypatch):
    assert [client.get(path).status_code for path in ("/health", "/ready")] == [200, 200]
    assert client.post("/health").status_code == 405

    def away(*args, **kwargs):
        raise OperationalError(2006, "server has gone away")

    monkeypatch.setattr("studio.health.connection.cursor", away)
    assert client.get("/health").status_code == 200
    answer = client.get("/ready")
    assert answer.status_code == 503
    assert "does not answer just now" in answer.content.decode()


def test_a_database_that_is_away_is_said_in_a_sentence_with_503(client, arm, monkeypatch):
    def away(*args, **kwargs):
        raise OperationalError(2006, "server has gone away")

    monkeypatch.setattr(views, "make_edit", away)
    answer = edit(client, arm, arm.head_id, kind="rename_figure", name="x")
    assert answer.status_code == 503
    assert "Nothing is lost" in answer.json()["sentence"]


def test_an_edit_that_fails_unforeseen_is_told_with_a_number_and_what_it_was_at(client, arm, monkeypatch, caplog):
    def broken(self, figure, stores):
        raise ZeroDivisionError

    monkeypatch.setattr("kunstgriff.artwork.mending.FillHoles.apply", broken)
    answer = edit(client, arm, arm.head_id, kind="fill_holes", parts=["forearm"])
    told = answer.json()["sentence"]
    assert answer.status_code == 500
    assert "“fill holes” at forearm failed" in told
    number = told.rsplit(" ", 1)[1].rstrip(".")
    assert number in caplog.text
    assert '"parts": ["forearm"]' in caplog.text
    assert "ZeroDivisionError" in caplog.text
    arm.refresh_from_db()
    assert edit(client, arm, arm.head_id, kind="rename_part", part="forearm", name="paw").status_code == 200


@pytest.mark.parametrize(
    "body",
    [
        b'{"base": true, "edit": {}}', b'{"base": 1, "edit": {"kind": "rename_figure", "name": "\\ud800"}}',
        b'{"base": 1e400, "edit": {}}', b'{"base": 9999999999999999999999, "edit": {}}', b"[" * 100_000,
        b'{"base": 1, "edit": ' + b'{"a":' * 50_000 + b"1" + b"}" * 50_000 + b"}",
        b'{"base": 1, "edit": {"kind": "draw_chain", "joints": [[true, true], [NaN, 1e999]]}}',
    ],
)  # fmt: skip
def test_odd_bodies_are_answered_by_a_sentence(client, arm, body):
    answer = client.post(f"/bench/{arm.pk}/edit/", body, content_type="application/json")
    assert answer.status_code in (400, 409)
    assert answer.json()["sentence"].endswith(".")
