"""Facings over HTTP and the live socket: one revision, seen from several sides."""

from __future__ import annotations

import json

import numpy as np
import pytest

from kunstgriff.figure.stores import decode_png
from studio.library.actions import value_of
from tests.studio.conftest import post, signed_in
from tests.studio.sections import sections
from tests.studio.test_live import talk

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def client(ada):
    return signed_in(ada)


def edit(client, arm, **data):
    arm.refresh_from_db()
    return post(client, f"/bench/{arm.pk}/edit/", base=arm.head_id, edit=data)


@pytest.fixture
def turned(client, arm):
    """An arm with a side, on which the upper arm lies 30 px lower, and the mirror picture of that."""
    for one in (
        {"kind": "add_facing", "name": "side", "angle": 90},
        {"kind": "in_facing", "facing": 2, "edit": {"kind": "move_parts", "parts": ["upper arm"], "by": [0, 30]}},
        {"kind": "mirror_facings"},
    ):
        assert edit(client, arm, **one).status_code == 200, one
    arm.refresh_from_db()
    return arm


def state(client, figure, facing=0):
    return client.get(f"/bench/{figure.pk}/state/", {"facing": facing}).json()


def places(told):
    return {part["name"]: part["drawing"]["place"] for part in told["figure"]["parts"]}


def test_one_revision_is_told_as_it_is_seen_from_each_side(client, turned):
    front, side, mirror = (state(client, turned, facing) for facing in (0, 2, 3))
    assert (front["seen"], side["seen"]) == (str(turned.head_id), f"{turned.head_id}.2")
    assert front["facings"]["shown"] == 1
    assert not front["facings"]["mirrored"]
    assert mirror["facings"]["mirrored"]
    assert places(side)["upper arm"][1] == places(front)["upper arm"][1] + 30
    assert places(side)["forearm"] == places(front)["forearm"]
    assert "p1" in side["facings"]["loans"] or "p2" in side["facings"]["loans"]
    assert side["geometry"] == mirror["geometry"] != front["geometry"]  # a mirror picture is not compiled anew
    assert "facings" not in side["figure"]["turnaround"]
    assert state(client, turned, 77)["seen"] == str(turned.head_id)


def test_an_answer_to_an_edit_is_of_the_side_that_is_looked_at(client, turned):
    inner = {"kind": "move_parts", "parts": ["forearm"], "by": [5, 0]}
    body = {"base": turned.head_id, "facing": 2, "edit": {"kind": "in_facing", "facing": 2, "edit": inner}}
    answer = client.post(f"/bench/{turned.pk}/edit/", json.dumps(body), content_type="application/json").json()
    assert answer["seen"].endswith(".2")
    assert answer["undo"] == "move forearm, side"
    assert places(answer)["forearm"][0] == places(state(client, turned))["forearm"][0] + 5
    turned.refresh_from_db()
    assert value_of(turned.head).turnaround.shown == 1  # what is stored is seen from the first


def test_geometry_findings_and_pictures_are_of_a_side_and_its_mirror_picture_is_one(client, turned):
    seen = f"{turned.head_id}.2"
    assert client.get(f"/bench/{turned.pk}/geometry/{seen}/").status_code == 200
    assert client.get(f"/bench/{turned.pk}/findings/{seen}/").status_code == 200
    one, other = (
        decode_png(client.get(f"/bench/{turned.pk}/ghost/{turned.head_id}.{facing}.png").content) for facing in (2, 3)
    )
    assert one[..., 3].any()
    np.testing.assert_array_equal(one[:, ::-1], other)
    small = decode_png(client.get(f"/bench/{turned.pk}/facing/{turned.head_id}.3.png").content)
    assert 90 < small.shape[0] < 100


def test_frames_tell_of_which_side_they_are(client, turned):
    async def exchange(one):
        told = []
        for facing in ("", ".2", ".3"):
            await one.send_to(json.dumps({"serial": 1, "seen": f"{turned.head_id}{facing}", "pose": {}}))
            told.append(sections(await one.receive_from(20)))
        return told

    front, side, mirror = talk(client, turned, exchange)
    assert [one["facing"] for one in (front, side, mirror)] == [0, 2, 3]
    moved = side["vertices"].reshape(-1, 2) - front["vertices"].reshape(-1, 2)
    assert {tuple(row) for row in np.round(moved)} == {(0.0, 0.0), (0.0, 30.0)}
    np.testing.assert_array_equal(side["vertices"], mirror["vertices"])


@pytest.mark.parametrize("seen", ["x", "1.2.3", "1.", "-1", "9" * 30])
def test_what_is_no_revision_and_no_facing_is_refused(client, turned, seen):
    assert client.get(f"/bench/{turned.pk}/geometry/{seen}/").status_code == 404

    async def exchange(one):
        await one.send_to(json.dumps({"serial": 1, "seen": seen, "pose": {}}))
        return await one.receive_from(20)

    assert "did not understand" in talk(client, turned, exchange)


def test_a_stranger_sees_no_side_of_a_figure(turned, bo):
    other = signed_in(bo)
    for address in ("facing/{}.2.png", "ghost/{}.2.png", "geometry/{}.2/"):
        assert other.get(f"/bench/{turned.pk}/{address.format(turned.head_id)}").status_code == 404


def test_a_turnaround_of_a_figure_with_one_side_is_refused_in_a_sentence(client, arm):
    answer = client.get(f"/bench/{arm.pk}/turnaround/{arm.head_id}.png")
    assert answer.status_code == 400
    assert "one side only" in answer.json()["sentence"]
