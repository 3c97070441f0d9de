"""What would meet the rule: up to four small changes of a sentence, each found by cooking it again and proved on the fine grid."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

from ember_core.book.book import Book
from ember_core.entry.compiling import main_stage
from ember_core.entry.sentence import OWN_WAY, Sentence
from ember_core.errors import EmberError
from ember_core.formats.plan import parse
from ember_core.heat.physics.boiling import boiling_point
from ember_core.planning.compute import Outcome, compute
from ember_core.safety.premise import Basis
from ember_core.safety.rules import profile_of
from ember_core.safety.verdict import ADVISORY, MET, standing
from ember_core.wording.message import N_, Message, say

MOST = 4
STEP_C = 0.5  # to which a target is rounded up
MOST_TARGET_C = 85.0
LONGEST_MIN = 2880.0
HALVINGS = 7
WAYS_TRIED = 6


@dataclass(frozen=True)
class Change:
    """A small change that meets the rule.

    Attributes
    ----------
    words : Message
    sentence : Sentence
        As it would be.
    kind : str
        ``done``, ``target``, ``minutes``, ``way`` or ``temper``; of ``done`` it is true only if somebody knows it.
    """

    words: Message
    sentence: Sentence
    kind: str


def is_met(outcome: Outcome, guests: str) -> bool:
    """Whether a computed plan stands as met under its rule, with nothing that stops it."""
    return stands(outcome, guests) == MET


def stands(outcome: Outcome, guests: str) -> str:
    """The state of a computed plan's verdict; empty where it names no rules."""
    rule, plan = outcome.result["rule"], outcome.plan
    if rule is None:
        return ""
    found = standing(
        rule,
        plan.required,
        guests,
        profile_of(plan.rules or "", plan.house, species=plan.required.species),
        outcome.findings,
    )
    return found.state


def changes(sentence: Sentence, book: Book) -> tuple[Change, ...]:
    """Up to four changes that meet the rule, the smallest of each kind; empty when it is met, or none does.

    Looked for are: less time out of the cold, the least higher target, the least longer main heat at the same target, and another
    way to the same target.

    Parameters
    ----------
    sentence : Sentence
    book : Book
    """

    def cooked(changed: Sentence) -> Outcome | None:
        try:
            return compute(parse(changed.document()), with_forecast=False, book=book, advice=False)
        except EmberError:
            return None

    def works(changed: Sentence) -> bool:
        found = cooked(changed)
        return found is not None and is_met(found, sentence.guests)

    now = cooked(sentence)
    if now is None or sentence.way == OWN_WAY or now.result["rule"] is None or is_met(now, sentence.guests):
        return ()
    out: list[Change] = _stated(sentence, now, cooked)
    if sentence.temper_min and works(cold := replace(sentence, temper_min=0.0)):
        out.append(Change(say("Straight from the cold"), cold, "temper"))
    out += [*_target(sentence, works), *_longer(sentence, now, works), *_another_way(sentence, book, works)]
    return tuple(out[:MOST])


STATED = {
    "freezing": ("frozen", N_("If it was frozen against parasites")),
    "origin": ("cleanest-waters", N_("If it comes from the cleanest waters")),
}


def _stated(sentence: Sentence, now: Outcome, cooked: Callable[[Sentence], Outcome | None]) -> list[Change]:
    """What would let it be served as it is, if it can be said of it: what is not yet known of the piece."""
    rule = now.result["rule"]
    unknown = {p["id"] for p in rule["premises"] if p["state"] == Basis.UNKNOWN}
    out = []
    for premise in sorted(unknown & set(STATED)):
        word, words = STATED[premise]
        changed = replace(sentence, done=(*sentence.done, word))
        found = cooked(changed)
        if found is not None and stands(found, sentence.guests) in {MET, ADVISORY}:
            out.append(Change(say(words), changed, "done"))
    return out


def _target(sentence: Sentence, works: Callable[[Sentence], bool]) -> list[Change]:
    most = min(MOST_TARGET_C, boiling_point(sentence.altitude_m) - 2.0)
    low, high = math.floor(sentence.target_c / STEP_C), math.floor(most / STEP_C)
    if high <= low or not works(replace(sentence, target_c=high * STEP_C)):
        return []
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if works(replace(sentence, target_c=middle * STEP_C)) else (middle, high)
    found = high * STEP_C
    return [Change(say("To {target_c:temp1}", target_c=found), replace(sentence, target_c=found), "target")]


def _longer(sentence: Sentence, now: Outcome, works: Callable[[Sentence], bool]) -> list[Change]:
    """Longer in a bath or a low oven, where more minutes change little but what the rule counts."""
    stages = now.plan.document["stages"]
    main = main_stage(stages)
    if main is None or stages[main]["kind"] != "bath":
        return []
    took = (now.cook.stages[main].end_s - now.cook.stages[main].start_s) / 60.0
    remaining = (now.result["rule"]["remaining_s"] or 0.0) / 60.0

    def held(minutes: float) -> Sentence:
        return replace(sentence, minutes=float(math.ceil(minutes)))

    low, high = took, max(took + remaining + 1.0, 1.2 * took)
    while high < LONGEST_MIN and not works(held(high)):
        low, high = high, 2.0 * high
    if high >= LONGEST_MIN:
        return []
    for _ in range(HALVINGS):
        if high - low < 1.0:
            break
        middle = 0.5 * (low + high)
        low, high = (low, middle) if works(held(middle)) else (middle, high)
    words = say("In the bath for {minutes_s:span} in all", minutes_s=60.0 * math.ceil(high))
    return [Change(words, held(high), "minutes")]


def _another_way(sentence: Sentence, book: Book, works: Callable[[Sentence], bool]) -> list[Change]:
    cut = book.cut(sentence.cut, sentence.cut_version)
    if cut is None:
        return []
    tried = 0
    for way in book.ways_for(cut, sentence.size_mm, sentence.target_c):
        if way["id"] == sentence.way or "start_c" in way or tried == WAYS_TRIED:
            continue
        tried += 1
        changed = replace(sentence, book=book).by_way(way)
        if works(changed):
            return [Change(say("By {way}", way=say(way["name"])), changed, "way")]
    return []
