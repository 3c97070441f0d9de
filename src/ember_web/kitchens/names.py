"""Sign-in names that a reader would take for one another."""

from __future__ import annotations

import unicodedata

# letters of other scripts, and two digits, that are drawn like a Latin letter, as far as names use them
# (Unicode Technical Standard 39, confusables; from memory). Digits stay apart from each other: cook 3 is not cook 5.
DRAWN_ALIKE = str.maketrans(
    dict(zip("аеорсухіјѕԁһԛԝѵгтмнвк", "aeopcyxijsdhqwvrtmhbk", strict=True))
    | dict(zip("αβεικνορτυχγωη", "abeiknoptuxywn", strict=True))
    | {"0": "o", "1": "l", "|": "l", "!": "l"}
)
PAIRS = (("rn", "m"), ("vv", "w"), ("cl", "d"))


def look_of(name: str) -> str:
    """What of a name the eye keeps: case, accents, width, spaces, marks and letters that are drawn alike left out."""
    text = unicodedata.normalize("NFKD", unicodedata.normalize("NFKC", name).casefold())
    text = "".join(c for c in text if unicodedata.category(c)[0] in "LN").translate(DRAWN_ALIKE)
    for two, one in PAIRS:
        text = text.replace(two, one)
    return text.replace("i", "l")
