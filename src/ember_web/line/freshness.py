"""Which kitchens' boards have changed, in this process: what a state kept in memory is checked against."""

from __future__ import annotations

import threading
from collections import defaultdict

_lock = threading.Lock()
_now: dict[str, int] = defaultdict(int)
_soon: dict[str, int] = defaultdict(int)


def changed(kitchen: str, *, soon: bool = False) -> None:
    """Something changed; what is only wanted ``soon`` (a reading) may be shown a moment later."""
    with _lock:
        (_soon if soon else _now)[kitchen] += 1


def marks(kitchen: str) -> tuple[int, int]:
    """Counts of changes wanted at once, and soon."""
    with _lock:
        return _now[kitchen], _soon[kitchen]
