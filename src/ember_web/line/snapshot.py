"""What the boards of a kitchen are shown, and what of it changed since a board was last told.

Each key of a piece's state carries the revision in which it last changed, so a board that names the revision it has is sent only
what is newer. Revisions are of one process: a board that comes from another one is told the whole.
"""

from __future__ import annotations

import json
import secrets
import threading
from collections.abc import Mapping, Sequence
from typing import Any

from ember_core.wording.message import spoken
from ember_web.tenancy.voice import Voice

READINGS, ADDED = "readings", "readingsAdded"
MOST_TEXTS = 64  # documents kept of one revision, for all who have and speak the same


class Shown:
    """One piece as it is shown: the value of each key, and when that changed."""

    def __init__(self) -> None:
        self.values: dict[str, Any] = {}
        self.revisions: dict[str, int] = {}
        self.lengths: list[
            tuple[int, int]
        ] = []  # revisions in which readings were added, and how many there were before
        self.begun = 0  # the revision in which the readings were last thinned
        self.texts: dict[tuple[str, Voice], tuple[int, str]] = {}

    def take(self, state: Mapping[str, Any], revision: int) -> bool:
        """Take a newer state; whether anything changed."""
        changed = False
        for key, value in state.items():
            if key in self.values and self.values[key] == value:
                continue
            if key == READINGS:
                self._readings(self.values.get(key, []), value, revision)
            self.values[key], self.revisions[key] = value, revision
            changed = True
        return changed

    def _readings(self, old: Sequence[Any], new: Sequence[Any], revision: int) -> None:
        if old and new[: len(old)] == old:
            self.lengths.append((revision, len(old)))
        else:
            self.begun, self.lengths = revision, []

    def text(self, voice: Voice, since: int) -> str:
        """Its keys that are newer than a revision, as the inside of an object; nothing where none is."""
        parts = []
        for key, revision in self.revisions.items():
            if revision <= since:
                continue
            if key == READINGS and since >= self.begun:
                had = next((n for r, n in self.lengths if r > since), len(self.values[key]))
                parts.append(f'"{ADDED}":{_json(self.values[key][had:])}')
            else:
                parts.append(self._key(key, voice))
        return ",".join(parts)

    def _key(self, key: str, voice: Voice) -> str:
        revision = self.revisions[key]
        known = self.texts.get((key, voice))
        if known is None or known[0] != revision:
            known = revision, f'"{key}":{_json(spoken(self.values[key], voice.speaker))}'
            self.texts[key, voice] = known
        return known[1]


def _json(value: Any) -> str:
    return json.dumps(value, separators=(",", ":"))


class Snapshot:
    """All pieces of a kitchen as they are shown."""

    def __init__(self) -> None:
        self.lock = threading.Lock()
        self.epoch = secrets.token_hex(4)
        self.revision = 0
        self.ids: tuple[str, ...] = ()
        self.pieces: dict[str, Shown] = {}
        self.texts: dict[tuple[Voice, int], str] = {}

    def take(self, states: Sequence[Mapping[str, Any]]) -> bool:
        """Take the states of all pieces in their order; whether there is anything new to tell."""
        with self.lock:
            revision = self.revision + 1
            ids = tuple(s["id"] for s in states)
            changed = ids != self.ids
            for gone in set(self.pieces) - set(ids):
                del self.pieces[gone]
            for state in states:
                shown = self.pieces.setdefault(state["id"], Shown())
                changed = shown.take(state, revision) or changed
            if changed:
                self.revision, self.ids, self.texts = revision, ids, {}
            return changed

    def document(self, clock: Mapping[str, Any], voice: Voice, since: str = "") -> tuple[str, str]:
        """The revision, and the state document as JSON: the whole, or what changed since a revision, said by a voice.

        Parameters
        ----------
        clock : mapping
            ``now`` in ms since 1970, ``rate`` and ``zone``.
        voice : Voice
        since : str
            The revision that a board has; unknown ones, and nothing, give the whole.
        """
        with self.lock:
            epoch, _, number = since.partition(".")
            known = epoch == self.epoch and number.isdecimal() and int(number) <= self.revision
            had = int(number) if known else -1
            text = self.texts.get((voice, had))
            if text is None:
                text = self._cooks(voice, had)
                if len(self.texts) < MOST_TEXTS:
                    self.texts[voice, had] = text
            name = f"{self.epoch}.{self.revision}"
            told = {**clock, "rev": name, "whole": not known, "ids": self.ids}
            return name, f'{_json(told)[:-1]},"cooks":[{text}]}}'

    def _cooks(self, voice: Voice, since: int) -> str:
        parts = []
        for cook_id in self.ids:
            text = self.pieces[cook_id].text(voice, since)
            if text:
                parts.append(f"{{{text}}}" if since < 0 else f'{{"id":"{cook_id}",{text}}}')
        return ",".join(parts)
