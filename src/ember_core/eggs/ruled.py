"""What the kitchen's rules ask of eggs, and how long an egg boils until it is there."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from math import ceil
from typing import Any

from ember_core.data.loader import read_toml
from ember_core.eggs.question import EggQuestion
from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.setup import setup
from ember_core.safety.check import rows_of
from ember_core.safety.conditions import in_force
from ember_core.safety.lethality import organisms
from ember_core.safety.rules import profile_of
from ember_core.wording.message import N_, Message, say

TOPICS = {
    "arrive": N_("kept until cooked"), "cracked": N_("cracked eggs"), "now": N_("served at once"), "later": N_("pooled, or for later"),
    "raw": N_("raw in a sauce"), "susceptible": N_("susceptible guests"), "advisory": N_("soft on the plate"), "time": N_("time as the control"),
}  # fmt: skip
PRODUCTS = {
    "whole": N_("whole egg"),
    "yolk": N_("yolk"),
    "salted-yolk": N_("salted or sugared yolk"),
    "white": N_("white"),
}
NOW, LATER = "egg-now", "egg-later"
LONGEST_MIN = 60.0
JUDGE_S, WHOLE_S = (
    4.0,
    5.0,
)  # so much longer for a judge who sees only what is recorded, and up to whole so many seconds


@dataclass(frozen=True)
class Ruled:
    """A line of the rules: topic, what it says, its clause, and how grave it is (``stop``, ``care``, ``note``)."""

    topic: str
    words: Message
    clause: str
    level: str


def ruled(profile: str, house: Mapping[str, Any] | None = None) -> tuple[Ruled, ...]:
    """What a profile says of eggs, in the order of work; a house has its base's; one that says nothing of eggs gives none."""
    base = profile_of(profile, house).kept_by
    found = [r for r in read_toml("eggs_rules.toml")["row"] if r["profile"] == base]
    return tuple(
        Ruled(TOPICS[r["topic"]], say(r["say"]), r["clause"], r["level"])
        for key in TOPICS
        for r in found
        if r["topic"] == key
    )


def boiled_to_rule(question: EggQuestion, form: str, house: Mapping[str, Any] | None = None) -> float | None:
    """Minutes in boiling water, rounded up, until an egg meets its profile's clause for its form at its coldest point.

    None: its profile has no number, or not within an hour.

    Parameters
    ----------
    question : EggQuestion
        Its egg, start, place and rules.
    form : str
        ``egg-now`` or ``egg-later``.
    house : mapping, optional
        The house's rules.

    Raises
    ------
    InputError, ComputationError
        As of a plan.
    """
    if not profile_of(question.rules, house).clauses_for(form):
        return None
    document = question.by_minutes(LONGEST_MIN).document()
    document["piece"]["form"] = form
    document["piece"].pop("cut", None)
    document["stages"] = [{"kind": "boil", "minutes": LONGEST_MIN, "until": {"rule": True}}]
    if house is not None and question.rules == "house":
        document["x-house"] = dict(house)
    plan = parse(document)
    done = run(plan, setup(plan, rows=in_force(plan).rows())).stages[0]
    return ceil((done.end_s - done.start_s + JUDGE_S) / WHOLE_S) * WHOLE_S / 60.0 if done.ended_by == "rule" else None


@dataclass(frozen=True)
class Product:
    """A row for liquid egg: what it is, °C, s, its clause, and log10 of Salmonella by the model, beside it."""

    name: str
    at_c: float
    seconds: float
    clause: str
    log10: float


def products(profile: str, house: Mapping[str, Any] | None = None) -> tuple[Product, ...]:
    """Pasteurising of liquid egg by a profile, the model's statement beside each row; never mixed."""
    deadly = organisms()["salmonella"]
    out = []
    for rule in rows_of("egg_products", profile_of(profile, house).kept_by):
        for key, words in PRODUCTS.items():
            for at_c, seconds in rule.get(key, ()):
                d_s = deadly.d_s * 10.0 ** ((deadly.at_c - at_c) / deadly.z_c)
                out.append(Product(words, float(at_c), float(seconds), rule["clause"], float(seconds / d_s)))
    return tuple(out)
