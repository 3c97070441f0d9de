"""Pieces that cool the medium they lie in: how far it falls, whether a pan boils in their juice, and what would do.

What would do - fewer pieces at once, a stronger heater, more of the medium - is found by cooking the plan again with that one
change, and so is what one more tray does to an oven.
"""

from __future__ import annotations

import math
from bisect import bisect_left
from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np

from ember_core.heat.cook import Cook
from ember_core.heat.findings import MEDIA
from ember_core.heat.physics.stores import kinds, same_store
from ember_core.heat.setup import setup, store_stated, thermal_table
from ember_core.heat.solver.reservoir import course, store_in
from ember_core.plan.finding import Finding
from ember_core.plan.plan import SHORTEST_S, Plan
from ember_core.plan.stages import StageSpec
from ember_core.planning.medium_use import (
    BACK,
    LITTLE_K,
    TOO_LONG_S,
    WORTH_A_WORD,
    ComputeContext,
    CookedPlan,
    MediumUse,
    count_in,
    mass_kg,
    medium_use_of,
    medium_uses_of,
)
from ember_core.wording.message import N_, Message, join_sentences, say

SOURCE = "energy balance of the medium, its heater and the pieces"
STEAM_TOLD = 1.0 / 20.0  # of the fall that is no harm yet: so much by the steam of their juice is told
SAME = 1e-6
MOST_ADVISED = 3  # so many crowded media of a plan are given advice
HEATER_STEP_W, MASS_STEP_KG, LITRE_STEP = 100.0, 0.1, 1.0  # to which what would do is rounded up
LONGEST_BACK_S, BACK_STEP_S = 1800.0, 5.0  # so long is looked for it to come back between batches
BETWEEN_S = 60.0  # less between batches is not worth a word
BURNERS = frozenset({"pan", "pot"})  # are heated from below by one
TRAYS = frozenset({"oven", "cabinet"})
TRAY_MM2, GAP_MM = (
    530.0 * 325.0,
    10.0,
)  # a tray of the size GN 1/1 (EN 631-1, from memory), and what is left between pieces
FELT_K, FELT_S = 0.2, 30.0  # less is not worth a word
NEARLY = 0.9  # of what is no harm yet, where pieces laid in one after another are told by all at once
CARE_K = 1.0  # by so much by steam is care
SEEN = frozenset({"core_c", "surface_c", "surface_b_c"})  # what a cook can wait for with a probe


def _with(plan: Plan, stay: MediumUse, **changed: Any) -> Plan:
    """The plan with another store in the stages of a stay, and wherever it goes on."""

    def other(stage: StageSpec) -> StageSpec:
        stated = store_stated(stage)
        if stated is None or not same_store(stated, stay.stated):
            return stage
        # what a bath's load says, said as a store
        return replace(stage, load=None if stage.store is None else stage.load, store={**stated, **changed})

    return replace(plan, stages=tuple(other(s) for s in plan.stages))


def _of_count(plan: Plan, stay: MediumUse, count: int) -> Plan:
    """The plan with so many pieces at once in the medium of a stay; an oven has the vapour of so many."""
    was = count_in(plan, stay.stated)
    changed = _with(plan, stay, pieces=count)
    if stay.kind not in TRAYS:
        return changed

    def filled(stage: StageSpec) -> StageSpec:
        kg = (stage.load or {}).get("kg")
        return stage if kg is None else replace(stage, load={**(stage.load or {}), "kg": kg * count / was})

    document = {**plan.document, "piece": {**plan.document["piece"], "count": count}}
    return replace(changed, document=document, stages=tuple(filled(s) for s in changed.stages))


class Crowd(NamedTuple):
    """What pieces do to the media that they lie in: findings, and how pieces cook with the steam of their juice, where it tells.

    ``beside`` are the different ones in the same medium, in the plan's order.
    """

    findings: list[Finding]
    steamed: list[tuple[Plan, Cook]]
    beside: list[tuple[Plan, Cook]]


def crowding(now: CookedPlan, kitchen: ComputeContext, others: Sequence[tuple[Plan, Cook]] = ()) -> Crowd:
    """What pieces do to the media with a store that they lie in; nothing of a textbook body or a mass that is stirred.

    Parameters
    ----------
    now : CookedPlan
        The plan as it cooks.
    kitchen : ComputeContext
        By which it is cooked again.
    others : sequence of (Plan, Cook)
        Pieces of the plan of other sizes, or other parts of a bird: how they cook with the steam is told too.
    """
    if now.plan.properties is not None or not any(s.store or s.load for s in now.plan.stages):
        return Crowd([], [], [])
    out, stays = list[Finding](), list[MediumUse]()
    for first, last, store in medium_uses_of(now.plan):
        shut = _shut(now, first, kitchen)
        stay = None if shut is None else medium_use_of(shut, first, last, store, kitchen)
        if shut is None or stay is None:
            continue
        stays.append(stay)
        if stay.crowded or stay.drop_k >= WORTH_A_WORD * stay.no_harm_k:
            advised = sum(s.crowded for s in stays)
            out.append(_said(shut, stay, kitchen._replace(advises=kitchen.advises and advised <= MOST_ADVISED)))
        if stay.kind in TRAYS and kitchen.advises:
            out += _one_more_tray(shut, stay, kitchen)
    cooled = [s for s in stays if s.puddle is not None and s.puddle.cooler.max() >= LITTLE_K]
    again = kitchen.steamed(_by_what_is_seen(now, kitchen), cooled) if cooled else None
    if again is None:
        if cooled:
            words = say(
                "The steam of their juice cools the pan, and how they cook with that could not be computed: the core may be "
                "colder than is shown. Measure it."
            )
            out.append(Finding("juice-steams", "care", words, "model, cooked again with the steam"))
        return Crowd(out, [], [])
    colder = now.cook.peak_core_c - again.cook.peak_core_c
    if colder >= FELT_K:
        words = say(
            "With the steam of their juice, which cools the pan, the core peaks {colder_k:rise1} lower than the trace.",
            colder_k=colder,
        )
        level = "care" if colder >= CARE_K else "note"
        out.append(Finding("juice-steams", level, words, "model, cooked again with the steam"))
    steamed = [(now.plan, again.cook), *(() if again.sharing is None else again.sharing.like)]
    for one, cook in others:
        own = CookedPlan(one, cook, setup(one, **kitchen.limits), None)
        found = kitchen.steamed(_by_what_is_seen(own, kitchen), cooled)
        steamed += [] if found is None else [(one, found.cook)]
    beside = [] if again.sharing is None else [(one, its) for one, its, _ in again.sharing.also]
    return Crowd(out, steamed, beside)


def _unseen_by_clock(plan: Plan, cook: Cook) -> Plan:
    """The plan with what no probe shows - a pull that is foreseen, a rule, a reduction - left to the clock, as it is computed."""
    stages = tuple(
        replace(stage, minutes=max(done.took, SHORTEST_S) / 60.0, until=None)
        if stage.until is not None and stage.until not in SEEN
        else stage
        for stage, done in zip(plan.stages, cook.stages, strict=True)
    )
    return replace(plan, stages=stages)


def _by_what_is_seen(now: CookedPlan, kitchen: ComputeContext) -> CookedPlan:
    """A plan and what lies beside it, as they go on when only what a probe shows is waited for."""
    plan = _unseen_by_clock(now.plan, now.cook)
    if now.sharing is not None and now.sharing.also:
        plan = replace(
            plan,
            also=tuple(
                (_unseen_by_clock(one, its), in_s)
                for (one, in_s), (_, its, _) in zip(plan.also, now.sharing.also, strict=True)
            ),
        )
    made = setup(plan, **kitchen.limits) if now.sharing is None else now.sharing.setup_of(plan, **kitchen.limits)
    return now._replace(plan=plan, setup=made)


def _shut(now: CookedPlan, first: int, kitchen: ComputeContext) -> CookedPlan | None:
    """The plan with the door of a stage's medium kept shut: what an open door takes is not the pieces' doing."""
    stage = now.plan.stages[first]
    if stage.store is None or not stage.store.get("doors"):
        return now
    closed = replace(stage, store={k: v for k, v in stage.store.items() if k != "doors"})
    stages = now.plan.stages
    return kitchen.cooked(replace(now.plan, stages=(*stages[:first], closed, *stages[first + 1 :])))


def _said(now: CookedPlan, stay: MediumUse, kitchen: ComputeContext) -> Finding:
    """How far a medium falls, when it is back, and what would do where it is too far."""
    where = say("Stage {stage}", stage=stay.first + 1)
    if stay.last > stay.first:
        where = say("Stages {first} to {last}", first=stay.first + 1, last=stay.last + 1)
    back = stay.back_s
    sentences = [say("it is not back when they come out.")]
    if back is not None:
        sentences = [say("it needs about {minutes:.0f} min to come back.", minutes=back / 60.0)]
    if stay.by_steam_k > STEAM_TOLD * stay.no_harm_k:
        words = say(
            "{steam_k:rise1} of that is by the steam of their juice, which the trace leaves out.",
            steam_k=stay.by_steam_k,
        )
        sentences.append(words)
    if stay.puddle is not None and stay.in_juice_s > TOO_LONG_S:
        stands, steam = float(stay.puddle.kg[-1]), float(stay.puddle.steam[-1])
        sentences.append(
            say(
                "{juice_g:mass0} of juice runs out of them, and it can turn {steam_g:mass0} of that to steam: for {minutes:.0f} min they "
                "boil in the rest.",
                juice_g=1000.0 * (stands + steam), steam_g=1000.0 * steam, minutes=stay.in_juice_s / 60.0,
            )
        )  # fmt: skip
    elif stay.quiet_s > TOO_LONG_S:
        sentences.append(
            say("For {minutes:.0f} min it is too cold to hiss, and they boil.", minutes=stay.quiet_s / 60.0)
        )
    if stay.crowded and kitchen.advises:
        trials = _Trials(now, stay, kitchen)
        ways = _what_would_do(trials, stay)
        if ways:
            sentences.append(say("What would help: {ways}.", ways=join_sentences(ways, "; ")))
        elif not trials.unknown:
            sentences.append(
                say("No single change is enough: try fewer at once with more heat, or thinner, warmer pieces.")
            )
    level = "care" if stay.crowded else "note"
    words = say(
        "{where}: the pieces pull {medium} down by {drop_k:rise1}; {more}",
        where=where, medium=say(MEDIA[stay.kind]), drop_k=stay.drop_k, more=join_sentences(sentences),
    )  # fmt: skip
    return Finding(f"crowded-{stay.kind}", level, words, SOURCE)


class _Trials:
    """Changes of a plan whose medium is crowded, each cooked again."""

    def __init__(self, now: CookedPlan, stay: MediumUse, kitchen: ComputeContext) -> None:
        self.stay, self.kitchen = stay, kitchen.for_advice()
        # pieces laid in one after another cost tens of runs; all at once they fall somewhat further, and one run tells it
        self.in_turn = now.sharing is not None and bool(now.sharing.like)
        self.plan = _with(now.plan, stay, lay_in_every_s=0.0) if self.in_turn else now.plan
        self.unknown = False  # a change could not be computed

    def tried(self, plan: Plan) -> Callable[[float | None], MediumUse | None]:
        """What the medium does in a changed plan, by how much what lies in it follows (None: in turns); nothing where that cannot be computed."""
        again = self.kitchen.cooked(plan)
        self.unknown = self.unknown or again is None
        found = next(((last, store) for first, last, store in medium_uses_of(plan) if first == self.stay.first), None)

        def stay(follows: float | None) -> MediumUse | None:
            if again is None or found is None:
                return None
            return medium_use_of(again, self.stay.first, *found, self.kitchen, follows)

        return stay

    def does(self, plan: Plan) -> bool:
        """Whether a changed plan's medium is not crowded."""
        tried = self.tried(plan)
        if self.in_turn:
            found = tried(self.stay.follows)
            return found is not None and found.holds(NEARLY)
        worst = tried(0.0)  # as if what lies in the pan took no less of a colder one
        if worst is None or worst.drop_k - worst.by_steam_k > worst.no_harm_k:
            return False
        if not worst.crowded:
            return True
        found = tried(None)
        return found is not None and not found.crowded

    def until(self, steps: range, wanted: bool, changed: Callable[[int], Plan]) -> int:
        """Index of the first of rising steps with which it does (``wanted``), or does no more; their number if none is."""
        return bisect_left(steps, True, key=lambda n: self.does(changed(n)) == wanted)


def _what_would_do(trials: _Trials, stay: MediumUse) -> list[Message]:
    """Single changes with which the medium is not crowded: a lid, fewer pieces at once, a heater, more of the medium."""
    usual, out = kinds()[stay.kind], list[Message]()
    if "lid_w_k" in usual and not stay.stated.get("lid") and trials.does(_with(trials.plan, stay, lid=True)):
        out.append(say("a lid on it"))
    count = count_in(trials.plan, stay.stated)
    fit = trials.until(range(1, count), False, lambda n: _of_count(trials.plan, stay, n))
    if fit:
        out.append(
            _batches(
                count, fit, trials.tried(_of_count(trials.plan, stay, fit))(stay.follows if trials.in_turn else None)
            )
        )
    if "most_w" in usual:
        steps = _steps(stay.store.heater_w, usual["most_w"], HEATER_STEP_W)
        least = trials.until(steps, True, lambda n: _with(trials.plan, stay, power_w=n * HEATER_STEP_W))
        if least < len(steps):
            burner = N_("a burner that brings {kw:.1f} kW into it instead of {has:.1f}")
            heater = N_("a heater of {kw:.1f} kW instead of {has:.1f}")
            kw, has = steps[least] * HEATER_STEP_W / 1000.0, stay.store.heater_w / 1000.0
            out.append(say(burner if stay.kind in BURNERS else heater, kw=kw, has=has))
    key, step = ("litres", LITRE_STEP) if "liquid" in usual else ("mass_kg", MASS_STEP_KG)
    most = usual.get(f"most_{key.removeprefix('mass_')}")
    if most is not None:
        has = float(stay.stated.get(key, usual[key]))
        steps = _steps(has, most, step)
        least = trials.until(steps, True, lambda n: _with(trials.plan, stay, **{key: n * step}))
        if least < len(steps):
            needs = steps[least] * step
            more = say("{needs:volume} instead of {has:volume}", needs=needs, has=has)
            out.append(more if key == "litres" else say("a heavier one, of {needs_g:mass}", needs_g=1000.0 * needs))
    return out


def _steps(has: float, most: float, step: float) -> range:
    """Whole steps above what it has, up to the most."""
    return range(math.floor(has / step + SAME) + 1, math.floor(most / step + SAME) + 1)


def _batches(count: int, fit: int, stay: MediumUse | None) -> Message:
    """So many pieces at once, in how many batches, and how long the medium comes back between them."""
    if fit == 1:
        return say("one at a time")
    many = -(-count // fit)
    sizes = [count // many + (i < count % many) for i in range(many)]
    if sizes[0] == sizes[-1]:
        how = say("{many} batches of {size}", many=many, size=sizes[0])
    else:
        how = say("{many} batches of {size} or {less}", many=many, size=sizes[0], less=sizes[-1])
    between = None if stay is None else _empty_back_s(stay)
    if between is None or between < BETWEEN_S:
        return say("at most {fit} at a time ({batches})", fit=fit, batches=how)
    return say(
        "at most {fit} at a time ({batches}, {minutes:.0f} min between them for it to come back)",
        fit=fit, batches=how, minutes=between / 60.0,
    )  # fmt: skip


def _empty_back_s(stay: MediumUse) -> float | None:
    """How long the medium, empty, needs to come back from where it ends, s; None where its heater does not bring it back."""
    wanted = float(stay.medium[0]) - BACK * stay.no_harm_k
    t = np.arange(0.0, LONGEST_BACK_S + BACK_STEP_S, BACK_STEP_S)
    medium = np.full(t.size, float(stay.medium[-1]))
    course(store_in(setup(stay.plan).schedule.faces[stay.first]), t, np.zeros(t.size), np.zeros(t.size), medium)
    back = np.flatnonzero(medium >= wanted)
    return float(t[back[0]]) if back.size else None


def _on_a_tray(plan: Plan) -> int:
    """How many of a plan's pieces lie on a tray with gaps, at least 1; a piece counts as a square of its own area."""
    volume = mass_kg(plan) / float(thermal_table(plan).density) * 1e9
    area = volume / min((float(v) for k, v in plan.shape.items() if k.endswith("_mm")), default=math.cbrt(volume))
    return max(int(TRAY_MM2 / (math.sqrt(area) + GAP_MM) ** 2), 1)


def _one_more_tray(now: CookedPlan, stay: MediumUse, kitchen: ComputeContext) -> list[Finding]:
    """What one more tray of the same pieces does to an oven or a cabinet, and to when they are ready."""
    if now.plan.also:
        return []
    count = count_in(now.plan, stay.stated)
    more = min(count, _on_a_tray(now.plan))
    again = kitchen.for_advice().cooked(_of_count(now.plan, stay, count + more))
    fuller = None if again is None else medium_use_of(again, stay.first, stay.last, stay.store, kitchen.for_advice())
    if again is None or fuller is None:
        return []
    was, now_ends = now.cook.stages[stay.last], again.cook.stages[stay.last]
    later, colder = now_ends.end_s - was.end_s, was.core_c - now_ends.core_c
    ready = say("they are ready as before")
    if later >= FELT_S:
        ready = say("they are ready {later_s:span} later", later_s=later)
    elif later <= -FELT_S:
        ready = say("they are ready {sooner_s:span} sooner, in moister air", sooner_s=-later)
    elif colder >= FELT_K:
        ready = say("after the same minutes the core is {colder_k:rise1} colder", colder_k=colder)
    words = say(
        "Stage {stage}: with one more tray (of {more}) {medium} falls by {fuller_k:rise1} instead of {drop_k:difference1}; {ready}.",
        stage=stay.first + 1, more=more, medium=say(MEDIA[stay.kind]), fuller_k=fuller.drop_k, drop_k=stay.drop_k, ready=ready,
    )  # fmt: skip
    return [Finding("one-more-tray", "note", words, "model, cooked again with so many more pieces")]
