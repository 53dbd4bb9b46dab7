"""Processes that live no longer than the one that started them, whatever ends it (the kernel's parent-death signal)."""

from __future__ import annotations

import ctypes
import os
import signal
import subprocess
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

PR_SET_PDEATHSIG = 1  # linux/prctl.h


def started(arguments: Sequence[str | Path], **options: Any) -> subprocess.Popen[bytes]:
    """A process in a session of its own, so that Ctrl-C reaches only us, which is ended when we are.

    It must be started by the main thread: the kernel sends the signal when the thread that started it ends.
    """
    return subprocess.Popen(arguments, start_new_session=True, preexec_fn=_ends_with(os.getpid()), **options)


def _ends_with(parent: int) -> Callable[[], None]:
    library = ctypes.CDLL(None)

    def before_it_runs() -> None:
        library.prctl(PR_SET_PDEATHSIG, signal.SIGTERM)
        if os.getppid() != parent:  # it ended meanwhile
            os._exit(1)

    return before_it_runs


def end(child: subprocess.Popen[bytes], patience: float = 8.0) -> None:
    """End a process we started, gently, then firmly."""
    if child.poll() is None:
        child.terminate()
        try:
            child.wait(patience)
        except subprocess.TimeoutExpired:
            child.kill()
            child.wait()


def end_left_behind(note: Path, word: str, patience: float = 8.0) -> bool:
    """End the process whose id stands in a note, if it is ours by a `word` of its command line and has lost who started
    it. Whether it is gone now."""
    try:
        pid = int(note.read_text())
        words = Path(f"/proc/{pid}/cmdline").read_bytes().decode(errors="replace").split("\0")
        parent = int(Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[1])
    except (OSError, ValueError):
        return True
    if word not in words:
        return True
    if parent != 1:
        return False
    os.kill(pid, signal.SIGTERM)
    deadline = time.monotonic() + patience
    while Path(f"/proc/{pid}").exists():
        if time.monotonic() > deadline:
            os.kill(pid, signal.SIGKILL)
            deadline = float("inf")
        time.sleep(0.05)
    return True
