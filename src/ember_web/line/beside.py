"""What is worked out of running cooks beside the requests: one thread, one cook after another, the newest question of each."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable, Hashable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from ember_core.errors import EmberError

log = logging.getLogger(__name__)
Q = TypeVar("Q")


@dataclass
class _Slot(Generic[Q]):
    """What is known of one cook."""

    wanted: tuple[Hashable, Q] | None = None
    busy: bool = False
    answered: Any = None
    result: dict[str, Any] | None = None


class Beside(Generic[Q]):
    """Takes questions, answers them on a thread of its own, keeps the last answer of each cook. A request never waits for it."""

    def __init__(self, name: str) -> None:
        self.name = name
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
            if slot.answered != key and (slot.wanted is None or slot.wanted[0] != key):
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
        try:
            result = self.work(asked)
        except (EmberError, ArithmeticError, ValueError) as error:  # such a cook goes on by its plan
            log.warning("%s: no answer: %s", self.name, error)
            result = None
        with self.lock:
            slot.answered, slot.result = key, result
            slot.busy = slot.wanted is not None and slot.wanted[0] != key
            if slot.busy:  # behind the others: every cook gets its turn
                self.last = self.pool.submit(self._work, cook_id, told)
        told()
