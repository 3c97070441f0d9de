"""Cooks that were just computed, for what is asked of the same plan right after it."""

from __future__ import annotations

from threading import Lock

from cachetools import LRUCache

from ember_core.heat.cook import Cook


class Recent:
    """Cooks of the plans that were shown last: the forecast is asked for right after the plan, and goes by the same cook."""

    def __init__(self, most: int = 16) -> None:
        self.kept, self.lock = LRUCache[str, Cook](most), Lock()

    def get(self, key: str) -> Cook | None:
        """The cook of a plan document; None when it is not among the last."""
        with self.lock:
            return self.kept.get(key)

    def keep(self, key: str, cook: Cook) -> None:
        """Keep it in place of the one that was asked for longest ago."""
        with self.lock:
            self.kept[key] = cook
