"""The open log format: a measured history as CSV."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import TypeVar

from ember_core.errors import FormatError, ValueRangeError

T = TypeVar("T")
MAX_BYTES = 40_000_000
COLUMNS = ("t_s", "time", "core_c", "surface_c", "medium_c", "note")
PLAUSIBLE_C = (-60.0, 400.0)
MOST_T_S = 1e11  # a clock may count from any epoch, but to a thousandth of a second
LONGEST_S = 366 * 86400.0


@dataclass(frozen=True)
class Log:
    """A measured history: times in s from the first reading, core in °C, and what else was noted."""

    t_s: tuple[float, ...]
    core_c: tuple[float, ...]
    surface_c: tuple[float | None, ...] = ()
    medium_c: tuple[float | None, ...] = ()
    note: tuple[str, ...] = ()


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


def _optional(text: str, column: str, line: int) -> float | None:
    return _temperature(text, column, line) if text.strip() else None


def _seconds(text: str, column: str, line: int) -> float:
    value = _number(text, column, line)
    if abs(value) > MOST_T_S:
        raise ValueRangeError(
            f"Line {line}: t_s is {value:g}; give seconds between -1e11 and 1e11.", path=f"/{line}/{column}"
        )
    return value


def _column(texts: Sequence[str], column: str, lines: Sequence[int], read: Callable[[str, str, int], T]) -> list[T]:
    """A column read cell by cell."""
    return [read(text, column, line) for text, line in zip(texts, lines, strict=True)]


def _moments(texts: Sequence[str], lines: Sequence[int]) -> list[float]:
    """ISO times as seconds from the first."""
    out: list[float] = []
    zero: datetime | None = None
    for text, line in zip(texts, lines, strict=True):
        try:
            moment = datetime.fromisoformat(text.strip())
        except ValueError:
            raise FormatError(f"Line {line}: time is {text[:30]!r}; write ISO 8601.", path=f"/{line}/time") from None
        zero = zero or moment
        try:
            out.append((moment - zero).total_seconds())
        except TypeError:
            raise FormatError(f"Line {line}: give all times with an offset, or none.", path=f"/{line}/time") from None
    return out


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
        rows, lines = [], []
        for line, fields in enumerate(reader, 2):
            if len(fields) == len(header):
                rows.append(fields)
                lines.append(line)
            elif any(f.strip() for f in fields):
                raise FormatError(f"Line {line} has {len(fields)} fields, the header {len(header)}.", path=f"/{line}")
    except StopIteration:
        raise FormatError("The log is empty; it needs a header t_s,core_c and readings.", code="empty") from None
    except csv.Error as error:
        raise FormatError(f"Not readable as CSV: {error}.", code="csv") from None
    clock = _header(header)
    rows, lines = _without_blank(rows, lines)
    if len(rows) < 2:
        raise FormatError("The log needs two readings or more.", code="empty")
    columns = dict(zip(header, zip(*rows, strict=True), strict=True))
    times = _moments(columns["time"], lines) if clock == "time" else _column(columns["t_s"], "t_s", lines, _seconds)
    core = _column(columns["core_c"], "core_c", lines, _temperature)
    for before, after, line in zip(times, times[1:], lines[1:], strict=False):
        if after <= before:
            raise ValueRangeError(
                f"Line {line}: the time {after:g} s is not after the line before ({before:g} s); sort the log and remove doubles.",
                path=f"/{line}/{clock}",
                code="order",
            )
    if times[-1] - times[0] > LONGEST_S:
        raise ValueRangeError(
            f"The log runs over {(times[-1] - times[0]) / 86400:,.0f} days; a log may run over {LONGEST_S / 86400:.0f}. Check the times.",
            path=f"/{lines[-1]}/{clock}",
        )
    around = [
        tuple(_column(columns[name], name, lines, _optional)) if name in columns else ()
        for name in ("surface_c", "medium_c")
    ]
    return Log(tuple(times), tuple(core), around[0], around[1], tuple(columns.get("note", ())))


def _header(header: Sequence[str]) -> str:
    """The column that holds the clock, of a header that can be used."""
    unknown = [h for h in header if h not in COLUMNS and not h.startswith("x-")]
    if unknown:
        raise FormatError(f"Unknown column {unknown[0]!r}; known: {', '.join(COLUMNS)}.", path="/1", code="unknown-key")
    if len(set(header)) != len(header):
        raise FormatError("A column name stands twice in the header.", path="/1")
    clocks = [c for c in ("t_s", "time") if c in header]
    if not clocks or "core_c" not in header:
        raise FormatError("The header needs core_c and one of t_s, time.", path="/1", code="missing")
    if len(clocks) > 1:
        raise FormatError("The header has t_s and time, two clocks; keep one.", path="/1", code="choice")
    return clocks[0]


def _without_blank(rows: list[list[str]], lines: list[int]) -> tuple[list[list[str]], list[int]]:
    """The lines that hold anything."""
    kept = [i for i, fields in enumerate(rows) if fields[0] or any(f.strip() for f in fields)]
    if len(kept) == len(rows):
        return rows, lines
    return [rows[i] for i in kept], [lines[i] for i in kept]
