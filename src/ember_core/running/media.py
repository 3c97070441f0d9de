"""Whether what heats is what the plan has: a thermometer in it that stays away from that, or falls silent, is asked about."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from ember_core.data.loader import read_toml
from ember_core.heat.arrays import Array
from ember_core.plan.stages import SETTLE_MINUTES
from ember_core.running.intervals import heated_by
from ember_core.wording.message import Message, say

# estimates, tried on the simulated devices
WATCHED_S = 120.0  # so long it is looked at: a thermostat's clicks and a door's moment are over by then
LEAST = 4  # readings in that time
WIDE, LEAST_K = 2.5, 1.0  # so many of its kind's spreads, and K besides, are not what the plan has
SETTLE_S = 60.0  # after the piece went in, or something was said, nothing is asked
SILENT_S = 120.0  # without a reading
SKEW_S = 45.0  # between a hub's clock and the kitchen's


def planned(stage: Mapping[str, Any], course: Sequence[Sequence[float]] = ()) -> Callable[[float], float] | None:
    """What a stage's medium is by the plan, by the time since the stage began, s → °C; None: it names none.

    Parameters
    ----------
    stage : dict
        As a plan has it.
    course : sequence of (s, °C)
        Of a medium that holds its own heat, since the stage began, as its result tells it.
    """
    one = heated_by(stage)
    to = one.get("medium_c")
    if to is None:
        return None
    if course:
        times, values = (np.array(column, dtype=float) for column in zip(*course, strict=True))
        return lambda s: float(np.interp(s, times, values))
    start, minutes = one.get("medium_from_c", to), one.get("settle_minutes", SETTLE_MINUTES)
    return lambda s: float(to + (start - to) * np.exp(-max(s, 0.0) / (60.0 * minutes)))


@dataclass(frozen=True)
class Off:
    """What heats is not what the plan has: since when, s; what it reads, and what the plan has, °C."""

    since_s: float
    reads_c: float
    planned_c: float

    def question(self, name: str) -> Message:
        """What the cook is asked."""
        return say("{gear} reads {now:temp0}; it should be at {planned:temp0}. Is that right?", gear=name, now=self.reads_c, planned=self.planned_c)  # fmt: skip


def tolerance(kind: str) -> float:
    """How far what heats may stay away from the plan before it is asked about, K; ``kind`` of a stage.

    Raises
    ------
    KeyError
        A kind that has no medium.
    """
    return WIDE * float(read_toml("spreads.toml")["medium_c"][kind]) + LEAST_K


def off(t_s: Array, c: Array, planned_c: Callable[[float], float], kind: str, since_s: float) -> Off | None:
    """Whether the last readings of a medium all lie away from the plan.

    Parameters
    ----------
    t_s, c : ndarray (readings,)
        s, rising; °C. What the thermometer is known to be off by is already taken from them.
    planned_c : callable
        What the plan has at a time, °C.
    kind : str
        Of the stage.
    since_s : float
        When the piece went in, or something was last said of this medium, s.
    """
    t, c = np.asarray(t_s, dtype=float), np.asarray(c, dtype=float)
    if t.size < LEAST or t[-1] - WATCHED_S < since_s + SETTLE_S:
        return None
    seen = t >= t[-1] - WATCHED_S
    if int(seen.sum()) < LEAST:
        return None
    apart = c[seen] - np.array([planned_c(float(x)) for x in t[seen]])
    low, high = np.quantile(apart, (0.25, 0.75))  # a thermometer that slipped once is not a medium that is off
    wide = tolerance(kind)
    middle = float(np.median(apart))
    if abs(middle) <= wide or low * high <= 0.0:
        return None
    now = float(np.median(c[seen]))
    return Off(float(t[seen][0]), now, now - middle)


def away(t_s: Array, c: Array, planned_c: Callable[[float], float], kind: str) -> float:
    """How long what heats was further below the plan than it may be, s: by such a cook nothing is said to be as planned.

    Parameters and units as :func:`off`; a gap between readings counts as no longer than the time that is watched.
    """
    t, c = np.asarray(t_s, dtype=float), np.asarray(c, dtype=float)
    if t.size < 2:
        return 0.0
    low = c < np.array([planned_c(float(x)) for x in t]) - tolerance(kind)
    gaps = np.minimum(np.diff(t), WATCHED_S)
    return float(gaps[low[:-1] & low[1:]].sum())


def silent(last_s: float | None, now_s: float, since_s: float) -> bool:
    """Whether a thermometer that reported before, or since ``since_s`` should, says nothing any more."""
    return last_s is not None and now_s - max(last_s, since_s) > SILENT_S


def skewed(taken_s: Array, stamped_s: Array, rate: float = 1.0) -> float | None:
    """By how much a hub's clock is off the kitchen's, s (positive: ahead); None: by no more than readings are under way.

    Parameters
    ----------
    taken_s, stamped_s : ndarray (readings,)
        When its last readings arrived and when it says they were made, both kitchen time, s.
    rate : float
        Of the kitchen's clock: how many of its seconds pass in one.
    """
    apart = np.asarray(stamped_s, dtype=float) - np.asarray(taken_s, dtype=float)
    if apart.size < LEAST:
        return None
    newest = float(
        np.max(apart)
    )  # what was kept and forwarded late is behind; a clock that is right sends some at once
    wide = max(SKEW_S, 5.0 * rate)
    return newest if abs(newest) > wide else None
