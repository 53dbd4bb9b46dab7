"""Seams over HTTP: read once, kept as rows, compared, proposed, shown; switches over the live socket."""

from __future__ import annotations

import base64
import json

import numpy as np
import pytest

from kunstgriff.figure.stores import decode_png
from studio.bench.models import Reading, SeamRead
from tests.studio.conftest import post, signed_in
from tests.studio.sections import sections
from tests.studio.test_live import talk

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def client(ada):
    return signed_in(ada)


@pytest.fixture
def elbow(client, arm):
    """An address of the elbow's, by what is asked of it, at the figure's head."""
    bones = client.get(f"/bench/{arm.pk}/state/").json()["figure"]["bones"]
    bone = next(one["id"] for one in bones if one["name"] == "arm 2")

    def address(what, ending="/"):
        arm.refresh_from_db()
        return f"/bench/{arm.pk}/{what}/{arm.head_id}/{bone}{ending}"

    address.bone = bone
    return address


def edit(client, arm, **data):
    arm.refresh_from_db()
    return post(client, f"/bench/{arm.pk}/edit/", base=arm.head_id, edit=data)


def test_seams_are_read_once_kept_as_rows_and_compared_with_the_revision_before(client, arm, bo, elbow):
    first = elbow("seam")
    assert client.get(f"/bench/{arm.pk}/seams/{arm.head_id}/").json() == {"bones": [elbow.bone], "read": {}}
    bare = client.get(first).json()
    assert bare["cost"] > 1
    assert any("line across" in one["sentence"] for one in bare["misses"])
    rows = Reading.objects.filter(seam__figure=arm, seam__joint="arm 2")
    assert rows.count() == len(bare["readings"])
    assert max(rows.values_list("ink_length", flat=True)) == pytest.approx(
        max(r["ink_length"] for r in bare["readings"]), abs=0.001
    )
    assert edit(client, arm, kind="rename_figure", name="An arm").status_code == 200
    again = client.get(elbow("seam")).json()
    assert again["readings"] == bare["readings"]
    assert again["before"] is None
    assert SeamRead.objects.count() == 1, "nothing it depends on changed, so it was not read again"
    assert edit(client, arm, kind="lay_cover", bone="arm 2").status_code == 200
    covered = client.get(elbow("seam")).json()
    assert covered["cost"] < bare["cost"] / 4
    assert covered["before"]["cost"] == bare["cost"]
    assert [one.treatment for one in SeamRead.objects.order_by("pk")] == ["", "cover"]
    assert signed_in(bo).get(first).status_code == 404


def test_what_misses_is_a_finding_with_its_remedy_until_it_is_mended_or_meant_so(client, arm, elbow):
    def open_seams():
        arm.refresh_from_db()
        found = client.get(f"/bench/{arm.pk}/findings/{arm.head_id}/").json()["findings"]
        return [one for one in found if one["stage"] == "seams"]

    assert open_seams() == []
    client.get(elbow("seam"))
    (told,) = open_seams()
    assert "line across" in told["sentence"]
    assert [one["word"] for one in told["remedies"]] == ["Lay a cover", "Trim it", "It is meant so"]
    assert edit(client, arm, **told["remedies"][2]["edit"]).status_code == 200
    assert not any(one["sentence"] == told["sentence"] for one in open_seams())
    assert edit(client, arm, **told["remedies"][0]["edit"]).status_code == 200
    client.get(elbow("seam"))
    assert open_seams() == []


def test_ways_are_proposed_shown_and_refused_with_sentences(client, arm, elbow):
    found = client.get(elbow("proposal")).json()
    assert (found["now"], found["best"]) == ("nothing", "cover")
    assert [one["treatment"] for one in found["trials"]] == ["nothing", "cover", "trim", "gusset"]
    assert "line across" in found["trials"][0]["worst"]
    strips = {way: client.get(elbow("seam", f"/{way}.png")) for way in ("now", "trim", "magic")}
    assert strips["magic"].status_code == 404
    now, trimmed = (decode_png(strips[way].content).astype(int) for way in ("now", "trim"))
    assert now.shape == trimmed.shape
    plum = (np.abs(now - (122, 59, 105, 255)).sum(2) < 8).sum()
    assert plum > 200 > (np.abs(trimmed - (122, 59, 105, 255)).sum(2) < 8).sum()  # only what misses is marked
    root = client.get(f"/bench/{arm.pk}/state/").json()["figure"]["bones"][0]["id"]
    for what in ("seam", "proposal", "voids", "together"):
        answer = client.get(f"/bench/{arm.pk}/{what}/{arm.head_id}/{root}/")
        assert answer.status_code == 400, what
        assert answer.json()["sentence"].endswith(".")
    assert edit(client, arm, kind="treat_joints", joints=[{"bone": "arm 2", "treatment": "glue"}]).status_code == 400
    assert edit(client, arm, kind="clip_part", part="forearm", by="forearm").status_code == 400


def test_the_void_map_and_kept_poses_are_read_for_the_bench(client, arm, elbow):
    voids = client.get(elbow("voids")).json()
    assert (voids["unpainted"], voids["reach"]) == (0, 0)
    shown = decode_png(client.get(voids["picture"]).content)
    assert shown.shape[0] == shown.shape[1]  # a window around the one joint
    assert (shown[..., 3] > 0).sum() == voids["lit"] + voids["unpainted"]
    whole = client.get(elbow("voids").replace(elbow.bone, voids["part"])).json()
    assert (whole["part"], whole["lit"], whole["grow"]) == (voids["part"], voids["lit"], [])
    over = client.get(elbow("voids") + "?motion=test+swing").json()
    assert over["lit"] > 0
    assert decode_png(client.get(over["picture"]).content).shape == shown.shape
    assert client.get(elbow("voids") + "?motion=jig").json()["sentence"].startswith("There is no motion")
    assert client.get(elbow("together")).json() == {"bone": elbow.bone, "read": 0, "misses": [], "before": None}
    assert (
        edit(client, arm, kind="keep_pose", name="reach up", pose={"turn": {"arm": -30, "arm 2": -80}}).status_code
        == 200
    )
    found = client.get(elbow("together")).json()
    assert found["read"] == 1
    assert "arm 2 in reach up" in found["misses"][0]["sentence"]
    assert "rest pose" in edit(client, arm, kind="keep_pose", name="x", pose={}).json()["sentence"]
    assert edit(client, arm, kind="forget_pose", name="reach up").status_code == 200
    assert "No pose" in edit(client, arm, kind="forget_pose", name="reach up").json()["sentence"]


def test_seams_in_kept_poses_are_rows_too_compared_and_told_as_findings(client, arm, elbow):
    def told():
        arm.refresh_from_db()
        found = client.get(f"/bench/{arm.pk}/findings/{arm.head_id}/").json()["findings"]
        return [one["sentence"] for one in found if one["stage"] == "seams"]

    poses = {"reach up": {"arm": -30, "arm 2": -80}, "shrug": {"arm": 40}}
    for name, turn in poses.items():
        assert edit(client, arm, kind="keep_pose", name=name, pose={"turn": turn}).status_code == 200
    before = client.get(elbow("together")).json()
    assert (before["read"], len(before["misses"])) == (2, 2)
    rows = SeamRead.objects.filter(figure=arm).exclude(situation="")
    assert sorted(rows.values_list("situation", flat=True)) == ["in reach up", "in shrug"]
    assert sorted(rows.get(situation="in reach up").readings.values_list("angle", flat=True)) == [-80, 0]
    (sentence,) = told()  # the same line across in both poses is told once
    assert sentence.startswith("arm 2 in ")
    assert client.get(elbow("together")).json() == before
    assert rows.count() == 2, "what was read is not read again"
    assert edit(client, arm, kind="lay_cover", bone="arm 2").status_code == 200
    assert told() == [], "what was read of another state says nothing of this one"
    after = client.get(elbow("together")).json()
    assert (after["misses"], after["before"]) == ([], 2)


def test_the_longest_names_a_bone_and_a_pose_may_have_find_room_in_the_rows(client, arm, elbow):
    assert edit(client, arm, kind="rename_bone", bone="arm 2", name="b" * 80).status_code == 200
    assert edit(client, arm, kind="keep_pose", name="p" * 80, pose={"turn": {"arm": 20}}).status_code == 200
    assert client.get(elbow("together")).json()["read"] == 1
    row = SeamRead.objects.get(figure=arm)
    assert (row.joint, row.situation) == ("b" * 80, "in " + "p" * 80)


def test_the_live_socket_tells_switches_and_the_order_things_are_painted_in(client, arm, elbow):
    edit(client, arm, kind="draw_fold", bone="arm 2", begins=20, full=60)
    edit(
        client, arm, kind="order_by_pose", part="forearm", in_front_of="upper arm", switch={"bone": "arm 2", "low": 50}
    )
    state = client.get(f"/bench/{arm.pk}/state/").json()
    assert (state["amounts"], state["order"]) == ([0.0, 0.0], [0, 1, 2])
    arm.refresh_from_db()

    async def exchange(one):
        told = []
        for serial, turn in enumerate((40.0, 70.0)):
            await one.send_to(json.dumps({"serial": serial, "seen": arm.head_id, "pose": {"turn": {elbow.bone: turn}}}))
            told.append(await one.receive_from(10))
        return told

    seen = []
    for data in talk(client, arm, exchange):
        told = sections(data)
        seen.append((told["amounts"].tolist(), told["order"].tolist()))
    assert seen[0] == ([0.5, 0.0], [0, 1, 2])
    assert seen[1] == ([1.0, 1.0], [1, 2, 0])


def test_a_seam_is_read_live_in_the_pose_that_is_sent_and_only_where_two_parts_meet(client, arm, elbow):
    from_pages = client.get(elbow("seam")).json()["readings"]
    bones = client.get(f"/bench/{arm.pk}/state/").json()["figure"]["bones"]
    root = next(one["id"] for one in bones if one["id"] != elbow.bone)

    async def exchange(one):
        told = []
        for serial, (turn, bone) in enumerate(
            ((40.0, elbow.bone), (40.0, root), (900.0, "nobody"), (-30.0, elbow.bone))
        ):
            pose = {"turn": {elbow.bone: turn if turn < 360 else 0.0}}
            await one.send_to(json.dumps({"serial": serial, "seen": arm.head_id, "pose": pose, "seam": bone}))
            told.append(await one.receive_from(20))
            if bone == elbow.bone:
                told.append(await one.receive_from(20))
        return told

    answers = talk(client, arm, exchange)
    assert [type(one) for one in answers] == [bytes, str, bytes, bytes, bytes, str]
    for text, angle in ((answers[1], 40), (answers[5], -30)):
        seam = json.loads(text)["seam"]
        assert (seam["bone"], seam["seen"]) == (elbow.bone, str(arm.head_id))
        still = next(one for one in from_pages if one["angle"] == angle)
        assert seam["reading"]["ink_length"] == pytest.approx(still["ink_length"], abs=0.01)
        assert any(one["kind"] == "ink" for one in seam["misses"])
        shown = decode_png(base64.b64decode(seam["picture"]))
        plum = (np.abs(shown.astype(int) - (122, 59, 105, 255)).sum(2) < 8).sum()
        assert plum > 100, "ink that should be hidden is marked"


def test_a_limit_holds_what_is_read_live_and_a_hidden_line_is_not_marked(client, arm, elbow):
    assert edit(client, arm, kind="set_limits", bones=["arm 2"], limits={"low": -10, "high": 50}).status_code == 200
    assert edit(client, arm, kind="lay_cover", bone="arm 2").status_code == 200
    arm.refresh_from_db()

    async def exchange(one):
        pose = {"turn": {elbow.bone: 120.0}}
        await one.send_to(json.dumps({"serial": 1, "seen": arm.head_id, "pose": pose, "seam": elbow.bone}))
        return [await one.receive_from(20), await one.receive_from(20)]

    seam = json.loads(talk(client, arm, exchange)[1])["seam"]
    assert (seam["reading"]["angle"], seam["misses"]) == (50.0, [])
    shown = decode_png(base64.b64decode(seam["picture"])).astype(int)
    assert not (np.abs(shown - (122, 59, 105, 255)).sum(2) < 8).any()


SWITCH = {"bone": "arm 2", "low": 10, "high": 40}


WRONG = [
    {"kind": "lay_cover", "bone": "arm"},
    {"kind": "lay_cover", "bone": "nobody"},
    {"kind": "lay_cover", "bone": "arm 2", "radius": -3},
    {"kind": "lay_cover", "bone": "arm 2", "soft": 1e9},
    {"kind": "lay_cover", "bone": "arm 2", "source": "forearm", "over": "forearm"},
    {"kind": "lay_trim"},
    {"kind": "lay_trim", "part": "forearm", "by": "forearm"},
    {"kind": "lay_trim", "bone": "arm 2", "inks": []},
    {"kind": "lay_trim", "bone": "arm 2", "inks": ["red"]},
    {"kind": "lay_gusset", "bone": "arm 2", "share": 2},
    {"kind": "lay_gusset", "bone": "arm 2", "cut": [[0, 0]]},
    {"kind": "open_outline", "part": "forearm", "start": [0, 0], "end": ["a", 0]},
    {"kind": "open_outline", "part": "forearm", "start": [1e300, 0], "end": [0, 0]},
    {"kind": "cut_ink"},
    {"kind": "cut_ink", "parts": ["forearm"]},
    {"kind": "cut_ink", "groups": ["nowhere"]},
    {"kind": "cut_ink", "parts": ["forearm"] * 30},
    {"kind": "clip_part", "part": "forearm", "by": "upper arm", "switch": {"bone": "arm 2", "low": 9, "high": 9}},
    {"kind": "draw_fold", "bone": "arm 2", "line": [[0, 0]] * 300},
    {"kind": "draw_fold", "bone": "arm 2", "line": [[900, 900], [950, 950]]},
    {"kind": "draw_fold", "bone": "arm 2", "width": 0},
    {"kind": "make_stand_in", "bone": "arm"},
    {"kind": "make_stand_in", "bone": "arm 2", "low": 20, "high": -20},
    {"kind": "stand_in_for", "part": "forearm", "parts": ["forearm"], "switch": SWITCH},
    {"kind": "stand_in_for", "part": "forearm", "parts": [], "switch": SWITCH},
    {"kind": "order_by_pose", "part": "forearm", "in_front_of": "upper arm", "switch": {**SWITCH, "fade": -1}},
    {"kind": "lift_treatment", "treatment": "c999"},
    {"kind": "lift_cover", "bone": "arm 2"},
    {"kind": "set_tolerances", "tolerances": {"gap": -1}},
    {"kind": "grow_under", "part": "forearm", "neighbour": "upper arm", "by": 1e6},
    {"kind": "treat_joints", "joints": []},
    {"kind": "keep_pose", "name": "", "pose": {"turn": {"arm": 5}}},
    {"kind": "keep_pose", "name": "x", "pose": {"turn": {"arm": "far"}}},
]


def test_wrong_edits_of_seams_are_refused_with_sentences_and_change_nothing(client, arm):
    head = arm.head_id
    for wrong in WRONG:
        answer = edit(client, arm, **wrong)
        assert answer.status_code == 400, wrong
        sentence = answer.json()["sentence"]
        assert sentence.endswith("."), wrong
        assert "Traceback" not in sentence
    arm.refresh_from_db()
    assert arm.head_id == head
