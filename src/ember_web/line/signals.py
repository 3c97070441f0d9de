"""What the line tells others."""

from __future__ import annotations

import os

from django.db import connection, transaction
from django.dispatch import Signal

from ember_web.line.freshness import changed
from ember_web.tenancy.models import Kitchen

CHANNEL = "ember_line"
cook_finished = Signal()
"""Sent with ``actor`` and ``cook``, within the transaction of the event that finished it."""


def announce(kitchen: Kitchen, *, soon: bool = False) -> None:
    """Tell every open board, after the transaction stands; ``soon`` for readings, which may be told a moment later."""
    word = f"{kitchen.public_id} {'soon' if soon else 'now'} {os.getpid()}"

    def send() -> None:
        changed(kitchen.public_id, soon=soon)
        with connection.cursor() as cursor:
            cursor.execute("SELECT pg_notify(%s, %s)", [CHANNEL, word])

    transaction.on_commit(send)
