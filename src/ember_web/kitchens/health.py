"""Whether what a kitchen marks can be stored."""

from __future__ import annotations

import os
from pathlib import Path

from django.db import DatabaseError, transaction

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
                message = f"Only {free / 1e6:.0f} MB are free for data; make room, at least {LEAST_FREE / 1e6:.0f} MB."
                faults.append({"code": "disk", "message": message})
    try:
        with transaction.atomic():
            Pulse.objects.update_or_create(pk=1)
    except DatabaseError as error:
        message = (
            f"The database does not store ({type(error).__name__}); look into postgres.log in the folder for data."
        )
        faults.append({"code": "database", "message": message})
    return faults
