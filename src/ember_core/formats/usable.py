"""What any document may hold before its keys are looked at: text a database can keep, finite numbers, a sane depth and amount."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from typing import Any

from ember_core.errors import FormatError, ValueRangeError
from ember_core.wording.message import say

DEEPEST = 24  # levels of objects and lists; a plan's own keys need seven
MOST_VALUES = 20_000  # values and keys in one document; 2,000 report times are allowed
MOST_TEXT = 10_000  # characters of one string, and of all that stands under one x- key
LARGEST_INTEGER = 10**15
LONE_HALF = re.compile("[\ud800-\udfff]")


def pointer(parts: Any) -> str:
    """JSON pointer (RFC 6901) of a path."""
    return "".join("/" + str(p).replace("~", "~0").replace("/", "~1") for p in parts)


def text_fault(text: str, most: int = MOST_TEXT) -> str:
    """Why a text cannot be stored or shown, with the remedy; nothing when it can."""
    if len(text) > most:
        return f"has {len(text):,} characters; shorten it to {most:,}"
    if "\x00" in text:
        return "holds a null character; remove it"
    if LONE_HALF.search(text):
        return "holds half of a character pair (a lone surrogate); remove it or write the character in full"
    return ""


def check_usable(document: Any) -> None:
    """Refuse what cannot be kept or computed with, wherever it stands, own ``x-`` keys included.

    Raises
    ------
    FormatError
        Text with a null character or a lone surrogate, or too much of it; objects nested deeper than
        :data:`DEEPEST`; more than :data:`MOST_VALUES` values. The path is that of the place.
    ValueRangeError
        A number that is not finite, or an integer beyond 1e15.
    """
    waiting: list[tuple[Any, tuple[Any, ...], tuple[Any, ...]]] = [(document, (), ())]
    own: dict[tuple[Any, ...], int] = {}
    seen = 0
    while waiting:
        node, path, under = waiting.pop()
        seen += 1
        if seen > MOST_VALUES:
            raise FormatError(
                say("The document holds more than {MOST_VALUES:,} values; remove some.", MOST_VALUES=MOST_VALUES),
                code="too-large",
            )
        if len(path) > DEEPEST:
            raise FormatError(
                say("Objects and lists are nested more than {DEEPEST} deep; make them flatter.", DEEPEST=DEEPEST),
                path=pointer(path[:4]),
                code="too-deep",
            )
        if isinstance(node, str):
            _check_text(node, path, str(path[-1]) if path else "the text")
        elif isinstance(node, float) and not math.isfinite(node):
            raise ValueRangeError(
                say("The number is too large to be one; write a plain decimal number."), path=pointer(path)
            )
        elif isinstance(node, int) and not isinstance(node, bool) and abs(node) > LARGEST_INTEGER:
            raise ValueRangeError(say("The number is too large; check its digits."), path=pointer(path))
        if under:
            own[under] = own.get(under, 0) + (len(node) if isinstance(node, str) else 4)
            if own[under] > MOST_TEXT:
                raise FormatError(
                    say(
                        "{value} holds more than {MOST_TEXT:,} characters; shorten it.",
                        value=under[-1],
                        MOST_TEXT=MOST_TEXT,
                    ),
                    path=pointer(under),
                    code="too-large",
                )
        if isinstance(node, Mapping):
            for key, value in node.items():
                _check_text(str(key), path, "a key")
                here = (*path, key)
                waiting.append((value, here, under or (here if str(key).startswith("x-") else ())))
        elif isinstance(node, list):
            waiting.extend((value, (*path, i), under) for i, value in enumerate(node))


def _check_text(text: str, path: tuple[Any, ...], name: str) -> None:
    fault = text_fault(text)
    if fault:
        shown = name.encode("ascii", "backslashreplace").decode()[:60]
        raise FormatError(
            say("{shown} {fault}.", shown=shown, fault=fault),
            path=pointer(path).encode("ascii", "backslashreplace").decode(),
            code="text",
        )
