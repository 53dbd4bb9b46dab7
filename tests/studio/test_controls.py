"""Controls on the server: going over from turns to a goal and back while a pose is tried."""

from __future__ import annotations

import io
import json

import numpy as np
import pytest
from PIL import Image

from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.pose import parse_pose
from studio.library.actions import value_of
from studio.library.stores import DatabaseStores
from tests.studio.conftest import post, signed_in
from tests.studio.test_rigging import edit


@pytest.fixture
def client(ada):
    return signed_in(ada)


def test_a_pose_goes_over_to_a_goal_and_back_and_looks_the_same(client, arm, bo):
    edit(client, arm, kind="lay_reach", tip="arm 2", name="hand")
    arm.refresh_from_db()
    figure = value_of(arm.head)
    bones, reach = {one.name: one.id for one in figure.bones}, figure.reaches[0]
    rig = compile_rig(figure, DatabaseStores())
    pose = {f"{bones['arm']}.turn": 20.0, f"{bones['arm 2']}.turn": -55.0, f"{reach.id}.share": 0.0}
    before = rig.evaluate(parse_pose(pose)).vertices.copy()
    path = f"/bench/{arm.pk}/take-over/{arm.head_id}/"
    for to in ("goal", "turns"):
        answer = post(client, path, reach=reach.id, to=to, pose={"channels": pose})
        assert answer.status_code == 200
        pose = json.loads(answer.content)["pose"]["channels"]
        assert (f"{reach.id}.goal.x" in pose) or to == "turns"
        assert np.abs(rig.evaluate(parse_pose(pose)).vertices - before).max() < 0.01
    other = post(client, path, reach=reach.id, hang=0, pose={"channels": pose})
    assert np.abs(rig.evaluate(parse_pose(json.loads(other.content)["pose"])).vertices - before).max() < 0.01
    map_path = f"/bench/{arm.pk}/reach-map/{arm.head_id}/"
    found = json.loads(post(client, map_path, reach=reach.id, pose={"channels": pose}).content)
    assert len(found["rows"]) == 60
    assert set("".join(found["rows"])) <= set("ahswjo")
    assert post(client, map_path, reach="foot").status_code == 400
    for body, told in ({"reach": "foot"}, "no reach"), ({"reach": reach.id, "pose": {"channels": {"x": "y"}}}, "."):
        answer = post(client, path, to="goal", **body)
        assert answer.status_code == 400
        assert told in json.loads(answer.content)["sentence"]
    assert post(signed_in(bo), path, reach=reach.id, to="goal", pose={}).status_code == 404


def test_where_lines_run_is_told_of_each_vertex_of_a_part(client, arm, bo):
    part = value_of(arm.head).parts[0]
    path = f"/bench/{arm.pk}/lines/{arm.head_id}/{part.id}/"
    shares = json.loads(client.get(path).content)["shares"]
    assert len(shares) == part.binding.mesh.vertex_count
    assert {0.0, 1.0} <= set(shares)
    assert client.get(f"/bench/{arm.pk}/lines/{arm.head_id}/p999/").status_code == 400
    assert signed_in(bo).get(path).status_code == 404


def test_a_pose_is_mirrored_and_kept_poses_have_pictures_of_their_own(client, arm, bo):
    edit(client, arm, kind="keep_pose", name="up", pose={"arm 2.turn": -55})
    edit(client, arm, kind="keep_pose", name="down", pose={"arm 2.turn": 60})
    arm.refresh_from_db()
    bones = {one.name: one.id for one in value_of(arm.head).bones}
    pictures = []
    for number in (0, 1):
        answer = client.get(f"/bench/{arm.pk}/pose/{arm.head_id}/{number}.png")
        assert answer.status_code == 200
        assert answer["Content-Type"] == "image/png"
        pictures.append(np.asarray(Image.open(io.BytesIO(answer.content)))[..., 3])
    assert pictures[0].shape == (240, 168)
    assert pictures[0].any()
    assert (pictures[0] != pictures[1]).mean() > 0.005
    assert client.get(f"/bench/{arm.pk}/pose/{arm.head_id}/7.png").status_code == 400
    path = f"/bench/{arm.pk}/mirror-pose/{arm.head_id}/"
    pose = {f"{bones['arm']}.turn": 20.0}
    answer = post(client, path, pose={"channels": pose})
    assert json.loads(answer.content)["pose"]["channels"] == pose  # of no pair, seen from the side: as it is
    assert post(client, path, pose={"channels": {"x": "y"}}).status_code == 400
    for one in (path, f"/bench/{arm.pk}/pose/{arm.head_id}/0.png"):
        assert signed_in(bo).get(one).status_code in (403, 404, 405)
