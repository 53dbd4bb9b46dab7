"""The start command: what is in its way is said in a sentence, and what was half done is done again."""

from __future__ import annotations

import os
import socket
import subprocess
import sys
import threading
import time

import pytest

from studio.launch.demo import main
from studio.launch.mariadb import LaunchFailed, MariaDB, free_port
from tests.mariadb import server


def test_a_taken_port_is_said_and_nothing_is_started(tmp_path, monkeypatch, capsys):
    monkeypatch.setenv("KUNSTGRIFF_VAR", str(tmp_path / "var"))
    with socket.socket() as other:
        other.bind(("127.0.0.1", 0))
        other.listen()
        port = other.getsockname()[1]
        assert main(["--port", str(port)]) == 1
    assert (
        capsys.readouterr().err.strip() == f"Port {port} is taken: stop what uses it, or ./run demo --port {port + 1}."
    )
    assert not (tmp_path / "var").exists()


def test_a_data_folder_half_made_is_made_anew_and_data_are_kept_between_starts(tmp_path):
    (tmp_path / "data.unfinished").mkdir()
    (tmp_path / "data.unfinished" / "ibdata1").write_bytes(b"broken off")
    for _ in range(2):
        one = MariaDB(tmp_path / "data")
        one.start()
        pid = one.process.pid
        one.stop()
        assert not os.path.exists(f"/proc/{pid}")
    assert not (tmp_path / "data.unfinished").exists()
    assert (tmp_path / "data.password").stat().st_mode & 0o077 == 0


def test_a_second_start_on_the_same_data_is_refused_in_a_sentence():
    with pytest.raises(LaunchFailed, match="running already"):
        MariaDB(server.data).start()


def test_a_folder_one_may_not_write_is_said(tmp_path):
    blocked = tmp_path / "file"
    blocked.write_text("in the way")
    done = subprocess.run(
        [sys.executable, "-m", "studio.launch.demo", "--port", str(free_port())],
        env={**os.environ, "KUNSTGRIFF_VAR": str(blocked / "var")}, capture_output=True, text=True, timeout=60,
    )  # fmt: skip
    assert done.returncode == 1
    assert "Traceback" not in done.stderr
    assert done.stderr.strip().endswith(".")


def test_a_server_left_behind_by_a_killed_start_is_taken_care_of(tmp_path):
    start = "from studio.launch.mariadb import MariaDB; import pathlib, os, sys; m = MariaDB(pathlib.Path(sys.argv[1])); m.start(); os._exit(9)"
    subprocess.run([sys.executable, "-c", start, str(tmp_path / "data")], timeout=60)
    time.sleep(0.2)
    one = MariaDB(tmp_path / "data")
    try:
        one.start()
        assert one.process.poll() is None
    finally:
        one.stop()


def test_a_database_that_answers_before_its_door_in_the_file_system_is_there_is_waited_for(tmp_path):
    late = MariaDB(tmp_path / "data")
    late.socket_folder.mkdir(mode=0o700, exist_ok=True)
    door = late.socket_folder / "mariadb.sock"

    def opened() -> None:
        time.sleep(0.4)
        door.symlink_to(server.socket_folder / "mariadb.sock")

    opening = threading.Thread(target=opened)
    opening.start()
    connection = late._as_root()
    assert connection.get_server_info()
    connection.close()
    opening.join()
    door.unlink()
