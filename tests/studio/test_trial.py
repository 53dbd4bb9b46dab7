"""Motions on the server: the pose on a frame, and what feet do wrong, told to those who may see the figure."""

from __future__ import annotations

import json

import pytest

from studio.library.actions import value_of
from tests.studio.conftest import signed_in
from tests.studio.test_rigging import edit


@pytest.fixture
def client(ada):
    return signed_in(ada)


def test_the_pose_of_a_motion_on_a_frame_is_told_and_nonsense_refused(client, arm, bo):
    edit(client, arm, kind="make_motion", name="wave", frames=24)
    edit(client, arm, kind="set_keys", motion="wave", at=0, pose={"arm 2.turn": 0}, way="linear")
    edit(client, arm, kind="set_keys", motion="wave", at=12, pose={"arm 2.turn": 30})
    arm.refresh_from_db()
    figure = value_of(arm.head)
    motion, bone = figure.motions[0], next(one.id for one in figure.bones if one.name == "arm 2")
    path = f"/bench/{arm.pk}/motion-pose/{arm.head_id}/{motion.id}/"
    for frame, turn in ((6, 15.0), (24, 30.0)):
        assert json.loads(client.get(f"{path}?frame={frame}").content)["pose"]["channels"] == {f"{bone}.turn": turn}
    assert json.loads(client.get(f"{path}?frame=0").content)["pose"]["channels"] == {}
    for query, told in (("?frame=x", "number"), ("?frame=nan", "number"), ("?frame=1e400", "number")):
        answer = client.get(path + query)
        assert answer.status_code == 400
        assert told in json.loads(answer.content)["sentence"]
    assert client.get(f"/bench/{arm.pk}/motion-pose/{arm.head_id}/m999/").status_code == 400
    feet = json.loads(client.get(f"/bench/{arm.pk}/motion-feet/{arm.head_id}/{motion.id}/").content)
    assert feet["faults"][0]["sentence"].startswith("“arm 2” sinks")  # the arm lies on the ground
    assert feet["faults"][0]["first"] == 2
    assert client.get(f"/bench/{arm.pk}/motion-feet/{arm.head_id}/m999/").status_code == 400
    tips = f"/bench/{arm.pk}/motion-path/{arm.head_id}/{motion.id}"
    points = json.loads(client.get(f"{tips}/{bone}/").content)["points"]
    assert len(points) == 24
    assert points[0] != points[12]
    assert client.get(f"{tips}/b999/").status_code == 400
    assert signed_in(bo).get(path).status_code == 404
