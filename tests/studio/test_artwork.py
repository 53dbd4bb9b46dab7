"""What the Artwork stage asks the server for, and whom it answers."""

from __future__ import annotations

import io

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image

from kunstgriff.artwork.ora import write_ora
from studio.library.models import ArtSheet
from tests.art import capsule, drawn, sheet_of
from tests.studio.conftest import signed_in
from tests.studio.test_jobs import work

pytestmark = pytest.mark.django_db(transaction=True)


def ora(**layers: np.ndarray) -> SimpleUploadedFile:
    buffer = io.BytesIO()
    write_ora(buffer, sheet_of({name.replace("_", " "): pixels for name, pixels in layers.items()}))
    return SimpleUploadedFile("arm.ora", buffer.getvalue())


UPPER, FORE = capsule((60, 200), (200, 200), 40, 8), capsule((200, 200), (370, 200), 40, 8)


@pytest.fixture
def client(ada):
    return signed_in(ada)


@pytest.fixture
def renewal(client, arm):
    """The address of the page that shows a new drawing of the arm, not yet taken over."""
    job = client.post("/jobs/import/", {"art": ora(upper_arm=drawn(UPPER), lower=drawn(FORE)), "onto": arm.pk}).json()
    work()
    return client.get(f"/jobs/{job['id']}/").json()["renewal"]


def test_findings_and_readings_come_from_the_drawing(client, arm):
    head = arm.head_id
    found = client.get(f"/bench/{arm.pk}/findings/{head}/").json()["findings"]
    assert all({"sentence", "remedies", "parts", "stage"} <= set(one) for one in found)
    part = client.get(f"/bench/{arm.pk}/state/").json()["figure"]["parts"][0]["id"]
    read = client.get(f"/bench/{arm.pk}/part/{head}/{part}/").json()
    assert (read["lineWidth"], read["inked"]) == (pytest.approx(8, abs=0.3), 100)
    lifted = client.get(f"/bench/{arm.pk}/lifted/{head}/?parts={part},nonsense").json()["pictures"]
    pixels = np.asarray(Image.open(io.BytesIO(client.get(f"/figures/pictures/{lifted[part]}.png").content)))
    assert np.ptp(pixels[pixels[..., 3] > 250][:, :3].astype(int), axis=0).max() < 6, "one colour is left"


def test_strangers_see_and_change_none_of_it(arm, bo, renewal):
    stranger, head = signed_in(bo), arm.head_id
    for address in (f"findings/{head}/", f"part/{head}/p1/", f"lifted/{head}/?parts=p1"):
        assert stranger.get(f"/bench/{arm.pk}/{address}").status_code == 404
    picture = {"picture": SimpleUploadedFile("a.png", b"x")}
    assert stranger.post(f"/bench/{arm.pk}/reference/", picture).status_code == 404
    assert stranger.get(renewal).status_code == 404
    assert stranger.post(f"/jobs/scale/{arm.pk}/", "{}", content_type="application/json").status_code == 404


def test_a_match_is_corrected_and_a_piece_not_taken_over(client, arm, renewal):
    parts = {part["name"]: part["id"] for part in client.get(f"/bench/{arm.pk}/state/").json()["figure"]["parts"]}
    page = client.get(renewal).content.decode()
    assert "lower" in page
    both = client.post(renewal, {"piece-0": parts["forearm"], "piece-1": parts["forearm"], "take-over": "yes"})
    assert "Two layers cannot both be “forearm”" in both.content.decode()
    client.post(renewal, {"piece-0": parts["upper arm"], "piece-1": "not", "piece-x": "p1", "piece-9": "<b>", "take-over": "yes"})  # fmt: skip
    figure = client.get(f"/bench/{arm.pk}/state/").json()["figure"]
    assert {part["name"] for part in figure["parts"]} == {"forearm", "upper arm"}
    assert client.get(renewal).status_code == 302, "what was taken over is over"


def test_what_is_taken_over_shows_in_the_library(client, arm, renewal):
    assert arm.thumbnail_id is None
    client.post(renewal, {"take-over": "yes"})
    arm.refresh_from_db()
    assert client.get(f"/figures/pictures/{arm.thumbnail_id}.png").status_code == 200


def test_a_new_drawing_can_be_let_be(client, arm, renewal):
    client.post(renewal, {"let-be": "yes"})
    assert not ArtSheet.objects.filter(figure=arm, sheet__isnull=False).exists()
    assert client.get(f"/bench/{arm.pk}/state/").json()["undo"] is None


@pytest.mark.parametrize("data", [b"", b"no picture", b"\x89PNG\r\n\x1a\n" + bytes(40)])
def test_what_is_no_picture_cannot_be_gone_by(client, arm, data):
    answer = client.post(f"/bench/{arm.pk}/reference/", {"picture": SimpleUploadedFile("a.png", data or b" ")})
    assert (answer.status_code, "PNG or JPEG" in answer.json()["sentence"]) == (400, True)
    assert client.post(f"/bench/{arm.pk}/reference/").status_code == 400


def test_only_a_drawing_of_lines_is_read_again_at_another_scale(client, arm):
    for scale in (2, 3, "x", None):
        answer = client.post(f"/jobs/scale/{arm.pk}/", {"scale": scale}, content_type="application/json")
        assert answer.status_code == 400
        assert "SVG" in answer.json()["sentence"]


def test_the_bend_fan_of_a_joint_is_read_and_painted(client, arm, bo):
    bones = {bone["name"]: bone["id"] for bone in client.get(f"/bench/{arm.pk}/state/").json()["figure"]["bones"]}
    address = f"/bench/{arm.pk}/fan/{arm.head_id}/{bones['arm 2']}/"
    fan = client.get(address).json()
    assert [one["angle"] for one in fan["readings"]] == list(range(-120, 121, 30))
    strip = Image.open(io.BytesIO(client.get(fan["picture"]).content))
    assert strip.width == 9 * strip.height
    root = client.get(f"/bench/{arm.pk}/fan/{arm.head_id}/{bones['arm']}/")
    assert (root.status_code, "nothing bends" in root.json()["sentence"]) == (400, True)
    assert signed_in(bo).get(address).status_code == 404
