"""The core's stores kept in MariaDB (arrays) and on disk (pictures), content-addressed, with a cache in front."""

from __future__ import annotations

import contextlib
import os
import tempfile
from collections import OrderedDict
from pathlib import Path
from threading import Lock
from typing import Any

import numpy as np
from django.conf import settings
from django.db import IntegrityError, transaction
from numpy.typing import NDArray

from kunstgriff.figure.stores import Decoding, Missing, digest_of, pack_array, unpack_array
from studio.library.models import ArrayBlock, Leaving, Picture

CACHE_BYTES = 256 * 1024 * 1024


class _Cache:
    """Bytes by digest, oldest out first. Digests name content, so nothing here can be stale."""

    def __init__(self) -> None:
        self.kept: OrderedDict[str, bytes] = OrderedDict()
        self.size = 0
        self.lock = Lock()

    def get(self, digest: str) -> bytes | None:
        with self.lock:
            if digest in self.kept:
                self.kept.move_to_end(digest)
            return self.kept.get(digest)

    def put(self, digest: str, data: bytes) -> None:
        with self.lock:
            if digest not in self.kept:
                self.kept[digest] = data
                self.size += len(data)
            while self.size > CACHE_BYTES and len(self.kept) > 1:
                self.size -= len(self.kept.popitem(last=False)[1])


_cache = _Cache()


class DatabaseStores(Decoding):
    """`kunstgriff.figure.stores.Stores` for the studio."""

    def get_array(self, digest: str) -> NDArray[Any]:
        data = _cache.get(digest)
        if data is None:
            found = ArrayBlock.objects.filter(digest=digest).values_list("data", flat=True).first()
            if found is None:
                raise Missing(digest)
            data = bytes(found)
            _cache.put(digest, data)
        return unpack_array(data)

    def put_array(self, array: NDArray[Any]) -> str:
        data = pack_array(np.asarray(array))
        digest = digest_of(data)
        _stays(digest)
        if not ArrayBlock.objects.filter(digest=digest).exists():
            # another request may have stored the same content meanwhile
            with contextlib.suppress(IntegrityError), transaction.atomic():
                ArrayBlock.objects.create(digest=digest, data=data)
        _cache.put(digest, data)
        return digest

    def get_picture(self, digest: str) -> bytes:
        data = _cache.get(digest)
        if data is None:
            path = picture_path(digest)
            if not path.exists():
                raise Missing(digest)
            data = path.read_bytes()
            _cache.put(digest, data)
        return data

    def put_picture(self, png: bytes) -> str:
        digest = digest_of(png)
        path = picture_path(digest)
        _stays(digest)
        if not path.exists():
            path.parent.mkdir(parents=True, exist_ok=True)
            with tempfile.NamedTemporaryFile(dir=path.parent, delete=False) as unfinished:
                unfinished.write(png)
            os.replace(unfinished.name, path)
        if not Picture.objects.filter(digest=digest).exists():
            with contextlib.suppress(IntegrityError), transaction.atomic():
                Picture.objects.create(digest=digest, file=str(path.relative_to(settings.MEDIA_ROOT)), size=len(png))
        _cache.put(digest, png)
        return digest


def _stays(digest: str) -> None:
    """What is stored again leaves no more; where it is just being swept, this waits for that."""
    Leaving.objects.filter(digest=digest).delete()


def picture_path(digest: str) -> Path:
    """Where a picture lies; built from a hash alone, never from a name a person gave."""
    return Path(settings.MEDIA_ROOT) / "pictures" / digest[:2] / f"{digest}.png"
