"""The open log format: a measured history as CSV."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from datetime import datetime
from math import isfinite, isnan
from operator import lt

from ember_core.errors import FormatError, ValueRangeError
from ember_core.plan.log import Log
from ember_core.wording.message import say

MAX_BYTES = 40_000_000

COLUMNS = ("t_s", "time", "core_c", "surface_c", "medium_c", "note")

PLAUSIBLE_C = (-60.0, 400.0)

MOST_T_S = 1e11  # a clock may count from any epoch, but to a thousandth of a second

LONGEST_S = 366 * 86400.0

LONG = 200_000  # characters from which a log is first tried as a plain table


def _number(text: str) -> float:
    """A number as people write it; Python's own underscores and other scripts' digits are none."""
    if not text.isascii() or "_" in text:
        raise ValueError(text)
    return float(text)


def _read(texts: Sequence[str], column: str, lines: Sequence[int], least: float, most: float, unit: str) -> list[float]:
    """A column of numbers within bounds; the first that is none is named."""
    try:
        values = list(map(_number, texts))
    except ValueError:
        values = [float("nan")] * len(texts)  # found and named below
    if not any(map(isnan, values)) and least <= min(values) and max(values) <= most:
        return values
    for text, line in zip(texts, lines, strict=True):
        path = f"/{line}/{column}"
        try:
            value = _number(text)
        except ValueError:
            raise FormatError(
                say(
                    "Line {line}: {column} is {value!r}; write a number with a decimal point.",
                    line=line,
                    column=column,
                    value=text[:30],
                ),
                path=path,
                code="type",
            ) from None
        if not isfinite(value):
            raise ValueRangeError(
                say("Line {line}: {column} is not a finite number.", line=line, column=column), path=path
            )
        if not least <= value <= most:
            raise ValueRangeError(
                say(
                    "Line {line}: {column} is {value:g} {unit}; {least:g} to {most:g} {unit} are taken. Check the unit.",
                    line=line,
                    column=column,
                    value=value,
                    unit=unit,
                    least=least,
                    most=most,
                ),
                path=path,
            )
    return values


def _optional(texts: Sequence[str], column: str, lines: Sequence[int]) -> tuple[float | None, ...]:
    """A column of temperatures that may be blank in places."""
    given = [i for i, text in enumerate(texts) if text.strip()]
    if not given:
        return ()
    read = _read([texts[i] for i in given], column, [lines[i] for i in given], *PLAUSIBLE_C, "°C")
    out: list[float | None] = [None] * len(texts)
    for i, value in zip(given, read, strict=True):
        out[i] = value
    return tuple(out)


def _moments(texts: Sequence[str], lines: Sequence[int]) -> list[float]:
    """ISO times as seconds from the first."""
    out: list[float] = []
    zero: datetime | None = None
    for text, line in zip(texts, lines, strict=True):
        try:
            moment = datetime.fromisoformat(text.strip())
        except ValueError:
            raise FormatError(
                say("Line {line}: time is {value!r}; write ISO 8601.", line=line, value=text[:30]), path=f"/{line}/time"
            ) from None
        zero = zero or moment
        try:
            out.append((moment - zero).total_seconds())
        except TypeError:
            raise FormatError(
                say("Line {line}: give all times with an offset, or none.", line=line), path=f"/{line}/time"
            ) from None
    return out


def loads(text: str) -> Log:
    """Parse a log.

    Raises
    ------
    FormatError, ValueRangeError
        Naming the line and column.
    """
    if len(text) > MAX_BYTES:
        raise FormatError(
            say("The log has more than {MAX_BYTES:,} characters; split it.", MAX_BYTES=MAX_BYTES), code="too-large"
        )
    text = text.lstrip("\ufeff")
    first = text.split("\n", 1)[0]
    delimiter = ";" if first.count(";") > first.count(",") else ","
    reader = csv.reader(io.StringIO(text), delimiter=delimiter)
    try:
        header = [h.strip() for h in next(reader)]
        clock = _header(header)
        plain = _plain(text, header, delimiter) if len(text) > LONG else None
        rows = list(reader) if plain is None else []
    except StopIteration:
        raise FormatError(say("The log is empty; it needs a header t_s,core_c and readings."), code="empty") from None
    except csv.Error as error:
        raise FormatError(say("Not readable as CSV: {error}.", error=error), code="csv") from None
    if plain is not None:
        return plain
    rows, lines = _filled(rows, len(header))
    if len(rows) < 2:
        raise FormatError(say("The log needs two readings or more."), code="empty")
    columns = dict(zip(header, zip(*rows, strict=True), strict=True))
    if clock == "time":
        times = _moments(columns["time"], lines)
    else:
        times = _read(columns["t_s"], "t_s", lines, -MOST_T_S, MOST_T_S, "s")
    core = _read(columns["core_c"], "core_c", lines, *PLAUSIBLE_C, "°C")
    if not all(map(lt, times, times[1:])):
        i = next(i for i in range(1, len(times)) if times[i] <= times[i - 1])
        raise ValueRangeError(
            say(
                "Line {line}: the time {t_s:g} s is not after the line before ({before_s:g} s); sort the log and remove "
                "doubles.",
                line=lines[i],
                t_s=times[i],
                before_s=times[i - 1],
            ),
            path=f"/{lines[i]}/{clock}",
            code="order",
        )
    if times[-1] - times[0] > LONGEST_S:
        raise ValueRangeError(
            say(
                "The log runs over {days:,.0f} days; a log may run over {most:.0f}. Check the times.",
                days=(times[-1] - times[0]) / 86400,
                most=LONGEST_S / 86400,
            ),
            path=f"/{lines[-1]}/{clock}",
        )
    around = [_optional(columns[n], n, lines) if n in columns else () for n in ("surface_c", "medium_c")]
    return Log(tuple(times), tuple(core), around[0], around[1], tuple(columns.get("note", ())))


def _plain(text: str, header: Sequence[str], delimiter: str) -> Log | None:
    """A long log that is nothing but numbers, read at once; None when it is not, or when anything in it needs a word."""
    if header[0] != "t_s" or not set(header) <= {"t_s", "core_c", "surface_c", "medium_c"} or '"' in text:
        return None
    import numpy as np

    try:
        table = np.loadtxt(io.StringIO(text), delimiter=delimiter, skiprows=1, comments=None, ndmin=2)
    except ValueError:
        return None
    if table.shape[0] < 2 or table.shape[1] != len(header) or not np.isfinite(table).all():
        return None
    t, temperatures = table[:, 0], table[:, 1:]
    good = np.abs(t).max() <= MOST_T_S and (np.diff(t) > 0).all() and t[-1] - t[0] <= LONGEST_S
    if not good or temperatures.min() < PLAUSIBLE_C[0] or temperatures.max() > PLAUSIBLE_C[1]:
        return None
    by = {name: tuple(table[:, i].tolist()) for i, name in enumerate(header)}
    return Log(by["t_s"], by["core_c"], by.get("surface_c", ()), by.get("medium_c", ()))


def _filled(rows: list[list[str]], width: int) -> tuple[list[list[str]], Sequence[int]]:
    """The lines that hold anything, and their numbers; one of another width is named."""
    if set(map(len, rows)) == {width} and all(any(fields) for fields in rows):
        return rows, range(2, len(rows) + 2)
    kept, lines = [], []
    for line, fields in enumerate(rows, 2):
        if not any(f.strip() for f in fields):
            continue
        if len(fields) != width:
            raise FormatError(
                say("Line {line} has {many} fields, the header {width}.", line=line, many=len(fields), width=width),
                path=f"/{line}",
            )
        kept.append(fields)
        lines.append(line)
    return kept, lines


def _header(header: Sequence[str]) -> str:
    """The column that holds the clock, of a header that can be used."""
    unknown = [h for h in header if h not in COLUMNS and not h.startswith("x-")]
    if unknown:
        raise FormatError(
            say("Unknown column {value!r}; known: {choices}.", value=unknown[0], choices=", ".join(COLUMNS)),
            path="/1",
            code="unknown-key",
        )
    if len(set(header)) != len(header):
        raise FormatError(say("A column name stands twice in the header."), path="/1")
    clocks = [c for c in ("t_s", "time") if c in header]
    if not clocks or "core_c" not in header:
        raise FormatError(say("The header needs core_c and one of t_s, time."), path="/1", code="missing")
    if len(clocks) > 1:
        raise FormatError(say("The header has t_s and time, two clocks; keep one."), path="/1", code="choice")
    return clocks[0]
