"""One listener a process: PostgreSQL notifications fanned out to every open board."""

from __future__ import annotations

import asyncio
import logging
import os
from collections import Counter, defaultdict
from contextlib import suppress

import psycopg
from django.db import connection

from ember_web.line.freshness import changed
from ember_web.line.signals import CHANNEL

log = logging.getLogger(__name__)
MOST_OF_ONE = 8  # boards of one person that hear at once; others ask from time to time
MOST = 400  # boards of a process
NOW, SOON = "now", "soon"


class Crowded(Exception):
    """No more boards can listen; they ask from time to time instead."""


class Bus:
    """Queues by kitchen, fed by one database connection that comes back after a failure."""

    def __init__(self) -> None:
        self.queues: dict[str, set[asyncio.Queue[str]]] = defaultdict(set)
        self.people: Counter[int] = Counter()
        self.task: asyncio.Task[None] | None = None
        self.loop: asyncio.AbstractEventLoop | None = None

    def open(self, kitchen: str, person: int) -> asyncio.Queue[str]:
        """Subscribe a person's board; starts the listener with the first one. Raises Crowded."""
        if self.people[person] >= MOST_OF_ONE or self.people.total() >= MOST:
            raise Crowded
        queue: asyncio.Queue[str] = asyncio.Queue(maxsize=8)
        self.queues[kitchen].add(queue)
        self.people[person] += 1
        self.loop = asyncio.get_running_loop()
        if self.task is None or self.task.done():
            self.task = self.loop.create_task(self.listen())
        return queue

    def close(self, kitchen: str, person: int, queue: asyncio.Queue[str]) -> None:
        """Unsubscribe; a second time does nothing."""
        if queue not in self.queues.get(kitchen, ()):
            return
        self.queues[kitchen].discard(queue)
        if not self.queues[kitchen]:
            del self.queues[kitchen]
        self.people[person] -= 1
        if self.people[person] <= 0:
            del self.people[person]

    def send(self, kitchen: str, word: str) -> None:
        """Wake the boards of a kitchen; a board that is behind is woken once, not many times."""
        for queue in self.queues.get(kitchen, ()):
            with suppress(asyncio.QueueFull):
                queue.put_nowait(word)

    def wake(self, kitchen: str) -> None:
        """From any thread of this process: there is something to see soon."""
        if self.loop is not None and not self.loop.is_closed():
            self.loop.call_soon_threadsafe(self.send, kitchen, SOON)

    def hear(self, payload: str) -> None:
        """Take a notification: kitchen, how soon, and which process sent it."""
        kitchen, word, process = payload.split(" ")
        if process != str(os.getpid()):
            changed(kitchen, soon=word == SOON)
        self.send(kitchen, word)

    async def listen(self) -> None:
        """Listen for ever, reconnecting; after a reconnect every board looks again."""
        settings = connection.settings_dict
        while True:
            try:
                link = await psycopg.AsyncConnection.connect(
                    host=settings["HOST"],
                    port=settings["PORT"],
                    dbname=settings["NAME"],
                    user=settings["USER"],
                    password=settings["PASSWORD"],
                    autocommit=True,
                    connect_timeout=5,
                )
                async with link:
                    await link.execute(f"LISTEN {CHANNEL}")
                    for kitchen in list(self.queues):
                        changed(kitchen)
                        self.send(kitchen, NOW)
                    async for note in link.notifies():
                        self.hear(note.payload)
            except (psycopg.Error, OSError) as error:
                log.warning("Line's listener lost the database (%s); trying again", type(error).__name__)
            await asyncio.sleep(1.0)


bus = Bus()
