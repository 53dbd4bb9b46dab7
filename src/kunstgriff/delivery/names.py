"""Names of figures, motions and lists as those of files."""

from __future__ import annotations

import re


def file_stem(name: str) -> str:
    """A name as that of a file, no longer than file systems take (255 bytes, with its ending).

    >>> file_stem("Pell, lamplighter"), len(file_stem("兎" * 80).encode()) <= 180
    ('pell-lamplighter', True)
    >>> file_stem("../für “Spiel”"), file_stem("***")
    ('für-spiel', 'figure')
    """
    stem = re.sub(r"[^\w-]+", "-", name.lower()).strip("-") or "figure"
    return stem.encode()[:180].decode(errors="ignore")
