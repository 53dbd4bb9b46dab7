"""The core's stores kept in MariaDB (arrays) and on disk (pictures), content-addressed, with a cache in front."""

from __future__ import annotations

import contextlib
import os
import tempfile
from collections import OrderedDict
from pathlib import Path
from threading import Lock
from typing import Any, Generic, TypeVar

import numpy as np
from django.conf import settings
from django.db import IntegrityError, transaction
from numpy.typing import NDArray

from kunstgriff.figure.stores import Decoding, Missing, digest_of, pack_array, unpack_array
from studio.library.models import ArrayBlock, Leaving, Picture

CACHE_BYTES = 128 * 1024 * 1024  # of pictures, and of arrays as many

Content = TypeVar("Content")


class _Cache(Generic[Content]):
    """Content by digest, oldest out first. Digests name content, so nothing here can be stale."""

    def __init__(self) -> None:
        self.kept: OrderedDict[str, tuple[Content, int]] = OrderedDict()
        self.size = 0
        self.lock = Lock()

    def get(self, digest: str) -> Content | None:
        with self.lock:
            if digest not in self.kept:
                return None
            self.kept.move_to_end(digest)
            return self.kept[digest][0]

    def put(self, digest: str, content: Content, size: int) -> None:
        """Keep content that takes `size` bytes."""
        with self.lock:
            if digest not in self.kept:
                self.kept[digest] = content, size
                self.size += size
            while self.size > CACHE_BYTES and len(self.kept) > 1:
                self.size -= self.kept.popitem(last=False)[1][1]


_arrays: _Cache[NDArray[Any]] = _Cache()
_pictures: _Cache[bytes] = _Cache()


class DatabaseStores(Decoding):
    """`kunstgriff.figure.stores.Stores` for the studio."""

    def get_array(self, digest: str) -> NDArray[Any]:
        array = _arrays.get(digest)
        if array is None:
            found = ArrayBlock.objects.filter(digest=digest).values_list("data", flat=True).first()
            if found is None:
                raise Missing(digest)
            array = unpack_array(bytes(found))
            _arrays.put(digest, array, array.nbytes)
        return array

    def put_array(self, array: NDArray[Any]) -> str:
        data = pack_array(np.asarray(array))
        digest = digest_of(data)
        _stays(digest)
        if not ArrayBlock.objects.filter(digest=digest).exists():
            # another request may have stored the same content meanwhile
            with contextlib.suppress(IntegrityError), transaction.atomic():
                ArrayBlock.objects.create(digest=digest, data=data)
        _arrays.put(digest, unpack_array(data), len(data))
        return digest

    def get_picture(self, digest: str) -> bytes:
        data = _pictures.get(digest)
        if data is None:
            path = picture_path(digest)
            if not path.exists():
                raise Missing(digest)
            data = path.read_bytes()
            _pictures.put(digest, data, len(data))
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
        _pictures.put(digest, png, len(png))
        return digest


def _stays(digest: str) -> None:
    """What is stored again leaves no more; where it is just being swept, this waits for that."""
    Leaving.objects.filter(digest=digest).delete()


def picture_path(digest: str) -> Path:
    """Where a picture lies; built from a hash alone, never from a name a person gave."""
    return Path(settings.MEDIA_ROOT) / "pictures" / digest[:2] / f"{digest}.png"
