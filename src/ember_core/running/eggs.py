"""What to do about eggs in the shell that stay in too long, or come out too soon: iced water at once, other words, or back into the water."""

from __future__ import annotations

from typing import Any

from ember_core.doneness.eggs import YOLKS
from ember_core.errors import EmberError
from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.egg_states import is_egg, state_of
from ember_core.heat.setup import setup
from ember_core.plan.finding import Finding, Level
from ember_core.plan.kinds import HEAT_KINDS
from ember_core.plan.plan import Plan
from ember_core.running.history import Running
from ember_core.wording.message import Message, say

ORDER = tuple(YOLKS)
ICE = {"kind": "chill", "medium_c": 1.0, "variant": "ice-water", "minutes": 8.0}
SHORTEST_S = 1.0  # of what is still to come on the heat: less is over
HISTORY = "what was done to it, computed"


def yolk_of(plan: Plan) -> str | None:
    """The word of an egg's yolk as it is eaten; None: it is no egg, or cannot be computed."""
    try:
        found = state_of(plan, run(plan, setup(plan))) if is_egg(plan) else None
    except EmberError:
        return None
    return None if found is None else found.yolk_word


def eggs_otherwise(running: Running, word: str, left_s: float) -> list[Finding]:
    """What is said when a yolk comes out as ``word`` and was planned as another.

    Parameters
    ----------
    running : Running
        Of eggs in the shell, not yet served.
    word : str
        By what was done and what is still to come.
    left_s : float
        How long what it lies in still lasts, s.
    """
    wanted = running.planned.document.get("target", {}).get("yolk") or yolk_of(running.planned)
    at = running.current
    if at is None or wanted is None or wanted == word:
        return []
    stage = running.plan.stages[at]
    on_heat = stage.kind in HEAT_KINDS
    late = ORDER.index(word) > ORDER.index(wanted)
    if on_heat and (not late or left_s > SHORTEST_S):
        return []  # the plan's own end is still to come, or it is early and stays in
    if not late:
        return [_care("short-of-target", say("The yolk comes out {word}, not {wanted}: back into the water, or serve it so.", word=_said(word), wanted=_said(wanted)))]  # fmt: skip
    out = [
        _care("past-target", say("The yolk comes out {word}, not {wanted}.", word=_said(word), wanted=_said(wanted)))
    ]
    iced = _in_ice(running, at)
    now = running.plan.document["stages"][at]
    if now.get("variant") == ICE["variant"]:
        return [*out, _care("as-it-is", say("It is in ice already: serve it as {word}.", word=_said(word)))]
    if iced is not None and ORDER.index(iced) < ORDER.index(word):
        return [*out, _care("colder-rest", say("Into iced water now: then it is {word}.", word=_said(iced)))]
    return [
        *out,
        _care("colder-rest", say("Into iced water now, it goes on setting: or serve it as {word}.", word=_said(word))),
    ]


def _in_ice(running: Running, at: int) -> str | None:
    """The yolk's word when it goes into iced water this moment."""
    document: dict[str, Any] = {k: v for k, v in running.plan.document.items() if k not in {"report_at_s", "target"}}
    try:
        return yolk_of(parse({**document, "stages": [*document["stages"][:at], ICE]}))
    except EmberError:
        return None


def _said(word: str) -> Message:
    return say(YOLKS[word])


def _care(code: str, words: Message) -> Finding:
    return Finding(code, Level.CARE, words, HISTORY)
