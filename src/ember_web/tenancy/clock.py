"""The machine's two clocks: the one on its wall, which people and networks set, and the one that only runs.

A kitchen's clock is anchored on the running one (see :class:`ember_web.tenancy.models.Kitchen`), so that nothing that happens
to the wall's clock moves a cook that is under way.
"""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

log = logging.getLogger(__name__)
JUMP_S = 1.0  # the wall's clock moved by more than this against the running one: it was set
SETTLED_S = 30.0  # so long it must have stayed as it was set before it is followed
BOOT_ID = Path("/proc/sys/kernel/random/boot_id")


def _running() -> float:
    """Seconds since the machine started, sleep included; no one can set this clock."""
    return time.clock_gettime(time.CLOCK_BOOTTIME)


def _boot_id() -> str:
    """What the system calls this run of the machine; one that tells nothing gives each process a name of its own."""
    try:
        return BOOT_ID.read_text(encoding="ascii").strip()
    except OSError:
        return f"process-{time.time_ns()}"


class MachineClock:
    """Both clocks, and whether the wall's was set a moment ago."""

    def __init__(
        self, wall: Callable[[], float] = time.time, running: Callable[[], float] = _running, boot_id: str = ""
    ) -> None:
        self.wall, self.running = wall, running
        self.boot_id = boot_id or _boot_id()
        self.lock = threading.Lock()
        self.apart = wall() - running()
        self.set_at = -SETTLED_S + running()

    def running_s(self) -> float:
        """Seconds since the machine started."""
        return self.running()

    def now(self) -> datetime:
        """The wall's time, UTC."""
        self.is_settled()
        return datetime.fromtimestamp(self.wall(), UTC)

    def is_settled(self) -> bool:
        """Whether the wall's clock has stayed as it is for a while: one that jumps and comes back is not followed."""
        with self.lock:
            running = self.running()
            apart = self.wall() - running
            if abs(apart - self.apart) > JUMP_S:
                log.warning(
                    "the machine's clock was set by %+.0f s; cooks go on by the running time", apart - self.apart
                )
                self.set_at = running
            self.apart = apart  # what creeps in by and by is no jump
            return running - self.set_at >= SETTLED_S


machine = MachineClock()


def this_boot() -> str:
    """For the anchor of a new kitchen."""
    return machine.boot_id


def running_s() -> float:
    """For the anchor of a new kitchen."""
    return machine.running_s()
