"""What a measured log claims of each premise, at its limits, on made-up readings."""

from __future__ import annotations

import numpy as np
import pytest

from ember_core.book.foods import food_row
from ember_core.formats.plan import parse
from ember_core.plan.finding import Finding, Level
from ember_core.safety import claims_of_log as claims
from ember_core.safety.claims_of_log import OfLog, traits_of
from ember_core.safety.evidence import weigh
from ember_core.safety.forms import requirement
from ember_core.safety.premise import Basis
from ember_core.safety.rules import profile_of
from ember_core.safety.shared_claims import DAY_S
from ember_core.wording.message import say
from tests.core.safety.histories import UK, US

SHOWN, STATED, ASSUMED, UNKNOWN, BROKEN = (Basis.SHOWN, Basis.STATED, Basis.ASSUMED, Basis.UNKNOWN, Basis.BROKEN)
MET, SHORT = (
    {"met": True, "met_at_s": 600.0, "needs": "", "clause": "x"},
    {"met": False, "met_at_s": None, "needs": "", "clause": "x"},
)
WITHOUT = {"met": None, "met_at_s": None, "needs": "", "clause": None}
H = 3600.0


def plan_of(food="chicken-breast", kinds=("oven",), **piece):
    at_c = {"bath": {"medium_c": 80}, "oven": {"medium_c": 180}, "boil": {}}
    heat = [{"kind": k, "minutes": 30, **at_c[k]} for k in kinds]
    shape = piece.pop("shape", {"kind": "slab", "thickness_mm": 25})
    return parse(
        {
            "format": "open-ember.plan/1",
            "piece": {"food": food, "start_c": 4, "shape": shape, **piece},
            "stages": heat,
            "rules": US,
        }
    )


def read(
    t,
    low,
    high=None,
    *,
    rules=US,
    food="chicken-breast",
    guests="general",
    rule=SHORT,
    heated=0.0,
    cooked=0.0,
    findings=(),
    plan=None,
    open_=(),
):
    """What the claims are made from."""
    t, low = np.array(t, dtype=float), np.array(low, dtype=float)
    evidence = weigh(np.linspace(0.0, 600.0, 61), np.full(61, 60.0), None, None, fastest_k_s=0.5)
    required = requirement(food_row(food), None, path="--form")
    high = low if high is None else np.array(high, dtype=float)
    return OfLog(
        profile_of(rules), required, food, guests, rule, t, low, high, heated, cooked, evidence, findings, plan, open_
    )


def stop(code, level=Level.STOP):
    return Finding(code, level, say("why"), "a source")


RAW_DAYS = [
    # °C of the readings before its heat, how long (h), how many of them lie before it → basis
    (4.0, 47.0, 3, ASSUMED), (4.0, 49.0, 3, UNKNOWN), (4.0, 97.0, 2, BROKEN), (4.0, 49.0, 2, UNKNOWN), (12.0, 10.0, 3, BROKEN), (-8.0, 400.0, 3, ASSUMED),
    (4.0, 49.0, 1, ASSUMED),
]  # fmt: skip


@pytest.mark.parametrize(("c", "hours", "many", "basis"), RAW_DAYS)
def test_storage_as_far_as_it_was_read(c, hours, many, basis):
    """Two readings before its heat tell of it, one tells nothing."""
    before = np.linspace(0.0, hours * H, many) if many > 1 else np.array([hours * H])
    t, low = [*before, hours * H + 1800.0], [*([c] * many), 70.0]
    assert claims.storage(read(t, low, heated=hours * H)).basis is basis


def test_storage_takes_the_error_against_the_claim():
    """What may be warmer by the stated error is taken as so warm."""
    t, low = [0.0, 2 * H, 30 * H, 31 * H], [4.0, 4.0, 4.0, 70.0]
    assert claims.storage(read(t, low, [c + 8.0 for c in low], heated=30 * H)).basis is BROKEN
    assert claims.storage(read(t, low, heated=30 * H)).basis is ASSUMED


GROWN = [
    (45.0, 45.0, 1.0, "general", SHOWN),
    (45.0, 45.0, 6.0, "general", BROKEN),
    (30.0, 45.0, 6.0, "general", BROKEN),
    (45.0, 58.0, 6.0, "general", BROKEN),
]


@pytest.mark.parametrize(("low", "high", "hours", "guests", "basis"), GROWN)
def test_growth_takes_the_error_whichever_way_it_is_worse(low, high, hours, guests, basis):
    t = np.linspace(0.0, hours * H, 100)
    found = claims.growth(read(t, np.full(100, low), np.full(100, high), guests=guests))
    assert found.basis is basis
    if basis is SHOWN:
        assert "0." in found.needs or "1." in found.needs


@pytest.mark.parametrize(("many", "says"), [(0, "0.0"), (1, "0.0"), (2, "log10")])
def test_growth_of_hardly_a_reading_is_none(many, says):
    t = np.linspace(0.0, 6 * H, many) if many > 1 else np.zeros(many)
    found = claims.growth(read(t, np.full(many, 45.0)))
    assert says in found.needs
    assert (found.basis is SHOWN) is (many < 2)


MOIST = [
    # findings, whether its plan is known, open conditions, rule → basis
    ((), False, (), SHORT, ASSUMED), ((), True, (), SHORT, STATED), ((), True, ("is it?",), SHORT, UNKNOWN), ((), True, ("is it?",), MET, STATED),
    ((stop("moist-oven"),), True, (), MET, BROKEN), ((stop("moist-oven", Level.CARE),), False, (), MET, ASSUMED),
]  # fmt: skip


@pytest.mark.parametrize(("findings", "known", "open_", "rule", "basis"), MOIST)
def test_moisture(findings, known, open_, rule, basis):
    of = read([0.0, 600.0], [4.0, 70.0], rule=rule, findings=findings, plan=plan_of() if known else None, open_=open_)
    assert claims.moisture(of).basis is basis


FISH = [
    (MET, None, "hake", SHOWN), (SHORT, None, "hake", UNKNOWN), (SHORT, {}, "hake", UNKNOWN), (SHORT, {"handling": ["frozen"]}, "hake", STATED),
    (SHORT, {"handling": ["pellet-fed"]}, "hake", STATED), (SHORT, {"handling": ["scored"]}, "hake", UNKNOWN), (SHORT, None, "tuna", STATED),
]  # fmt: skip


@pytest.mark.parametrize(("rule", "piece", "food", "basis"), FISH)
def test_parasites(rule, piece, food, basis):
    plan = None if piece is None else plan_of(food, **piece)
    assert claims.freezing(read([0.0, 600.0], [4.0, 50.0], rule=rule, food=food, plan=plan)).basis is basis


MUSSELS = [
    # times and readings, handling → basis under UK guidance (90 °C for 90 s)
    ([0, 600, 660, 720], [4, 91, 91, 91], (), SHOWN), ([0, 600, 630, 700], [4, 91, 91, 60], (), UNKNOWN), ([0, 600, 660, 720], [4, 89, 89, 89], (), UNKNOWN),
    ([0, 600, 660, 720], [4, 70, 70, 70], ("cleanest-waters",), STATED), ([600], [91], (), UNKNOWN), ([0, 90], [91, 91], (), SHOWN), ([0, 600, 690, 700], [4, 89, 91, 60], (), UNKNOWN),
]  # fmt: skip


@pytest.mark.parametrize(("t", "c", "handling", "basis"), MUSSELS)
def test_bivalves(t, c, handling, basis):
    plan = plan_of("mussel", handling=list(handling)) if handling else plan_of("mussel")
    assert claims.origin(read(t, c, rules=UK, food="mussel", plan=plan)).basis is basis


def test_a_soft_egg_that_is_no_hens():
    duck = plan_of("egg-whole", kinds=("boil",), shape={"kind": "egg", "mass_g": 70, "species": "duck"})
    hen = plan_of("egg-whole", kinds=("boil",), shape={"kind": "egg", "mass_g": 57, "species": "hen"})
    t, c = [0.0, 600.0], [4.0, 64.0]
    for plan, food, rules, rule, basis in (
        (duck, "egg-whole", UK, SHORT, BROKEN), (duck, "egg-whole", UK, MET, STATED), (duck, "egg-whole", US, SHORT, STATED),
        (hen, "egg-whole", UK, SHORT, STATED), (None, "egg-whole", UK, SHORT, STATED), (None, "egg-duck", UK, SHORT, BROKEN),
    ):  # fmt: skip
        assert claims.eggs(read(t, c, rules=rules, food=food, rule=rule, plan=plan)).basis is basis


EATEN = [
    # guests, food, what the rule says, core → basis; without a clause of its own the Food Code's counts
    ("general", "chicken-breast", SHORT, 50.0, STATED), ("susceptible", "chicken-breast", MET, 60.0, SHOWN),
    ("susceptible", "chicken-breast", SHORT, 80.0, BROKEN), ("susceptible", "hake", WITHOUT, 64.0, SHOWN),
    ("susceptible", "hake", WITHOUT, 60.0, BROKEN), ("susceptible", "carrot", WITHOUT, 20.0, STATED),
    ("susceptible", "carrot", SHORT, 20.0, STATED),
]  # fmt: skip


@pytest.mark.parametrize(("guests", "food", "rule", "core_c", "basis"), EATEN)
def test_guests(guests, food, rule, core_c, basis):
    t = np.arange(0.0, 620.0, 10.0)
    assert claims.guests(read(t, np.full(t.size, core_c), guests=guests, food=food, rule=rule)).basis is basis


def test_one_reading_cooks_nothing_for_susceptible_guests():
    t = np.arange(0.0, 620.0, 10.0)
    once = np.where(t == 300.0, 90.0, 50.0)
    assert claims.guests(read(t, once, guests="susceptible", food="hake", rule=WITHOUT)).basis is BROKEN


@pytest.mark.parametrize("level", [Level.STOP, Level.CARE])
@pytest.mark.parametrize(
    ("claim", "code"),
    [("come_up", "come-up"), ("warm_time", "warm-after-cooking"), ("cooling", "cooling"), ("cooling", "begin-of-chilling"), ("cooling", "other")],
)  # fmt: skip
def test_what_a_finding_stops_is_broken(claim, code, level):
    broken = level == Level.STOP and code != "other"
    of = read([0.0, 600.0], [4.0, 60.0], findings=[stop(code, level)])
    assert getattr(claims, claim)(of).basis is (BROKEN if broken else SHOWN)


# what is known of its plan, profile, °C, days → basis; a plan with a bath has it as a pouch, an unknown one may be either
KEPT = [
    (("oven",), US, 4.0, 6.9, SHOWN), (("oven",), US, 4.0, 7.2, BROKEN), (("bath",), US, 1.0, 20.0, SHOWN), (("oven",), US, 1.0, 20.0, BROKEN),
    (("bath", "oven"), US, 1.0, 20.0, SHOWN), (None, US, 4.0, 7.2, BROKEN), (None, US, 4.0, 6.0, SHOWN), (("oven",), US, 9.6, 2.0, BROKEN),
    (("oven",), US, 10.4, 9.0, SHOWN), (("oven",), US, -8.0, 60.0, SHOWN), (("bath",), UK, 7.0, 9.9, SHOWN), (("bath",), UK, 7.0, 10.2, BROKEN),
    (("oven",), UK, 3.0, 5.5, BROKEN), (("oven",), UK, 3.0, 4.5, SHOWN),
]  # fmt: skip


@pytest.mark.parametrize(("kinds", "rules", "at_c", "days", "basis"), KEPT)
def test_shelf_life(kinds, rules, at_c, days, basis):
    t = [0.0, 1800.0, 1860.0, 0.5 * days * DAY_S, 1860.0 + days * DAY_S]
    c = [70.0, 70.0, at_c, at_c, at_c]
    of = read(t, c, rules=rules, cooked=1800.0, plan=None if kinds is None else plan_of(kinds=kinds))
    assert claims.shelf(of).basis is basis


def test_growth_that_cannot_be_told_is_open_whichever_way_it_is_worse():
    """1.7 h at 45 °C grow more than is allowed for, whether that is the cold end of what was read or the warm one."""
    t = np.linspace(0.0, 1.7 * H, 100)
    for low, high in ((45.0, 58.0), (30.0, 45.0), (45.0, 45.0)):
        assert claims.growth(read(t, np.full(100, low), np.full(100, high))).basis is UNKNOWN


def test_what_heat_killed_on_the_way_counts_too():
    """Two hours and a half at 45 °C, then 65 °C: nothing lives, and it is not known whether a toxin stands."""
    t = np.linspace(0.0, 4 * H, 200)
    c = np.where(t < 2.2 * H, 45.0, 66.0)
    assert claims.growth(read(t, c)).basis is UNKNOWN


def test_shelf_life_of_two_readings_is_told():
    assert claims.shelf(read([0.0, 9 * DAY_S], [4.0, 4.0], plan=plan_of())).basis is BROKEN


def test_shelf_life_of_one_reading_is_eaten_within_a_day():
    found = claims.shelf(read([0.0, 1800.0], [70.0, 70.0], cooked=1800.0))
    assert (found.basis, str(found.needs)) == (SHOWN, "Eaten within a day.")


COURSES = [([4, 70, 60], False), ([4, 70, 10.0], False), ([4, 70, 9.9], True), ([4, 9, 70, 50], False), ([], False)]


@pytest.mark.parametrize(("readings", "chilled"), COURSES)
def test_traits(readings, chilled):
    """Chilled is what falls below 10 °C after its hottest, not what began there."""
    high = np.array(readings, dtype=float)
    for food, has in (
        ("chicken-breast", {"animal"}),
        ("hake", {"animal", "fish"}),
        ("mussel", {"bivalve"}),
        ("egg-whole", {"egg", "animal"}),
        ("carrot", set()),
    ):
        found = traits_of(requirement(food_row(food), None, path="--form"), food, None, high, False)
        assert has | {"log", "conditions"} <= found
        assert ("chilled" in found) is chilled
        assert not found & {"pieces", "beside"}
        assert ("animal" in found) is (food != "carrot")
        assert ("fish" in found) is (food == "hake")
    several = traits_of(requirement(food_row("hake"), None, path="--form"), "hake", plan_of("hake"), high, True)
    assert "pieces" in several
    assert "beside" not in several


BETWEEN = [
    # food, readings (10 s apart) → basis for highly susceptible guests: a row's time counts from the first reading that is past it
    ("hake", [60.0, 65.8, 65.8, 55.0], BROKEN), ("hake", [60.0, 65.8, 65.8, 65.8, 55.0], SHOWN), ("chicken-breast", [75.0, 75.0], SHOWN),
    ("chicken-breast", [75.0], BROKEN),
]  # fmt: skip


@pytest.mark.parametrize(("food", "readings", "basis"), BETWEEN)
def test_guests_by_few_readings(food, readings, basis):
    t = 10.0 * np.arange(len(readings))
    assert claims.guests(read(t, readings, guests="susceptible", food=food, rule=WITHOUT)).basis is basis


@pytest.mark.parametrize(("readings", "basis"), [([89.0, 95.0, 95.0], UNKNOWN), ([89.0, 95.0, 95.0, 95.0], SHOWN)])
def test_bivalves_by_readings_a_minute_apart(readings, basis):
    """90 °C for 90 s: what lies between a reading below and one above it is not counted."""
    t = 60.0 * np.arange(len(readings))
    assert claims.origin(read(t, readings, rules=UK, food="mussel", plan=plan_of("mussel"))).basis is basis
