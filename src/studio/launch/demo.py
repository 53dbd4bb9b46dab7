"""`./run demo`: MariaDB, migrations, the demo, one job worker, the web server; Ctrl-C stops all of it."""

from __future__ import annotations

import argparse
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Sequence
from pathlib import Path

from studio.launch.mariadb import LaunchFailed, MariaDB

ROOT = Path(__file__).resolve().parents[3]
HOST = "127.0.0.1"
READY_LIMIT = 180.0  # s


def main(arguments: Sequence[str] | None = None) -> int:
    parser = argparse.ArgumentParser(prog="./run demo", description=__doc__)
    parser.add_argument("--port", type=int, default=8000, help="port of the web server on 127.0.0.1 (8000)")
    options = parser.parse_args(arguments)
    var = Path(os.environ.get("KUNSTGRIFF_VAR", ROOT / "var"))
    database = MariaDB(var / "mariadb")
    children: list[subprocess.Popen[bytes]] = []
    signal.signal(signal.SIGTERM, _interrupt)
    try:
        _require_port(options.port)
        database.start()
        environment = {
            **os.environ, **database.environment(), "KUNSTGRIFF_VAR": str(var),
            "DJANGO_SETTINGS_MODULE": "studio.settings", "OPENBLAS_NUM_THREADS": "1",
        }  # fmt: skip
        _manage(environment, "migrate", "--verbosity=0")
        _manage(environment, "createcachetable")
        _manage(environment, "load_demo")
        children += [_web(environment, options.port), _worker(environment)]
        _wait_for_web(options.port, children[0])
        print(f"\n  Kunstgriff is at http://{HOST}:{options.port}/")
        print("  Sign in as pell with the password lamplighter. Ctrl-C stops everything.\n", flush=True)
        return _watch(environment, children, database)
    except LaunchFailed as error:
        print(error, file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        print("Stopping.", flush=True)
        return 0
    finally:
        for child in reversed(children):
            _end(child)
        database.stop()


def _interrupt(number: int, frame: object) -> None:
    raise KeyboardInterrupt


def _require_port(port: int) -> None:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((HOST, port))
        except PermissionError as error:
            raise LaunchFailed(f"No right to use port {port}: choose one above 1023, ./run demo --port N.") from error
        except OSError as error:
            raise LaunchFailed(f"Port {port} is taken: stop what uses it, or ./run demo --port {port + 1}.") from error


def _manage(environment: dict[str, str], *command: str) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "django", *command], env=environment, capture_output=True, text=True, check=False
    )
    if done.returncode:
        raise LaunchFailed(f"Preparing the database failed at “{command[0]}”: {done.stderr.strip()[-600:]}")


def _web(environment: dict[str, str], port: int) -> subprocess.Popen[bytes]:
    return subprocess.Popen(
        [
            sys.executable, "-m", "uvicorn", "studio.asgi:application", "--host", HOST, "--port", str(port),
            "--ws-per-message-deflate", "false", "--ws-max-size", "65536", "--log-level", "warning",
            "--lifespan", "off", "--timeout-graceful-shutdown", "3",
        ],
        env=environment, start_new_session=True,
    )  # fmt: skip


def _worker(environment: dict[str, str]) -> subprocess.Popen[bytes]:
    return subprocess.Popen([sys.executable, "-m", "django", "work"], env=environment, start_new_session=True)


def _wait_for_web(port: int, web: subprocess.Popen[bytes]) -> None:
    deadline = time.monotonic() + READY_LIMIT
    while time.monotonic() < deadline:
        if web.poll() is not None:
            raise LaunchFailed("The web server ended at once; what it said stands above.")
        try:
            socket.create_connection((HOST, port), 0.2).close()
        except OSError:
            time.sleep(0.05)
        else:
            return
    raise LaunchFailed(f"The web server did not answer within {READY_LIMIT:.0f} s.")


def _watch(environment: dict[str, str], children: list[subprocess.Popen[bytes]], database: MariaDB) -> int:
    """Wait for ever. A database or worker that was lost is started again; a lost web server ends the run."""
    while True:
        time.sleep(0.5)
        if database.process is not None and database.process.poll() is not None:
            print("MariaDB was lost; it is started again.", file=sys.stderr, flush=True)
            database.start()
        if children[0].poll() is not None:
            raise LaunchFailed("The web server ended; what it said stands above.")
        if children[1].poll() is not None:
            print("The job worker was lost; another one takes its place.", file=sys.stderr, flush=True)
            children[1] = _worker(environment)


def _end(child: subprocess.Popen[bytes]) -> None:
    """End a process we started, gently, then firmly."""
    if child.poll() is None:
        child.terminate()
        try:
            child.wait(8)
        except subprocess.TimeoutExpired:
            child.kill()
            child.wait()


if __name__ == "__main__":
    sys.exit(main())
