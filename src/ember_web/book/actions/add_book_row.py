"""Add a version of a cut, way or doneness set of the kitchen's own."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.db.models import Max

from ember_core.book.book import SPREADS, shipped
from ember_core.entry.checking import check_row
from ember_core.entry.sentence import Sentence
from ember_core.errors import InputError
from ember_core.formats.plan import parse
from ember_core.wording.message import say
from ember_web.book.models import BookRow
from ember_web.book.queries import book_of
from ember_web.tenancy.action import Actor, Rank, action


@dataclass(frozen=True)
class AddBookRow:
    """A row of the book without id and version; ``key`` is its id, the same in all its versions."""

    kind: str
    key: str
    body: dict[str, Any]


def _check_spreads(command: AddBookRow) -> None:
    """Spreads are one row, whole, of values that a plan may state."""
    if command.key != SPREADS:
        raise InputError(say("The book has one set of spreads, {key!r}.", key=SPREADS), path="key", code="choice")
    missing = sorted(set(shipped().spreads(1)) - {"drift_share"} - set(command.body))  # that one follows from drift_c
    if missing:
        raise InputError(
            say("Spreads: {missing} missing; give every one.", missing=missing), path="body", code="missing"
        )
    parse(Sentence.for_cut("bavette").document() | {"forecast": {"spreads": command.body}})


@action(Rank.CHEF)
def add_book_row(actor: Actor, command: AddBookRow) -> BookRow:
    """Add it as the next version; plans go on with what they were made with.

    Raises
    ------
    InputError
        A kind that the book does not have, spreads that a plan could not state, or a row no plan could be made with.
    """
    if command.kind not in BookRow.Kind.values:
        known = ", ".join(BookRow.Kind.values)
        raise InputError(
            say("kind is {kind!r}; choose one of {known}.", kind=command.kind, known=known), path="kind", code="choice"
        )
    if command.kind == BookRow.Kind.SPREAD:
        _check_spreads(command)
    book = book_of(actor.kitchen)
    versions = book.shelves[command.kind].get(command.key, ())
    own = BookRow.objects.filter(kitchen=actor.kitchen, kind=command.kind, key=command.key)
    last = max([r["version"] for r in versions], default=own.aggregate(last=Max("version"))["last"] or 0)
    check_row(book, command.kind, {**command.body, "id": command.key, "version": last + 1})
    return BookRow.objects.create(
        kitchen=actor.kitchen, kind=command.kind, key=command.key, version=last + 1, body=command.body,
        created_by=actor.user,
    )  # fmt: skip
