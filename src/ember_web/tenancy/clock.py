"""The machine's time as cooking needs it: it never runs back while this process lives."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime

log = logging.getLogger(__name__)
SLEW_S = 1.0  # a clock that is put right by less than this is not "set back"


def _running() -> float:
    """Seconds since the machine started, sleep included; no one can set this clock."""
    return time.clock_gettime(time.CLOCK_BOOTTIME)


class SteadyClock:
    """Follows the machine's clock forward; when that is set back, goes on by the running one until it has caught up."""

    def __init__(self, wall: Callable[[], float] = time.time, running: Callable[[], float] = _running) -> None:
        self.wall, self.running = wall, running
        self.lock = threading.Lock()
        self.last, self.last_running = wall(), running()
        self.behind = False

    def seconds(self) -> float:
        """Seconds since 1970, never less than at the call before."""
        with self.lock:
            wall, running = self.wall(), self.running()
            expected = self.last + max(running - self.last_running, 0.0)
            set_back = wall < expected - SLEW_S
            if set_back and not self.behind:
                log.warning(
                    "the machine's clock was set back by %.0f s; cooks go on by the running time", expected - wall
                )
            self.behind = set_back
            self.last, self.last_running = expected if set_back else max(wall, self.last), running
            return self.last

    def now(self) -> datetime:
        """The same as a datetime, UTC."""
        return datetime.fromtimestamp(self.seconds(), UTC)


steady = SteadyClock()
