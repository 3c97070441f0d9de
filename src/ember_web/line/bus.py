"""One listener a process: PostgreSQL notifications fanned out to every open board."""

from __future__ import annotations

import asyncio
import logging
from collections import defaultdict
from contextlib import suppress

import psycopg
from django.db import connection

from ember_web.line.services import CHANNEL

log = logging.getLogger(__name__)


class Bus:
    """Queues by kitchen, fed by one database connection that comes back after a failure."""

    def __init__(self) -> None:
        self.queues: dict[str, set[asyncio.Queue[str]]] = defaultdict(set)
        self.task: asyncio.Task[None] | None = None

    def open(self, kitchen: str) -> asyncio.Queue[str]:
        """Subscribe; starts the listener with the first board."""
        queue: asyncio.Queue[str] = asyncio.Queue(maxsize=8)
        self.queues[kitchen].add(queue)
        if self.task is None or self.task.done():
            self.task = asyncio.get_running_loop().create_task(self.listen())
        return queue

    def close(self, kitchen: str, queue: asyncio.Queue[str]) -> None:
        """Unsubscribe."""
        self.queues[kitchen].discard(queue)

    def send(self, kitchen: str) -> None:
        """Wake the boards of a kitchen; a board that is behind is woken once, not many times."""
        for queue in self.queues.get(kitchen, ()):
            with suppress(asyncio.QueueFull):
                queue.put_nowait("state")

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
                        self.send(kitchen)
                    async for note in link.notifies():
                        self.send(note.payload)
            except (psycopg.Error, OSError) as error:
                log.warning("Line's listener lost the database (%s); trying again", type(error).__name__)
            await asyncio.sleep(1.0)


bus = Bus()
