"""The rule's statement: clauses of published rules, read as written.

A clause is met when one of its rows (T, t) has been satisfied by time spent continuously at or
above T at every depth. Between rows one steps down; come-up earns nothing. Row temperatures are met
within 0.05 °C, the rounding of °F to °C.
"""

from __future__ import annotations

import csv
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ember_core.data.loader import read_text, read_toml
from ember_core.errors import InputError

Array = NDArray[np.float64]
TOLERANCE_C = 0.05


@dataclass(frozen=True)
class Clause:
    """One clause: its rows (°C, s), the forms it is written for, whether an advisory can stand in.

    ``come_up``, ``continuity`` and ``cooling`` say in words how its time is read; ``oven`` holds the
    conditions on the oven of a clause that has them (see ``data/rules.toml``).
    """

    id: str
    forms: frozenset[str]
    rows: tuple[tuple[float, float], ...]
    advisory: bool
    note: str = ""
    authority: str = ""
    edition: str = ""
    confidence: float = 0.0
    come_up: str = ""
    continuity: str = ""
    cooling: str = ""
    oven: Mapping[str, float] | None = None


@dataclass(frozen=True)
class Profile:
    """A rule set under its authority and edition; ``clauses`` is empty when it has no number."""

    id: str
    name: str
    authority: str
    edition: str
    come_up: str
    confidence: float
    clauses: tuple[Clause, ...]
    guidance: str = ""

    def clauses_for(self, form: str) -> tuple[Clause, ...]:
        """The clauses written for a form of food, the governing one first."""
        return tuple(c for c in self.clauses if form in c.forms)


def _fsis_rows(name: str, log: float) -> tuple[tuple[float, float], ...]:
    lines = [line for line in read_text(name).splitlines() if not line.startswith("#")]
    column = "log70_s" if log == 7 else "log65_s"
    return tuple(((float(r["fahrenheit"]) - 32.0) / 1.8, float(r[column])) for r in csv.DictReader(lines))


@lru_cache(maxsize=8)
def profiles(log: float = 6.5) -> dict[str, Profile]:
    """All profiles by id; ``log`` (6.5 or 7) chooses the column of the FSIS table."""
    if log not in (6.5, 7):
        raise InputError(f"--log is {log:g}; the FSIS table has 6.5 and 7.", path="--log", code="choice")
    raw = read_toml("rules.toml")["profile"]
    by_id = {p["id"]: p for p in raw}
    out = {}
    for p in raw:
        source = by_id[p["base"]] if "base" in p else p
        clauses = tuple(
            Clause(
                c["id"],
                frozenset(c["forms"]),
                _fsis_rows(c["table"], log) if "table" in c else tuple((float(t), float(s)) for t, s in c["rows"]),
                c["advisory"],
                c.get("note", ""),
                c.get("authority", source["authority"]),
                c.get("edition", source["edition"]),
                c.get("confidence", source["confidence"]),
                c.get("come_up", source["come_up"]),
                c.get("continuity", source["continuity"]),
                c.get("cooling", source["cooling"]),
                c.get("oven"),
            )
            for c in source.get("clause", ())
        )
        out[p["id"]] = Profile(
            p["id"],
            p["name"],
            p["authority"],
            p["edition"],
            p["come_up"],
            p["confidence"],
            clauses,
            p.get("guidance", ""),
        )
    return out


def dominates(rows: Sequence[tuple[float, float]], base: Sequence[tuple[float, float]]) -> bool:
    """True when every one of ``rows`` would by itself satisfy one of the rows of ``base``."""
    return all(any(t >= b_t - 1e-9 and s >= b_s - 1e-9 for b_t, b_s in base) for t, s in rows)


def bases() -> dict[str, Profile]:
    """The profiles that a house's own rules may follow, by id."""
    return {name: profile for name, profile in profiles().items() if name != "house"}


def house_profile(
    base: str, own: Mapping[str, Sequence[tuple[float, float]]], *, written_plan: str | None = None
) -> Profile:
    """The house's rules: its own rows for clauses of a base profile.

    Parameters
    ----------
    base : str
        Id of the profile the kitchen works under.
    own : mapping
        Clause id to rows (°C, s) that replace the base's; other clauses stay as they are.
    written_plan : str, optional
        Name of the recorded plan (HACCP, variance) that allows less than the base.

    Raises
    ------
    InputError
        An unknown clause; or rows that allow less than the base without a written plan.
    """
    if base not in bases():
        known = ", ".join(bases())
        raise InputError(f"Unknown base {base!r}; choose one of {known}.", path="/house/base", code="choice")
    start = profiles()[base]
    by_id = {c.id: c for c in start.clauses}
    for name, rows in own.items():
        if name not in by_id:
            raise InputError(
                f"{start.name} has no clause {name!r}; choose one of {', '.join(by_id)}.",
                path=f"/house/{name}",
                code="choice",
            )
        if not rows or any(not (0 < t < 130 and 0 <= s <= 86400) for t, s in rows):
            raise InputError(
                f"{name}: give one row or more of a temperature (0 to 130 °C) and a time (0 to 86,400 s).",
                path=f"/house/{name}",
            )
        if written_plan is None and not dominates(rows, by_id[name].rows):
            raise InputError(
                f"{name}: the house's rows allow less than {start.name}. Raise the time or the temperature, or record the "
                "written plan that allows it.",
                path=f"/house/{name}",
                code="weaker-than-base",
            )
    clauses = tuple(
        replace(c, rows=tuple(sorted((float(t), float(s)) for t, s in own[c.id]))) if c.id in own else c
        for c in start.clauses
    )
    edition = f"{start.name}, {start.edition}" + (f"; by written plan {written_plan}" if written_plan else "")
    return replace(
        profiles()["house"], edition=edition, clauses=clauses, come_up=start.come_up, guidance=start.guidance
    )


def profile_of(rules: str, house: Mapping[str, Any] | None = None, log: float = 6.5) -> Profile:
    """The profile a plan goes by; ``house`` holds the house's own rules: base, rows by clause, written_plan.

    Raises
    ------
    InputError
        An unknown base or clause, rows that are no pairs of numbers, or rows weaker than the base's
        without a written plan.
    """
    if rules != "house" or house is None:
        return profiles(log)[rules]
    rows = house.get("rows", {})
    try:
        own = {str(clause): [(float(c), float(s)) for c, s in pairs] for clause, pairs in rows.items()}
    except (AttributeError, TypeError, ValueError):
        raise InputError(
            "The house's rows are pairs of a temperature (°C) and a time (s) for each clause.", path="/x-house/rows"
        ) from None
    plan = house.get("written_plan")
    return house_profile(
        str(house.get("base")), own, written_plan=plan.strip() or None if isinstance(plan, str) else None
    )


def met_times(
    t_s: Array,
    temperature_c: Array,
    rows: Sequence[tuple[float, float]],
    *,
    interpolate: bool,
    breaks: NDArray[np.bool_] | None = None,
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
        Intervals that break the clock (gaps of a log).

    Returns
    -------
    (ndarray, ndarray), each (rows, depths)
        First time the row is satisfied (inf if never) and the longest run, s.
    """
    limit = np.array([c for c, _ in rows])[:, None] - TOLERANCE_C
    need = np.array([s for _, s in rows])[:, None]
    above = temperature_c[0] >= limit
    met = np.where(above & (need <= 0), t_s[0], np.inf)
    longest, clock = np.zeros_like(met), np.zeros_like(met)
    for i in range(len(t_s) - 1):
        a, b = temperature_c[i], temperature_c[i + 1]
        dt = t_s[i + 1] - t_s[i]
        after = b >= limit
        part = np.where(above & after, dt, 0.0)
        if breaks is not None and breaks[i]:
            clock, part = np.zeros_like(clock), np.zeros_like(part)
        elif interpolate and (above != after).any():
            change = np.where(np.abs(b - a) > 1e-12, b - a, 1.0)
            part = np.where(after & ~above, (b - limit) / change * dt, part)
            part = np.where(above & ~after, (limit - a) / change * dt, part)
        total = clock + part
        done = (total >= need - 1e-6) & (above | after) & np.isinf(met)
        if done.any():
            begins = np.where(above, t_s[i] - clock, t_s[i + 1] - part)
            met = np.where(done, begins + need, met)
        longest = np.maximum(longest, total)
        clock = np.where(after, total, 0.0)
        above = after
    return met, longest


def judge(
    profile: Profile,
    form: str,
    t_s: Array,
    field_c: Array,
    *,
    interpolate: bool = True,
    breaks: NDArray[np.bool_] | None = None,
    clauses: Sequence[Clause] | None = None,
) -> dict[str, object]:
    """The ``rule`` object of a result, with the clause that is met, or that is nearest to it.

    ``field_c`` is times × depths; every depth must satisfy the same clause, each by its own row.
    ``clauses`` are those in force for the cook; default all that are written for the form.
    """
    base: dict[str, object] = {"profile": profile.id, "edition": profile.edition}
    clauses = profile.clauses_for(form) if clauses is None else clauses
    if not clauses:
        needs = (
            profile.guidance
            or f"{profile.name} has no numeric cooking clause for {form}; follow the kitchen's own plan."
        )
        return base | {"clause": None, "met": None, "met_at_s": None, "remaining_s": None, "needs": needs}
    peak = float(field_c.max(axis=0).min())
    ranked: list[tuple[tuple[int, float], dict[str, object]]] = []
    for clause in clauses:
        within_reach = peak >= clause.rows[0][0] - TOLERANCE_C
        if within_reach:
            met, longest = met_times(t_s, field_c, clause.rows, interpolate=interpolate, breaks=breaks)
        first = met.min(axis=0).max() if within_reach else np.inf
        if np.isfinite(first):
            return base | {
                "clause": clause.id,
                "met": True,
                "met_at_s": round(float(first), 3),
                "remaining_s": 0.0,
                "needs": f"Met.{' ' + clause.note if clause.note else ''}",
            }
        options = [
            (row_s - float(longest[i].min()), row_c, row_s)
            for i, (row_c, row_s) in enumerate(clause.rows)
            if peak >= row_c - TOLERANCE_C
        ]
        lowest_c, lowest_s = clause.rows[0]
        if options:
            left, row_c, row_s = min(options)
            rank = (0, left)
            entry = base | {
                "clause": clause.id,
                "met": False,
                "met_at_s": None,
                "remaining_s": round(max(left, 0.0), 3),
                "needs": f"Hold {row_c:.1f} °C for {_span(left)} longer ({_span(row_s)} without a break).",
            }
        else:
            rank = (1, lowest_c - peak)
            entry = base | {
                "clause": clause.id,
                "met": False,
                "met_at_s": None,
                "remaining_s": None,
                "needs": f"The coldest point peaks at {peak:.1f} °C; the clause begins at {lowest_c:.1f} °C for {_span(lowest_s)}.",
            }
        ranked.append((rank, entry))
    return min(ranked, key=lambda r: r[0])[1]


def _span(seconds: float) -> str:
    """A duration in words a cook reads."""
    if seconds <= 0:
        return "an instant"
    if seconds < 120:
        return f"{seconds:.0f} s"
    return f"{np.ceil(seconds / 60 - 1e-9):.0f} min"
