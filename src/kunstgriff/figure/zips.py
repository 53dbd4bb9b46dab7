"""Opening zips from strangers: whatever is wrong with one, the reader gets one refusal with one sentence."""

from __future__ import annotations

import struct
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import BinaryIO

# everything zipfile was seen to raise on 2,000 broken variants of each of our formats
BROKEN = (
    zipfile.BadZipFile, zlib.error, struct.error, NotImplementedError, RuntimeError, EOFError, OSError, ValueError,
    LookupError, OverflowError, MemoryError,
)  # fmt: skip


@contextmanager
def reading_zip(source: Path | BinaryIO, refusal: type[Exception], sentence: str) -> Iterator[zipfile.ZipFile]:
    """Open a zip; raise `refusal(sentence)` for anything wrong with it, and let refusals from inside through."""
    try:
        with zipfile.ZipFile(source) as archive:
            yield archive
    except refusal:
        raise
    except FileNotFoundError as error:
        raise refusal(f"There is no file “{source}”.") from error
    except BROKEN as error:
        raise refusal(sentence) from error


def take(archive: zipfile.ZipFile, info: zipfile.ZipInfo, limit: int, refusal: type[Exception]) -> bytes:
    """An entry's bytes, never more than `limit`, whatever its header claims. Raises `refusal` beyond that."""
    with archive.open(info) as entry:
        data = entry.read(limit + 1)
    if len(data) > limit:
        raise refusal(f"Entry “{info.filename[:60]}” is larger than the {limit // 2**20 or 1} MB allowed.")
    return data
