"""Lanes: threads of their own for what must be quick, a bound for each person, and turns that go round among those who wait."""

from __future__ import annotations

import asyncio
from collections import Counter, OrderedDict, deque
from collections.abc import AsyncIterator, Hashable
from contextlib import asynccontextmanager
from typing import Any


class LaneFull(Exception):
    """More wait than may; ``own`` when it is one sender who has too many."""

    def __init__(self, own: bool) -> None:
        super().__init__(own)
        self.own = own


class Lane:
    """So many places; who waits gets the next one in turn by sender, so that nobody is held up by another's queue.

    Parameters
    ----------
    places : int
        Requests at work together; the lane's threads.
    each : int
        Of one sender.
    waiting, waiting_each : int
        Requests that may wait, of all and of one sender.
    """

    def __init__(self, places: int, each: int, waiting: int = 400, waiting_each: int = 60) -> None:
        self.places, self.each = places, each
        self.max_waiting, self.max_waiting_each = waiting, waiting_each
        self.at_work: Counter[Hashable] = Counter()
        self.queues: OrderedDict[Hashable, deque[asyncio.Future[None]]] = OrderedDict()
        self.waiting = 0

    @asynccontextmanager
    async def place(self, sender: Hashable, gone: asyncio.Future[Any] | None = None) -> AsyncIterator[bool]:
        """Wait for a place and hold it; gives False at once, without a place, when ``gone`` is done first.

        Raises
        ------
        LaneFull
            Too many wait already.
        """
        if len(self.queues.get(sender, ())) >= self.max_waiting_each:
            raise LaneFull(own=True)
        if self.waiting >= self.max_waiting:
            raise LaneFull(own=False)
        queue = self.queues.setdefault(sender, deque())
        turn: asyncio.Future[None] = asyncio.get_running_loop().create_future()
        queue.append(turn)
        self.waiting += 1
        self._admit()
        try:
            if gone is not None and not turn.done():
                await asyncio.wait([turn, gone], return_when=asyncio.FIRST_COMPLETED)
            if gone is None or turn.done():
                await turn
            yield turn.done()
        finally:
            if turn.done() and not turn.cancelled():
                self.at_work[sender] -= 1
                if not self.at_work[sender]:
                    del self.at_work[sender]
            else:  # it gave up before its turn
                self._leave(sender, turn)
            self._admit()

    def _leave(self, sender: Hashable, turn: asyncio.Future[None]) -> None:
        self.queues[sender].remove(turn)
        self.waiting -= 1
        if not self.queues[sender]:
            del self.queues[sender]

    def _admit(self) -> None:
        """Give free places to those who wait, one sender after another."""
        while self.at_work.total() < self.places:
            sender = next((s for s in self.queues if self.at_work[s] < self.each), None)
            if sender is None:
                return
            turn = self.queues[sender][0]
            self._leave(sender, turn)
            if sender in self.queues:
                self.queues.move_to_end(sender)
            self.at_work[sender] += 1
            turn.set_result(None)
