"""Do long jobs until it is ended: beside the server, or alone on another machine with the same database."""

from __future__ import annotations

import asyncio
import os
from typing import Any

from django.core.management.base import BaseCommand
from procrastinate.contrib.django import app
from procrastinate.contrib.django.django_connector import DjangoConnector

from ember_web.jobs.tasks import CARE, LONG

NICE = 10  # pages and boards come first


class Command(BaseCommand):
    """The queue's worker."""

    help = "Do long jobs until it is ended."

    def add_arguments(self, parser: Any) -> None:
        """How many at once."""
        parser.add_argument("--at-once", type=int, default=1, help="long jobs at the same time; one processor each")
        parser.add_argument("--until-idle", action="store_true", help="end when nothing waits")

    def handle(self, *args: Any, **options: Any) -> None:
        """Work."""
        os.nice(NICE)
        asyncio.run(work(max(options["at_once"], 1), wait=not options["until_idle"]))


async def work(at_once: int, *, wait: bool) -> None:
    """Take long jobs from the queue, ``at_once``; beside them what looks after them."""
    assert isinstance(app.connector, DjangoConnector)
    with app.replace_connector(app.connector.get_worker_connector()) as worker:
        async with worker.open_async():
            await asyncio.gather(
                *(
                    worker.run_worker_async(
                        queues=[queue], name=queue, concurrency=count, wait=wait, delete_jobs="always",
                        install_signal_handlers=False, update_heartbeat_interval=5.0, stalled_worker_timeout=20.0,
                    )
                    for queue, count in ((LONG, at_once), (CARE, 1))
                )
            )  # fmt: skip
