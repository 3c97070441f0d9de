"""The open book format, ``open-ember.book/1``: a house's cuts, ways, doneness names and spreads, read and written."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from ember_core.book.book import Book, Row
from ember_core.errors import FormatError, InputError
from ember_core.formats.plan import check, loads_document
from ember_core.wording.message import say

FORMAT = "open-ember.book/1"
SCHEMA = "book-1"
SHELVES = {"doneness": "doneness", "way": "ways", "cut": "cuts", "spread": "spreads"}
"""Kinds of rows and the key of the file they stand under, in the order in which they refer to each other."""

COMMON = "common practice, no published source"
"""What a row that names no source is from."""


def document(book: Book, own: Mapping[str, set[str]] | None = None, title: str = "") -> dict[str, Any]:
    """A book as a file: the newest version of every row, or of those named in ``own`` by kind."""
    out: dict[str, Any] = {"format": FORMAT}
    if title:
        out["title"] = title
    for kind, key in SHELVES.items():
        found = [r for name, r in book.newest(kind).items() if own is None or name in own.get(kind, ())]
        rows = [{"source": COMMON} | as_plain(r) for r in found]
        if rows:
            out[key] = rows
    check(out, SCHEMA)
    return out


def as_plain(row: Row) -> dict[str, Any]:
    """A row as JSON has it."""
    plain: dict[str, Any] = json.loads(json.dumps(dict(row)))
    return plain


def read(text: str | bytes) -> dict[str, list[dict[str, Any]]]:
    """Rows by kind of a book file, checked against its schema and for doubles.

    Raises
    ------
    FormatError, ValueRangeError
        With the JSON pointer of the place and what to do.
    """
    found = loads_document(text)
    check(found, SCHEMA)
    out: dict[str, list[dict[str, Any]]] = {}
    for kind, key in SHELVES.items():
        seen: set[str] = set()
        for i, row in enumerate(found.get(key, ())):
            if row["id"] in seen:
                raise FormatError(
                    say("{name!r} stands twice; a file holds one version of a row.", name=row["id"]),
                    path=f"/{key}/{i}/id",
                    code="version",
                )
            seen.add(row["id"])
            said = row.get("source") == COMMON
            out.setdefault(kind, []).append({k: v for k, v in row.items() if k != "source"} if said else row)
    return out


def check_shape(kind: str, row: Mapping[str, Any]) -> None:
    """Check one row against the schema; an error's path is within the row.

    Raises
    ------
    FormatError, ValueRangeError
    """
    try:
        check({"format": FORMAT, SHELVES[kind]: [as_plain(row)]}, SCHEMA)
    except InputError as error:
        error.path = error.path.removeprefix(f"/{SHELVES[kind]}/0") or "/"
        raise
