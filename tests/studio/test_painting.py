"""The one painter of a web server: who waits too long is told so, and holds up nobody after."""

from __future__ import annotations

import threading

import pytest

from studio import painting
from studio.painting import PainterBusy, painted
from tests.studio.conftest import signed_in


@pytest.fixture
def held(monkeypatch):
    """A painter that is at work on something else until the test is over."""
    monkeypatch.setattr(painting, "SECONDS_LIMIT", 0.05)
    over, begun = threading.Event(), threading.Event()
    waiting = painting._room.submit(lambda: (begun.set(), over.wait(20)))
    assert begun.wait(20)
    yield over
    over.set()
    waiting.result(20)


def test_who_waits_too_long_is_told_in_a_sentence_and_is_not_painted_for_after(held, monkeypatch):
    made = []
    with pytest.raises(PainterBusy, match="Try again in a moment"):
        painted(lambda _: made.append("late"))
    held.set()
    monkeypatch.setattr(painting, "SECONDS_LIMIT", 30.0)
    assert painted(lambda _: "in time") == "in time"
    assert not made


def test_a_page_that_wants_a_joint_tried_meanwhile_gets_a_sentence(held, ada, arm):
    answer = signed_in(ada).get(f"/bench/{arm.pk}/proposal/{arm.head_id}/{arm.head.document['bones'][-1]['id']}/")
    assert answer.status_code < 500
    assert answer.json()["code"] == "painter-busy"


def test_what_fails_by_itself_is_raised_as_it_is():
    def fails(_):
        raise TimeoutError("of its own")

    with pytest.raises(TimeoutError, match="of its own"):
        painted(fails)
