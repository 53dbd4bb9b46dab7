"""Documents whose shape is sound and whose values are not: what readers must refuse with a sentence, or make sense of.

Every shape here once ended in a traceback: nested thousands deep, hundreds of digits, digits that are no ASCII, lone
surrogates, booleans where a number belongs, numbers no float holds. Seeded, so that a failure comes again.
"""

from __future__ import annotations

import io
import json
import random
import re
import zipfile

import pytest
from pydantic import ValidationError

from kunstgriff.artwork.ora import read_ora, write_ora
from kunstgriff.artwork.pngs import read_pngs, write_pngs
from kunstgriff.artwork.sheet import ArtworkRefused
from kunstgriff.artwork.svg import read_svg
from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.archive import ArchiveRefused, read_archive, write_archive
from kunstgriff.figure.edit import Edit, EditRefused, apply_edit, edit_kinds
from kunstgriff.figure.pose import parse_pose
from tests.art import edited, two_piece_arm
from tests.core.test_fuzz import SVG, figure, small_sheet, written

DEEP = "[" * 100_000 + "]" * 100_000
HOSTILE_JSON = (
    DEEP,
    '{"a":' * 5_000 + "1" + "}" * 5_000,
    "9" * 400,
    "-" + "9" * 5_000,
    "1e400",
    "NaN",
    "9999999",
    "-9999999",
    '"²"',
    '"\\ud800"',
    '"\\u0000"',
    "true",
    "[true, true]",
    "[1e308, 1e308]",
    "null",
    '""',
    "[]",
    "{}",
    '"' + "a/" * 2_000 + '"',
)
HOSTILE_ATTRIBUTES = (
    "9" * 400,
    "nan",
    "inf",
    "-inf",
    "²",
    "&#x0;",
    "true",
    "9999999",
    "-9999999",
    "1e308",
    "",
    "a/" * 2_000,
)
SCALAR = re.compile(rb'(?<=: )("(?:[^"\\]|\\.)*"|-?\d[\d.e+-]*|true|false|null)|(?<=[\[ ])-?\d[\d.e+-]*(?=[,\]])')
ATTRIBUTE = re.compile(rb'(?<==")[^"]*(?=")')


def planted(text: bytes, places: re.Pattern[bytes], hostile: tuple[str, ...], rng: random.Random) -> bytes:
    """The document with one of its values replaced."""
    found = rng.choice([match.span() for match in places.finditer(text)])
    return text[: found[0]] + rng.choice(hostile).encode() + text[found[1] :]


def with_entry(data: bytes, name: str, change) -> io.BytesIO:
    """A sound zip with one entry changed."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(out, "w") as new:
        assert name in old.namelist()
        for entry in old.namelist():
            new.writestr(entry, change(old.read(entry)) if entry == name else old.read(entry))
    out.seek(0)
    return out


def refused(work, refusal, times: int) -> list[str]:
    """The sentences of so many tries; anything but a refusal or a sound result is a failure of the test."""
    sentences = []
    for _ in range(times):
        try:
            work()
        except refusal as error:
            sentences.append(str(error).rstrip())
    assert not [sentence for sentence in sentences if not sentence.endswith(".") or len(sentence) > 1_000]
    "".join(sentences).encode()  # no lone surrogate is handed on to who writes it down
    return sentences


@pytest.mark.parametrize(
    ("write", "read", "entry", "places", "hostile"),
    [
        (write_ora, read_ora, "stack.xml", ATTRIBUTE, HOSTILE_ATTRIBUTES),
        (write_pngs, read_pngs, "places.json", SCALAR, HOSTILE_JSON),
    ],
    ids=["ora", "pngs"],
)
def test_artwork_with_hostile_values(write, read, entry, places, hostile):
    whole, rng = written(write, small_sheet()), random.Random(11)

    def once():
        figure(read(with_entry(whole, entry, lambda text: planted(text, places, hostile, rng))))

    assert 50 < len(refused(once, ArtworkRefused, 400)) < 400


def test_archives_with_hostile_values_open_whole_or_not_at_all():
    arm, stores = two_piece_arm()
    whole = written(write_archive, edited(arm, stores, {"kind": "lay_cover", "bone": "arm 2"}), stores)
    rng = random.Random(11)

    def once():
        value, known = read_archive(with_entry(whole, "figure.json", lambda t: planted(t, SCALAR, HOSTILE_JSON, rng)))
        rig = compile_rig(value, known)
        rig.evaluate(parse_pose({"turn": {bone.name: 30 for bone in value.bones}}).by_id(value))

    assert 100 < len(refused(once, ArchiveRefused, 400)) < 400


def test_svgs_with_hostile_values():
    rng = random.Random(11)

    def once():
        read_svg(io.BytesIO(planted(SVG, ATTRIBUTE, HOSTILE_ATTRIBUTES, rng)))

    assert 1 < len(refused(once, ArtworkRefused, 50)) < 50


def fitting(edit: type[Edit], name: str, values: list[object]) -> list[object]:
    """Those of some values a field of an edit can be."""

    def fits(value: object) -> bool:
        try:
            edit.model_validate({"kind": edit.model_fields["kind"].default, name: value})
        except ValidationError as error:
            return not any(one["loc"][0] == name for one in error.errors(include_url=False))
        return True

    return [value for value in values if fits(value)]


def test_every_edit_with_hostile_values():
    """Each kind of edit there is, filled with what fits its fields, now and then with one of what does not."""
    arm, stores = two_piece_arm()
    part, bone = arm.parts[1].name, arm.bones[1].name
    arm = edited(
        arm, stores, {"kind": "lay_curve", "parts": [part], "name": "line", "handles": 3},
        {"kind": "set_tack", "part": part, "name": "tack", "at": [arm.parts[1].drawing.place[k] + arm.parts[1].drawing.size[k] / 2 for k in (0, 1)]},
        {"kind": "make_motion", "name": "act"}, {"kind": "set_keys", "motion": "act", "at": 3, "pose": {f"{bone}.turn": 9}},
        {"kind": "lay_lever", "name": "lever"},
    )  # fmt: skip
    handles = [["line 2"], [f"{part} tack"]]
    sound = [
        part,
        bone,
        "line",
        "act",
        "lever",
        {f"{bone}.turn": 20.0},
        [[f"{bone}.turn", 3.0, 9.0, "smooth"]],
        *handles,
        "new name",
        3,
        0.5,
        200.0,
        (1.0, 2.0),
        [part],
        [bone],
        [[0, 0], [9, 9], [0, 9]],
        True,
        None,
    ]
    hostile = [json.loads(one) for one in HOSTILE_JSON if len(one) < 4_300]
    rng, done, sentences = random.Random(11), set(), []
    for kind, edit in sorted(edit_kinds().items()):
        choices = {name: fitting(edit, name, sound) for name in edit.model_fields if name != "kind"}
        for number in range(20):
            data = {name: rng.choice(some) for name, some in choices.items() if some}
            if number % 3 and data:
                data[rng.choice(list(data))] = rng.choice(hostile)
            try:
                compile_rig(apply_edit({**data, "kind": kind}, arm, stores), stores).evaluate()
                done.add(kind)
            except EditRefused as error:
                sentences.append(str(error).rstrip())
    assert len(done) > len(edit_kinds()) / 4
    assert len(sentences) > 300
    assert not [sentence for sentence in sentences if not sentence.endswith(".")]
    "".join(sentences).encode()
