"""Processes that compute beside the web: they give way to it, end with it, and are begun again when one of them ends.

What is handed over is a function of a module that loads without the web, with plain values: the new process imports that
module and nothing else. In tests, and where there are to be none (``EMBER_WORKERS=0``), a thread of this process does it.
"""

from __future__ import annotations

import logging
import os
import threading
import time
import zlib
from collections.abc import Callable
from concurrent.futures import Executor, Future, ProcessPoolExecutor, ThreadPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from multiprocessing import get_context
from typing import Any, TypeVar

log = logging.getLogger(__name__)
R = TypeVar("R")
NICE = 10  # pages and boards come first
LOOK_S = 2.0
ATTEMPTS = 2


def default_count() -> int:
    """Workers of this machine: ``EMBER_WORKERS``, else one for each processor but the one that serves the pages; 1 to 8."""
    told = os.environ.get("EMBER_WORKERS", "")
    if told.isdecimal():
        return int(told)
    return 0 if os.environ.get("EMBER_TEST") == "1" else min(max((os.cpu_count() or 2) - 1, 1), 8)


def _begin(load: Callable[[], object] | None) -> None:
    """In the new process: give way to others, end with the server however that ends, and load what will be needed."""
    os.nice(NICE)
    parent = os.getppid()

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(LOOK_S)
        os._exit(0)

    threading.Thread(target=watch, daemon=True).start()
    if load is not None:
        load()


class Worker:
    """One process, begun when it is first needed and again when it has ended."""

    def __init__(self, name: str, load: Callable[[], object] | None = None, *, thread: bool = False) -> None:
        self.name, self.load, self.thread = name, load, thread
        self.lock = threading.Lock()
        self.pool: Executor | None = None

    def start(self) -> Executor:
        """Its executor; a process is begun at once."""
        with self.lock:
            if self.pool is None:
                if self.thread:
                    self.pool = ThreadPoolExecutor(1, thread_name_prefix=self.name)
                else:
                    self.pool = ProcessPoolExecutor(
                        1, mp_context=get_context("spawn"), initializer=_begin, initargs=(self.load,)
                    )
                    self.pool.submit(int)
            return self.pool

    def drop(self, pool: Executor) -> None:
        """Give a process up; the next question begins another."""
        with self.lock:
            if self.pool is pool:
                self.pool = None
        pool.shutdown(wait=False, cancel_futures=True)

    def submit(self, function: Callable[..., R], *arguments: Any) -> Future[R]:
        """Hand a question over; one whose process ends is asked once more."""
        answer: Future[R] = Future()
        self._ask(answer, function, arguments, 1)
        return answer

    def _ask(self, answer: Future[R], function: Callable[..., R], arguments: tuple[Any, ...], attempt: int) -> None:
        pool = self.start()
        try:
            asked = pool.submit(function, *arguments)
        except (BrokenProcessPool, RuntimeError) as error:  # it ended, or was given up, just now
            self._broken(pool, answer, function, arguments, attempt, error)
            return

        def done(found: Future[R]) -> None:
            if found.cancelled():
                answer.cancel()
                answer.set_running_or_notify_cancel()
                return
            error = found.exception()
            if isinstance(error, BrokenProcessPool):
                self._broken(pool, answer, function, arguments, attempt, error)
            elif error is not None:
                answer.set_exception(error)
            else:
                answer.set_result(found.result())

        asked.add_done_callback(done)

    def _broken(
        self,
        pool: Executor,
        answer: Future[R],
        function: Callable[..., R],
        arguments: tuple[Any, ...],
        attempt: int,
        error: BaseException,
    ) -> None:
        log.warning("the process %s ended; it is begun again", self.name)
        self.drop(pool)
        if attempt == ATTEMPTS:
            answer.set_exception(error)
        else:
            self._ask(answer, function, arguments, attempt + 1)


class Workers:
    """Several workers of one kind; questions about one thing go to the same, which keeps what it prepared for it.

    Parameters
    ----------
    name : str
    load : function or None
        Called once in each new process; of a module.
    count : int or None
        Processes; 0: a thread of this process; None: what suits the machine.
    """

    def __init__(self, name: str, load: Callable[[], object] | None = None, count: int | None = None) -> None:
        count = default_count() if count is None else count
        self.all = [Worker(f"{name}-{i}", load, thread=not count) for i in range(max(count, 1))]

    def start(self) -> None:
        """Begin all processes, before they are needed."""
        for worker in self.all:
            worker.start()

    def submit(self, near: str, function: Callable[..., R], *arguments: Any) -> Future[R]:
        """Hand a question about one thing over, to the worker of that thing."""
        return self.all[zlib.crc32(near.encode()) % len(self.all)].submit(function, *arguments)
