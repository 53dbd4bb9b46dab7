"""What the Bones, Binding and Seams stages ask the server for, and whom it answers."""

from __future__ import annotations

import json

import numpy as np
import pytest

from kunstgriff.figure.edit import apply_edit
from studio.bench.live import COLOURS
from studio.bench.seen import Seen
from studio.bench.tints import tints
from studio.library.actions import value_of
from studio.library.stores import DatabaseStores
from tests.studio.conftest import post, signed_in
from tests.studio.sections import sections
from tests.studio.test_live import talk

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def client(ada):
    return signed_in(ada)


def names(client, arm):
    figure = client.get(f"/bench/{arm.pk}/state/").json()["figure"]
    return {one["name"]: one["id"] for one in (*figure["bones"], *figure["parts"])}


def edit(client, arm, **edit):
    arm.refresh_from_db()
    answer = post(client, f"/bench/{arm.pk}/edit/", base=arm.head_id, edit=edit)
    arm.refresh_from_db()
    return answer


def test_the_pointer_is_told_what_it_snaps_to(client, arm, bo):
    address = f"/bench/{arm.pk}/snap/{arm.head_id}/"
    joint = value_of(arm.head).bones[1].joint
    found = client.get(address, {"x": joint[0] + 4, "y": joint[1] - 3, "within": 10}).json()
    assert (found["point"], found["word"]) == ([*joint], "joint")
    for wrong in ({}, {"x": "nan", "y": 0, "within": 1}, {"x": 1e9, "y": 0, "within": 1}):
        assert client.get(address, wrong).status_code == 400
    assert signed_in(bo).get(address, {"x": 0, "y": 0, "within": 9}).status_code == 404


def test_zones_weights_and_colours_are_told_of_a_weighted_part(client, arm):
    known = names(client, arm)
    bind = {"kind": "bind_weighted", "parts": ["upper arm"], "influences": ["arm", "arm 2"], "count": 150}
    assert edit(client, arm, **bind).status_code == 200
    before = arm.head_id
    zones = client.get(f"/bench/{arm.pk}/zone/{before}/{known['arm 2']}/").json()["zones"]
    assert {one["part"] for one in zones} <= {known["upper arm"]}
    table = client.get(f"/bench/{arm.pk}/weights/{before}/{known['upper arm']}/", {"vertices": "0,3,99999"}).json()
    assert [row["vertex"] for row in table["rows"]] == [0, 3]
    assert all(abs(sum(row["weights"]) - 1) < 0.01 for row in table["rows"])
    wrong = client.get(f"/bench/{arm.pk}/weights/{before}/{known['upper arm']}/", {"vertices": "x"})
    assert wrong.status_code == 400
    edit(client, arm, kind="set_weights", part="upper arm", bone="arm 2", weight=1, vertices=[0, 1])
    colours = tints(Seen(arm.head_id), "difference", known["arm 2"], Seen(before))
    paper = (colours[:, :3] == (247, 242, 232)).all(1)
    assert 0 < (~paper).sum() <= 2
    for view, status in (("strongest", 200), ("single", 200), ("rainbow", 400)):
        ask = {"view": view, "bone": known["arm"]}
        assert client.get(f"/bench/{arm.pk}/tint/{arm.head_id}/", ask).status_code == status


def test_matches_of_a_limb_are_shown_or_a_sentence_says_why_not(client, arm):
    known = names(client, arm)
    address = f"/bench/{arm.pk}/matches/{arm.head_id}/{known['arm']}/"
    answer = client.get(address, {"find": "upper", "put": "lower"})
    assert answer.status_code == 400
    assert answer.json()["sentence"].endswith(".")


def test_a_stroke_comes_back_in_colours_and_keeps_nothing(client, arm):
    bind = {"kind": "bind_weighted", "parts": ["upper arm"], "influences": ["arm", "arm 2"], "count": 150}
    edit(client, arm, **bind)
    value = value_of(arm.head)
    part = next(one for one in value.parts if one.name == "upper arm")
    spot = [value.bones[0].tip[0] - 60, value.bones[0].tip[1]]
    brush = {"mode": "set", "radius": 40, "strength": 1}
    stroke = {"part": part.id, "bone": value.bones[1].id, "brush": brush, "spots": [spot]}

    async def exchange(socket):
        await socket.send_to(json.dumps({"serial": 7, "seen": arm.head_id, "stroke": stroke}))
        colours = await socket.receive_from(10)
        await socket.send_to(json.dumps({"serial": 8, "seen": arm.head_id, "stroke": {**stroke, "bone": "tail"}}))
        return colours, await socket.receive_from(10)

    colours, refused = talk(client, arm, exchange)
    told = sections(colours)
    revision, shown = told["revision"], told["colours"].reshape(-1, 4)
    assert (told["serial"], told["frame"], revision) == (7, COLOURS, arm.head_id)
    assert len(shown) == part.binding.mesh.vertex_count
    painted = apply_edit({"kind": "paint_weights", **stroke}, value, DatabaseStores())
    table = DatabaseStores().get_array(next(one for one in painted.parts if one.id == part.id).binding.weights)
    whole = shown[table[:, 1] > 0.99][:, :3].astype(int)
    assert len(whole)
    assert np.ptp(whole, axis=0).max() <= 3, "vertices that follow one bone alone are all in its colour"
    assert "no bone" in json.loads(refused)["sentence"]
    arm.refresh_from_db()
    assert arm.head_id == revision


def test_two_people_editing_one_figure_lose_nothing(client, arm):
    stale = arm.head_id
    assert edit(client, arm, kind="lock_bones", bones=["arm"]).status_code == 200
    late = post(client, f"/bench/{arm.pk}/edit/", base=stale, edit={"kind": "split_bone", "bone": "arm 2"})
    assert late.status_code == 409
    assert late.json()["state"]["revision"] == arm.head_id
    assert edit(client, arm, kind="split_bone", bone="arm 2").status_code == 200
    refused = edit(client, arm, kind="split_bone", bone="arm")
    assert (refused.status_code, "locked" in refused.json()["sentence"]) == (400, True)
