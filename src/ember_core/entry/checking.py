"""Whether a row of a house's book can be used: by its schema, by what it names, and by the plans it makes."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ember_core.book.book import Book
from ember_core.book.foods import food_row, foods
from ember_core.data.loader import read_toml
from ember_core.entry.sentence import Sentence
from ember_core.errors import EmberError, FormatError, InputError
from ember_core.formats.book import check_shape
from ember_core.formats.plan import parse
from ember_core.wording.message import Message, say


def _choice(what: Message | str, value: Any, known: Any, path: str) -> FormatError:
    return FormatError(
        say("{what} is {value!r}; choose one of {choices}.", what=what, value=value, choices=", ".join(known)),
        path=path,
        code="choice",
    )


def check_row(book: Book, kind: str, row: Mapping[str, Any]) -> None:
    """Check a row that is to be added to a book.

    Parameters
    ----------
    book : Book
        With everything the row may name.
    kind : str
        ``cut``, ``way``, ``doneness`` or ``spread``.
    row : mapping
        With id and version.

    Raises
    ------
    InputError
        What cannot be used, by its place in the row, with the remedy.
    """
    check_shape(kind, row)
    if row.get("retired"):
        return
    if kind == "cut":
        _check_cut(book, row)
    elif kind == "way":
        _check_way(book, row)
    elif kind == "doneness":
        _check_doneness(row)


def _check_cut(book: Book, row: Mapping[str, Any]) -> None:
    if food_row(row["food"]) is None:
        raise _choice(say("food"), row["food"], foods(), "/food")
    way = book.way(row["way"])
    if way is None:
        raise _choice(say("way"), row["way"], book.ways, "/way")
    if row["shape"] not in way["shapes"]:
        raise FormatError(
            say("The way {name!r} is for {shapes}, not for a {shape}. Choose another usual way.", name=way["name"],
                shapes=", ".join(way["shapes"]), shape=row["shape"]),
            path="/way", code="choice",
        )  # fmt: skip
    if "doneness" in row and row["doneness"] not in book.newest("doneness"):
        raise _choice(say("doneness names"), row["doneness"], book.newest("doneness"), "/doneness")
    changed = book.with_rows(cut=[row])
    parse(Sentence.for_cut(row["id"], book=changed).document())


def _check_way(book: Book, row: Mapping[str, Any]) -> None:
    known = read_toml("gear.toml")
    for i, name in enumerate(row.get("gear", ())):
        if name not in known:
            raise _choice(say("gear"), name, known, f"/gear/{i}")
    for key in ("size_mm", "target_c"):
        if key in row and row[key][0] > row[key][1]:
            raise FormatError(say("{key} begins above its end; write the lower number first.", key=key), path=f"/{key}")
    for i, stage in enumerate(row["stage"]):
        if isinstance(stage.get("say"), str) and stage["say"] not in read_toml("moves.toml")["say"]:
            raise _choice(say("say"), stage["say"], read_toml("moves.toml")["say"], f"/stage/{i}/say")
    changed = book.with_rows(way=[row])
    tried = 0
    for shape in row["shapes"]:
        fits = [c for c in book.cuts.values() if c["shape"] == shape]
        kin = [c for c in fits if c.get("kind") in row.get("kinds", (c.get("kind"),))]
        if not fits:
            continue
        cut = (kin or fits)[0]
        try:
            parse(Sentence.for_cut(cut["id"], book=changed, way=row["id"]).document())
        except InputError as error:
            raise _in_way(error) from None
        tried += 1
    if not tried:
        raise FormatError(
            say("No cut of the book has such a shape; choose another shape."), path="/shapes", code="choice"
        )


def _in_way(error: EmberError) -> FormatError:
    """An error in a plan's stage as one of the way's: repeated stages aside they are the same."""
    path = error.path.replace("/stages/", "/stage/")
    return FormatError(error.message, path=path, code=error.code)


def _check_doneness(row: Mapping[str, Any]) -> None:
    names = [n for n, _ in row["names"]]
    values = [c for _, c in row["names"]]
    if row["usual"] not in names:
        raise _choice(say("usual"), row["usual"], names, "/usual")
    if values != sorted(values) or len(set(names)) != len(names):
        raise FormatError(
            say("Doneness names rise in temperature and stand once; put them in order."), path="/names", code="order"
        )
