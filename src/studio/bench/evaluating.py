"""Poses evaluated off the event loop: one thread takes them in turn, one of each bench at a time.

A bench waits for its answer before it asks again, with its newest pose; so each has at most one in the queue, and none
can take more than its turn. What takes long, compiling a figure that nobody has open or beginning a stroke, is done
beside it by a thread of its own. Measured with 50 benches: a second thread for poses makes the slowest answers ten
times slower, since most of the work holds the interpreter.
"""

from __future__ import annotations

import asyncio
import threading
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from queue import SimpleQueue
from typing import Any, TypeVar

from django.db import connections

from kunstgriff.evaluate.program import RigProgram
from studio.bench.seen import Seen
from studio.bench.state import KEPT, compiled

Result = TypeVar("Result")
_Job = tuple[Callable[[], Any], "asyncio.Future[Any]", asyncio.AbstractEventLoop]

_slow = ThreadPoolExecutor(1, thread_name_prefix="compiling")


class Turns:
    """A thread that does what it is asked, first come first served, and hands each result back to its event loop."""

    def __init__(self) -> None:
        self.waiting: SimpleQueue[_Job] = SimpleQueue()
        self.thread = threading.Thread(target=self._work, name="evaluating", daemon=True)
        self.thread.start()

    async def of(self, work: Callable[[], Result]) -> Result:
        """What `work` returns, done in its turn."""
        loop = asyncio.get_running_loop()
        done: asyncio.Future[Result] = loop.create_future()
        self.waiting.put((work, done, loop))
        return await done

    def _work(self) -> None:
        while True:
            work, done, loop = self.waiting.get()
            try:
                result, error = work(), None
            except Exception as failed:
                result, error = None, failed
            with suppress(RuntimeError):  # its loop has ended
                loop.call_soon_threadsafe(_hand_over, done, result, error)


def _hand_over(done: asyncio.Future[Any], result: Any, error: Exception | None) -> None:
    if done.done():  # nobody waits for it any more
        return
    if error is not None:
        done.set_exception(error)
    else:
        done.set_result(result)


_turns = Turns()
_kept: OrderedDict[Seen, RigProgram] = OrderedDict()
_lock = threading.Lock()


async def evaluated(work: Callable[[], Result]) -> Result:
    """What `work` returns, done in its turn by the thread on which poses are evaluated."""
    return await _turns.of(work)


async def slowly(work: Callable[[], Result]) -> Result:
    """What `work` returns, done beside; it may read from the database."""

    def done() -> Result:
        try:
            return work()
        finally:
            connections.close_all()  # a thread needs the database for a moment only

    return await asyncio.get_running_loop().run_in_executor(_slow, done)


async def program_of(seen: Seen) -> RigProgram:
    """The program of a revision, which all its benches share."""
    with _lock:
        program = _kept.get(seen)
        if program is not None:
            _kept.move_to_end(seen)
            return program
    return await slowly(lambda: _compiled_once(seen))


def _compiled_once(seen: Seen) -> RigProgram:
    """The shared program; whoever waited while another compiled it takes that one."""
    with _lock:
        program = _kept.get(seen)
    if program is None:
        program = compiled(seen)[1]
        with _lock:
            _kept[seen] = program
            while len(_kept) > KEPT:
                _kept.popitem(last=False)
    return program
