"""Strangers' figures taken the whole way, counted: `./run bench --strangers N [--from SEED] [--plan NAME]`."""

from __future__ import annotations

from collections.abc import Sequence

from tests.strangers.plans import stranger
from tests.strangers.way import Way, walk


def told(way: Way) -> str:
    """One figure on a line, with the worst of what went wrong."""
    one = way.one
    head = f"{one.seed:4d} {one.plan:11s} {one.end:6s} line {one.line:4.1f} {one.fill:8s} {way.seconds:5.1f} s CPU"
    if way.error:
        return f"{head}  FAILED {way.error}"
    bad = sorted(
        (row for row in way.tried if not row.clean),
        key=lambda row: -(row.found.hole / 6 + row.found.line / 12 + row.found.shape / 40),
    )
    words = [
        f"{row.joint} {row.angle:.0f}° hole {row.found.hole} line {row.found.line} shape {row.found.shape}{' BLIND' if row.blind else ''}"
        for row in bad[:2]
    ]
    parts = f"parts {way.parts_right}/{way.parts_right + len(way.parts_wrong)}"
    counts = f"{way.clean}/{len(way.tried)} clean, {way.blind} blind, {way.alarms} false alarms, seams {way.seams}/{way.seams_due}, {parts}"
    return f"{head}  {counts}  {'; '.join([*words, *way.parts_wrong[:2]])}"


def summary(ways: Sequence[Way]) -> str:
    """All figures together, beside what is asked."""
    done = [way for way in ways if not way.error]
    poses = max(sum(len(way.tried) for way in done), 1)
    parts = max(sum(way.parts_right + len(way.parts_wrong) for way in done), 1)
    rows = [
        ("the whole way", len(done) / len(ways), "100 %"),
        ("parts bound as the truth says", sum(way.parts_right for way in done) / parts, "≥ 97 %"),
        (
            "joints of two pieces found",
            sum(way.seams for way in done) / max(sum(way.seams_due for way in done), 1),
            "≥ 99 %",
        ),
        ("clean poses", sum(way.clean for way in done) / poses, "≥ 95 %"),
        ("blind poses", sum(way.blind for way in done) / poses, "≤ 0.5 %"),
    ]
    slowest = max((way.seconds for way in done), default=0.0)
    lines = [f"{what:32s} {share:7.2%}  ({wanted})" for what, share, wanted in rows]
    return "\n".join([*lines, f"{'slowest of them, CPU':32s} {slowest:5.1f} s  (≤ 12 s at 20 parts, 12 joints)"])


def main(count: int, first: int = 0, plan: str | None = None) -> int:
    ways = []
    for seed in range(first, first + count):
        ways.append(walk(stranger(seed, plan)))
        print(told(ways[-1]), flush=True)
    print(summary(ways))
    return 1 if any(way.error for way in ways) else 0
