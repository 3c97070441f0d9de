"""What is worked out of running cooks beside the requests: one question of a cook at a time, the newest; the others in turn."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable, Hashable
from concurrent.futures import Future
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from ember_core.errors import EmberError

log = logging.getLogger(__name__)
FIRST_WAIT_S, LONGEST_WAIT_S = 5.0, 300.0  # after an exception nobody foresaw, before a cook is computed again
Q = TypeVar("Q")
Told = Callable[[], None]


@dataclass
class _Slot(Generic[Q]):
    """What is known of one cook."""

    wanted: tuple[Hashable, Q, Told] | None = None
    busy: bool = False
    answered: Any = None
    result: dict[str, Any] | None = None
    failures: int = 0  # exceptions nobody foresaw, one after another
    again_at: float = 0.0  # not computed before, monotonic s


@dataclass
class Figures:
    """What a queue did: questions answered, seconds they took from asking to answering, and those without an answer."""

    answered: int = 0
    seconds: float = 0.0
    failed: int = 0


class NewestQueue(Generic[Q]):
    """Takes questions, has them answered, keeps the last answer of each cook. A request never waits for it."""

    def __init__(self, name: str, clock: Callable[[], float] = time.monotonic) -> None:
        self.name, self.clock = name, clock
        self.lock = threading.Lock()
        self.idle = threading.Condition(self.lock)
        self.slots: dict[int, _Slot[Q]] = {}
        self.figures = Figures()

    def hand_over(self, asked: Q) -> Future[dict[str, Any] | None]:
        """Have a question answered, elsewhere."""
        raise NotImplementedError

    def ask_of(self, cook_id: int, key: Any, make: Callable[[], Q] | None, told: Told) -> _Slot[Q] | None:
        """What is known of a cook; a new question is queued, and ``told`` called when its answer is there.

        Parameters
        ----------
        cook_id : int
        key : hashable
            Changes when it must be worked out anew.
        make : function or None
            Gives the question, at once; None: nothing is asked, and what was known is dropped.
        told : function
        """
        with self.lock:
            if make is None:
                self.slots.pop(cook_id, None)
                self.idle.notify_all()
                return None
            slot = self.slots.setdefault(cook_id, _Slot())
            held = slot.failures and self.clock() < slot.again_at
            if held or slot.answered == key or (slot.wanted is not None and slot.wanted[0] == key):
                return slot
            slot.wanted = (key, make(), told)
            begin = not slot.busy
            slot.busy = True
        if begin:
            self._next(cook_id, slot)
        return slot

    def forget(self, cook_ids: set[int]) -> None:
        """Drop cooks that are finished."""
        with self.lock:
            for cook_id in cook_ids:
                self.slots.pop(cook_id, None)
            self.idle.notify_all()

    def settle(self, patience_s: float = 60.0) -> None:
        """Wait until all that was asked is answered; for tests."""
        with self.lock:
            if not self.idle.wait_for(lambda: not any(s.busy for s in self.slots.values()), patience_s):
                raise TimeoutError(self.name)

    def _next(self, cook_id: int, slot: _Slot[Q]) -> None:
        """Hand the newest question of a cook over."""
        with self.lock:
            if slot.wanted is None:
                return
            key, asked, told = slot.wanted
            slot.wanted = None
        begun = self.clock()

        def done(found: Future[dict[str, Any] | None]) -> None:
            self._take(cook_id, slot, key, found, begun)
            try:
                told()
            except Exception:
                log.exception("%s: boards could not be told", self.name)
            self._go_on(cook_id, slot, key)

        try:
            future = self.hand_over(asked)
        except Exception as error:
            future = Future()
            future.set_exception(error)
        future.add_done_callback(done)

    def _take(
        self, cook_id: int, slot: _Slot[Q], key: Hashable, found: Future[dict[str, Any] | None], begun: float
    ) -> None:
        """Keep an answer; what nobody foresaw is logged, harms no other cook, and is tried again later each time."""
        error = None if found.cancelled() else found.exception()
        result = None if found.cancelled() or error is not None else found.result()
        foreseen = error is None or isinstance(error, EmberError | ArithmeticError | ValueError)
        if error is not None and foreseen:
            log.warning("%s: no answer: %s", self.name, error)
        elif error is not None:
            words = "%s: cook %d could not be computed; it goes on by its plan"
            log.error(words, self.name, cook_id, exc_info=error)
        with self.lock:
            self.figures.answered += 1
            self.figures.seconds += self.clock() - begun
            self.figures.failed += error is not None
            slot.result, slot.answered = result, key if foreseen else None
            slot.failures = 0 if foreseen else slot.failures + 1
            if slot.failures:
                slot.again_at = self.clock() + min(FIRST_WAIT_S * 2.0 ** (slot.failures - 1), LONGEST_WAIT_S)

    def _go_on(self, cook_id: int, slot: _Slot[Q], key: Hashable) -> None:
        """The next question of a cook, behind the others: every cook gets its turn."""
        with self.lock:
            slot.busy = slot.wanted is not None and slot.wanted[0] != key and self.slots.get(cook_id) is slot
            again = slot.busy
            self.idle.notify_all()
        if again:
            self._next(cook_id, slot)
