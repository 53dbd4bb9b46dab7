"""What the start command holds together: whatever is lost comes back, and nothing outlives it."""

from __future__ import annotations

import os
import shutil
import signal
import time
import urllib.error
import urllib.request
from pathlib import Path

import pytest

from studio.launch.mariadb import free_port
from tests.browser.conftest import ROOT, Studio

PATIENCE = 60  # s until something that will not happen is given up


def until(happened) -> bool:
    ends = time.monotonic() + PATIENCE
    while not happened():
        if time.monotonic() > ends:
            return False
        time.sleep(0.05)
    return True


def answers(url: str) -> bool:
    try:
        return urllib.request.urlopen(url, timeout=20).status == 200
    except urllib.error.HTTPError:
        return True
    except OSError:
        return False


def runs(pid: int) -> bool:
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0] != "Z"
    except OSError:
        return False


@pytest.fixture
def own_var():
    var = ROOT / "var" / "launch-tests"
    shutil.rmtree(var, ignore_errors=True)
    return var


def test_a_lost_web_server_comes_back_and_children_end_with_their_launcher_whatever_ends_it(own_var):
    port = free_port()
    studio = Studio(own_var, port)
    try:
        (web,) = studio.children("studio.launch.web")[:1]
        os.kill(web, signal.SIGKILL)
        assert until(lambda: web not in studio.children("studio.launch.web"))
        assert until(lambda: answers(studio.url))
        (web,) = studio.children("studio.launch.web")[:1]
        os.kill(web, signal.SIGKILL)  # and again, before another can have stood by for long
        assert until(lambda: answers(studio.url))
        assert studio.process.poll() is None
        children = [pid for word in ("mariadbd", "django work", "studio.launch.web") for pid in studio.children(word)]
        assert len(children) >= 3
    finally:
        studio.process.kill()
        studio.process.wait()
    assert until(lambda: not any(runs(pid) for pid in children))
    again = Studio(own_var, port)  # the same port and data, at once
    try:
        assert answers(again.url)
    finally:
        again.stop()
