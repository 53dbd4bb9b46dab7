"""The proof of a rig: what a supervisor signs. One HTML file without others, or JSON, with pictures and numbers."""

from __future__ import annotations

import html
import json
import os
import re
import tempfile
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import numpy as np

from kunstgriff.artwork.sheet import Progress
from kunstgriff.delivery.frames import painter
from kunstgriff.delivery.player import player
from kunstgriff.figure.archive import read_archive, write_archive
from kunstgriff.figure.model import Figure
from kunstgriff.figure.refusal import DeliveryRefused
from kunstgriff.figure.stores import Stores
from kunstgriff.figure.turning import turned_to
from kunstgriff.reading.comparing import compare
from kunstgriff.reading.proving import Prover, as_uri, everything, told
from kunstgriff.stages import install
from kunstgriff.trial.cells import Cell
from kunstgriff.trial.motion import motion_named, rate_of

Row = dict[str, Any]
KINDS = {
    "pose": "Kept poses and motions", "joint": "Joints, each through its range", "pair": "Neighbours together",
    "reach": "Reaches", "lever": "Levers", "set": "Sets", "shape": "Laid-on shapes", "shake": "Shaken",
}  # fmt: skip
MOST_KNOWN = 256 * 1024 * 1024  # bytes of an earlier report
NEEDED = {"kind", "name", "fails", "limit", "worst", "faults", "readings", "pose", "mark", "picture"}
SHAKES = 200  # random poses that a rig is shaken through unless said
SAME_TIMES = 0.05  # times what is tolerated that two readings may be apart and be the same
WORST = 12  # cells shown first
NUMBERS = re.compile(r"[-+]?\d[\d.,%]*")
NAMES = {"gap_disc": "gap, px", "ink_length": "line across, px", "notch": "notch, px", "beyond": "beyond one limb, px",
         "short": "short of one limb, px", "width": "width kept", "area": "area kept", "folded": "folded over",
         "drawn out": "edges drawn out, times"}  # fmt: skip
STYLE = """
body{font:15px/1.45 Georgia,serif;color:#2B2A33;background:#F7F2E8;margin:2em auto;max-width:1180px;padding:0 1em}
h1,h2{font-weight:600}h2{margin-top:1.6em;border-bottom:1px solid #D9CFBD}
.cells{display:grid;grid-template-columns:repeat(auto-fill,minmax(176px,1fr));gap:10px}
figure{margin:0;background:#FFFDF8;border:1px solid #D9CFBD;padding:4px}
figure.fails{border:3px solid #7A3B69}figure.limit{border:3px dashed #A9781F}
figure img{width:100%;display:block}figcaption{font-size:12.5px;padding:3px 2px}
table{border-collapse:collapse;width:100%}td,th{text-align:left;padding:3px 10px 3px 0;vertical-align:top}
td.n{text-align:right;font-variant-numeric:tabular-nums}.verdict{font-size:1.2em}
"""


def proven(
    figure: Figure, stores: Stores, progress: Progress, shakes: int = 0, seed: int = 1,
    known: Mapping[str, Row] | None = None, workers: int = 1, keep: Callable[[list[Row]], None] | None = None,
) -> list[Row]:  # fmt: skip
    """Every cell read, as plain data. What is `known` by its mark is not read again; `keep` is told now and then what
    there is so far. Several `workers` are processes of their own."""
    sides, known = _sides(figure, stores, shakes, seed), dict(known or {})
    asked = [(side, number) for side in sides for number in range(len(side.cells))]
    marks = [side.prover.mark(side.cells[number]) for side, number in asked]
    # what a side has on loan reads there as where it is lent from
    first = {mark: place for place, mark in reversed(list(enumerate(marks)))}
    missing = sorted(place for mark, place in first.items() if mark not in known)
    if workers > 1 and len(missing) > workers:
        rows = _read_apart(figure, stores, missing, shakes, seed, workers)
    else:
        rows = (side.read(number) for side, number in (asked[place] for place in missing))
    found = len(marks) - len(missing)
    for done, (place, row) in enumerate(zip(missing, rows, strict=True), start=1):
        known[marks[place]] = row
        progress(found + done, len(marks), "reading the range sheet")
        if keep is not None and done % 20 == 0:
            keep([row for mark, row in known.items() if mark in first])
    return [
        {**known[mark], "name": side.named(number), "side": side.name}
        for mark, (side, number) in zip(marks, asked, strict=True)
    ]


@dataclass(frozen=True)
class _Side:
    """A figure as one of its facings shows it, read cell by cell; the one it shows now has no `name`."""

    name: str
    prover: Prover
    cells: list[Cell]

    def read(self, number: int) -> Row:
        return told(self.prover.read(self.cells[number]))

    def named(self, number: int) -> str:
        name = self.cells[number].name
        return f"{self.name}: {name}" if self.name else name


def _sides(figure: Figure, stores: Stores, shakes: int, seed: int) -> list[_Side]:
    """The figure, and each other facing that is drawn; random poses are of the first only."""
    by, turnaround = painter(), figure.turnaround
    seen = [("", figure)]
    if turnaround is not None:
        drawn = (one for one in turnaround.facings if one.mirrors is None and one.number != turnaround.shown)
        seen += [(one.name, turned_to(figure, one.number)) for one in drawn]
    return [_Side(name, Prover(each, stores, by), everything(each, 0 if name else shakes, seed)) for name, each in seen]


def _read_apart(
    figure: Figure, stores: Stores, places: Sequence[int], shakes: int, seed: int, workers: int
) -> Iterator[Row]:
    """Cells by their places among those of all sides, read by several processes, each with the figure from an
    archive."""
    with tempfile.TemporaryDirectory() as folder:
        archive = Path(folder) / "figure.zip"
        write_archive(archive, figure, stores)
        with ProcessPoolExecutor(workers, get_context("spawn"), _open, (archive, shakes, seed)) as pool:
            yield from pool.map(_read_one, places, chunksize=2)


_worker: list[tuple[_Side, int]] = []


def _open(archive: Path, shakes: int, seed: int) -> None:
    install()
    figure, stores = read_archive(archive)
    _worker[:] = [(side, number) for side in _sides(figure, stores, shakes, seed) for number in range(len(side.cells))]


def _read_one(place: int) -> Row:
    side, number = _worker[place]
    return side.read(number)


def verdict(rows: Sequence[Row]) -> str:
    """In one sentence how it stands."""
    failed, limits = sum(row["fails"] for row in rows), sum(row["limit"] for row in rows)
    if not failed:
        start = f"Nothing that the figure is used for fails, of {len(rows)} that were tried"
    else:
        start = f"{failed} of {len(rows)} fail in what the figure is used for"
    return f"{start}; {limits} fail beyond that." if limits else f"{start}."


def worst_shakes(rows: Sequence[Row], count: int = 10) -> list[Row]:
    """The random poses that fail most."""
    shakes = [row for row in rows if row["kind"] == "shake" and row["faults"]]
    return sorted(shakes, key=lambda row: -row["worst"])[:count]


def as_html(figure: Figure, rows: Sequence[Row]) -> str:
    """The report as one HTML file that refers to no other."""
    return "".join(_page(figure, rows))


def _page(figure: Figure, rows: Sequence[Row]) -> Iterator[str]:
    name = html.escape(figure.name)
    yield f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Proof of {name}</title>'
    yield f"<style>{STYLE}</style></head><body><h1>Proof of {name}</h1>"
    yield f'<p class="verdict">{html.escape(verdict(rows))}</p>'
    limits = figure.tolerances.model_dump()
    yield f"<p>Tolerated: {', '.join(f'{key} {value:g}' for key, value in limits.items())}.</p>"
    for title, way in (("What fails", "fails"), ("Limits", "limit")):
        some = sorted((row for row in rows if row[way]), key=lambda row: -row["worst"])
        if some:
            yield f'<h2>{title}</h2><div class="cells">{"".join(map(_cell, some[:WORST]))}</div>'
            yield "<table><tr><th>what, at its worst</th><th>times</th><th>from</th><th>in</th></tr>"
            yield from _lines(some)
            yield "</table>"
    for kind, title in KINDS.items():
        some = [row for row in rows if row["kind"] == kind]
        if kind == "shake":
            some = sorted(some, key=lambda row: -row["worst"])
        if some:
            yield f'<h2>{title}</h2><div class="cells">{"".join(map(_cell, some))}</div>'
    yield "<h2>Signed</h2><p>&nbsp;</p></body></html>"


def _lines(rows: Sequence[Row]) -> Iterator[str]:
    """Each kind of fault once, where it is worst, and in how many cells it is."""
    found: dict[str, list[tuple[float, Row, Row]]] = {}
    for row in rows:
        for fault in row["faults"]:
            found.setdefault(NUMBERS.sub("", fault["words"].split(" at ")[0]), []).append((fault["times"], fault, row))
    for some in sorted(found.values(), key=lambda each: -max(one[0] for one in each)):
        times, fault, row = max(some, key=lambda one: one[0])
        angles = [one["begins"] for _, one, _ in some if one["begins"] is not None]
        begins = f"{min(angles, key=abs):.0f}°" if angles else ""
        where = html.escape(row["name"]) + (f" and {len(some) - 1} more" if len(some) > 1 else "")
        yield f"<tr><td>{html.escape(fault['words'])}</td>"
        yield f'<td class="n">{times:.1f}</td><td class="n">{begins}</td><td>{where}</td></tr>'


def _cell(row: Row) -> str:
    look = "fails" if row["fails"] else "limit" if row["limit"] else ""
    numbers = ", ".join(f"{NAMES.get(key, key)} {value:g}" for key, value in row["readings"].items())
    faults = "<br>".join(html.escape(fault["words"]) for fault in row["faults"][:2])
    name, small = html.escape(row["name"]), f"<small>{html.escape(numbers)}</small>"
    return (
        f'<figure class="{look}"><img alt="{name}" src="{row["picture"]}">'
        f"<figcaption><strong>{name}</strong><br>{faults or 'all well'}<br>{small}</figcaption></figure>"
    )


def as_json(figure: Figure, rows: Sequence[Row]) -> str:
    """The same as data."""
    return json.dumps({"figure": figure.name, "verdict": verdict(rows), "cells": list(rows)}, indent=1)


def comparison(
    one: tuple[Figure, Stores], other: tuple[Figure, Stores], motion: str | None, progress: Progress,
    known: Mapping[str, Row] | None = None,
) -> tuple[str, dict[str, Any]]:  # fmt: skip
    """Two revisions over one motion: a page with the frames that depart most, and the same as data; readings of every
    cell that both have, better or worse. What is `known` by its mark, or of the first one, is not read again."""
    named = motion_named(one[0], motion)
    frames, pictures = list[Row](), list[str]()
    for each in compare(one, other, motion, painter(), progress):
        frames.append({"frame": each.frame, "apart": each.apart, "otherwise": each.otherwise})
        pictures.append(as_uri(np.dstack([each.pictures, np.full(each.pictures.shape[:2], 255, np.uint8)])))
    first = proven(*one, progress, known=known)
    second = proven(*other, progress, known={**(known or {}), **by_mark(first)})
    before, after = ({row["name"]: row for row in rows} for rows in (first, second))
    cells = [
        {"name": name, "before": row["worst"], "after": after[name]["worst"]}
        for name, row in before.items()
        if name in after and abs(row["worst"] - after[name]["worst"]) > SAME_TIMES
    ]
    cells.sort(key=lambda row: row["before"] - row["after"])
    data = {
        "motion": named.name, "rate": rate_of(named, one[0]),
        "apart": max((row["apart"] for row in frames), default=0.0),
        "frames": frames, "cells": cells,
    }  # fmt: skip
    return "".join(_compared_page(one[0], data, pictures)), data


def _compared_page(figure: Figure, data: Mapping[str, Any], pictures: Sequence[str]) -> Iterator[str]:
    name = html.escape(f"{figure.name}, {data['motion']}")
    yield f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{name}</title>'
    yield f"<style>{STYLE}</style></head><body><h1>{name}</h1>"
    yield f'<p class="verdict">Outlines depart by {data["apart"]:.1f} px at the most.</p>'
    if data["cells"]:
        yield "<h2>Readings, times what is tolerated</h2><table><tr><th>what</th><th>before</th><th>after</th></tr>"
        for row in data["cells"]:
            word = "worse" if row["after"] > row["before"] else "better"
            numbers = f'<td class="n">{row["before"]:.1f}</td><td class="n">{row["after"]:.1f}, {word}</td>'
            yield f"<tr><td>{html.escape(row['name'])}</td>{numbers}</tr>"
        yield "</table>"
    yield "<h2>Side by side: before, after, what differs</h2>"
    words = [f"frame {row['frame']}: {row['apart']:.1f} px apart, {row['otherwise']:.0f} px² otherwise"
             for row in data["frames"]]  # fmt: skip
    worst = sorted(range(len(words)), key=lambda number: -data["frames"][number]["apart"])[:WORST]
    yield from player(pictures, words, data["rate"], begins=worst[0] if worst else 0)
    for place, number in enumerate(number for number in worst if data["frames"][number]["otherwise"]):
        yield "" if place else "<h2>Frames that depart most</h2>"
        image = f'<img alt="{words[number]}" src="{pictures[number]}">'
        yield f"<figure>{image}<figcaption>{words[number]}</figcaption></figure>"
    yield "</body></html>"


def write_comparison(
    path: Path, before: Figure | None, figure: Figure, stores: Stores, motion: str, progress: Progress,
    memory: Path | None = None,
) -> None:  # fmt: skip
    """The comparison of a figure with what it was `before`, over a motion, as a delivery.

    Raises DeliveryRefused without one, EditRefused where one of the two does not have the motion.
    """
    if before is None:
        raise DeliveryRefused("Say with which revision it is to be compared.")
    known = known_from(memory) if memory is not None else {}
    page, _ = comparison((before, stores), (figure, stores), motion, progress, known)
    path.write_text(page)


def by_mark(rows: Iterable[Row]) -> dict[str, Row]:
    """Rows by the marks of all they depend on."""
    return {str(row["mark"]): row for row in rows}


def known_from(path: Path) -> dict[str, Row]:
    """What an earlier report in JSON has, by its marks; nothing where there is none that could be read."""
    try:
        if path.stat().st_size > MOST_KNOWN:
            return {}
        rows = json.loads(path.read_text())["cells"]
        return by_mark(row for row in rows if set(row) >= NEEDED)
    except (OSError, ValueError, KeyError, TypeError, RecursionError):
        return {}


def write_proof(
    path: Path, figure: Figure, stores: Stores, progress: Progress, memory: Path | None = None, shakes: int = 0
) -> None:
    """The proof of a figure as a delivery, as data where the file ends in .json. It goes on from a `memory`."""

    def keep(rows: list[Row]) -> None:
        if memory is not None:
            unfinished = memory.with_suffix(".unfinished")
            unfinished.write_text(as_json(figure, rows))
            unfinished.replace(memory)

    known = known_from(memory) if memory is not None else {}
    rows = proven(figure, stores, progress, shakes, known=known, keep=keep)
    keep(rows)
    path.write_text(as_json(figure, rows) if path.suffix == ".json" else as_html(figure, rows))


def processes() -> int:
    """How many may read at once here."""
    return max(len(os.sched_getaffinity(0)), 1)
