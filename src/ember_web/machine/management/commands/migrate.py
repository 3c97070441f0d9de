"""Bring the database up to date; one of an earlier version is relabelled first."""

from __future__ import annotations

from typing import Any

from django.core.management.commands.migrate import Command as Migrate
from django.db import connections

from ember_web.machine.relabel import relabel


class Command(Migrate):
    """Django's own, after :func:`ember_web.machine.relabel.relabel`."""

    def handle(self, *args: Any, **options: Any) -> None:
        """Relabel, then migrate."""
        relabel(connections[options["database"]])
        super().handle(*args, **options)
