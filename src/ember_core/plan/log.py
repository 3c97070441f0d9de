"""A measured history."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Log:
    """A measured history: times in s from the first reading, core in °C, and what else was noted."""

    t_s: tuple[float, ...]
    core_c: tuple[float, ...]
    surface_c: tuple[float | None, ...] = ()
    medium_c: tuple[float | None, ...] = ()
    note: tuple[str, ...] = ()
