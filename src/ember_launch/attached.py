"""What runs on a state folder, for commands that are given beside it."""

from __future__ import annotations

import fcntl
import json
from pathlib import Path
from typing import Any

from ember_launch.cluster import free_port

NOTE = "running.json"


def note_running(folder: Path, *, port: int, database: str, address: str) -> None:
    """Write down where the database answers and what it is called; it stays for the commands that come after."""
    (folder / NOTE).write_text(json.dumps({"port": port, "database": database, "address": address}) + "\n")


def last_run(folder: Path) -> dict[str, Any]:
    """What ran last, or runs: ``port``, ``database``, ``address``; empty when nothing ever did."""
    try:
        found = json.loads((folder / NOTE).read_text())
    except (OSError, ValueError):
        return {}
    return found if isinstance(found, dict) and {"port", "database", "address"} <= set(found) else {}


def kept_port(folder: Path) -> int:
    """The database's port of the last time, where it is free: firewalls and other programs may know it."""
    return free_port(int(last_run(folder).get("port", 0)))


def is_running(folder: Path) -> bool:
    """Whether something holds the folder now."""
    try:
        with (folder / "running.lock").open("a+") as handle:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        return True
    except OSError:
        return False
    return False
