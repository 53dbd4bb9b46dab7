"""Many benches at once: what is evaluated is done in turn, figures are compiled once, all are looked after in one go."""

from __future__ import annotations

import asyncio
import json

import pytest
from django.contrib.sessions.models import Session
from django.db import connection
from django.test.utils import CaptureQueriesContext

from studio.bench import evaluating, state
from studio.bench.rights import GONE, SIGNED_OUT, Pass, barred
from studio.library.models import Share
from tests.studio.conftest import signed_in
from tests.studio.test_live import socket, unpacked

pytestmark = pytest.mark.django_db(transaction=True)


def test_what_is_evaluated_is_done_in_turn_and_errors_come_back():
    done = []

    async def run():
        async def ask(number):
            def work():
                done.append(number)
                if number == 2:
                    raise ValueError("two")
                return number

            return await evaluating.evaluated(work)

        return await asyncio.gather(*(ask(number) for number in range(5)), return_exceptions=True)

    results = asyncio.run(run())
    assert done == [0, 1, 2, 3, 4]
    assert str(results.pop(2)) == "two"
    assert results == [0, 1, 3, 4]


def test_who_asked_and_left_holds_nobody_up():
    async def run():
        gate = asyncio.Event()
        asked = asyncio.create_task(evaluating.evaluated(lambda: 1))
        await asyncio.sleep(0)
        asked.cancel()
        gate.set()
        return await evaluating.evaluated(lambda: 2)

    assert asyncio.run(run()) == 2


def test_a_second_bench_compiles_nothing(ada, arm, monkeypatch):
    made = []
    real = state.compile_program
    monkeypatch.setattr(state, "compile_program", lambda *given: made.append(1) or real(*given))
    state.shared_program.cache_clear()  # a figure of the same look was compiled for another test
    client = signed_in(ada)

    async def run():
        seen = []
        for _ in range(4):
            one = socket(client, arm.pk)
            assert (await one.connect())[0]
            await one.send_to(json.dumps({"serial": 3, "seen": arm.head_id, "pose": {}}))
            seen.append(unpacked(await one.receive_from(5))[0])
            await one.disconnect()
        return seen

    assert asyncio.run(run()) == [3, 3, 3, 3]
    assert len(made) == 1


def test_benches_that_share_a_program_get_each_their_own_pose(ada, arm):
    client = signed_in(ada)
    bone = json.loads(client.get(f"/bench/{arm.pk}/state/").content)["figure"]["bones"][1]["id"]

    async def talk(turn):
        one = socket(client, arm.pk)
        assert (await one.connect())[0]
        seen, vertices = [], None
        for serial in range(12):
            pose = {f"{bone}.turn": turn + 5 * (serial % 2)}
            await one.send_to(json.dumps({"serial": serial, "seen": arm.head_id, "pose": pose}))
            vertices = unpacked(await one.receive_from(5), vertices)[3]
            seen.append(vertices.tobytes())
        await one.disconnect()
        return set(seen)

    async def run():
        return await asyncio.gather(talk(40.0), talk(-25.0))

    first, second = asyncio.run(run())
    assert len(first) == len(second) == 2
    assert not first & second


def test_one_look_tells_of_all_benches_who_may_stay(ada, bo, arm):
    Share.objects.create(figure=arm, user=bo)
    keys = [signed_in(one).session.session_key for one in (ada, bo, bo)]
    passes = [Pass(key, arm.pk) for key in keys]
    strange = [Pass("nobody's", arm.pk), Pass(keys[0], arm.pk + 999)]
    with CaptureQueriesContext(
        connection,
    ) as asked:
        told = barred([*passes, *strange])
    assert told == {strange[0]: SIGNED_OUT, strange[1]: GONE}
    assert len(asked) <= 2 + 2, "one for the sessions, one for the users, one for each user's figures"
    Share.objects.all().delete()
    Session.objects.filter(session_key=keys[0]).delete()
    assert barred(passes) == {passes[0]: SIGNED_OUT, passes[1]: GONE, passes[2]: GONE}
