"""Clauses read as written on a history: when each row is satisfied, and what is missing.

A clause is met when one of its rows (T, t) has been satisfied by time spent continuously at or
above T at every depth. Between rows one steps down; come-up earns nothing. Row temperatures are met
within 0.05 °C, the rounding of °F to °C.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ember_core.safety.rules import Clause, Profile
from ember_core.wording.message import join_sentences, say

Array = NDArray[np.float64]
Flags = NDArray[np.bool_]
TOLERANCE_C = 0.05


def met_times(
    t_s: Array,
    temperature_c: Array,
    rows: Sequence[tuple[float, float]],
    *,
    interpolate: bool,
    breaks: Flags | None = None,
    apart_s: float | None = None,
) -> tuple[Array, Array]:
    """When each depth satisfies each row, and the longest run it had.

    Parameters
    ----------
    t_s : ndarray (n,)
        Times, s, increasing.
    temperature_c : ndarray (n, depths)
        °C.
    rows : sequence of (°C, s)
        The rows of a clause.
    interpolate : bool
        True for a computed history (the crossing lies between samples); False for a measured log,
        where the clock starts at the first reading at or above the row.
    breaks : ndarray of bool (n - 1,), optional
        Intervals that break the clock (gaps of a log, stages that do not count).
    apart_s : float, optional
        Of a measured log: readings further apart than this, or than the row's own time, show nothing
        of what lies between them; such an interval breaks the row's clock.

    Returns
    -------
    (ndarray, ndarray), each (rows, depths)
        First time the row is satisfied (inf if never) and the longest run, s.
    """
    dt = np.diff(t_s)
    met, longest = np.full((len(rows), temperature_c.shape[1]), np.inf), np.zeros((len(rows), temperature_c.shape[1]))
    for k, (row_c, need) in enumerate(rows):
        broken = np.zeros(dt.size, dtype=bool) if breaks is None else breaks
        if apart_s is not None:
            broken = broken | (dt > (min(apart_s, need) if need > 0 else apart_s) + 1e-9)
        met[k], longest[k] = _one_row(t_s, temperature_c, dt, row_c - TOLERANCE_C, need, interpolate, broken)
    return met, longest


def _one_row(
    t_s: Array, c: Array, dt: Array, limit: float, need: float, interpolate: bool, broken: Flags
) -> tuple[Array, Array]:
    """First time satisfied and longest run, s, of every depth for one row."""
    above = c >= limit
    reached = np.flatnonzero(above.any(axis=1) if c.shape[1] > 1 else above[:, 0])
    if reached.size == 0:
        return np.full(c.shape[1], np.inf), np.zeros(c.shape[1])
    window = slice(max(int(reached[0]) - 1, 0), int(reached[-1]) + 2)  # nothing happens before and after
    t_s, c, above = t_s[window], c[window], above[window]
    dt, broken = dt[window.start : window.stop - 1], broken[window.start : window.stop - 1]
    before, after = above[:-1], above[1:]
    part = np.where(before & after, dt[:, None], 0.0)
    if interpolate:
        change = np.diff(c, axis=0)
        change = np.where(np.abs(change) > 1e-12, change, 1.0)
        part = np.where(after & ~before, (c[1:] - limit) / change * dt[:, None], part)
        part = np.where(before & ~after, (limit - c[:-1]) / change * dt[:, None], part)
    part = np.where(broken[:, None], 0.0, part)
    run = np.cumsum(part, axis=0)
    # the clock starts again after an interval that ends below the row, or that does not count
    reset = ~after | broken[:, None]
    base = np.maximum.accumulate(np.where(reset, run, 0.0), axis=0)
    base = np.vstack([np.zeros((1, c.shape[1])), base[:-1]])
    total = np.where(broken[:, None], 0.0, run - base)
    done = (total >= need - 1e-6) & (before | after)
    begins = np.where(before, t_s[:-1, None] - (total - part), t_s[1:, None] - part)
    first = np.argmax(done, axis=0)
    places = np.arange(c.shape[1])
    hit = np.where(done.any(axis=0), np.maximum(begins[first, places] + need, t_s[0]), np.inf)
    return hit, total.max(axis=0, initial=0.0)


def judge(
    profile: Profile,
    form: str,
    t_s: Array,
    field_c: Array,
    *,
    interpolate: bool = True,
    breaks: Flags | Mapping[str, Flags] | None = None,
    apart_s: float | None = None,
    clauses: Sequence[Clause] | None = None,
) -> dict[str, Any]:
    """The ``rule`` object of a result for one form, with the clause that is met, or that is nearest to it.

    Parameters
    ----------
    profile : Profile
    form : str
        A regulatory form.
    t_s, field_c : ndarray (n,), (n, depths)
        Times, s, and °C; every depth must satisfy the same clause, each by its own row.
    interpolate, apart_s
        As of :func:`met_times`.
    breaks : ndarray of bool (n - 1,) or mapping of clause id to such, optional
        Intervals that break the clock, of all clauses or of some.
    clauses : sequence of Clause, optional
        Those in force for the cook; default all that are written for the form.
    """
    base: dict[str, Any] = {"profile": profile.id, "edition": profile.edition}
    clauses = profile.clauses_for(form) if clauses is None else clauses
    if not clauses:
        needs = (
            say(profile.guidance)
            if profile.guidance
            else say(
                "{name} has no numeric cooking clause for {form}; follow the kitchen's own plan.",
                name=profile.name,
                form=form,
            )
        )
        return base | {"clause": None, "met": None, "met_at_s": None, "remaining_s": None, "needs": needs}
    peak = float(field_c.max(axis=0).min())
    ranked: list[tuple[tuple[int, float], dict[str, Any]]] = []
    for clause in clauses:
        own = breaks.get(clause.id) if isinstance(breaks, Mapping) else breaks
        within_reach = peak >= clause.rows[0][0] - TOLERANCE_C
        met = longest = np.full((len(clause.rows), 1), np.inf)
        if within_reach:
            met, longest = met_times(t_s, field_c, clause.rows, interpolate=interpolate, breaks=own, apart_s=apart_s)
        first = met.min(axis=0).max()
        if np.isfinite(first):
            return base | {
                "clause": clause.id,
                "met": True,
                "met_at_s": round(float(first), 3),
                "remaining_s": 0.0,
                "needs": join_sentences([say("Met."), say(clause.note) if clause.note else ""]),
            }
        options = [
            (row_s - float(longest[i].min()), row_c, row_s)
            for i, (row_c, row_s) in enumerate(clause.rows)
            if peak >= row_c - TOLERANCE_C
        ]
        lowest_c, lowest_s = clause.rows[0]
        if options:
            left, row_c, row_s = min(options)
            needs = say(
                "Hold {row_c:temp1} for {left:span} longer ({row_s:span} without a break).",
                row_c=row_c,
                left=left,
                row_s=row_s,
            )
            rank, remaining = (0, left), round(max(left, 0.0), 3)
        else:
            needs = say(
                "The coldest point peaks at {peak:temp1}; the clause begins at {lowest_c:temp1} for {lowest_s:span}.",
                peak=peak,
                lowest_c=lowest_c,
                lowest_s=lowest_s,
            )
            rank, remaining = (1, lowest_c - peak), None
        ranked.append(
            (
                rank,
                base | {"clause": clause.id, "met": False, "met_at_s": None, "remaining_s": remaining, "needs": needs},
            )
        )
    return min(ranked, key=lambda r: r[0])[1]


def judge_all(statements: Sequence[dict[str, Any]]) -> dict[str, Any]:
    """One statement of several that must all be met, at the moment of the last.

    The gravest decides: one that is not met and out of reach, one that is short, one without a number, one that is met.
    """

    def gravity(rule: dict[str, Any]) -> tuple[int, float]:
        if rule["met"] is False:
            return (3, 0.0) if rule["remaining_s"] is None else (2, float(rule["remaining_s"]))
        return (1, 0.0) if rule["met"] is None else (0, float(rule["met_at_s"]))

    return max(statements, key=gravity)
