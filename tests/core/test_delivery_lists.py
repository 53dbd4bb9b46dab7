"""Delivery lists: made in one go and again, all or none, told of beside; films of any stretch, read back by others."""

from __future__ import annotations

import hashlib
import json
import resource
import zipfile

import cv2
import numpy as np
import pytest
from click.testing import CliRunner
from PIL import Image

from kunstgriff.cli import cli
from kunstgriff.delivery import checking
from kunstgriff.delivery.deliver import DeliveryOrder, deliver
from kunstgriff.delivery.frames import Shot
from kunstgriff.delivery.lists import deliver_list, list_of, read_list
from kunstgriff.figure.archive import write_archive
from kunstgriff.figure.refusal import DeliveryRefused
from kunstgriff.trial.motion import motion_named
from tests.art import edited, two_piece_arm

SMALL = {"size": [80, 60]}


@pytest.fixture(scope="module")
def waver():
    """An arm with two motions of its own: it waves, and it points."""
    figure, stores = two_piece_arm()
    edits = []
    for name, turn in (("waves", 60), ("points", -30)):
        edits.append({"kind": "make_motion", "name": name, "frames": 12})
        edits += [{"kind": "set_keys", "motion": name, "at": at, "pose": {"arm 2.turn": by}} for at, by in ((0, 0), (11, turn))]  # fmt: skip
    return edited(figure, stores, *edits, {"kind": "keep_pose", "name": "salute", "pose": {"arm 2.turn": 80}}), stores


def listed(*files, name="for the game"):
    return list_of({"name": name, "files": [dict(one) for one in files]})


GAME = (
    {"file": "{figure}-{motion}.webp", "motion": "*", **SMALL},
    {"file": "{list}.glb", "motion": "waves"},
    {"file": "salute.png", "pose": "salute", **SMALL},
)


def test_a_list_is_made_in_one_go_under_names_by_pattern_with_what_is_told_and_checksums(waver, tmp_path):
    figure, stores = waver
    made = deliver_list(tmp_path / "out", listed(*GAME), figure, stores)
    assert [one.file.name for one in made] == ["test-waves.webp", "test-points.webp", "for-the-game.glb", "salute.png"]
    assert {path.name for path in (tmp_path / "out").iterdir()} == {
        *(one.file.name for one in made), "for-the-game.told.txt", "for-the-game.told.json", "for-the-game.sha256",
    }  # fmt: skip
    told = json.loads((tmp_path / "out" / "for-the-game.told.json").read_text())
    for one in told["files"]:
        content = (tmp_path / "out" / one["file"]).read_bytes()
        assert (len(content), hashlib.sha256(content).hexdigest()) == (one["bytes"], one["sha256"])
    assert any("80 x 60" in sentence for sentence in told["files"][0]["left_out"])
    assert "salute.png" in (tmp_path / "out" / "for-the-game.told.txt").read_text()


def test_a_list_made_again_replaces_its_own_files_takes_away_what_it_has_no_more_and_touches_no_others(waver, tmp_path):
    figure, stores = waver
    deliver_list(tmp_path, listed(*GAME), figure, stores)
    before = (tmp_path / "test-waves.webp").read_bytes()
    (tmp_path / "notes.txt").write_text("mine")
    quicker = edited(figure, stores, {"kind": "set_keys", "motion": "waves", "at": 5, "pose": {"arm 2.turn": 60}})
    gone = edited(quicker, stores, {"kind": "lift_motion", "motion": "points"})
    deliver_list(tmp_path, listed(*GAME), gone, stores)
    assert (tmp_path / "test-waves.webp").read_bytes() != before
    assert not (tmp_path / "test-points.webp").exists()
    assert (tmp_path / "notes.txt").read_text() == "mine"
    other = listed({"file": "salute.png", **SMALL}, name="for the supervisor")
    with pytest.raises(DeliveryRefused, match="is not of the list “for the supervisor”"):
        deliver_list(tmp_path, other, gone, stores)


@pytest.mark.parametrize(
    ("files", "why"),
    [
        ([{"file": "a.webp", "motion": "jumps"}], "There is no motion “jumps”|no motion “jumps”"),
        ([{"file": "a.png", "pose": "bow"}], "the pose “bow”, which is not there any more"),
        ([{"file": "a.doc"}], "ends in nothing that is delivered"),
        ([{"file": "a.compared.html"}], "ends in nothing that is delivered"),
        ([{"file": "../a.png"}], "no name for a file"),
        ([{"file": "/tmp/a.png"}], "no name for a file"),
        ([{"file": "a\n.png"}], "no name for a file"),
        ([{"file": "a.png"}, {"file": "a.png"}], "would be called “a.png”"),
        ([{"file": "a.webp", "motion": "*"}], "would be called “a.webp”"),
        ([{"file": "a.png"}, {"file": "b.webp", "motion": "waves", "first": 90}], "nothing from frame 90"),
        ([{"file": "a.png"}, {"file": "b.webp", "motion": "waves", "background": "plaid"}], "is no colour"),
    ],
)
def test_a_list_that_cannot_be_made_says_why_and_leaves_nothing(waver, tmp_path, files, why):
    figure, stores = waver
    with pytest.raises(DeliveryRefused, match=why):
        deliver_list(tmp_path / "out", listed(*files), figure, stores)
    assert not (tmp_path / "out").exists() or not list((tmp_path / "out").iterdir())


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("{", "no JSON"), ("[" * 100_000, "no JSON"), ("[]", "no delivery list"), ("{}", "name is missing"),
        ('{"name": "x", "files": []}', "at least 1"), (" " * 2_000_000, "far too long"),
        (json.dumps({"name": "x", "files": [{"file": "a.png", "size": [0, 4]}]}), "at least 1"),
        (json.dumps({"name": "x", "files": [{"file": "a.png", "seize": 4}]}), "not known"),
        (json.dumps({"name": "x", "files": [{"file": "a.png"}] * 41}), "at most 40"),
    ],
)  # fmt: skip
def test_what_is_no_list_is_refused_in_a_sentence(text, why):
    with pytest.raises(DeliveryRefused, match=why):
        read_list(text)


def test_a_full_disk_ends_in_a_sentence_and_half_of_nothing_is_left(waver, tmp_path):
    figure, stores = waver
    deliver_list(tmp_path, listed(*GAME), figure, stores)
    before = {path.name: path.read_bytes() for path in tmp_path.iterdir()}
    soft, hard = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (3_000, hard))  # no file grows beyond that, as on a disk that is full
    try:
        with pytest.raises(DeliveryRefused, match="could not be written"):
            deliver_list(tmp_path, listed(*GAME), figure, stores)
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, (soft, hard))
    assert {path.name: path.read_bytes() for path in tmp_path.iterdir()} == before


def test_a_list_is_made_from_the_shell_and_a_single_delivery_is_told_of_beside_it(waver, tmp_path):
    figure, stores = waver
    write_archive(tmp_path / "arm.zip", figure, stores)
    (tmp_path / "list.json").write_text(json.dumps({"name": "all", "files": [dict(one) for one in GAME]}))
    asked = ["deliver", str(tmp_path / "arm.zip"), "--list", str(tmp_path / "list.json"), "-d", str(tmp_path / "out")]
    done = CliRunner().invoke(cli, asked)
    assert done.exit_code == 0, done.output
    assert (tmp_path / "out" / "all.glb").exists()
    done = CliRunner().invoke(cli, [*asked[:4], "-o", str(tmp_path / "x.png")])
    assert done.exit_code == 2
    done = CliRunner().invoke(cli, ["deliver", str(tmp_path / "arm.zip"), "-o", str(tmp_path / "a.webp"), "--size", "80x60", "--last", "5"])  # fmt: skip
    assert done.exit_code == 0, done.output
    (one,) = json.loads((tmp_path / "a.webp.told.json").read_text())["files"]
    assert one["sha256"] in (tmp_path / "a.webp.sha256").read_text()


def shot(figure, stores, path, motion="waves", **said):
    order = DeliveryOrder(figure, stores, size=said.pop("size", (80, 60)), motion=motion_named(figure, motion))
    order = DeliveryOrder(**{**order.__dict__, "shot": Shot(**said)})
    deliver(path, order)
    return path


def test_frames_of_a_stretch_are_numbered_as_in_the_motion_and_told_of_for_whoever_composes_them(waver, tmp_path):
    figure, stores = waver
    with zipfile.ZipFile(shot(figure, stores, tmp_path / "a.frames.zip", first=3, last=7)) as archive:
        told = json.loads(archive.read("frames.json"))
        assert told["files"] == [f"{number:04}.png" for number in range(3, 8)]
        assert (told["first"], told["count"], told["frames_per_second"], told["alpha"]) == (3, 5, 24, "straight")
        straight = [cv2.imdecode(np.frombuffer(archive.read(name), np.uint8), -1) for name in told["files"]]
    with zipfile.ZipFile(
        shot(figure, stores, tmp_path / "b.frames.zip", first=3, last=7, premultiplied=True)
    ) as archive:
        multiplied = [cv2.imdecode(np.frombuffer(archive.read(name), np.uint8), -1) for name in told["files"]]
    for one, other in zip(straight, multiplied, strict=True):
        # Porter & Duff: premultiplied colours are the straight ones by their alpha
        expected = np.rint(one[..., :3] * (one[..., 3:] / 255.0))
        assert np.abs(expected - other[..., :3]).max() <= 1
        assert (one[..., 3] == other[..., 3]).all()
    assert any((one[..., 3] % 255 > 0).any() for one in straight), "edges are there to tell the two apart"


def test_on_a_colour_nothing_is_see_through_and_the_figure_lies_over_it(waver, tmp_path):
    figure, stores = waver
    with Image.open(shot(figure, stores, tmp_path / "a.apng", background="#204060")) as image:
        first = np.asarray(image.convert("RGBA"))
    assert (first[..., 3] == 255).all()
    assert (first[0, 0, :3] == [0x20, 0x40, 0x60]).all()
    assert (first[..., :3] != [0x20, 0x40, 0x60]).any()


def test_cropped_it_is_as_large_as_what_moves_and_nothing_is_cut_off(waver, tmp_path):
    figure, stores = waver
    with Image.open(shot(figure, stores, tmp_path / "a.webp", size=None, cropped=True)) as image:
        assert image.size < (figure.sheet.width, figure.sheet.height)
        seen = np.zeros(image.size[::-1], bool)
        for number in range(image.n_frames):
            image.seek(number)
            seen |= np.asarray(image.convert("RGBA"))[..., 3] > 8
    edges = seen[0], seen[-1], seen[:, 0], seen[:, -1]
    assert not any(edge.any() for edge in edges), "what shows ends before the edge"
    rows, columns = np.flatnonzero(seen.any(1)), np.flatnonzero(seen.any(0))
    around = rows[0], columns[0], seen.shape[0] - rows[-1], seen.shape[1] - columns[-1]
    assert max(around) <= 14  # the corners of a turned picture's own frame


def test_a_contact_sheet_shows_frames_from_first_to_last(waver, tmp_path):
    figure, stores = waver
    picture = cv2.imread(str(shot(figure, stores, tmp_path / "a.contact.png", first=2, last=9)))
    height, width = picture.shape[:2]
    assert width > 6 * 60
    assert height > 2 * 300
    assert len(np.unique(picture.reshape(-1, 3), axis=0)) > 50


@pytest.mark.parametrize(
    ("ending", "spoil"),
    [
        (".webp", lambda data: data[: len(data) // 3]), (".apng", lambda data: data[: len(data) // 3]),
        (".webm", lambda data: data[:200]), (".glb", lambda data: data[:-64]), (".png", lambda data: data[:40]),
        (".frames.zip", lambda data: data[:-30]), (".glb", lambda data: b"gltf" + data[4:]),
    ],
)  # fmt: skip
def test_what_is_spoilt_while_it_is_written_is_found_when_it_is_read_back(waver, tmp_path, ending, spoil):
    figure, stores = waver
    path = shot(figure, stores, tmp_path / f"a{ending}")
    path.write_bytes(spoil(path.read_bytes()))
    with pytest.raises(DeliveryRefused, match=r"read back|lasts"):
        checking.read_back(path, ending, None if ending in (".glb", ".png") else 12, 24, None)


def test_a_page_that_refers_to_another_is_found(tmp_path):
    page = tmp_path / "a.html"
    page.write_text('<img src="data:image/png;base64,AA=="><a href="#top">up</a>')
    checking.read_back(page, ".proof.html")
    page.write_text('<img src="picture.png">')
    with pytest.raises(DeliveryRefused, match=r"refers to picture\.png"):
        checking.read_back(page, ".proof.html")
