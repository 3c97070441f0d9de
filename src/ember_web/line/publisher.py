"""Open boards, and what tells them: each kitchen is brought up to date once for all its boards, which are sent what changed.

A board is an :class:`Ear`. It keeps the revision it has; slow ones are sent more at once, and hold up nobody.
"""

from __future__ import annotations

import asyncio
import logging
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass, field

from django.db import DatabaseError, close_old_connections

from ember_web.line.bus import NOW, Bus, bus
from ember_web.line.live import board_of
from ember_web.tenancy.access import still_admitted
from ember_web.tenancy.models import Kitchen
from ember_web.tenancy.voice import Voice

log = logging.getLogger(__name__)
MOST_OF_ONE = 8  # boards of one person that are told at once; others ask from time to time
MOST = 400  # boards of a process
GAP_S = 0.25  # after one telling, before readings are told again; a mark is told at once
TICK_S = 5.0  # without any word: what only time changes, and who may still look
RENEWING = ThreadPoolExecutor(2, thread_name_prefix="boards")  # however many kitchens: two connections


class Crowded(Exception):
    """No more boards can listen; they ask from time to time instead."""


@dataclass(eq=False)
class Ear:
    """One open board: whose, how it is spoken to, what it has, and whether there is something new for it."""

    kitchen: str
    person: int
    session: str
    voice: Voice
    since: str = ""
    new: asyncio.Event = field(default_factory=asyncio.Event)
    over: bool = False

    def changes(self) -> str:
        """What changed since it was told last, as JSON; said in its voice."""
        kitchen = streams.kitchens.get(self.kitchen)
        if kitchen is None:
            return ""
        with self.voice.speaking():
            self.since, text = board_of(kitchen).changes_since(kitchen, self.voice, self.since)
        return text


class Streams:
    """All open boards of this process."""

    def __init__(self, bus: Bus = bus) -> None:
        self.bus = bus
        self.ears: dict[str, set[Ear]] = {}
        self.tasks: dict[str, asyncio.Task[None]] = {}
        self.kitchens: dict[str, Kitchen] = {}  # as they were when they were looked at last
        self.people: Counter[int] = Counter()

    def open(self, ear: Ear) -> None:
        """Tell a board from now on; the first of a kitchen starts what tells them. Raises Crowded."""
        if self.people[ear.person] >= MOST_OF_ONE or self.people.total() >= MOST:
            raise Crowded
        self.people[ear.person] += 1
        self.ears.setdefault(ear.kitchen, set()).add(ear)
        task = self.tasks.get(ear.kitchen)
        if task is None or task.done():
            self.tasks[ear.kitchen] = asyncio.get_running_loop().create_task(self.publish(ear.kitchen))
        elif ear.kitchen in self.kitchens:
            ear.new.set()

    def close(self, ear: Ear) -> None:
        """Tell it no more; a second time does nothing."""
        ears = self.ears.get(ear.kitchen, set())
        if ear not in ears:
            return
        ears.discard(ear)
        self.people[ear.person] -= 1
        if self.people[ear.person] <= 0:
            del self.people[ear.person]

    async def publish(self, slug: str) -> None:
        """Bring a kitchen up to date and tell its boards, as long as there are any."""
        loop = asyncio.get_running_loop()
        queue = self.bus.subscribe(slug)
        word, told, checked = NOW, 0.0, loop.time()
        try:
            while self.ears.get(slug):
                try:
                    new = await loop.run_in_executor(RENEWING, self.renew, slug)
                    if loop.time() - checked > TICK_S:
                        checked = loop.time()
                        await self.check(slug)
                except DatabaseError as error:
                    log.warning("boards cannot be brought up to date (%s); trying again", type(error).__name__)
                    new = False
                if new or word == NOW:
                    for ear in self.ears[slug]:
                        ear.new.set()
                told = loop.time()
                word = await next_word(queue, told)
        finally:
            self.bus.unsubscribe(slug, queue)
            if not self.ears.get(slug):
                self.ears.pop(slug, None)
                self.kitchens.pop(slug, None)

    def renew(self, slug: str) -> bool:
        """Look at a kitchen; whether there is something new. On a thread."""
        close_old_connections()
        kitchen = Kitchen.objects.filter(public_id=slug).first()
        if kitchen is None:
            return False
        before = self.kitchens.get(slug)
        self.kitchens[slug] = kitchen
        # a page may have seen the new clock first; the boards go by the one they were told last
        moved = before is not None and before.clock_key != kitchen.clock_key
        return board_of(kitchen).renew(kitchen) or moved

    async def check(self, slug: str) -> None:
        """End the boards of those who have signed out, or are no members any more."""
        ears = set(self.ears[slug])
        asked = {(e.person, e.session) for e in ears}
        loop = asyncio.get_running_loop()
        may = await loop.run_in_executor(RENEWING, still_admitted, slug, asked)
        for ear in ears:
            if (ear.person, ear.session) not in may:
                ear.over = True
                ear.new.set()


async def next_word(queue: asyncio.Queue[str], told: float) -> str:
    """The next change: a mark at once, readings not before their gap after ``told``, loop time; nothing after a while."""
    word = ""
    with suppress(TimeoutError):  # not wait_for: that of Python 3.11 can swallow a cancellation
        async with asyncio.timeout(TICK_S):
            word = await queue.get()
        async with asyncio.timeout_at(told + GAP_S):
            while word != NOW:
                word = await queue.get()
    while not queue.empty():
        if queue.get_nowait() == NOW:
            word = NOW
    return word


streams = Streams()
