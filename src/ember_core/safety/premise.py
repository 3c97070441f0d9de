"""What a verdict stands on: premises, each of which somebody has shown, computed, stated, assumed, left unknown, or broken.

A verdict begins with nothing. The table ``data/premises.toml`` lists what has to hold of a piece by what it is and what was done to
it; whoever looks at a history claims what it shows of each. *Met* needs every premise that the table asks for, none of them unknown
and none broken; a premise that nobody claims is unknown.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import lru_cache
from typing import Any

from ember_core.data.loader import read_toml
from ember_core.plan.finding import Finding
from ember_core.wording.message import Message, say


class Basis(StrEnum):
    """What a premise stands on, the best first."""

    SHOWN = "shown"  # measured
    COMPUTED = "computed"
    STATED = "stated"  # somebody says so; ``by`` is who
    ASSUMED = "assumed"  # lies outside what the history tells: the kitchen's own plan says so
    UNKNOWN = "unknown"  # the history bears on it and does not answer
    BROKEN = "broken"


GRAVITY = {basis: i for i, basis in enumerate(Basis)}


@dataclass(frozen=True)
class Premise:
    """One premise of a verdict.

    Attributes
    ----------
    id : str
        A row of ``data/premises.toml``.
    basis : Basis
    by : Message
        Who or what says so.
    needs : Message
        What it says; of one that is unknown or broken what to measure or to do.
    """

    id: str
    basis: Basis
    by: Message
    needs: Message

    @property
    def holds(self) -> bool:
        """Whether nothing is held back by it."""
        return self.basis not in {Basis.UNKNOWN, Basis.BROKEN}

    def as_dict(self) -> dict[str, str]:
        """As the open formats have it."""
        return {"id": self.id, "state": str(self.basis), "by": self.by, "needs": self.needs}

    @classmethod
    def of(cls, document: Mapping[str, Any]) -> Premise:
        """A premise as :meth:`as_dict` wrote it."""

        def words(text: str) -> Message:
            return text if isinstance(text, Message) else Message("{said}", {"said": str(text)})

        return cls(document["id"], Basis(document["state"]), words(document["by"]), words(document["needs"]))


@dataclass(frozen=True)
class Row:
    """One row of the table.

    Attributes
    ----------
    id : str
    says : str
        What has to hold.
    when : frozenset of str
        Traits of a piece and its history of which one is enough for the row to be asked; empty: always.
    profiles : frozenset of str
        Profiles under which it is asked; empty: under all.
    codes : frozenset of str
        Codes of findings that speak of it.
    """

    id: str
    says: str
    when: frozenset[str]
    profiles: frozenset[str]
    codes: frozenset[str]

    def asked(self, traits: frozenset[str], profile: str) -> bool:
        """Whether it has to hold of a piece with these traits under a profile."""
        return (not self.when or bool(self.when & traits)) and (not self.profiles or profile in self.profiles)


@lru_cache(maxsize=1)
def table() -> tuple[Row, ...]:
    """The table of premises, in the order in which they are said."""
    return tuple(
        Row(
            r["id"],
            r["says"],
            frozenset(r.get("when", ())),
            frozenset(r.get("profiles", ())),
            frozenset(r.get("codes", ())),
        )
        for r in read_toml("premises.toml")["premise"]
    )


def asked_of(traits: Iterable[str], profile: str) -> tuple[Row, ...]:
    """The rows that have to hold of a piece with these traits, under a profile."""
    held = frozenset(traits)
    return tuple(row for row in table() if row.asked(held, profile))


OTHER = "other"  # what a finding stops that no row of the table speaks of


def premises_broken_by(findings: Sequence[Finding]) -> list[Premise]:
    """What findings that stop break: the premise whose codes name them, else one of its own."""
    by_code = {code: row.id for row in table() for code in row.codes}
    return [Premise(by_code.get(f.code, OTHER), Basis.BROKEN, say(f.source), f.message) for f in findings if f.stops]


def collect_premises(rows: Sequence[Row], claims: Iterable[Premise]) -> tuple[Premise, ...]:
    """One premise for each row that is asked, the gravest of what is claimed of it; unknown where nobody claims it.

    Claims that are unknown or broken count even where the table does not ask for them.
    """
    found: dict[str, Premise] = {}
    for claim in claims:
        known = found.get(claim.id)
        if known is None or GRAVITY[claim.basis] > GRAVITY[known.basis]:
            found[claim.id] = claim
    asked = {row.id for row in rows}
    out = [
        found.get(row.id)
        or Premise(row.id, Basis.UNKNOWN, say("nobody"), say("Not checked: {says}", says=say(row.says)))
        for row in rows
    ]
    out += [p for p in found.values() if p.id not in asked and not p.holds]
    return tuple(out)


def merge_premises(lists: Sequence[Sequence[Premise]]) -> tuple[Premise, ...]:
    """The premises of several pieces that are judged as one: of each the gravest, in the order they first come."""
    found: dict[str, Premise] = {}
    for premise in (p for one in lists for p in one):
        known = found.get(premise.id)
        if known is None or GRAVITY[premise.basis] > GRAVITY[known.basis]:
            found[premise.id] = premise
    return tuple(found.values())


def relabel_premises(premises: Sequence[Premise], words: Any) -> list[Premise]:
    """Premises of another piece, part or size: those that do not hold say of which."""
    return [p if p.holds else replace(p, needs=words(p.needs)) for p in premises]


CLAUSE = "clause"


def basis_of_premise(rule: Mapping[str, Any], id_: str) -> Basis | None:
    """What one premise of a concluded statement stands on; None where it is not asked."""
    return next((Basis(p["state"]) for p in rule.get("premises", ()) if p["id"] == id_), None)


def conclude_rule(rule: Mapping[str, Any], premises: Sequence[Premise]) -> dict[str, Any]:
    """A clause's statement with its premises: *met* only where none is unknown and none broken.

    Parameters
    ----------
    rule : mapping
        As of :func:`ember_core.safety.clocks.judge`: what its time and temperature say.
    premises : sequence of Premise
        All that are asked, the clause's own among them.
    """
    out = dict(rule) | {"premises": [p.as_dict() for p in premises]}
    broken = next((p for p in premises if p.basis is Basis.BROKEN and p.id != CLAUSE), None)
    unknown = next((p for p in premises if p.basis is Basis.UNKNOWN and p.id != CLAUSE), None)
    if broken is not None and rule["met"] is not False:
        words = broken.needs
        if rule["met"]:
            words = say(
                "Time and temperature of {clause} are reached, but: {message}",
                clause=rule["clause"],
                message=broken.needs,
            )
        return out | {"met": False, "met_at_s": None, "remaining_s": None, "needs": words}
    if rule["met"] and unknown is not None:
        words = say(
            "Time and temperature of {clause} are reached, but one thing is not known: {message}",
            clause=rule["clause"],
            message=unknown.needs,
        )
        return out | {"met": None, "remaining_s": None, "needs": words}
    if rule["met"] and not any(p.id == CLAUSE and p.holds for p in premises):  # nobody says that it is held
        return out | {"met": None, "remaining_s": None, "needs": say("Nothing shows that the clause is met.")}
    return out


def replace_premises(rule: Mapping[str, Any], *changed: Premise) -> dict[str, Any]:
    """A concluded statement with some of its premises replaced or added, concluded anew.

    Parameters
    ----------
    rule : mapping
        As of :func:`conclude_rule`.
    changed : Premise
        In place of those of the same id.
    """
    new = {p.id: p for p in changed}
    held = [new.pop(p["id"]) if p["id"] in new else Premise.of(p) for p in rule["premises"]]
    premises = [*held, *new.values()]
    own = next(p for p in premises if p.id == CLAUSE)
    met = True if own.holds else False if own.basis is Basis.BROKEN else None
    raw = dict(rule) | {"met": met, "needs": own.needs}
    if met:
        raw["remaining_s"] = 0.0
    return conclude_rule(raw, premises)
