"""The whole studio as a newcomer starts it, and a headless Chromium to use it with."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from studio.launch.mariadb import free_port
from tests.browser.hand import Hand, chromium

ROOT = Path(__file__).resolve().parents[2]
START_LIMIT = 300  # s; a fresh machine compiles kernels while it starts


class Studio:
    """A running `./run demo` on a data folder of its own."""

    def __init__(self, var, port: int) -> None:
        self.var = var
        self.url = f"http://127.0.0.1:{port}"
        self.said = ""
        self.process = subprocess.Popen(
            [sys.executable, "-u", "-m", "studio.launch.demo", "--port", str(port)],
            env={**os.environ, "KUNSTGRIFF_VAR": str(var), "KUNSTGRIFF_JOB_SILENCE": "3"},
            stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True,
        )  # fmt: skip
        deadline = time.monotonic() + START_LIMIT
        while "Sign in as" not in self.said:
            line = self.process.stdout.readline()
            self.said += line
            if not line or time.monotonic() > deadline:
                raise RuntimeError(f"The studio did not start: {self.said}")

        # nobody reads what it says from here on, and a full pipe would hold up what watches over it
        threading.Thread(target=self._keep, args=(Path(self.var) / "said.log",), daemon=True).start()

    def _keep(self, log: Path) -> None:
        """What it says, beside its data: why an answer was none is found there."""
        with log.open("w") as file:
            for line in self.process.stdout:
                file.write(line)
                file.flush()

    def children(self, word: str) -> list[int]:
        """Process ids of what the start command started, by a word of their command line."""
        listed = subprocess.run(
            ["ps", "--ppid", str(self.process.pid), "-o", "pid=,args="], capture_output=True, text=True
        )
        return [int(line.split()[0]) for line in listed.stdout.splitlines() if word in line]

    def stop(self) -> None:
        self.process.send_signal(signal.SIGINT)
        try:
            self.process.wait(5)
        except subprocess.TimeoutExpired:  # a database with much to write; nobody needs this one any more
            self.process.kill()


@pytest.fixture(scope="session")
def studio() -> Iterator[Studio]:
    var = ROOT / "var" / "browser-tests"
    shutil.rmtree(var, ignore_errors=True)
    one = Studio(var, free_port())
    yield one
    one.stop()


@pytest.fixture(scope="session")
def shared_driver() -> Iterator[object]:
    driver = chromium(960, 640)
    yield driver
    driver.quit()


@pytest.fixture
def hand(studio, shared_driver) -> Hand:
    """Someone signed in, looking at the library."""
    one = Hand(shared_driver, studio.url)
    one.sign_in()
    one.complaints()  # what tests before this one left in the browser's log
    return one
