"""The premises of a verdict as pages show them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from ember_core.safety.premise import Basis, Premise, table
from ember_core.wording.message import N_

WORDS = {
    Basis.SHOWN: N_("measured"),
    Basis.COMPUTED: N_("computed"),
    Basis.STATED: N_("stated"),
    Basis.ASSUMED: N_("assumed"),
    Basis.UNKNOWN: N_("not yet known"),
    Basis.BROKEN: N_("broken"),
}
PLAIN = frozenset({Basis.SHOWN, Basis.COMPUTED, Basis.STATED})


@dataclass(frozen=True)
class Shown:
    """One premise in words: what has to hold, how it stands, who says so, and what is said or to do."""

    says: str
    state: str
    word: str
    by: str
    needs: str
    plain: bool


def premises_of(rule: Mapping[str, Any] | None) -> list[Shown]:
    """The premises of a rule's statement in the order of the table; empty where it has none, as those of old records."""
    says = {row.id: row.says for row in table()}
    found = [Premise.of(p) for p in (rule or {}).get("premises", ())]
    return [Shown(says.get(p.id, p.id), str(p.basis), WORDS[p.basis], p.by, p.needs, p.basis in PLAIN) for p in found]
