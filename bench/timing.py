"""Timing that can be trusted on a noisy machine: rounds in turn, medians."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from statistics import median
from typing import Any


@dataclass(frozen=True)
class Row:
    """One line of the table."""

    what: str
    reached: str
    beside: str
    target: str
    met: bool | None  # None: it is told for comparison only


def seconds(function: Callable[[], Any], repeats: int = 1) -> float:
    start = time.perf_counter()
    for _ in range(repeats):
        function()
    return (time.perf_counter() - start) / repeats


def in_turn(
    ours: Callable[[], Any], other: Callable[[], Any], rounds: int = 15, repeats: int = 1
) -> tuple[float, float]:
    """Median seconds of both, measured A B A B …, so that drift of the machine hits both."""
    ours(), other()
    pairs = [(seconds(ours, repeats), seconds(other, repeats)) for _ in range(rounds)]
    return median(a for a, _ in pairs), median(b for _, b in pairs)


def table(rows: list[Row]) -> str:
    head = Row("what", "reached", "beside it", "target", True)
    widths = [max(len(getattr(row, name)) for row in [head, *rows]) for name in ("what", "reached", "beside", "target")]
    lines = []
    for row in [head, *rows]:
        cells = (row.what, row.reached, row.beside, row.target)
        mark = "" if row is head or row.met is None else ("met" if row.met else "MISSED")
        lines.append("  ".join(cell.ljust(width) for cell, width in zip(cells, widths, strict=True)) + f"  {mark}")
    lines.insert(1, "-" * len(lines[0]))
    return "\n".join(lines)
