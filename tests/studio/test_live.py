"""The live socket: signed in, from our own pages, within limits; latest wins; the same vertices as the core."""

from __future__ import annotations

import asyncio
import json

import numpy as np
import pytest
from asgiref.testing import ApplicationCommunicator
from django.conf import settings as django_settings
from django.test import Client
from django.urls import reverse

from kunstgriff.evaluate.state import compile_rig
from kunstgriff.figure.pose import parse_pose
from kunstgriff.trial.live_springs import LiveSprings
from kunstgriff.trial.motion import Playback, motion_named, play
from studio.asgi import application
from studio.bench.live import NO_FRAME, LiveBench
from studio.library.actions import make_edit, value_of
from studio.library.models import Share
from studio.library.stores import DatabaseStores
from tests.studio.conftest import signed_in
from tests.studio.sections import sections

pytestmark = pytest.mark.django_db(transaction=True)


class Socket(ApplicationCommunicator):
    """One WebSocket to the whole application, through its routing, sign-in and origin check."""

    async def connect(self) -> tuple[bool, int | None]:
        await self.send_input({"type": "websocket.connect"})
        answer = await self.receive_output(5)
        return answer["type"] == "websocket.accept", answer.get("code")

    async def send_to(self, text: str) -> None:
        await self.send_input({"type": "websocket.receive", "text": text})

    async def receive_from(self, timeout: float) -> bytes | str:
        answer = await self.receive_output(timeout)
        assert answer["type"] == "websocket.send", answer
        return answer.get("bytes") or answer["text"]

    async def disconnect(self) -> None:
        await self.send_input({"type": "websocket.disconnect", "code": 1000})
        await self.wait(5)


def socket(client: Client, figure_id: int, origin: str = "http://127.0.0.1") -> Socket:
    cookie = client.cookies.get(django_settings.SESSION_COOKIE_NAME)
    headers = [(b"origin", origin.encode()), (b"host", b"127.0.0.1")]
    if cookie:
        headers.append((b"cookie", f"{cookie.key}={cookie.value}".encode()))
    path = f"/live/{figure_id}/"
    scope = {
        "type": "websocket",
        "path": path,
        "raw_path": path.encode(),
        "headers": headers,
        "query_string": b"",
        "subprotocols": [],
    }
    return Socket(application, scope)


def talk(client, arm, exchange):
    """Run `exchange(socket)` on a connected socket."""

    async def run():
        one = socket(client, arm.pk)
        assert (await one.connect())[0]
        try:
            return await exchange(one)
        finally:
            await one.disconnect()

    return asyncio.run(run())


def unpacked(data: bytes, before=None):
    found = sections(data)
    vertices = found["vertices"].reshape(-1, 2)
    if "runs" in found:  # only those that changed, laid over those of the frame before
        assert before is not None or not len(vertices)
        changed, vertices = vertices, np.zeros((0, 2)) if before is None else before.copy()
        for first, count in found["runs"].reshape(-1, 2):
            vertices[first : first + count], changed = changed[:count], changed[count:]
    return found["serial"], found["frame"], found["revision"], vertices


def test_a_pose_comes_back_as_the_vertices_the_core_computes(ada, arm):
    value = value_of(arm.head)
    rig = compile_rig(value, DatabaseStores())
    bone = value.bones[1].id
    pose = {"turn": {bone: 42.0}}

    async def exchange(one):
        await one.send_to(json.dumps({"serial": 7, "seen": arm.head_id, "pose": pose}))
        return unpacked(await one.receive_from(5))

    serial, frame, revision, vertices = talk(signed_in(ada), arm, exchange)
    assert (serial, frame, revision) == (7, NO_FRAME, arm.head_id)
    assert np.array_equal(vertices, rig.evaluate(parse_pose(pose)).vertices)


def test_only_what_changed_is_sent_and_laid_over_the_last_pose_it_is_the_new_one(ada, arm):
    value = value_of(arm.head)
    rig = compile_rig(value, DatabaseStores())
    one_bone, poses = value.bones[1].id, []
    for k in range(8):
        poses.append({f"{one_bone}.turn": 10.0 * k} if k % 3 else {})

    async def exchange(one):
        answers = []
        for serial, pose in enumerate(poses):
            if serial == 5:  # what a swing shows lies between, so the next pose is sent whole
                await one.send_to(json.dumps({"serial": 99, "seen": arm.head_id, "swing": True}))
                for _ in range(96):
                    await one.receive_from(20)
            await one.send_to(json.dumps({"serial": serial, "seen": arm.head_id, "pose": pose}))
            answers.append(await one.receive_from(20))
        return answers

    answers, vertices = talk(signed_in(ada), arm, exchange), None
    for pose, answer in zip(poses, answers, strict=True):
        _, _, _, vertices = unpacked(answer, vertices)
        assert np.array_equal(vertices, rig.evaluate(parse_pose(pose)).vertices)
    assert ["runs" in sections(answer) for answer in answers] == [False, True, True, True, True, False, True, True]
    assert len(answers[1]) < len(answers[0])


def test_the_swing_comes_whole_and_in_order(ada, arm):
    rig = compile_rig(value_of(arm.head), DatabaseStores())

    async def exchange(one):
        await one.send_to(json.dumps({"serial": 1, "seen": arm.head_id, "swing": True}))
        return [unpacked(await one.receive_from(5)) for _ in range(96)]

    frames = talk(signed_in(ada), arm, exchange)
    assert [number for _, number, _, _ in frames] == list(range(96))
    for (_, _, _, vertices), ours in zip(frames, play(rig), strict=True):
        assert np.array_equal(vertices, ours.vertices)


def test_springs_swing_while_one_poses_as_they_do_in_the_core_and_come_to_rest(ada, arm):
    bones = value_of(arm.head).bones
    swings = {"kind": "set_spring", "bone": bones[1].id, "frequency": 3, "damping_ratio": 0.6}
    make_edit(ada, arm, arm.head_id, swings)
    arm.refresh_from_db()
    value = value_of(arm.head)
    turned = {f"{bones[0].id}.turn": 30.0}
    moments = [0.0, 0.05, 0.1, 0.15, 0.2, *(0.4 + 0.4 * k for k in range(12))]

    async def exchange(one):
        answers = []
        for serial, at in enumerate(moments):
            pose = turned if at > 0 else {}
            await one.send_to(json.dumps({"serial": serial, "seen": arm.head_id, "pose": pose, "springs": {"at": at}}))
            moves = json.loads(await one.receive_from(20))["swinging"]
            answers.append((moves, await one.receive_from(20)))
        return answers

    answers, vertices = talk(signed_in(ada), arm, exchange), None
    rig = compile_rig(value, DatabaseStores())
    core = LiveSprings(rig, parse_pose({}), 0.0)
    for at, (moves, answer) in zip(moments, answers, strict=True):
        _, _, _, vertices = unpacked(answer, vertices)
        assert core.at(parse_pose(turned if at > 0 else {}), at) == moves
        assert np.array_equal(vertices, rig.evaluate().vertices)
    assert [moves for moves, _ in answers[:5]] == [False, True, True, True, True]
    assert not answers[-1][0], "it comes to rest, and need not be looked at again"


def test_a_frame_that_is_gone_to_is_the_one_that_playing_comes_to_and_a_pose_after_it_is_whole(ada, arm):
    bones = value_of(arm.head).bones
    for asked in (
        {"kind": "set_spring", "bone": bones[1].id, "frequency": 3, "damping_ratio": 0.2},
        {"kind": "make_motion", "name": "act", "frames": 40},
        {"kind": "set_keys", "motion": "act", "at": 0, "pose": {f"{bones[0].id}.turn": 0}},
        {"kind": "set_keys", "motion": "act", "at": 10, "pose": {f"{bones[0].id}.turn": 60}},
    ):
        make_edit(ada, arm, arm.head_id, asked)
        arm.refresh_from_db()
    value = value_of(arm.head)
    numbers = [20, 14, 15, 33]

    async def exchange(one):
        answers = []
        for serial, number in enumerate([*numbers, None]):
            frame = {"frame": {"motion": "act", "number": number}} if number is not None else {}
            await one.send_to(json.dumps({"serial": serial, "seen": arm.head_id, "pose": {}, **frame}))
            answers.append(await one.receive_from(20))
        for wrong in ({"motion": "jig", "number": 3}, {"motion": "act"}, {"motion": "act", "number": "x"}):
            await one.send_to(json.dumps({"serial": 9, "seen": arm.head_id, "pose": {}, "frame": wrong}))
            answers.append(json.loads(await one.receive_from(20))["sentence"])
        return answers

    *answers, plain, unnamed, _, _ = talk(signed_in(ada), arm, exchange)
    playback = Playback(compile_rig(value, DatabaseStores()), motion_named(value, "act"))
    for number, answer in zip(numbers, answers, strict=True):
        _, _, _, vertices = unpacked(answer, None)
        assert np.array_equal(vertices, playback.frame(number).vertices)
    assert np.array_equal(unpacked(plain, None)[3], compile_rig(value, DatabaseStores()).evaluate().vertices)
    assert "jig" in unnamed


def test_of_many_poses_only_the_newest_must_be_answered(ada, arm, monkeypatch):
    real = LiveBench._answer_one

    async def slowly(self, message):
        await asyncio.sleep(0.02)
        await real(self, message)

    monkeypatch.setattr(LiveBench, "_answer_one", slowly)

    async def exchange(one):
        for serial in range(60):
            await one.send_to(json.dumps({"serial": serial, "seen": arm.head_id, "pose": {}}))
        seen = []
        while not seen or seen[-1] != 59:
            seen.append(unpacked(await one.receive_from(5))[0])
        return seen

    seen = talk(signed_in(ada), arm, exchange)
    assert seen == sorted(seen)
    assert len(seen) < 10, "older poses give way while one is computed"


@pytest.mark.parametrize(
    "text", ["no json", "[]", '{"serial": 1}', '{"serial": 1, "seen": 1, "pose": {"turn": "x"}}', "[" * 9000]
)
def test_nonsense_gets_a_sentence_and_the_socket_lives_on(ada, arm, text):
    async def exchange(one):
        await one.send_to(text.replace('"seen": 1', f'"seen": {arm.head_id}'))
        sentence = json.loads(await one.receive_from(5))["sentence"]
        await one.send_to(json.dumps({"serial": 2, "seen": arm.head_id, "pose": {}}))
        return sentence, unpacked(await one.receive_from(5))[0]

    sentence, serial = talk(signed_in(ada), arm, exchange)
    assert sentence.endswith(".")
    assert serial == 2


def test_too_many_messages_end_the_connection(ada, arm, settings):
    settings.LIVE_MESSAGES_PER_SECOND = 20

    async def exchange(one):
        for serial in range(40):
            await one.send_to(json.dumps({"serial": serial, "seen": arm.head_id, "pose": {}}))
        while True:
            output = await one.receive_output(5)
            if output["type"] == "websocket.close":
                return output["code"]

    assert talk(signed_in(ada), arm, exchange) == 4429


def test_strangers_other_peoples_figures_and_other_sites_are_closed_out(ada, bo, arm):
    async def run(client, origin="http://127.0.0.1"):
        one = socket(client, arm.pk, origin)
        accepted, code = await one.connect()
        if not accepted:
            return "refused"
        output = await one.receive_output(5)
        return output["code"]

    assert asyncio.run(run(Client())) == 4401
    assert asyncio.run(run(signed_in(bo))) == 4404
    assert asyncio.run(run(signed_in(ada), "http://evil.example")) == "refused"


def unshared(ada, bo, arm, client):
    signed_in(ada).post(reverse("unshare", args=[arm.pk, bo.pk]))


def signed_out(ada, bo, arm, client):
    client.post(reverse("logout"))


def figure_deleted(ada, bo, arm, client):
    signed_in(ada).post(reverse("delete-figure", args=[arm.pk]), {"name": arm.name})


def user_deleted(ada, bo, arm, client):
    bo.delete()


def password_changed(ada, bo, arm, client):
    bo.set_password("another wick altogether")
    bo.save()


@pytest.mark.parametrize(
    ("ended", "code"),
    [(unshared, 4404), (signed_out, 4401), (figure_deleted, 4404), (user_deleted, 4401), (password_changed, 4401)],
)
def test_rights_that_end_close_the_open_socket(ada, bo, arm, ended, code):
    Share.objects.create(figure=arm, user=bo)
    client = signed_in(bo)

    async def exchange(one):
        await one.send_to(json.dumps({"serial": 1, "seen": arm.head_id, "pose": {}}))
        assert unpacked(await one.receive_from(5))[0] == 1
        await asyncio.to_thread(ended, ada, bo, arm, client)
        return await one.receive_output(5)

    output = talk(client, arm, exchange)
    assert (output["type"], output.get("code")) == ("websocket.close", code)


def test_nothing_of_a_later_revision_goes_out_after_rights_have_ended(ada, bo, arm, settings):
    settings.LIVE_RIGHTS_SECONDS = 60  # so that only what is sent is asked about
    Share.objects.create(figure=arm, user=bo)

    async def exchange(one):
        await asyncio.to_thread(unshared, ada, bo, arm, None)
        await one.send_to(json.dumps({"serial": 1, "seen": arm.head_id, "pose": {}}))
        return await one.receive_output(5)

    assert talk(signed_in(bo), arm, exchange)["type"] == "websocket.close"
