"""What the shell and a place know of other places: only what these register here, by name, when the application starts."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

STRIP = "strip"
"""``(kitchen, now) -> dict``: marks of the clock strip."""
FREE_PROBES = "free-probes"
"""``(kitchen) -> iterable``: probes that a piece can be started with."""
START_CHOICES = "start-choices"
"""``(kitchen, document) -> list``: of each kind of gear that a plan needs and the kitchen has several of, the kind and their names."""
CLOCK = "clock"
"""``(kitchen) -> state``: how its clock stands against the machine's, after it was looked after."""
TEND_CLOCK = "tend-clock"
"""``(kitchen) -> None``: has its clock follow the machine's where it may, before a page shows it."""
PROBES = "probes"
"""``(kitchen) -> iterable``: all its probes, each with what it reads now."""

_providers: dict[str, Callable[..., Any]] = {}


def provide(name: str, provider: Callable[..., Any]) -> None:
    """Register what answers to a name; a place does it in its ``AppConfig.ready``."""
    _providers[name] = provider


def ask(name: str, *arguments: Any, otherwise: Any = None) -> Any:
    """What the place that registered the name answers; ``otherwise`` when there is none."""
    provider = _providers.get(name)
    return otherwise if provider is None else provider(*arguments)
