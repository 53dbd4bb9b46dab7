"""A backup put back into an empty place: every figure, revision, picture and account is there again."""

from __future__ import annotations

import io
import json
import shutil
import tarfile
from pathlib import Path

import pytest
from django.apps import apps
from django.core.management import call_command
from django.core.management.base import CommandError
from django.db import connection

from studio.accounts.models import User
from studio.deliveries.actions import save_list
from studio.library.backup import KEPT, read_backup, write_backup
from studio.library.models import Figure, Picture, Revision, Share
from tests.studio.conftest import post, signed_in


@pytest.fixture
def studio(arm, ada, bo, settings, tmp_path):
    """A studio with a figure of two revisions, shared and with a list; its folder is the test's own."""
    Share.objects.create(figure=arm, user=bo, may_edit=True)
    save_list(ada, {"name": "for the game", "files": [{"file": "a.png"}]})
    after = post(signed_in(ada), f"/bench/{arm.pk}/edit/", base=arm.head_id, edit={"kind": "rename_bone", "bone": "arm 2", "name": "forearm"})  # fmt: skip
    assert "revision" in after.json(), after.json()
    return arm


def everything():
    """All rows of all tables, and the bytes of all pictures."""
    rows = {label: list(apps.get_model(label).objects.order_by("pk").values()) for label in KEPT}
    return rows, {one.digest: one.file.read() for one in Picture.objects.all()}


def emptied(settings):
    """Another machine, on which there is nothing yet."""
    with connection.constraint_checks_disabled(), connection.cursor() as cursor:
        for label in KEPT:
            cursor.execute(f"DELETE FROM {apps.get_model(label)._meta.db_table}")
    shutil.rmtree(Path(settings.MEDIA_ROOT) / "pictures", ignore_errors=True)


def test_everything_is_there_again_and_works(studio, ada, settings, tmp_path):
    before = everything()
    counts = write_backup(tmp_path / "all.tar")
    assert counts["library.Revision"] == Revision.objects.count() == 2
    assert counts["files"] == Picture.objects.count() > 0
    emptied(settings)
    assert not Figure.objects.exists()
    assert read_backup(tmp_path / "all.tar", dry=True) == counts
    assert not Figure.objects.exists(), "a look changes nothing"
    call_command("restore", str(tmp_path / "all.tar"), stdout=io.StringIO())
    assert everything() == before
    figure = Figure.objects.get(pk=studio.pk)
    assert signed_in(User.objects.get(pk=ada.pk)).get(f"/bench/{figure.pk}/").status_code == 200
    done = post(signed_in(ada), f"/bench/{figure.pk}/edit/", base=figure.head_id, edit={"kind": "rename_bone", "bone": "forearm", "name": "arm 2"})  # fmt: skip
    assert "revision" in done.json(), "and goes on from where it was"


def test_a_backup_goes_into_an_empty_studio_only(studio, tmp_path):
    call_command("backup", str(tmp_path / "all.tar"), stdout=io.StringIO())
    before = everything()
    with pytest.raises(CommandError, match="something in this studio already"):
        call_command("restore", str(tmp_path / "all.tar"))
    assert everything() == before


def changed(path: Path, change) -> Path:
    """A backup with its members changed: `change` gets name and content, and gives content or None for none."""
    spoilt = path.with_name("spoilt.tar")
    with tarfile.open(path) as old, tarfile.open(spoilt, "w") as new:
        for member in old:
            file = old.extractfile(member)
            name, data = change(member.name, file.read() if file else b"")
            if data is not None:
                member.name, member.size = name, len(data)
                new.addfile(member, io.BytesIO(data))
    return spoilt


@pytest.mark.parametrize(
    ("change", "why"),
    [
        (lambda name, data: (name, None if name.startswith("files/") else data), "not whole"),
        (lambda name, data: (name, data[:-20] if name.endswith("Revision.jsonl") else data), "not take|no backup"),
        (lambda name, data: (name, b"x" + data if name.startswith("files/") else data), "does not hold"),
        (lambda name, data: (name.replace("files/media/", "files/media/../"), data), "no file that a studio keeps"),
        (lambda name, data: (name, data.replace(b"backup/1", b"backup/9") if name == "manifest.json" else data), "another kind"),
        (lambda name, data: (name, None if name == "manifest.json" else data), "no backup"),
        (lambda name, data: (name.replace("rows/accounts.User", "rows/library.Share"), data), "another table|not whole"),
    ],
)  # fmt: skip
def test_what_is_no_whole_backup_leaves_nothing_behind(studio, settings, tmp_path, change, why):
    write_backup(tmp_path / "all.tar")
    emptied(settings)
    with pytest.raises(CommandError, match=why):
        call_command("restore", str(changed(tmp_path / "all.tar", change)))
    assert not Figure.objects.exists()
    assert not User.objects.exists()
    assert not list((Path(settings.MEDIA_ROOT) / "pictures").rglob("*.png"))


def test_what_is_no_backup_at_all_is_a_sentence(settings, tmp_path, db):
    for content in (b"", b"hello", json.dumps({}).encode()):
        (tmp_path / "no.tar").write_bytes(content)
        with pytest.raises(CommandError, match="no backup"):
            call_command("restore", str(tmp_path / "no.tar"))
    with pytest.raises(CommandError, match="could not be written"):
        call_command("backup", str(tmp_path / "nowhere" / "all.tar"))
