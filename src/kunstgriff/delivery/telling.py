"""What whoever gets a delivery needs beside it: what was left out, in words and as data, and checksums."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any


@dataclass(frozen=True)
class Delivered:
    """A file that was delivered, and what it leaves out or changes of the figure, in sentences."""

    file: Path
    told: tuple[str, ...]

    @property
    def data(self) -> dict[str, Any]:
        content = self.file.read_bytes()
        return {
            "file": self.file.name, "bytes": len(content), "sha256": hashlib.sha256(content).hexdigest(),
            "left_out": list(self.told),
        }  # fmt: skip


def told_in_words(figure: str, some: Sequence[Delivered]) -> str:
    """The short text beside a delivery."""
    lines = [f"Of {figure} by Kunstgriff.", ""]
    for one in some:
        lines += [one.file.name, *(f"  {sentence}" for sentence in one.told or ("all there, as on the bench.",)), ""]
    return "\n".join(lines)


def tell_beside(stem: Path, figure: str, some: Sequence[Delivered]) -> list[Path]:
    """Write what is told of some files: STEM.told.txt, STEM.told.json, and STEM.sha256 as sha256sum reads it."""
    data = [one.data for one in some]
    texts = {
        ".told.txt": told_in_words(figure, some),
        ".told.json": json.dumps({"figure": figure, "files": data}, indent=1),
        ".sha256": "".join(f"{one['sha256']}  {one['file']}\n" for one in data),
    }
    for ending, text in texts.items():
        stem.with_name(stem.name + ending).write_text(text)
    return [stem.with_name(stem.name + ending) for ending in texts]
