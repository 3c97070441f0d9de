"""Sign-in names that a reader would take for one another."""

from __future__ import annotations

import unicodedata
from functools import cache

from confusable_homoglyphs.confusables import confusables_data

PAIRS = (("rn", "m"), ("vv", "w"), ("cl", "d"))


@cache
def drawn_as(letter: str) -> str:
    """The lower-case letter or digit that one character is drawn like; a Latin one where there is one.

    Source: Unicode Technical Standard 39, confusables. A character is listed with the one it is drawn like, and that one
    with all that are drawn like it. Capitals count, since a name is signed in by either case: В is drawn like B.
    """
    for form in (letter, letter.lower(), letter.upper()):
        if (latin := prototype_of(form)).isascii():
            return latin.casefold()
    return prototype_of(letter)


def prototype_of(letter: str) -> str:
    """The character that stands for all that are drawn like it."""
    if letter.isascii():
        return letter
    alike: list[str] = [row["c"] for row in confusables_data.get(letter, ())]
    if latin := [c for c in alike if c.isascii() and c.isalnum()]:
        return latin[0]
    return min(letter, alike[0]) if len(alike) == 1 and len(alike[0]) == 1 else letter


def look_of(name: str) -> str:
    """What of a name the eye keeps: case, accents, width, spaces, marks and letters that are drawn alike left out.

    Digits stay apart from each other (cook 3 is not cook 5), but 0 is drawn like o, and 1 like l.
    """
    text = "".join(map(drawn_as, name.replace("|", "l").replace("!", "l")))  # before a lunate c is told as a sigma
    text = unicodedata.normalize("NFKD", unicodedata.normalize("NFKC", text).casefold())
    text = "".join(drawn_as(c) for c in text if unicodedata.category(c)[0] in "LN")
    text = text.replace("0", "o").replace("1", "l")
    for two, one in PAIRS:
        text = text.replace(two, one)
    return text.replace("i", "l")
