"""From a way's templates to the stages of a plan: what stands in place of numbers, and stages that are repeated."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import groupby
from typing import Any

from ember_core.book.book import Row
from ember_core.errors import FormatError
from ember_core.formats.plan import parse
from ember_core.heat.physics.boiling import boiling_point
from ember_core.heat.physics.stores import kinds
from ember_core.plan.kinds import HEAT_KINDS
from ember_core.wording.message import say

MOST_AGAIN = 64  # times a stage is repeated
OVER_TARGET_K = (
    0.5  # so much hotter is a bath whose minutes are solved: the core comes up to its target in bounded time
)
NUMBERS = ("minutes", "medium_c", "medium_from_c")  # keys in which an expression may stand
LEAST_MINUTES = 0.25
COARSE_K = (
    1.0  # so far below the target must a coarse cook stay, so that the stage that follows has something left to do
)


@dataclass(frozen=True)
class Known:
    """What the expressions of a way are made of: size in mm, start and target in °C, altitude in m."""

    size_mm: float
    start_c: float
    target_c: float
    altitude_m: float


def number(value: Any, known: Known) -> Any:
    """A number of a template: itself, or what its expression comes to (see ``data/ways_pan.toml``)."""
    if not isinstance(value, str):
        return value
    if value.startswith("target"):
        return round(known.target_c + float(value[6:] or 0), 3)
    if value.startswith("boil"):
        return round(boiling_point(known.altitude_m) + float(value[4:] or 0), 2)
    if value.startswith("part*"):
        return round(known.start_c + float(value[5:]) * (known.target_c - known.start_c), 2)
    if value.startswith("mm*"):
        return round(max(known.size_mm * float(value[3:]), LEAST_MINUTES), 2)
    return value


def _filled(given: Mapping[str, Any], known: Known) -> dict[str, Any]:
    return {k: number(v, known) if k in NUMBERS else v for k, v in given.items()}


def stage_of(template: Mapping[str, Any], known: Known) -> dict[str, Any]:
    """One stage of a plan from a way's template."""
    stage = _filled(
        {k: v for k, v in template.items() if k not in {"solve", "chill_to", "again", "say", "until"}}, known
    )
    if "faces" in template:
        stage["faces"] = {name: _filled(face, known) for name, face in template["faces"].items()}
    if "portion" in template:
        if template["portion"]["thickness_mm"] < known.size_mm:
            stage["portion"] = dict(template["portion"])
        else:  # the piece is thinner than a portion: cutting it across changes nothing
            stage.pop("portion")
    if template.get("solve"):
        stage["until"] = {"peak_core_c": known.target_c}
    if "chill_to" in template:
        stage["until"] = {"core_c": template["chill_to"]}
    if "until" in template:
        stage["until"] = {k: number(v, known) for k, v in template["until"].items()}
    if "say" in template:
        stage["x-say"] = template["say"]
    return stage


def stages_of(way: Row, document: Mapping[str, Any], known: Known) -> list[dict[str, Any]]:
    """The stages of a plan by a way.

    Parameters
    ----------
    way : mapping
        A row of the book.
    document : mapping
        The plan without its stages, for repeated stages, which are counted by cooking it.
    known : Known

    Raises
    ------
    InputError, ComputationError
        What of a piece cannot be computed, where stages are repeated.
    """
    out: list[dict[str, Any]] = []
    templates = list(way["stage"])
    for word, group in groupby(templates, key=lambda s: s.get("again")):
        made = [stage_of(s, known) for s in group]
        if word is None:
            out += made
            continue
        after = [stage_of(s, known) for s in templates if not s.get("again")][len(out) + 1 :]
        plan = {k: v for k, v in document.items() if k in {"format", "piece", "target", "kitchen"}}
        times = _how_often(json.dumps(plan, sort_keys=True), json.dumps([out, made, after]), known.target_c)
        out += made * times
    return out


def main_stage(stages: Sequence[Mapping[str, Any]]) -> int | None:
    """The stage that does the cooking: the one solved for the peak, else the first heat that waits for something, else the longest."""
    heats = [i for i, s in enumerate(stages) if s["kind"] in HEAT_KINDS]
    solved = [i for i in heats if "peak_core_c" in stages[i].get("until", {})]
    waits = [i for i in heats if "core_c" in stages[i].get("until", {})]
    longest = sorted(heats, key=lambda i: -stages[i]["minutes"])
    return next(iter([*solved, *waits, *longest]), None)


def main_kind(way: Row) -> str:
    """The kind of stage that does the cooking of a way; empty when nothing in it heats."""
    stages = [stage_of(s, Known(20.0, 4.0, 60.0, 0.0)) for s in way["stage"]]
    main = main_stage(stages)
    return "" if main is None else str(stages[main]["kind"])


def heat_of(stages: Sequence[Mapping[str, Any]]) -> float | None:
    """What the main stage's medium is at, °C; None where that is the boiling point, or a share of it, or a flame."""
    main = main_stage(stages)
    if main is None or stages[main]["kind"] in {"boil", "steam", "simmer", "torch"}:
        return None
    stage = stages[main]
    own = [
        p["medium_c"]
        for p in (stage, *stage.get("faces", {}).values())
        if p.get("kind", stage["kind"]) == stage["kind"] and "medium_c" in p
    ]
    return float(own[0]) if own else None


def set_heat(
    stages: list[dict[str, Any]], heat_c: float | None, minutes: float | None, target_c: float | None = None
) -> None:
    """Give the main stage another heat (°C) or a time of its own (min); of a pan or grill every stage on it gets the heat.

    A bath of so many minutes is at the target (``target_c``, °C) itself: only where it waits for a core it is a little hotter.

    Raises
    ------
    FormatError
        A heat for a way whose heat is the boiling point or a flame.
    """
    main = main_stage(stages)
    if main is None or (heat_c is None and minutes is None):
        return
    kind = stages[main]["kind"]
    if heat_c is not None:
        changed = 0
        for i, stage in enumerate(stages):
            if i != main and not (kind == stage["kind"] and kind in {"pan", "grill"}):
                continue
            for part in (stage, *stage.get("faces", {}).values()):
                if part.get("kind", kind) == kind and "medium_c" in part:
                    part["medium_c"] = heat_c
                    changed += 1
        if not changed:
            raise FormatError(
                say(
                    "This way's heat is not set by a number; leave {heat_c:temp} out, or choose another way.",
                    heat_c=heat_c,
                ),
                path="/x-heat-c",
                code="choice",
            )
    if minutes is not None:
        stages[main]["minutes"] = minutes
        stages[main].pop("until", None)
        own = stages[main].get("medium_c")
        if kind == "bath" and heat_c is None and own is not None and target_c is not None:
            stages[main]["medium_c"] = target_c if 0.0 < own - target_c <= OVER_TARGET_K else own


def shift_heat(stages: list[dict[str, Any]], offset_c: float) -> None:
    """Turn what the main stage's gear shows into what it is, K; of a pan or grill on every stage on it."""
    main = main_stage(stages)
    if main is None or heat_of(stages) is None:
        return
    kind = stages[main]["kind"]
    for i, stage in enumerate(stages):
        if i != main and not (kind == stage["kind"] and kind in {"pan", "grill"}):
            continue
        for part in (stage, *stage.get("faces", {}).values()):
            if part.get("kind", kind) == kind and "medium_c" in part:
                part["medium_c"] = round(part["medium_c"] + offset_c, 2)


def give_store(stages: list[dict[str, Any]], store: Mapping[str, Any], count: int, apart_s: float = 0.0) -> None:
    """Let the stages that lie in the main stage's gear name the heat it holds, shared by as many pieces as go into it at once.

    A hand at the burner, or a thermostat, aims at the stage's heat; stages whose medium settles by the cook's word keep that.

    Parameters
    ----------
    stages : list of dict
        Of a plan; changed.
    store : mapping
        ``store`` of a stage, and ``places``.
    count : int
        Pieces of the plan.
    apart_s : float
        How far apart they are laid in, s; 0: at once.
    """
    own = {k: v for k, v in store.items() if k != "places"}
    of = kinds()[own["kind"]]["of"]
    pieces = min(count, int(store.get("places", count)))
    for stage in stages:
        parts = [stage, *stage.get("faces", {}).values()]
        lies = [p for p in parts if p.get("kind", stage["kind"]) in of and "medium_c" in p]
        if lies and "load" not in stage and not any("medium_from_c" in p for p in parts):
            aims = {"set_c": lies[0]["medium_c"]} if "power_w" in own else {}
            turn = {"lay_in_every_s": apart_s} if apart_s and pieces > 1 else {}
            stage["store"] = {**own, **aims, "pieces": pieces, **turn}


@lru_cache(maxsize=256)
def _how_often(plan: str, parts: str, target_c: float) -> int:
    """How often stages fit before the core would go past the target, with what comes after them."""
    from ember_core.heat.ensemble.coarse import coarse_cook  # heavy; only where stages are repeated

    document = json.loads(plan)
    before, group, after = json.loads(parts)
    after = [{k: v for k, v in s.items() if k != "until"} for s in after]

    def fits(times: int) -> bool:
        checked = parse(document | {"stages": [*before, *group * times, *after] or group})
        wanted = target_c if checked.target_c is None else checked.target_c  # of a bird that of the part that leads
        return coarse_cook(checked).peak_core_c < wanted - COARSE_K

    low, high = 0, 1
    while high < MOST_AGAIN and fits(high):
        low, high = high, 2 * high
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (middle, high) if fits(middle) else (low, middle)
    return low
