"""Small files and edits that ask for much: refused with a sentence before anything is allocated.

What is asked for is measured in a process of its own, by the most memory it ever had (`ru_maxrss`).
"""

from __future__ import annotations

import io
import json
import subprocess
import sys
import textwrap
import time
import zipfile
from pathlib import Path

import numpy as np
import pytest

from kunstgriff.artwork.importing import read_artwork
from kunstgriff.artwork.sheet import ArtworkRefused
from kunstgriff.figure.budget import Budget, TooDear, budget, drawing_on
from kunstgriff.figure.edit import EditRefused, apply_edit
from kunstgriff.figure.stores import encode_png
from tests.art import capsule, drawn, figure_of

DOT = encode_png(np.full((1, 1, 4), 255, np.uint8))
MEGABYTES, SECONDS = 2_000, 60  # an import may have at most

READ = """
    import resource, sys, time
    from pathlib import Path
    from kunstgriff.artwork.importing import read_artwork
    from kunstgriff.artwork.sheet import ArtworkRefused, pieces_of
    began = time.monotonic()
    try:
        print(len(pieces_of(read_artwork(Path(sys.argv[1])))))
    except ArtworkRefused as error:
        print(error)
    children = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss
    print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024 + children // 1024)
    print(round(time.monotonic() - began))
"""


def read_elsewhere(file: Path) -> tuple[str, int, int]:
    """What reading a file says, the MB it had and the seconds it took."""
    run = [sys.executable, "-c", textwrap.dedent(READ), str(file)]
    lines = subprocess.run(run, capture_output=True, text=True, timeout=200, check=True).stdout.strip().splitlines()
    return "\n".join(lines[:-2]), int(lines[-2]), int(lines[-1])


def zipped(entries: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in entries.items():
            archive.writestr(name, data)
    return out.getvalue()


def places(**place: object) -> bytes:
    return json.dumps({"width": 10, "height": 10, "places": [{"file": "a.png", **place}]}).encode()


def ora(*layers: str) -> bytes:
    stack = f'<image w="64" h="64"><stack>{"".join(layers)}</stack></image>'
    return zipped({"mimetype": b"image/openraster", "stack.xml": stack.encode(), "a.png": DOT})


def svg(body: str) -> bytes:
    return f'<svg xmlns="http://www.w3.org/2000/svg" width="400" height="400">{body}</svg>'.encode()


HOSTILE = {
    "groups without end.zip": (zipped({"places.json": places(group="a/" * 200_000), "a.png": DOT}), "group"),
    "ink far from its fill.ora": (
        ora('<layer name="ink of arm" src="a.png" x="90000" y="90000"/>', '<layer name="fill of arm" src="a.png"/>'),
        "so far apart",
    ),
    "offsets beyond any sheet.ora": (ora('<layer name="a" src="a.png" x="9999999"/>'), "off the sheet"),
    "a style for every layer.svg": (
        svg(f"<style>{'.a{fill:red}' * 1_200_000}</style>" + '<g id="l"><path d="M0 0h9v9z"/></g>' * 390),
        "style sheets are larger",
    ),
    "sizes of 400 digits.svg": (svg("").replace(b'"400"', b'"' + b"9" * 400 + b'"', 1), "px a side"),
    "definitions for every layer.svg": (
        svg('<defs><g id="d">' + '<circle r="1"/>' * 40_000 + "</g></defs>" + '<g id="l"><use href="#d"/></g>' * 390),
        "share is too much",
    ),
}


@pytest.mark.parametrize("name", HOSTILE)
def test_a_small_file_that_asks_for_much_ends_in_a_sentence(tmp_path, name):
    data, sentence = HOSTILE[name]
    (tmp_path / name).write_bytes(data)
    told, megabytes, seconds = read_elsewhere(tmp_path / name)
    assert sentence in told
    assert told.endswith(".")
    assert megabytes < MEGABYTES
    assert seconds <= SECONDS


def test_an_svg_that_takes_minutes_is_given_up_and_its_processes_with_it(tmp_path, monkeypatch):
    slow = svg(
        '<filter id="f" x="0" y="0" width="1" height="1"><feTurbulence baseFrequency="0.9" numOctaves="9999"/>'
        '<feMorphology operator="dilate" radius="400"/></filter>'
        + '<g id="l"><path filter="url(#f)" d="M0 0h6000v6000z"/></g>'
        * 60
    )
    (tmp_path / "slow.svg").write_bytes(slow.replace(b'"400"', b'"6000"'))
    monkeypatch.setattr("kunstgriff.artwork.svg.SECONDS_LIMIT", 2)
    began = time.monotonic()
    with pytest.raises(ArtworkRefused, match="given up"):
        read_artwork(tmp_path / "slow.svg")
    assert time.monotonic() - began < 20


def test_edits_that_ask_for_much_are_refused():
    layers = {name: drawn(capsule((100, 200), (300, 200), 20, 4)) for name in ("arm", "leg")}
    figure, stores = figure_of(layers)
    arm, leg = figure.parts
    far = figure.replace(parts=(arm, leg.with_drawing(place=(90_000.0, 90_000.0))))
    for edit in (
        {"kind": "join_ink_and_fill", "ink": "arm", "fill": "leg"},
        {"kind": "merge_parts", "parts": ["arm", "leg"]},
        {"kind": "draw_along", "stroke": [(0, 0), (900_000, 0)]},
    ):
        with pytest.raises(EditRefused, match="more than Kunstgriff"):
            apply_edit(edit, far, stores)


def test_one_budget_is_drawn_on_by_all_that_happens_in_its_course():
    with drawing_on(Budget(EditRefused, pixels=100, seconds=1e9)) as opened:
        budget().decode(60)
        assert opened.pixels == 40
        with pytest.raises(EditRefused, match="more pixels"):
            budget().decode(60)
    with drawing_on(Budget(EditRefused, seconds=0.0)), pytest.raises(EditRefused, match="given up"):
        budget().tick()
    with pytest.raises(TooDear):
        budget().need(float("nan"), 1, 1, "That")
