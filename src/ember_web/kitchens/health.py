"""Whether what a kitchen marks can be stored."""

from __future__ import annotations

import os
from pathlib import Path

from django.db import DatabaseError, transaction

from ember_core.wording.message import say
from ember_web.tenancy.models import Pulse

LEAST_FREE = 100_000_000  # bytes: a service's readings and logs fit in


def free_bytes(folder: Path) -> int:
    """Bytes that an ordinary account may still write below ``folder``."""
    found = os.statvfs(folder)
    return found.f_bavail * found.f_frsize


def unable() -> list[dict[str, str]]:
    """Why nothing can be stored, each with its remedy; empty when all is well."""
    faults = []
    state = os.environ.get("EMBER_DATA")
    if state:
        try:
            free = free_bytes(Path(state))
        except OSError as error:
            faults.append({"code": "state", "message": f"The folder for data cannot be looked at: {error.strerror}."})
        else:
            if free < LEAST_FREE:
                message = say(
                    "Only {value:.0f} MB are free for data; make room, at least {value2:.0f} MB.",
                    value=free / 1000000.0,
                    value2=LEAST_FREE / 1000000.0,
                )
                faults.append({"code": "disk", "message": message})
    try:
        with transaction.atomic():
            Pulse.objects.update_or_create(pk=1)
    except DatabaseError as error:
        message = say(
            "The database does not store ({name}); look into postgres.log in the folder for data.",
            name=type(error).__name__,
        )
        faults.append({"code": "database", "message": message})
    return faults
