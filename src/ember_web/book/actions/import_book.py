"""Take a book file: every row that says something new becomes the next version of its kind."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from ember_core.errors import InputError
from ember_core.formats.book import SHELVES, as_plain, read
from ember_web.book.actions.add_book_row import AddBookRow, add_book_row
from ember_web.book.queries import book_of
from ember_web.tenancy.action import Actor, Rank, action


@dataclass(frozen=True)
class ImportBook:
    """The text of an ``open-ember.book/1`` file."""

    text: str


def _body(row: dict[str, Any]) -> dict[str, Any]:
    return {k: v for k, v in row.items() if k not in {"id", "version"}}


@action(Rank.CHEF)
def import_book(actor: Actor, command: ImportBook) -> dict[str, int]:
    """Add what is new in it, all or nothing; returns how many rows of each kind were added.

    Raises
    ------
    InputError
        What of the file cannot be used, by its place.
    """
    added = dict.fromkeys(SHELVES, 0)
    for kind, rows in read(command.text).items():
        for i, row in enumerate(rows):
            newest = book_of(actor.kitchen).newest(kind).get(row["id"])
            if newest is not None and _body(as_plain(newest)) == _body(row):
                continue
            try:
                add_book_row(actor, AddBookRow(kind, row["id"], _body(row)))
            except InputError as error:
                error.path = f"/{SHELVES[kind]}/{i}{error.path if error.path.startswith('/') else ''}"
                raise
            added[kind] += 1
    return added
