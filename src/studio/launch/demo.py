"""`./run demo`: MariaDB, migrations, the demo, one job worker, the web server; Ctrl-C stops all of it."""

from __future__ import annotations

import argparse
import errno
import os
import signal
import socket
import subprocess
import sys
import time
from collections import deque
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path

from studio.launch.children import end, end_left_behind, started
from studio.launch.mariadb import LaunchFailed, MariaDB, free_port

Child = subprocess.Popen[bytes]
ROOT = Path(__file__).resolve().parents[3]
HOST = "127.0.0.1"
READY_LIMIT = 180.0  # s
WEB = "studio.launch.web"
NOTE = "web.pid"  # in the data folder
SPARE_AFTER = 6.0  # s of serving after which another web server is got ready: first pages come first
PATIENCE = (6, 30.0)  # so many losses within so many seconds are no accident any more


def main(arguments: Sequence[str] | None = None) -> int:
    """Start everything and keep it going until it is told to stop; 1 where it cannot."""
    parser = argparse.ArgumentParser(prog="./run demo", description=__doc__)
    parser.add_argument("--port", type=int, default=8000, help="port of the web server on 127.0.0.1 (8000)")
    options = parser.parse_args(arguments)
    var = Path(os.environ.get("KUNSTGRIFF_VAR", ROOT / "var"))
    database = MariaDB(var / "mariadb")
    run: Run | None = None
    signal.signal(signal.SIGTERM, _interrupt)
    try:
        end_left_behind(var / NOTE, WEB)
        with _listening(options.port) as listening:
            database.port = free_port()
            environment = {
                **os.environ, **database.environment(), "KUNSTGRIFF_VAR": str(var),
                "DJANGO_SETTINGS_MODULE": "studio.settings", "OPENBLAS_NUM_THREADS": "1",
            }  # fmt: skip
            run = Run(environment, listening, var / NOTE, database)  # reads its libraries meanwhile
            database.start()
            _prepare(environment)
            run.start()
            _wait_for_web(options.port, run.web)
            print(f"\n  Kunstgriff is at http://{HOST}:{options.port}/")
            print("  Sign in as pell with the password lamplighter. Ctrl-C stops everything.\n", flush=True)
            run.watch()
    except LaunchFailed as error:
        print(error, file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        print("Stopping.", flush=True)
    finally:
        if run is not None:
            run.end()
        database.stop()
    return 0


class Run:
    """The web server, another one that stands by, and a job worker; what is lost is started again."""

    def __init__(self, environment: dict[str, str], listening: socket.socket, note: Path, database: MariaDB) -> None:
        self.environment, self.listening, self.note, self.database = environment, listening, note, database
        self.lost: deque[float] = deque(maxlen=PATIENCE[0])
        self.spare: Child | None = None
        self.worker: Child | None = None
        self.web = self._ready()

    def start(self) -> None:
        self.worker = self._work()
        self._serve()

    def watch(self) -> None:
        """Wait for ever. Raises LaunchFailed where something is lost again and again."""
        while True:
            time.sleep(0.1)
            if self.database.process is not None and self.database.process.poll() is not None:
                self._say("MariaDB")
                self.database.start()
            if self.web.poll() is not None:
                self._say("The web server")
                self.web = self.spare if self.spare is not None and self.spare.poll() is None else self._ready()
                self._serve()
            if self.worker is None or self.worker.poll() is not None:
                self._say("The job worker")
                self.worker = self._work()
            if self.spare is None and time.monotonic() > self.spare_due:
                self.spare = self._ready()

    def end(self) -> None:
        for child in (self.spare, self.worker, self.web):
            if child is not None:
                end(child)

    def _say(self, what: str) -> None:
        print(f"{what} was lost; another one takes its place.", file=sys.stderr, flush=True)
        self.lost.append(time.monotonic())
        if len(self.lost) == self.lost.maxlen and self.lost[-1] - self.lost[0] < PATIENCE[1]:
            raise LaunchFailed("It ended again and again; what it said stands above.")

    def _ready(self) -> Child:
        """A web server that waits to be told to serve."""
        number = self.listening.fileno()
        command = [sys.executable, "-m", WEB, str(number)]
        return started(command, env=self.environment, stdin=subprocess.PIPE, pass_fds=(number,))

    def _serve(self) -> None:
        """Let the web server serve, and note its process id, so that a later start finds it."""
        assert self.web.stdin is not None
        with suppress(BrokenPipeError):
            self.web.stdin.write(b"serve\n")
            self.web.stdin.flush()
        self.note.write_text(str(self.web.pid))
        self.spare = None
        self.spare_due = time.monotonic() + (0 if self.lost else SPARE_AFTER)  # what was lost once may be lost again

    def _work(self) -> Child:
        return started([sys.executable, "-m", "django", "work"], env=self.environment)


@contextmanager
def _listening(port: int) -> Iterator[socket.socket]:
    """The socket all web servers serve on, one after another."""
    try:
        with socket.create_server((HOST, port), backlog=128) as listening:
            yield listening
    except PermissionError as error:
        raise LaunchFailed(f"No right to use port {port}: choose one above 1023, ./run demo --port N.") from error
    except OverflowError as error:
        raise LaunchFailed(f"There is no port {port}; choose one from 1024 to 65535.") from error
    except OSError as error:
        if error.errno != errno.EADDRINUSE:
            raise
        raise LaunchFailed(f"Port {port} is taken: stop what uses it, or ./run demo --port {port + 1}.") from error


def _interrupt(number: int, frame: object) -> None:
    raise KeyboardInterrupt


def _prepare(environment: dict[str, str]) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "django", "prepare"], env=environment, capture_output=True, text=True, check=False
    )
    if done.returncode:
        raise LaunchFailed(f"Preparing the database failed: {done.stderr.strip()[-600:]}")


def _wait_for_web(port: int, web: Child) -> None:
    """The socket listens already: an answer tells that somebody serves on it."""
    deadline = time.monotonic() + READY_LIMIT
    while time.monotonic() < deadline:
        if web.poll() is not None:
            raise LaunchFailed("The web server ended at once; what it said stands above.")
        try:
            with socket.create_connection((HOST, port), 1) as asked:
                asked.settimeout(2)
                asked.sendall(b"GET /health HTTP/1.0\r\nHost: localhost\r\n\r\n")
                if asked.recv(1):
                    return
        except OSError:
            time.sleep(0.05)
    raise LaunchFailed(f"The web server did not answer within {READY_LIMIT:.0f} s.")


if __name__ == "__main__":
    sys.exit(main())
