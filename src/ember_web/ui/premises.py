"""The premises of a verdict as pages show them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ember_core.safety.premise import CLAUSE, Basis, Premise, table
from ember_core.wording.message import N_

WORDS = {
    Basis.SHOWN: N_("measured"),
    Basis.COMPUTED: N_("computed"),
    Basis.STATED: N_("stated"),
    Basis.ASSUMED: N_("assumed"),
    Basis.UNKNOWN: N_("not yet known"),
    Basis.BROKEN: N_("broken"),
}


@dataclass(frozen=True)
class Shown:
    """One premise in words: what has to hold, how it stands, who says so, and what is said or to do."""

    says: str
    state: str
    word: str
    by: str
    needs: str
    holds_back: bool


def premises_of(rule: Mapping[str, Any] | None) -> list[Shown]:
    """The premises of a rule's statement in the order of the table; empty where it has none, as those of old records."""
    says = {row.id: row.says for row in table()}
    found = [Premise.of(p) for p in (rule or {}).get("premises", ())]
    return [
        Shown(says.get(p.id, p.id), str(p.basis), WORDS[p.basis], p.by, p.needs, not p.holds and p.id != CLAUSE)
        for p in found
    ]


def counts_of(premises: Sequence[Shown]) -> list[tuple[str, int]]:
    """How many premises stand how: words and numbers, the gravest first."""
    counted = Counter(p.word for p in premises)
    return [(WORDS[b], counted[WORDS[b]]) for b in reversed(Basis) if counted[WORDS[b]]]
