"""What a history claims of each premise, at its limits: made-up courses, so that every number of a limit is met from both sides."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from ember_core.book.foods import food_row
from ember_core.data.loader import read_toml
from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.course import StageOutcome
from ember_core.heat.setup import setup
from ember_core.plan.finding import Finding, Level
from ember_core.safety import claims_of_plan as claims
from ember_core.safety.claims_of_plan import OfPlan, traits_of
from ember_core.safety.forms import requirement
from ember_core.safety.history import History
from ember_core.safety.premise import (
    Basis,
    Premise,
    Row,
    basis_of_premise,
    collect_premises,
    merge_premises,
    replace_premises,
    table,
)
from ember_core.safety.rules import profile_of
from ember_core.safety.shared_claims import DAY_S, of_growth, of_raw_life, of_shelf, stand_in_clause
from ember_core.wording.message import say
from tests.core.safety.histories import UK, US

COMPUTED, STATED, ASSUMED, UNKNOWN, BROKEN = (
    Basis.COMPUTED, Basis.STATED, Basis.ASSUMED, Basis.UNKNOWN, Basis.BROKEN,
)  # fmt: skip
MET, SHORT = {"met": True, "met_at_s": 600.0}, {"met": False, "met_at_s": None}
PIECE = {"food": "chicken-breast", "start_c": 4, "shape": {"kind": "slab", "thickness_mm": 25}}
WITHOUT = {"met": None, "met_at_s": None, "clause": None}
FSIS = "us-fsis-appendix-a"
H = 3600.0


def plan_of(stages=None, rules=US, guests="general", **piece):
    """A plan of these stages, by default an oven."""
    stages = stages or [{"kind": "oven", "minutes": 30, "medium_c": 180}]
    return parse(
        {"format": "open-ember.plan/1", "piece": PIECE | piece, "stages": stages, "rules": rules, "guests": guests}
    )


def made(course, stages, plan=None, rule=SHORT, findings=(), seared=False, open_=()):
    """What the claims are made from, of a made-up course: (s, coldest, hottest) and (kind, start, end)."""
    plan = plan or plan_of()
    t, coldest, hottest = (np.array(x, dtype=float) for x in zip(*course, strict=True))
    outcomes = tuple(StageOutcome(kind, a, b, 0.0, 0.0, "clock") for kind, a, b in stages)
    field = np.stack([coldest, hottest], axis=1)
    cook = replace(
        run(plan, setup(plan)), t=t, core=coldest, field=field, elsewhere=np.empty((t.size, 0)), stages=outcomes
    )
    told = {"clause": "none", "needs": say("needed"), **rule}
    return OfPlan(History(plan, cook, told, profile_of(US)), told, findings, seared, open_)


def flat(c, hours, step=0.25):
    return [(s, c, c) for s in np.arange(0.0, hours * H + 1.0, step * H)]


def stop(code, level=Level.STOP):
    return Finding(code, level, say("why {code}", code=code), "a source")


OVEN = [("oven", 0.0, 1800.0)]


def test_the_gravest_finding_counts_wherever_it_stands():
    for order in (
        (Level.NOTE, Level.STOP, Level.CARE),
        (Level.STOP, Level.CARE, Level.NOTE),
        (Level.CARE, Level.NOTE, Level.STOP),
    ):
        of = made(flat(60, 0.5), OVEN, findings=[stop("holding", level) for level in order])
        assert of.found("holding").level == Level.STOP
        assert of.found("cooling") is None


SOFT, HARD = {"h_w_m2k": 20, "emissivity": 0.9, "wet": False}, {"h_w_m2k": 400, "emissivity": 0, "wet": False}
HEATS = [
    # stage, mass (g) → what the heat stands on, and a number that it says
    ({"kind": "bath", "medium_c": 60}, 8000.0, STATED, ""), ({"kind": "bath", "medium_c": 60}, 8100.0, UNKNOWN, "8 kg"),
    ({"kind": "oven", "faces": {"a": {"medium_c": 180, "surface": HARD}, "b": {"medium_c": 180, "surface": SOFT}}}, None, UNKNOWN, "400"),
    ({"kind": "bath", "medium_c": 60}, None, STATED, ""), ({"kind": "bath", "medium_c": 60, "load": {"litres": 60, "heater_w": 2000}}, 9000.0, STATED, ""),
    ({"kind": "oven", "medium_c": 180}, 9000.0, STATED, ""),
    ({"kind": "oven", "medium_c": 180, "surface": {"h_w_m2k": 300}}, None, STATED, ""),
    ({"kind": "oven", "medium_c": 180, "surface": {"h_w_m2k": 301}}, None, UNKNOWN, "301"),
]  # fmt: skip


@pytest.mark.parametrize(("stage", "mass_g", "basis", "says"), HEATS)
def test_heat(stage, mass_g, basis, says):
    plan = plan_of([{"minutes": 30, **stage}], **({} if mass_g is None else {"mass_g": mass_g}))
    found = claims.heat(made(flat(60, 0.5), [(stage["kind"], 0.0, 1800.0)], plan))
    assert found.basis is basis
    assert says in found.needs


TWO_HEATS = [("oven", 0.0, 1800.0), ("rest", 1800.0, 8 * H), ("oven", 8 * H, 9 * H)]


@pytest.mark.parametrize(("hours", "basis"), [(5.9, COMPUTED), (6.1, BROKEN)])
def test_come_up_counts_to_the_last_heat_of_what_is_never_cooked(hours, basis):
    course = [(s, 30.0 if s <= hours * H else 58.0, 60.0) for s in np.arange(0.0, 9 * H + 1, 60.0)]
    assert claims.come_up(made(course, TWO_HEATS)).basis is basis
    assert claims.come_up(made(course, TWO_HEATS, rule={"met": True, "met_at_s": 1800.0})).basis is COMPUTED


STARTS = [(24.0, ASSUMED), (25.0, ASSUMED), (25.5, UNKNOWN), (54.0, UNKNOWN), (54.4, ASSUMED), (54.9, ASSUMED)]


@pytest.mark.parametrize(("start_c", "basis"), STARTS)
def test_storage_by_how_warm_it_begins(start_c, basis):
    assert claims.storage(made(flat(60, 0.5), OVEN, plan_of(start_c=start_c))).basis is basis


# profile, species, form, food, days → basis; None: nothing
RAW = [
    (US, "chicken", "poultry", "chicken-breast", 2.0, None), (US, "chicken", "poultry", "chicken-breast", 2.1, UNKNOWN),
    (US, "chicken", "poultry", "chicken-breast", 4.0, UNKNOWN), (US, "chicken", "poultry", "chicken-breast", 4.1, BROKEN),
    (US, "fish", "fish", "mackerel", 3.0, None), (US, "fish", "fish", "mackerel", 3.1, BROKEN), (US, "fish", "fish", "hake", 3.1, UNKNOWN),
    (US, "fish", "fish", "hake", 6.1, BROKEN), (US, "beef", "steak", "beef-lean", 5.0, None), (US, "beef", "steak", "beef-lean", 9.9, UNKNOWN),
]  # fmt: skip


@pytest.mark.parametrize(("profile", "species", "form", "food", "days", "basis"), RAW)
def test_raw_life(profile, species, form, food, days, basis):
    found = of_raw_life(profile, species, form, food, days)
    assert (None if found is None else found.basis) is basis


def test_days_raw_are_days():
    """Two days of 86,400 s before its heat are within the chart, an hour more is not."""
    for hours, basis in ((48.0, ASSUMED), (49.0, UNKNOWN)):
        course = [*flat(4.0, hours), (hours * H + 1800.0, 80.0, 80.0)]
        stages = [("chill", 0.0, hours * H), ("oven", hours * H, hours * H + 1800.0)]
        assert claims.storage(made(course, stages)).basis is basis


@pytest.mark.parametrize(("warm_h", "basis"), [(3.9, COMPUTED), (4.1, BROKEN)])
def test_warm_time_counts_since_the_last_heat_of_what_is_not_cooked(warm_h, basis):
    """Not since its first: what was warm between two heats is of the come-up."""
    t = np.arange(0.0, (9 + warm_h) * H + 1, 30.0)
    course = [(s, 30.0, 60.0) for s in t]
    stages = [*TWO_HEATS, ("rest", 9 * H, (9 + warm_h) * H)]
    assert claims.warm_time(made(course, stages)).basis is basis


def test_what_is_chilled_is_not_counted_as_warm():
    """A chill that keeps has clocks of its own, its last interval too; the one after it counts."""
    t = [0.0, 1800.0, 1800.0 + 4 * H, 1800.0 + 8 * H, 1800.0 + 8 * H + 120.0, 1800.0 + 12.2 * H]
    warm = [
        (0.0, 60.0, 60.0),
        (t[1], 60.0, 60.0),
        (t[2], 30.0, 30.0),
        (t[3], 8.0, 8.0),
        (t[4], 8.0, 8.0),
        (t[5], 8.0, 8.0),
    ]
    stages = [*OVEN, ("chill", t[1], t[3]), ("rest", t[3], t[5])]
    assert (
        claims.warm_time(made(warm, stages, rule={"met": True, "met_at_s": 1800.0})).basis is BROKEN
    )  # 8 °C is no cold holding
    cold = [(s, min(a, 4.0) if s >= t[3] else a, b) for s, a, b in warm]
    assert claims.warm_time(made(cold, stages, rule={"met": True, "met_at_s": 1800.0})).basis is COMPUTED


# living, all of it, guests → basis
GROWN = [
    (0.99, 0.99, "general", COMPUTED), (1.0, 1.0, "general", UNKNOWN), (0.9, 1.99, "general", COMPUTED), (0.9, 2.0, "general", UNKNOWN),
    (2.99, 2.99, "general", UNKNOWN), (3.0, 3.0, "general", BROKEN), (0.0, 3.0, "general", BROKEN), (0.49, 0.49, "susceptible", COMPUTED),
    (0.5, 0.5, "susceptible", UNKNOWN), (0.4, 1.0, "susceptible", UNKNOWN), (0.4, 0.99, "susceptible", COMPUTED), (1.5, 1.5, "susceptible", BROKEN),
]  # fmt: skip


@pytest.mark.parametrize(("living", "all_of_it", "guests", "basis"), GROWN)
def test_growth(living, all_of_it, guests, basis):
    assert of_growth(living, all_of_it, guests, COMPUTED, "x").basis is basis


@pytest.mark.parametrize(
    ("findings", "open_", "rule", "basis"),
    [
        ((), (), SHORT, STATED), ((stop("moist-oven"),), (), MET, BROKEN), ((stop("moist-oven", Level.CARE),), (), MET, STATED),
        ((), ("is it moist?",), SHORT, UNKNOWN), ((), ("is it moist?",), MET, STATED),
    ],
)  # fmt: skip
def test_moisture(findings, open_, rule, basis):
    assert claims.moisture(made(flat(60, 0.5), OVEN, rule=rule, findings=findings, open_=open_)).basis is basis


HAKE = {"food": "hake"}
FISH = [
    # coldest, hottest (°C), rule, seared, handling, food → basis
    (70, 70, MET, False, (), "hake", COMPUTED), (50, 50, MET, True, (), "hake", UNKNOWN), (50, 50, SHORT, False, (), "hake", UNKNOWN),
    (64, 66, SHORT, False, (), "hake", COMPUTED), (50, 66, SHORT, False, (), "hake", UNKNOWN), (50, 50, SHORT, False, ("frozen",), "hake", STATED),
    (50, 50, SHORT, False, ("pellet-fed",), "hake", STATED),
]  # fmt: skip


@pytest.mark.parametrize(("coldest", "hottest", "rule", "seared", "handling", "food", "basis"), FISH)
def test_parasites(coldest, hottest, rule, seared, handling, food, basis):
    plan = plan_of(food=food, **({"handling": list(handling)} if handling else {}))
    course = [(s, coldest, hottest) for s in (0.0, 600.0, 1200.0, 1800.0)]
    assert claims.freezing(made(course, OVEN, plan, rule, seared=seared)).basis is basis


def test_parasites_die_between_two_samples_too():
    """A computed course is read between its samples: above 63 °C for 15 s in the middle of a minute."""
    course = [(0.0, 50.0, 50.0), (100.0, 62.0, 62.0), (160.0, 66.0, 66.0), (220.0, 62.0, 62.0)]
    assert claims.freezing(made(course, [("oven", 0.0, 220.0)], plan_of(food="hake"))).basis is COMPUTED


def test_parasites_die_of_frost_alone():
    course = [(s, -21.0, -20.5) for s in (0.0, 4 * DAY_S, 8 * DAY_S)] + [(8 * DAY_S + 600.0, 45.0, 45.0)]
    stages = [("chill", 0.0, 8 * DAY_S), ("oven", 8 * DAY_S, 8 * DAY_S + 600.0)]
    assert claims.freezing(made(course, stages, plan_of(food="hake"))).basis is COMPUTED


@pytest.mark.parametrize(
    ("guests", "rule", "seared", "found", "basis", "says"),
    [
        ("general", SHORT, False, (), STATED, "general"), ("susceptible", MET, False, (), COMPUTED, "Cooked"), ("susceptible", MET, True, (), BROKEN, "no raw"),
        ("susceptible", SHORT, False, (), BROKEN, "no raw"), ("susceptible", WITHOUT, False, (), BROKEN, "no raw"),
    ],
)  # fmt: skip
def test_guests(guests, rule, seared, found, basis, says):
    premise = claims.guests(made(flat(60, 0.5), OVEN, plan_of(guests=guests), rule, found, seared))
    assert premise.basis is basis
    assert says in premise.needs


COOKED_ELSEWHERE = [
    # food, form, °C → basis, where the profile has no clause: the Food Code's, by its own conditions on the heat
    ("hake", None, 63.5, COMPUTED), ("hake", None, 62.0, BROKEN), ("carrot", None, 20.0, STATED), ("tofu-firm", None, 20.0, STATED),
    ("beef-lean", "steak", 64.0, COMPUTED), ("beef-lean", "steak", 61.0, BROKEN), ("chicken-breast", None, 72.0, BROKEN), ("chicken-breast", None, 75.0, COMPUTED),
]  # fmt: skip


@pytest.mark.parametrize(("food", "form", "core_c", "basis"), COOKED_ELSEWHERE)
def test_guests_where_the_profile_has_no_clause(food, form, core_c, basis):
    """What is cooked by the Food Code is not raw or undercooked, whatever profile has no number for it."""
    plan = plan_of(guests="susceptible", food=food, **({"form": form} if form else {}))
    of = made(flat(core_c, 0.5, step=0.01), OVEN, plan, WITHOUT)
    premise = claims.guests(of)
    assert premise.basis is basis
    assert ("3-401" in premise.needs) is (basis is COMPUTED)


@pytest.mark.parametrize(
    ("took", "level", "basis"),
    [
        (899.0, Level.CARE, COMPUTED),
        (900.0, Level.CARE, UNKNOWN),
        (900.0, Level.NOTE, COMPUTED),
        (900.0, Level.STOP, BROKEN),
    ],
)
def test_cooling_that_has_only_begun(took, level, basis):
    """A dip of a quarter of an hour at the end keeps the food, a shorter one stops the cooking."""
    course = [(0.0, 70.0, 70.0), (1800.0, 70.0, 70.0), (1800.0 + took, 15.0, 20.0)]
    of = made(course, [*OVEN, ("chill", 1800.0, 1800.0 + took)], findings=[stop("cooling", level)])
    assert claims.cooling(of).basis is basis


# how it was cooked, at how much it lies (°C), days → basis
SHELF = [
    ("oven", 4.0, 6.9, COMPUTED), ("oven", 4.0, 7.2, BROKEN), ("oven", 10.4, 9.0, COMPUTED), ("oven", 9.9, 2.0, BROKEN), ("oven", -6.0, 40.0, COMPUTED),
    ("bath", 4.0, 6.9, COMPUTED), ("bath", 4.0, 7.2, BROKEN), ("bath", 0.5, 20.0, COMPUTED), ("oven", 0.5, 20.0, BROKEN), ("oven", 4.0, 0.9, COMPUTED),
]  # fmt: skip


@pytest.mark.parametrize(("kind", "at_c", "days", "basis"), SHELF)
def test_shelf_life_counts_what_lies_between_frost_and_ten_degrees(kind, at_c, days, basis):
    end = 1800.0 + days * DAY_S
    course = [(0.0, 70.0, 70.0), (1800.0, 70.0, 70.0), (1860.0, at_c, at_c), (0.5 * end, at_c, at_c), (end, at_c, at_c)]
    heat = {"kind": kind, "minutes": 30, "medium_c": 70}
    of = made(course, [(kind, 0.0, 1800.0), ("chill", 1800.0, end)], plan_of([heat]), MET)
    assert claims.shelf(of).basis is basis


# profile, what, days, °C → basis
KEPT = [
    (US, "ready-to-eat", 1.0, 5.0, COMPUTED), (US, "ready-to-eat", 7.0, 5.0, COMPUTED), (US, "ready-to-eat", 7.01, 5.0, BROKEN),
    (UK, "ready-to-eat", 5.0, 3.0, COMPUTED), (UK, "ready-to-eat", 5.1, 3.0, BROKEN), (UK, "ready-to-eat", 3.0, 8.0, UNKNOWN),
    (UK, "ready-to-eat", 3.1, 8.0, BROKEN), (UK, "ready-to-eat", 2.0, 8.5, BROKEN), (US, "ready-to-eat", 1.1, 9.0, BROKEN),
    (FSIS, "ready-to-eat", 7.0, 4.0, ASSUMED), (FSIS, "ready-to-eat", 7.0, 6.4, ASSUMED), (FSIS, "ready-to-eat", 7.1, 4.0, UNKNOWN),
    (FSIS, "ready-to-eat", 14.0, 4.0, UNKNOWN), (FSIS, "ready-to-eat", 14.1, 4.0, BROKEN),
]  # fmt: skip


@pytest.mark.parametrize(("profile", "keep", "days", "at_c", "basis"), KEPT)
def test_shelf_life_at_its_limits(profile, keep, days, at_c, basis):
    assert of_shelf(profile, keep, days * DAY_S, at_c, COMPUTED, "x").basis is basis


CHILL, REST = ("chill", 1800.0, 9000.0), ("rest", 9000.0, 12000.0)
TRAITS = [
    # plan, course of the hottest after the oven, stages after it, seared → traits that must be there, and must not
    ({}, 60.0, [REST], False, {"animal", "conditions"}, {"fish", "bivalve", "egg", "whole", "chilled", "reheated", "interrupted", "held"}),
    (HAKE, 60.0, [REST], False, {"animal", "fish"}, {"bivalve", "egg"}), ({"food": "mussel"}, 60.0, [REST], False, {"bivalve"}, {"egg"}),
    ({"food": "prawn"}, 60.0, [REST], False, {"animal"}, {"bivalve", "fish"}),
    ({}, 10.0, [REST], False, {"chilled"}, {"reheated"}), ({}, 10.5, [REST], False, set(), {"chilled"}), ({}, 8.0, [CHILL], False, {"chilled"}, {"interrupted", "reheated"}),
    ({}, 8.0, [CHILL, ("oven", 9000.0, 12000.0)], False, {"chilled", "interrupted", "reheated"}, {"held"}),
    ({}, 60.0, [("hold", 9000.0, 12000.0)], True, {"held", "whole"}, {"chilled"}),
]  # fmt: skip


@pytest.mark.parametrize(("piece", "after_c", "stages", "seared", "has", "lacks"), TRAITS)
def test_traits(piece, after_c, stages, seared, has, lacks):
    course = [(0.0, 70.0, 70.0), (1800.0, 70.0, 70.0), (9000.0, after_c, after_c), (12000.0, after_c, after_c)]
    of = made(course, [*OVEN, *stages], plan_of(**piece), MET)
    found = traits_of(of.h, seared, beside=False, pieces=False)
    assert has <= found
    assert not lacks & found
    assert traits_of(of.h, seared, beside=True, pieces=True) - found == {"beside", "pieces"}


def test_of_equal_claims_the_first_is_said():
    """A later claim replaces only a better one."""
    row = next(r for r in table() if r.id == "heat")
    first, second = (Premise("heat", UNKNOWN, say("x"), say("{n}", n=n)) for n in (1, 2))
    assert collect_premises([row], [first, second])[0] is first
    assert merge_premises([[first], [second]]) == (first,)


def test_what_is_met_has_nothing_remaining():
    rule = {
        "met": None,
        "met_at_s": 60.0,
        "remaining_s": 5.0,
        "clause": "c",
        "needs": "",
        "premises": [Premise("clause", UNKNOWN, say("x"), say("y")).as_dict()],
    }
    done = replace_premises(rule, Premise("clause", COMPUTED, say("x"), say("z")))
    assert (done["met"], done["remaining_s"]) == (True, 0.0)


def test_a_row_is_asked_by_trait_and_by_profile():
    for row in table():
        for profile in (US, UK):
            named = not row.profiles or profile in row.profiles
            assert row.asked(frozenset(row.when), profile) is named
            assert row.asked(frozenset({"no such trait"}), profile) is (named and not row.when)


def test_between_two_samples_of_a_computed_cook_it_is_above_for_a_while():
    """60 to 65.8 and back within 40 s: 19 s above 63 °C as it rises and falls, none of it at a sample."""
    required = requirement(food_row("hake"), None, path="x")
    t, c = np.array([0.0, 20.0, 40.0]), np.array([[60.0], [65.8], [60.0]])
    assert stand_in_clause(required, t, c).id == "3-401.11(A)(1)"
    assert stand_in_clause(required, t, c, interpolate=False) is None
    assert stand_in_clause(required, t, np.minimum(c, 64.0)) is None


def test_a_clause_for_roasts_stands_in_only_where_its_oven_is_known():
    """Two hours at 55 °C: by the Food Code's clause for whole roasts, which asks for an oven of its own kind."""
    t = np.arange(0.0, 4.0 * H, 60.0)
    c = np.where((t > H) & (t < 3.5 * H), 57.5, 20.0)[:, None]
    roast = {"food": "beef-lean", "form": "roast", "shape": {"kind": "slab", "thickness_mm": 60}, "mass_g": 2000}
    kept, dry = (
        plan_of([{"kind": k, "minutes": 240, "medium_c": at}], **roast) for k, at in (("bath", 60), ("oven", 90))
    )
    assert stand_in_clause(kept.required, t, c) is None
    assert stand_in_clause(kept.required, t, c, dry) is None
    assert stand_in_clause(kept.required, t, c, kept).id.startswith("3-401.11(B)")


def test_a_day_to_the_second_and_the_tenth_of_a_degree():
    """What is eaten within a day keeps nothing; 5.04 °C is 5, 5.06 is more."""
    within = read_toml("storage.toml")["kept"]["within_s"]
    assert str(of_shelf(US, "ready-to-eat", within, 4.0, COMPUTED, "x").needs) == "Eaten within a day."
    assert str(of_shelf(US, "ready-to-eat", within + 1.0, 4.0, COMPUTED, "x").needs) != "Eaten within a day."
    near, far = (of_shelf(US, "ready-to-eat", 6.0 * DAY_S, c, COMPUTED, "x") for c in (5.04, 5.06))
    assert near.basis is COMPUTED
    assert far.basis is not COMPUTED


def test_a_row_is_asked_by_trait_and_profile():
    row = Row("x", "", frozenset({"fish"}), frozenset({"uk-fsa"}), frozenset())
    assert [row.asked(frozenset(t), p) for t, p in (({"fish"}, "uk-fsa"), ({"fish"}, US), (set(), "uk-fsa"))] == [
        True,
        False,
        False,
    ]


def test_what_one_premise_stands_on():
    rule = {"premises": [{"id": "clause", "state": "computed"}, {"id": "parts", "state": "shown"}]}
    assert [basis_of_premise(rule, i) for i in ("clause", "parts", "heat")] == [COMPUTED, Basis.SHOWN, None]
