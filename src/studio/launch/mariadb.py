"""A private MariaDB of the project's own: own data directory, socket and port, on loopback, never the system's."""

from __future__ import annotations

import getpass
import hashlib
import os
import secrets
import shutil
import socket
import subprocess
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from studio.launch.children import end, end_left_behind, started

START_LIMIT = 40.0  # s; 0.3 s is usual
ENDING_LIMIT = 2.0  # s


class LaunchFailed(RuntimeError):
    """Something could not be started; the message is a sentence that says what to do."""


@dataclass
class MariaDB:
    """One server on `data` (made when missing). `port` is chosen free at each start."""

    data: Path
    port: int = 0
    process: subprocess.Popen[bytes] | None = None

    def __post_init__(self) -> None:
        self.data = self.data.absolute()

    @property
    def socket_folder(self) -> Path:
        """A short path, since a socket's may have 107 characters at most; only we may enter it."""
        mark = hashlib.sha256(str(self.data).encode()).hexdigest()[:12]
        return Path(tempfile.gettempdir()) / f"kunstgriff-{os.getuid()}-{mark}"

    @property
    def password(self) -> str:
        path = self.data.with_name(self.data.name + ".password")
        with _needing_rights():
            if not path.exists():
                path.parent.mkdir(parents=True, exist_ok=True)
                path.touch(mode=0o600)
                path.write_text(secrets.token_urlsafe(24))
            return path.read_text()

    def start(self) -> None:
        """Make the data directory when missing, start the server, wait until it answers, see to our account."""
        program = shutil.which("mariadbd") or shutil.which("mariadbd", path="/usr/sbin:/usr/local/sbin")
        installer = shutil.which("mariadb-install-db")
        if program is None or installer is None:
            raise LaunchFailed(
                "MariaDB is not installed: run ./run setup, or apt-get install mariadb-server-core mariadb-client-core."
            )
        with _needing_rights():
            self.data.parent.mkdir(parents=True, exist_ok=True)
            self._make_data(installer)
            self.socket_folder.mkdir(mode=0o700, exist_ok=True)
        self._end_orphan()
        if self.socket_folder.stat().st_uid != os.getuid():
            raise LaunchFailed(f"“{self.socket_folder}” belongs to someone else; remove it.")
        self.port = self.port or free_port()
        log = self.data.with_name(self.data.name + ".log")
        with log.open("ab") as out:
            self.process = started(
                [
                    program, "--no-defaults", f"--datadir={self.data}", f"--socket={self._socket}",
                    f"--pid-file={self.socket_folder / 'mariadb.pid'}", "--bind-address=127.0.0.1",
                    f"--port={self.port}", f"--user={getpass.getuser()}", "--character-set-server=utf8mb4",
                    "--max-allowed-packet=256M",
                    "--innodb-buffer-pool-size=128M", "--innodb-log-file-size=64M", "--skip-name-resolve",
                ],
                stdout=out, stderr=out, stdin=subprocess.DEVNULL,
            )  # fmt: skip
        self._wait(log)
        self._see_to_account()

    def _end_orphan(self) -> None:
        """End a server on our own data folder that a start of ours left behind when it was killed."""
        deadline = time.monotonic() + ENDING_LIMIT  # one that lost its launcher just now is ending by itself
        while not end_left_behind(self.socket_folder / "mariadb.pid", f"--datadir={self.data}", START_LIMIT):
            if time.monotonic() > deadline:
                raise LaunchFailed(
                    "This project's MariaDB is running already, for another start of it; stop that one first."
                )
            time.sleep(0.05)

    def stop(self) -> None:
        """End the server we started, gently."""
        if self.process is not None:
            end(self.process, 30)
        self.process = None

    def environment(self) -> dict[str, str]:
        """What Django's settings need to find this server."""
        return {
            "KUNSTGRIFF_DB_HOST": "127.0.0.1",
            "KUNSTGRIFF_DB_PORT": str(self.port),
            "KUNSTGRIFF_DB_PASSWORD": self.password,
        }

    @property
    def _socket(self) -> Path:
        return self.socket_folder / "mariadb.sock"

    def _make_data(self, installer: str) -> None:
        """Install into a folder beside and move it into place, so that a broken attempt leaves nothing behind."""
        if self.data.exists():
            return
        unfinished = self.data.with_name(self.data.name + ".unfinished")
        shutil.rmtree(unfinished, ignore_errors=True)
        done = subprocess.run(
            [
                installer, "--no-defaults", f"--datadir={unfinished}", f"--user={getpass.getuser()}",
                "--auth-root-authentication-method=socket", f"--auth-root-socket-user={getpass.getuser()}",
                "--skip-test-db",
            ],
            capture_output=True, text=True, check=False,
        )  # fmt: skip
        if done.returncode:
            raise LaunchFailed(f"MariaDB could not make its data folder: {(done.stderr or done.stdout).strip()[:300]}")
        unfinished.rename(self.data)

    def _wait(self, log: Path) -> None:
        deadline = time.monotonic() + START_LIMIT
        while time.monotonic() < deadline:
            if self.process is not None and self.process.poll() is not None:
                raise LaunchFailed(
                    f"MariaDB ended at once; {log} says why. Is another start of this project still running?"
                )
            try:
                socket.create_connection(("127.0.0.1", self.port), 0.2).close()
            except OSError:
                time.sleep(0.05)
            else:
                return
        raise LaunchFailed(f"MariaDB did not answer within {START_LIMIT:.0f} s; {log} says more.")

    def _as_root(self) -> Any:
        """A connection over the socket in the file system, which comes a moment after the one that was waited for."""
        import MySQLdb

        deadline = time.monotonic() + START_LIMIT
        while True:
            try:
                return MySQLdb.connect(unix_socket=str(self._socket), user="root")
            except MySQLdb.OperationalError as error:
                if time.monotonic() > deadline:
                    raise LaunchFailed(f"MariaDB does not let us in: {error}") from error
                time.sleep(0.05)

    def _see_to_account(self) -> None:
        connection = self._as_root()
        try:
            cursor = connection.cursor()
            cursor.execute("CREATE DATABASE IF NOT EXISTS kunstgriff CHARACTER SET utf8mb4")
            cursor.execute("CREATE USER IF NOT EXISTS kunstgriff@'127.0.0.1' IDENTIFIED BY %s", (self.password,))
            cursor.execute("ALTER USER kunstgriff@'127.0.0.1' IDENTIFIED BY %s", (self.password,))
            for database in ("kunstgriff", "test\\_kunstgriff"):
                cursor.execute(f"GRANT ALL ON `{database}`.* TO kunstgriff@'127.0.0.1'")
        finally:
            connection.close()


@contextmanager
def _needing_rights() -> Iterator[None]:
    try:
        yield
    except OSError as error:
        raise LaunchFailed(f"No right to write to “{error.filename}”; own it, or set KUNSTGRIFF_VAR.") from error


def free_port() -> int:
    """A loopback port nobody listens on now."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])
