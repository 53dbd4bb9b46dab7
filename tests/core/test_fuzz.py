"""Thousands of broken variants of each format: always a refusal with a sentence or a sound result, never anything else.

Seeded, so that a failure comes again; bounded to seconds.
"""

from __future__ import annotations

import io
import random
import zipfile

import pytest

from kunstgriff.artwork.ora import read_ora, write_ora
from kunstgriff.artwork.pngs import read_pngs, write_pngs
from kunstgriff.artwork.sheet import ArtworkRefused, figure_from_sheet
from kunstgriff.artwork.svg import read_svg
from kunstgriff.figure.archive import ArchiveRefused, read_archive, write_archive
from kunstgriff.figure.stores import MemoryStores
from tests.art import capsule, drawn, edited, sheet_of, two_piece_arm

INTRUDERS = (b"9999", b"-1  ", b"nan ", b"1e99", b"\xff\xff\xff\xff", b"<!DO", b"url(", b"../.")
SVG = (
    b'<svg xmlns="http://www.w3.org/2000/svg" width="60" height="60" viewBox="0 0 60 60"><defs><clipPath id="c">'
    b'<rect width="9" height="9"/></clipPath></defs><g id="x" opacity="0.5" transform="scale(2)"><g id="a">'
    b'<rect width="9" height="9" fill="red" clip-path="url(#c)"/></g><g id="b"><use href="#a"/></g></g></svg>'
)


def written(write, *values) -> bytes:
    buffer = io.BytesIO()
    write(buffer, *values)
    return buffer.getvalue()


def broken(data: bytes, rng: random.Random) -> bytes:
    """Bytes changed, cut out, put in, doubled or replaced by something that means trouble, once or often."""
    body = bytearray(data)
    for _ in range(rng.choice((1, 1, 2, 8, 40))):
        if not body:
            break
        at, way = rng.randrange(len(body)), rng.randrange(5)
        if way == 0:
            body[at] = rng.randrange(256)
        elif way == 1:
            del body[at : at + rng.randrange(1, 20)]
        elif way == 2:
            body[at:at] = bytes(rng.randrange(256) for _ in range(rng.randrange(1, 9)))
        elif way == 3:
            body[at:at] = body[at : at + rng.randrange(1, 60)]
        else:
            body[at : at + 4] = rng.choice(INTRUDERS)
    return bytes(body)


def broken_inside(data: bytes, rng: random.Random) -> bytes:
    """A sound zip with one entry broken or gone."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(out, "w") as new:
        victim = rng.choice(old.namelist())
        for name in old.namelist():
            body = old.read(name)
            if name != victim:
                new.writestr(name, body)
            elif rng.random() > 0.1:
                new.writestr(name, broken(body, rng))
    return out.getvalue()


def figure(sheet):
    return figure_from_sheet(sheet, "x", MemoryStores())


def small_sheet():
    parts = {name: drawn(capsule((20, y), (40, y), 8, 2), (60, 60)) for name, y in (("a", 20), ("b", 40))}
    return sheet_of(parts, (60, 60))


@pytest.mark.parametrize("ending", ["ora", "pngs", "archive"])
def test_seven_hundred_broken_zips_are_refused_or_sound(ending):
    arm, stores = two_piece_arm()
    whole, read, refusal = {
        "ora": (written(write_ora, small_sheet()), lambda data: figure(read_ora(data)), ArtworkRefused),
        "pngs": (written(write_pngs, small_sheet()), lambda data: figure(read_pngs(data)), ArtworkRefused),
        "archive": (
            written(write_archive, edited(arm, stores, {"kind": "lay_cover", "bone": "arm 2"}), stores),
            read_archive,
            ArchiveRefused,
        ),
    }[ending]
    rng = random.Random(7)
    sentences = []
    for number in range(700):
        variant = broken(whole, rng) if number % 2 else broken_inside(whole, rng)
        try:
            read(io.BytesIO(variant))
        except refusal as refused:
            sentences.append(str(refused).rstrip())
    assert 350 < len(sentences) < 700
    assert not [sentence for sentence in sentences if not sentence.endswith(".")]


def test_broken_svgs_are_refused_or_sound():
    rng = random.Random(7)
    sentences = []
    for _ in range(300):
        try:
            read_svg(io.BytesIO(broken(SVG, rng)))
        except ArtworkRefused as refused:
            sentences.append(str(refused))
    assert len(sentences) < 300
    assert not [sentence for sentence in sentences if not sentence.endswith(".")]
