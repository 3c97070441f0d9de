"""What is worked out of running cooks beside the requests: one thread, one cook after another, the newest question of each."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable, Hashable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from ember_core.errors import EmberError

log = logging.getLogger(__name__)
FIRST_WAIT_S, LONGEST_WAIT_S = 5.0, 300.0  # after an exception nobody foresaw, before a cook is computed again
Q = TypeVar("Q")


@dataclass
class _Slot(Generic[Q]):
    """What is known of one cook."""

    wanted: tuple[Hashable, Q] | None = None
    busy: bool = False
    answered: Any = None
    result: dict[str, Any] | None = None
    failures: int = 0  # exceptions nobody foresaw, one after another
    again_at: float = 0.0  # not computed before, monotonic s


class BackgroundQueue(Generic[Q]):
    """Takes questions, answers them on a thread of its own, keeps the last answer of each cook. A request never waits for it."""

    def __init__(self, name: str, clock: Callable[[], float] = time.monotonic) -> None:
        self.name, self.clock = name, clock
        self.lock = threading.Lock()
        self.slots: dict[int, _Slot[Q]] = {}
        self.pool = ThreadPoolExecutor(1, thread_name_prefix=name)
        self.last: Future[None] | None = None

    def work(self, asked: Q) -> dict[str, Any] | None:
        """The answer; on the thread."""
        raise NotImplementedError

    def ask_of(self, cook_id: int, key: Any, make: Callable[[], Q] | None, told: Callable[[], None]) -> _Slot[Q] | None:
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
                return None
            slot = self.slots.setdefault(cook_id, _Slot())
            held = slot.failures and self.clock() < slot.again_at
            if not held and slot.answered != key and (slot.wanted is None or slot.wanted[0] != key):
                slot.wanted = (key, make())
                if not slot.busy:
                    slot.busy = True
                    self.last = self.pool.submit(self._work, cook_id, told)
            return slot

    def forget(self, cook_ids: set[int]) -> None:
        """Drop cooks that are finished."""
        with self.lock:
            for cook_id in cook_ids:
                self.slots.pop(cook_id, None)

    def settle(self) -> None:
        """Wait until all that was asked is answered; for tests."""
        while self.last is not None and any(s.busy for s in self.slots.values()):
            self.last.result()

    def _work(self, cook_id: int, told: Callable[[], None]) -> None:
        with self.lock:
            slot = self.slots.get(cook_id)
            wanted = None if slot is None else slot.wanted
            if slot is None or wanted is None:
                return
            slot.wanted = None
        key, asked = wanted
        failures = 0
        try:
            result = self.work(asked)
        except (EmberError, ArithmeticError, ValueError) as error:  # such a cook goes on by its plan
            log.warning("%s: no answer: %s", self.name, error)
            result = None
        except Exception:
            # nobody foresaw it: the thread and the others go on, this cook by its plan, and it is tried again later
            log.exception("%s: cook %d could not be computed; it goes on by its plan", self.name, cook_id)
            result, failures = None, slot.failures + 1
        with self.lock:
            slot.answered, slot.result, slot.failures = key, result, failures
            if failures:
                slot.answered = None
                slot.again_at = self.clock() + min(FIRST_WAIT_S * 2.0 ** (failures - 1), LONGEST_WAIT_S)
            slot.busy = slot.wanted is not None and slot.wanted[0] != key
            if slot.busy:  # behind the others: every cook gets its turn
                self.last = self.pool.submit(self._work, cook_id, told)
        try:
            told()
        except Exception:
            log.exception("%s: boards could not be told", self.name)
