"""The open log format: a measured history as CSV, and its judgement by rule and model."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import TYPE_CHECKING, Any

from ember_core.errors import FormatError, InputError, ValueRangeError
from ember_core.formats.plan import food_row, schema

if TYPE_CHECKING:
    from collections.abc import Sequence

MAX_BYTES = 20_000_000
COLUMNS = ("t_s", "time", "core_c", "surface_c", "medium_c", "note")
PLAUSIBLE_C = (-60.0, 400.0)
FROZEN_S = 900.0  # readings identical to 0.001 for longer than this: the probe may be stuck
GAP_FACTOR = 5.0
GAP_LEAST_S = 60.0


@dataclass(frozen=True)
class Log:
    """A measured history: times in s from the first reading, core in °C, and what else was noted."""

    t_s: tuple[float, ...]
    core_c: tuple[float, ...]
    surface_c: tuple[float | None, ...]
    medium_c: tuple[float | None, ...]
    note: tuple[str, ...]


def _number(text: str, column: str, line: int) -> float:
    try:
        value = float(text)
    except ValueError:
        raise FormatError(
            f"Line {line}: {column} is {text[:30]!r}; write a number with a decimal point.",
            path=f"/{line}/{column}",
            code="type",
        ) from None
    if not math.isfinite(value):
        raise ValueRangeError(f"Line {line}: {column} is not a finite number.", path=f"/{line}/{column}")
    return value


def _temperature(text: str, column: str, line: int) -> float:
    value = _number(text, column, line)
    if not PLAUSIBLE_C[0] <= value <= PLAUSIBLE_C[1]:
        raise ValueRangeError(
            f"Line {line}: {column} is {value:g} °C; readings from {PLAUSIBLE_C[0]:g} to {PLAUSIBLE_C[1]:g} °C are taken. "
            "Check the unit (°C).",
            path=f"/{line}/{column}",
        )
    return value


def loads(text: str) -> Log:
    """Parse a log.

    Raises
    ------
    FormatError, ValueRangeError
        Naming the line and column.
    """
    if len(text) > MAX_BYTES:
        raise FormatError(f"The log has more than {MAX_BYTES:,} characters; split it.", code="too-large")
    text = text.lstrip("\ufeff")
    first = text.split("\n", 1)[0]
    delimiter = ";" if first.count(";") > first.count(",") else ","
    reader = csv.reader(io.StringIO(text), delimiter=delimiter)
    try:
        header = [h.strip() for h in next(reader)]
    except StopIteration:
        raise FormatError("The log is empty; it needs a header t_s,core_c and readings.", code="empty") from None
    unknown = [h for h in header if h not in COLUMNS and not h.startswith("x-")]
    if unknown:
        raise FormatError(f"Unknown column {unknown[0]!r}; known: {', '.join(COLUMNS)}.", path="/1", code="unknown-key")
    if len(set(header)) != len(header):
        raise FormatError("A column name stands twice in the header.", path="/1")
    clock = "t_s" if "t_s" in header else "time" if "time" in header else None
    if clock is None or "core_c" not in header:
        raise FormatError("The header needs core_c and one of t_s, time.", path="/1", code="missing")
    rows: list[tuple[float, float, float | None, float | None, str]] = []
    zero: datetime | None = None
    for line, fields in enumerate(reader, 2):
        if not any(f.strip() for f in fields):
            continue
        if len(fields) != len(header):
            raise FormatError(f"Line {line} has {len(fields)} fields, the header {len(header)}.", path=f"/{line}")
        row = {k: v.strip() for k, v in zip(header, fields, strict=True)}
        if clock == "time":
            try:
                moment = datetime.fromisoformat(row["time"])
            except ValueError:
                raise FormatError(
                    f"Line {line}: time is {row['time'][:30]!r}; write ISO 8601.", path=f"/{line}/time"
                ) from None
            zero = zero or moment
            try:
                t = (moment - zero).total_seconds()
            except TypeError:
                raise FormatError(
                    f"Line {line}: give all times with an offset, or none.", path=f"/{line}/time"
                ) from None
        else:
            t = _number(row["t_s"], "t_s", line)
        if rows and t <= rows[-1][0]:
            raise ValueRangeError(
                f"Line {line}: the time {t:g} s is not after the line before ({rows[-1][0]:g} s); sort the log and remove doubles.",
                path=f"/{line}/{clock}",
                code="order",
            )
        optional = [_temperature(row[c], c, line) if row.get(c) else None for c in ("surface_c", "medium_c")]
        rows.append((t, _temperature(row["core_c"], "core_c", line), optional[0], optional[1], row.get("note", "")))
    if len(rows) < 2:
        raise FormatError("The log needs two readings or more.", code="empty")
    columns = list(zip(*rows, strict=True))
    return Log(columns[0], columns[1], columns[2], columns[3], columns[4])


def flags(log: Log) -> tuple[list[bool], list[dict[str, str]]]:
    """Intervals that break the clock, and findings on gaps, frozen readings and jumps."""
    steps = [b - a for a, b in zip(log.t_s[:-1], log.t_s[1:], strict=True)]
    middle = sorted(steps)[len(steps) // 2]
    limit = max(GAP_FACTOR * middle, GAP_LEAST_S)
    breaks = [s > limit for s in steps]
    out = []

    def add(code: str, message: str) -> None:
        out.append({"code": code, "level": "care", "message": message, "source": "the log"})

    for i, broken in enumerate(breaks):
        if broken:
            add(
                "gap",
                f"No reading between {log.t_s[i]:.0f} s and {log.t_s[i + 1]:.0f} s: the clock of a row starts again after it.",
            )
    start = 0
    for i in range(1, len(log.t_s) + 1):
        if i == len(log.t_s) or abs(log.core_c[i] - log.core_c[start]) > 1e-3:
            if log.t_s[i - 1] - log.t_s[start] > FROZEN_S and i - start >= 10:
                add(
                    "frozen-probe",
                    f"The core reads {log.core_c[start]:.2f} °C without any change from {log.t_s[start]:.0f} s to {log.t_s[i - 1]:.0f} s; check the probe.",
                )
            start = i
    for i, step in enumerate(steps):
        if not breaks[i] and abs(log.core_c[i + 1] - log.core_c[i]) > 15.0 and step < 30.0:
            add(
                "jump",
                f"The core jumps by {log.core_c[i + 1] - log.core_c[i]:+.1f} K in {step:.0f} s at {log.t_s[i + 1]:.0f} s; was the probe moved?",
            )
    return breaks, out


def judge_log(
    log: Log,
    *,
    rules: str,
    food: str,
    form: str,
    probe_error_c: float = 0.0,
    log10: float = 6.5,
    house: Mapping[str, Any] | None = None,
) -> dict[str, Any]:
    """Rule and model on a measured log: the ``rule``, ``model`` and ``findings`` of a result.

    Parameters
    ----------
    rules, food, form : str
        Profile id, food id and form of the open formats.
    probe_error_c : float
        Stated error of the probe, K, 0 to 10; subtracted from every reading.
    log10 : float
        6.5 or 7: column of the FSIS table.
    house : mapping, optional
        The house's own rules, as a plan carries them in ``x-house``.
    """
    import numpy as np

    from ember_core.safety.lethality import for_food, statement
    from ember_core.safety.rules import judge, profile_of

    check_arguments(rules, food, form, probe_error_c)
    row = food_row(food)
    assert row is not None
    t = np.array(log.t_s) - log.t_s[0]
    core = np.array(log.core_c)[:, None] - probe_error_c
    breaks, findings = flags(log)
    rule = judge(profile_of(rules, house, log10), form, t, core, interpolate=False, breaks=np.array(breaks))
    if rule["met_at_s"] is not None:
        rule["met_at_s"] = round(float(rule["met_at_s"]) + log.t_s[0], 3)  # type: ignore[arg-type]
    if rules == "us-fsis-appendix-a":
        findings += _come_up(t, core[:, 0])
    pessimistic = core.copy()
    for i, broken in enumerate(breaks):
        if broken:  # nothing is credited inside a gap
            pessimistic[i] = pessimistic[i + 1] = min(core[i, 0], core[i + 1, 0], 20.0)
    return {
        "rule": rule,
        "model": [statement(t, pessimistic, o) for o in for_food(row["species"])],
        "findings": findings,
    }


def _come_up(t: Any, core: Any) -> list[dict[str, str]]:
    """FSIS: the come-up from 10 to 54.4 °C takes at most 6 h."""
    import numpy as np

    warm, hot = np.flatnonzero(core >= 10.0), np.flatnonzero(core >= 54.35)
    if warm.size and (hot[0] if hot.size else len(t) - 1) > warm[0]:
        end = hot[0] if hot.size else len(t) - 1
        if t[end] - t[warm[0]] > 6 * 3600:
            return [
                {
                    "code": "come-up",
                    "level": "stop",
                    "message": "The core took more than 6 h from 10 to 54.4 °C.",
                    "source": "US FSIS Appendix A",
                }
            ]
    return []


def check_arguments(rules: str, food: str, form: str, probe_error_c: float) -> None:
    """Raise an InputError naming the argument when one cannot be used."""
    properties = schema()["properties"]
    forms: Sequence[str] = schema()["$defs"]["piece"]["properties"]["form"]["enum"]
    if rules not in properties["rules"]["enum"]:
        raise InputError(
            f"Unknown rules {rules!r}; choose one of {', '.join(properties['rules']['enum'])}.",
            path="--rules",
            code="choice",
        )
    if form not in forms:
        raise InputError(f"Unknown form {form!r}; choose one of {', '.join(forms)}.", path="--form", code="choice")
    if food_row(food) is None:
        raise InputError(f"Unknown food {food!r}; see the food table.", path="--food", code="choice")
    if not 0 <= probe_error_c <= 10:
        raise ValueRangeError(f"--probe-error-c is {probe_error_c:g}; give 0 to 10.", path="--probe-error-c")
