"""Everything a studio keeps in one file, and back into an empty place.

A backup is a tar: `manifest.json`, the rows of each table as JSON lines in the order in which they can be put back,
and the files that rows name. Rows are read in one snapshot (MariaDB, consistent read at REPEATABLE READ); files are
named after what they hold and never change, so that those the rows name are the right ones. What is made again by
itself is left out: readings, jobs and what they delivered, sessions.
"""

from __future__ import annotations

import hashlib
import io
import json
import os
import tarfile
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import Any

from django.apps import apps
from django.conf import settings
from django.core import serializers
from django.core.serializers.json import DjangoJSONEncoder
from django.db import DatabaseError, connection, models, transaction
from django.utils import timezone

from kunstgriff.figure.refusal import Refusal

FORMAT = "kunstgriff.backup/1"
KEPT = (
    "accounts.User", "library.Picture", "library.ArrayBlock", "library.Figure", "library.Revision", "library.Share",
    "library.ArtSheet", "deliveries.SavedList",
)  # fmt: skip
AT_ONCE = 200  # rows read at once
LONGEST = 512 * 1024 * 1024  # bytes of one row or file


class _Exact(DjangoJSONEncoder):
    """Moments to the microsecond."""

    def default(self, o: Any) -> Any:
        return o.isoformat() if isinstance(o, datetime) else super().default(o)


class BackupRefused(Refusal):
    """A backup cannot be made or put back; the sentence says why."""

    code = "backup-refused"


def write_backup(target: Path) -> dict[str, int]:
    """Write everything to a file, whole or not at all; how many rows of each table and how many files there are."""
    counts = dict[str, int]()
    try:
        handle, name = tempfile.mkstemp(prefix=".backup-", dir=target.parent)
        os.close(handle)
        unfinished = Path(name)
        try:
            with tarfile.open(unfinished, "w") as tar, _snapshot():
                files = set[str]()
                for label in KEPT:
                    counts[label] = _put_rows(tar, label, files)
                counts["files"] = len(files)
                for name in sorted(files):
                    tar.add(_place(name), f"files/{name}", recursive=False)
                told = {"format": FORMAT, "made": timezone.now().isoformat(), "counts": counts}
                _put(tar, "manifest.json", json.dumps(told, indent=1).encode())
            unfinished.replace(target)
        finally:
            unfinished.unlink(missing_ok=True)
    except OSError as error:
        raise BackupRefused(f"“{target}” could not be written: {error.strerror or error}.") from error
    return counts


@contextmanager
def _snapshot() -> Iterator[None]:
    """All that is read within is read as it was when it began."""
    if not connection.in_atomic_block:
        with connection.cursor() as cursor:
            cursor.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ")
    with transaction.atomic():
        yield


def _place(name: str) -> Path:
    """Where a file lies that a backup calls by the folder it is in and its name there."""
    home, _, rest = name.partition("/")
    return Path({"media": settings.MEDIA_ROOT, "sources": settings.SOURCES}[home]) / rest


def _put_rows(tar: tarfile.TarFile, label: str, files: set[str]) -> int:
    model, count = apps.get_model(label), 0
    with tempfile.TemporaryFile() as lines:
        for row in _rows(model):
            lines.write(serializers.serialize("jsonl", [row], cls=_Exact).encode())
            count += 1
            if label == "library.Picture":
                files.add(f"media/{row.file.name}")
            elif label == "library.ArtSheet" and row.source:
                files.add(f"sources/{row.source}")
        size = lines.tell()
        lines.seek(0)
        member = tarfile.TarInfo(f"rows/{label}.jsonl")
        member.size = size
        tar.addfile(member, lines)
    return count


def _rows(model: type[models.Model]) -> Iterator[Any]:
    return iter(model._default_manager.order_by("pk").iterator(chunk_size=AT_ONCE))


def _put(tar: tarfile.TarFile, name: str, data: bytes) -> None:
    member = tarfile.TarInfo(name)
    member.size = len(data)
    tar.addfile(member, io.BytesIO(data))


def read_backup(source: Path, dry: bool = False) -> dict[str, int]:
    """Put a backup back into a studio that has nothing yet, or with `dry` only look whether that could be done. All of
    it comes back or nothing. Raises BackupRefused where it is none, where it is not whole, and where there is something
    already."""
    try:
        with tarfile.open(source) as tar:
            told = _manifest(tar)
            if not dry and any(apps.get_model(label).objects.exists() for label in KEPT):
                raise BackupRefused("There is something in this studio already; a backup goes into an empty one.")
            written = list[Path]()
            try:
                return _taken(tar, told["counts"], dry, written)
            except BaseException:
                for path in written:
                    path.unlink(missing_ok=True)
                raise
    except (tarfile.TarError, OSError, ValueError, KeyError, TypeError, EOFError) as error:
        raise BackupRefused(f"“{source.name}” is no backup that could be read: {error}.") from error
    except (DatabaseError, serializers.base.DeserializationError) as error:
        raise BackupRefused(f"The database did not take the backup: {error}.") from error


def _manifest(tar: tarfile.TarFile) -> dict[str, Any]:
    told = json.loads(_content(tar, tar.getmember("manifest.json")))
    if told["format"] != FORMAT or set(told["counts"]) != {*KEPT, "files"}:
        raise BackupRefused(f"This is a backup of another kind ({told['format']}).")
    return dict(told)


def _taken(tar: tarfile.TarFile, told: dict[str, int], dry: bool, written: list[Path]) -> dict[str, int]:
    """Take rows and files out of a backup, all in one transaction, as many as it tells of."""
    counts = dict.fromkeys([*KEPT, "files"], 0)
    with transaction.atomic(), connection.constraint_checks_disabled():
        for member in tar:
            kind, _, name = member.name.partition("/")
            if kind == "rows" and (label := name.removesuffix(".jsonl")) in KEPT:
                lines = tar.extractfile(member)
                assert lines is not None
                for line in lines:
                    (row,) = serializers.deserialize("jsonl", line.decode())
                    if not isinstance(row.object, apps.get_model(label)):
                        raise BackupRefused(f"There are rows of another table among those of {label}.")
                    counts[label] += 1
                    if not dry:
                        row.save()
            elif kind == "files":
                _take_file(tar, member, name, dry, written)
                counts["files"] += 1
        if counts != told:
            raise BackupRefused(f"The backup is not whole: {counts} was found of {told}.")
        if not dry:
            connection.check_constraints()
    return counts


def _take_file(tar: tarfile.TarFile, member: tarfile.TarInfo, name: str, dry: bool, written: list[Path]) -> None:
    """A file into its place, if it is one of ours and holds what it is named after."""
    target = _place(name).resolve()
    homes = (Path(settings.MEDIA_ROOT) / "pictures", settings.SOURCES)
    if not member.isfile() or not any(target.is_relative_to(Path(home).resolve()) for home in homes):
        raise BackupRefused(f"“{name[:80]}” is no file that a studio keeps.")
    data = _content(tar, member)
    if hashlib.sha256(data).hexdigest() != target.stem:
        raise BackupRefused(f"“{name[:80]}” does not hold what it is named after.")
    if dry or target.exists():
        return
    target.parent.mkdir(parents=True, exist_ok=True)
    unfinished = target.with_name(f".{target.name}")
    unfinished.write_bytes(data)
    unfinished.replace(target)
    written.append(target)


def _content(tar: tarfile.TarFile, member: tarfile.TarInfo) -> bytes:
    if member.size > LONGEST:
        raise BackupRefused(f"“{member.name[:80]}” is too large.")
    file = tar.extractfile(member)
    assert file is not None
    return file.read()
