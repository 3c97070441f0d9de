"""The text of a quick entry, from which what was read is taken out, and what was read."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import time
from typing import Any

from ember_core.book.book import Book, shipped
from ember_core.data.loader import read_toml
from ember_core.entry.nearest import Meaning, meanings

SAID = read_toml("quick_entry.toml")
NO_NAMES, FILLERS = (frozenset(SAID["words"][k]) for k in ("of_any_cut", "fillers"))


def one_of(words: Iterable[str]) -> str:
    """A pattern for one of several words, the longest first."""
    return "|".join(re.escape(w) for w in sorted(words, key=len, reverse=True))


@dataclass(frozen=True)
class Span:
    """A stretch of the entry, where it begins, and the part of the sentence it was read as; no part: not understood."""

    at: int
    text: str
    part: str = ""


@dataclass
class Reading:
    """What quick entry understood.

    Attributes
    ----------
    parts : dict
        Of the sentence by name, in SI.
    serve : time or None
    unknown : list of str
        Words left over.
    entered : dict
        The texts of quantities by part.
    spans : list of Span
        The entry in order, understood or not.
    eggs : str
        The calculator of eggs that answers it instead of a plan; empty: none.
    """

    parts: dict[str, Any] = field(default_factory=dict)
    serve: time | None = None
    unknown: list[str] = field(default_factory=list)
    entered: dict[str, str] = field(default_factory=dict)
    spans: list[Span] = field(default_factory=list)
    eggs: str = ""

    @property
    def understood(self) -> list[dict[str, str]]:
        """The stretches that were understood, in order, with their part."""
        return [{"text": s.text, "part": s.part} for s in self.spans if s.part]

    def nearest(self, book: Book | None = None) -> list[tuple[str, tuple[Meaning, ...]]]:
        """What each word left over may mean, nearest first, as texts to put in its place."""
        return [(word, meanings(word, self.parts, book or shipped())) for word in self.unknown]


class EntryText:
    """The entry, from which matched stretches are taken out; what is left keeps its place."""

    def __init__(self, text: str) -> None:
        self.raw = f" {text.strip()} "
        self.rest = self.raw.lower()
        self.spans: list[Span] = []

    def take(self, pattern: str, part: str, *, with_cut: bool = False) -> re.Match[str] | None:
        """The first match of a pattern, as a word of its own; it is taken out and noted.

        ``with_cut``: words that were taken as the cut's count too, as long as not all of them were; only the groups of the pattern
        are taken out.
        """
        whole = rf"(?<![\w.])(?:{pattern})(?![\w])"
        match = re.search(whole, self.rest)
        if match is None and with_cut:
            match = re.search(whole, self._with_cut())
            if match and not self.rest[match.start() : match.end()].strip("\0 "):
                return None
        if match:
            groups = range(1, (match.re.groups if with_cut else 0) + 1)
            for begin, end in [match.span(g) for g in groups] or [match.span()]:
                self.out(begin, end, part)
        return match

    def _with_cut(self) -> str:
        """What is left, with the cut's words back in their places."""
        text = self.rest
        for span in self.spans:
            if span.part == "cut":
                text = text[: span.at] + span.text.lower() + text[span.at + len(span.text) :]
        return text

    def out(self, begin: int, end: int, part: str) -> None:
        """Take a stretch out; what in it was taken before stays what it was."""
        for m in re.finditer(r"[^\0]+", self.rest[begin:end]):
            text = self.raw[begin + m.start() : begin + m.end()]
            if text.strip(" ,"):
                at = begin + m.start() + len(text) - len(text.lstrip(" ,"))
                self.spans.append(Span(at, text.strip(" ,"), part))
        self.rest = self.rest[:begin] + "\0" * (end - begin) + self.rest[end:]

    def give_back(self, part: str) -> list[str]:
        """What was read as a part is not understood after all: its texts."""
        texts = [s.text for s in self.spans if s.part == part]
        self.spans = [Span(s.at, s.text) if s.part == part else s for s in self.spans]
        return texts

    def left(self) -> list[Span]:
        """Words that nobody took, without those that say nothing."""
        found = [(m.start(), m[0].strip(".,;:!")) for m in re.finditer(r"[^\s,;\0]+", self.rest)]
        return [Span(at, word) for at, word in found if word and word not in FILLERS and re.search(r"\w", word)]
