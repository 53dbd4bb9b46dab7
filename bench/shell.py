"""What a call of the shell costs before and beside its work, against a bare start of Python."""

from __future__ import annotations

import json
import resource
import subprocess
import sys
import tempfile
from pathlib import Path

from bench.timing import Row, in_turn

DEMO = Path(__file__).parent.parent / "demo"
DOOR = Path(sys.executable).with_name("kunstgriff")


def shell() -> list[Row]:
    with tempfile.TemporaryDirectory() as folder:
        pose = Path(folder) / "pose.json"
        pose.write_text(json.dumps({"turn": {"near forearm": 40}}))
        posing = ["pose", str(DEMO / "pell.zip"), str(pose), "-o", str(pose.with_suffix(".png"))]
        return [_row("--help", ["--help"], 0.35), _row("pose, one picture of the demo", posing, 1.2)]


def _row(what: str, asked: list[str], limit: float) -> Row:
    ours, bare = in_turn(lambda: _call(str(DOOR), *asked), lambda: _call(sys.executable, "-c", ""), rounds=5)
    spent = resource.getrusage(resource.RUSAGE_CHILDREN).ru_utime
    _call(str(DOOR), *asked)
    spent = resource.getrusage(resource.RUSAGE_CHILDREN).ru_utime - spent
    return Row(
        f"shell: {what}", f"{spent:.2f} s CPU", f"{ours / bare:.0f} times a bare start", f"≤ {limit} s", spent <= limit
    )


def _call(*command: str) -> None:
    subprocess.run(command, check=True, capture_output=True, timeout=60)
