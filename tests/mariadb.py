"""A MariaDB of the tests' own, started before Django reads its settings and stopped at the end."""

from __future__ import annotations

import os
from pathlib import Path

from studio.launch.mariadb import MariaDB

ROOT = Path(__file__).resolve().parents[1]
VAR = ROOT / "var" / "tests"
server = MariaDB(VAR / "mariadb")
os.environ["KUNSTGRIFF_VAR"] = str(VAR)
server.start()
os.environ.update(server.environment())


def pytest_unconfigure() -> None:
    server.stop()
