"""One listener a process: PostgreSQL notifications, handed to who tells the boards of each kitchen."""

from __future__ import annotations

import asyncio
import logging
import os
from collections import defaultdict
from contextlib import suppress

import psycopg
from django.db import connection

from ember_web.line.freshness import changed
from ember_web.line.signals import CHANNEL

log = logging.getLogger(__name__)
NOW, SOON = "now", "soon"


class Bus:
    """Queues by kitchen, fed by one database connection that comes back after a failure."""

    def __init__(self) -> None:
        self.queues: dict[str, set[asyncio.Queue[str]]] = defaultdict(set)
        self.task: asyncio.Task[None] | None = None
        self.loop: asyncio.AbstractEventLoop | None = None

    def subscribe(self, kitchen: str) -> asyncio.Queue[str]:
        """Hear of a kitchen; starts the listener with the first one."""
        queue: asyncio.Queue[str] = asyncio.Queue(maxsize=8)
        self.queues[kitchen].add(queue)
        self.loop = asyncio.get_running_loop()
        if self.task is None or self.task.done():
            self.task = self.loop.create_task(self.listen())
        return queue

    def unsubscribe(self, kitchen: str, queue: asyncio.Queue[str]) -> None:
        """Hear no more; a second time does nothing."""
        self.queues[kitchen].discard(queue)
        if not self.queues[kitchen]:
            del self.queues[kitchen]

    def send(self, kitchen: str, word: str) -> None:
        """Wake who tells the boards of a kitchen; one that is behind is woken once, not many times."""
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
        """Listen for ever, reconnecting; after a reconnect every kitchen is looked at again."""
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
