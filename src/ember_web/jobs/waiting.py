"""Where pages have the solver work: a few threads for all, a place in the queue, and a limit to waiting.

A page that asks for a computation waits for it, no longer than its limit. When too many wait already it hears so at once,
and says so: what the cook had entered stays.
"""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from concurrent.futures import TimeoutError as Late
from functools import partial
from time import monotonic
from typing import Any, ParamSpec, TypeVar

from ember_core.errors import EmberError
from ember_core.wording.message import N_, say
from ember_web.tenancy.voice import current

P = ParamSpec("P")
R = TypeVar("R")
WORKERS = max(os.cpu_count() or 2, 2)  # the solver releases the interpreter: one thread for each processor
MOST_WAITING = 6 * WORKERS  # at some tenths of a second each, what may wait is answered within the limit
PATIENCE_S = float(os.environ.get("EMBER_PATIENCE_S", "8"))  # of a request, from when it asks; tests have more


class Busy(EmberError):
    """Too much is computed at once, or the answer did not come in time; nothing is wrong with what was asked."""

    code = "busy"


class SolverPool:
    """Threads that compute, and those who wait for them."""

    def __init__(self, workers: int = WORKERS, waiting: int = MOST_WAITING, patience_s: float = PATIENCE_S) -> None:
        self.pool = ThreadPoolExecutor(workers, thread_name_prefix="compute")
        self.places = threading.Semaphore(workers + waiting)
        self.patience_s = patience_s

    def run(self, function: Callable[P, R], *args: P.args, **kwargs: P.kwargs) -> R:
        """What a function gives, computed on one of the threads in the caller's language and units.

        Raises
        ------
        Busy
            No place in the queue, or no answer within the limit.
        """
        return self._answer(*self._submit(partial(function, *args, **kwargs)), self.patience_s)

    def each(self, function: Callable[..., R], several: Sequence[tuple[Any, ...]]) -> list[R]:
        """What a function gives for each of several arguments, computed on as many threads as are free.

        Raises
        ------
        Busy
            As of :meth:`run`; those that were begun are left alone.
        """
        until = monotonic() + self.patience_s
        begun = []
        try:
            for arguments in several:
                begun.append(self._submit(partial(function, *arguments)))
            return [self._answer(future, given_up, until - monotonic()) for future, given_up in begun]
        except BaseException:
            for _, given_up in begun:
                given_up.set()
            raise

    def _submit(self, function: Callable[[], R]) -> tuple[Future[R], threading.Event]:
        if not self.places.acquire(blocking=False):
            raise Busy(say("Too much is being computed at once. Try again in a moment; nothing you entered is lost."))
        given_up = threading.Event()
        voice = current()

        def work() -> R:
            try:
                if given_up.is_set():
                    raise Late
                with voice.speaking():
                    return function()
            finally:
                self.places.release()

        return self.pool.submit(work), given_up

    def _answer(self, future: Future[R], given_up: threading.Event, patience_s: float) -> R:
        try:
            return future.result(max(patience_s, 0.0))
        except Late:
            if future.done():  # its own, not ours
                raise
            given_up.set()
            words = N_("This took longer than {limit_s:.0f} s: the kitchen's computer is busy. Try again in a moment.")
            raise Busy(say(words, limit_s=self.patience_s)) from None


solver = SolverPool()
