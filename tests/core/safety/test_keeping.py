"""Cooling, holding, reheating, time as a control, and the house's own rules."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ember_core.data.loader import read_toml
from ember_core.errors import InputError, ValueRangeError
from ember_core.formats.plan import parse
from ember_core.planning.compute import compute
from ember_core.safety.conditions import in_force
from ember_core.safety.keeping import (
    check_cooling,
    check_egg_product,
    check_holding,
    check_raw,
    check_reheating,
    parasites_controlled,
    shelf_life,
    time_out_of_control,
)
from ember_core.safety.rules import dominates, house_profile, profiles
from tests.conftest import plan_document

PROFILES = ["us-food-code-2022", "us-fsis-appendix-a", "uk-fsa", "anz-fsanz-3.2.2", "house"]


def fall(*corners):
    """Readings every five minutes through corners (hours, °C)."""
    hours, celsius = zip(*corners, (corners[-1][0] + 0.2, corners[-1][1]), strict=True)
    t = np.arange(0.0, hours[-1] * 3600 + 1, 300.0)
    return t, np.interp(t, np.array(hours) * 3600, celsius)


COOLING = [
    # the clauses' own corners, met and just missed (Food Code 3-501.14, FSIS Appendix B, UK cook-chill, FSANZ 3.2.2)
    ("us-food-code-2022", [(0, 57), (1.9, 20.9), (5.8, 4.9)], [True, True]),
    ("us-food-code-2022", [(0, 57), (2.6, 21), (5.8, 4.9)], [False, True]),
    ("us-food-code-2022", [(0, 57), (1.9, 20.9), (7, 4.9)], [True, False]),
    ("us-food-code-2022", [(0, 57), (1.9, 20.9), (3, 12)], [True, False]),
    ("us-fsis-appendix-a", [(0, 54), (1.4, 26.5), (5, 4)], [True, True]),
    ("us-fsis-appendix-a", [(0, 54), (2, 26.5), (5, 4)], [False, True]),
    ("anz-fsanz-3.2.2", [(0, 60), (1.9, 20.9), (5.7, 4.9)], [True, True]),
    ("anz-fsanz-3.2.2", [(0, 60), (1.9, 20.9), (6.5, 4.9)], [True, False]),
    ("uk-fsa", [(0, 75), (1.9, 2.9)], [True]),
    ("uk-fsa", [(0, 75), (2.3, 2.9)], [False]),
    ("house", [(0, 57), (1.9, 20.9), (5.8, 4.9)], [True, True]),
]


@pytest.mark.parametrize(("profile", "corners", "met"), COOLING)
def test_cooling_clauses(profile, corners, met):
    """Each step of each clause, met and just missed; a failed step says what to do."""
    checks = check_cooling(profile, *fall(*corners))
    assert [c.met for c in checks] == met
    for check in checks:
        assert check.clause
        assert check.finding().level == ("note" if check.met else "stop")
        assert check.met or "iscard" in check.message or "assess" in check.message


@pytest.mark.parametrize(("apart", "measured", "met"), [(1800, True, True), (1801, True, False), (1801, False, True)])
def test_half_an_hour_without_a_reading_is_not_shown(apart, measured, met):
    """In a log; a computed history says what lies between its samples."""
    t = np.arange(8) * float(apart)
    c = np.array([56.0, 40.0, 30.0, 20.9, 15.0, 10.0, 6.0, 4.9])
    assert check_cooling("us-food-code-2022", t, c, measured=measured)[0].met is met


@pytest.mark.parametrize(
    ("profile", "at", "limit"),
    [("us-food-code-2022", 5.0, 14400), ("uk-fsa", 8.0, 7200), ("us-fsis-appendix-a", 4.4, 21600)],
)
@pytest.mark.parametrize(("over", "met"), [(0.5, True), (0.99, True), (1.01, False)])
def test_raw_food_in_all(profile, at, limit, over, met):
    """Every minute above cold holding counts, in one piece or in several; the limit itself is the profile's."""
    half = limit * over / 2
    t = np.array([0, half, half + 1, half + 100, half + 101, 2 * half + 101, 2 * half + 102, 40000])
    check = check_raw(profile, t, np.array([9.0, 9.0, at, at, 9.0, 9.0, at, at]))
    assert check.met is met
    assert check.limit_s == limit
    assert check.used_s == pytest.approx(limit * over, abs=4)
    assert check_raw(profile, t, np.full(8, at)).used_s == 0


@settings(max_examples=80, deadline=None)
@given(st.lists(st.floats(-3, 70), min_size=4, max_size=40), st.sampled_from(PROFILES), st.floats(1, 4))
def test_slower_never_passes_what_faster_failed(values, profile, slower):
    """Cooling more slowly never turns a failed step into a met one; a lost reading never shortens the time taken."""
    c = np.sort(np.array(values))[::-1]
    t = np.arange(c.size) * 900.0
    end = float(t[0])
    fast, slow = (check_cooling(profile, t * k, c, end_of_heat_s=end) for k in (1.0, slower))
    assert all(f.met or not s.met for f, s in zip(fast, slow, strict=True))
    keep = np.ones(c.size, dtype=bool)
    keep[c.size // 2] = False
    gappy = [x.used_s for x in check_cooling(profile, t[keep], c[keep], end_of_heat_s=end)]
    whole = [x.used_s for x in check_cooling(profile, t, c, end_of_heat_s=end)]
    assert all(g >= w - 1e-6 for g, w in zip(gappy, whole, strict=True))


@pytest.mark.parametrize(
    ("profile", "hot", "roast", "good", "bad"),
    [
        ("us-food-code-2022", True, False, 57, 56.9),
        ("us-food-code-2022", True, True, 54, 53.9),
        ("us-food-code-2022", False, False, 5, 5.1),
        ("uk-fsa", True, False, 63, 62.9),
        ("uk-fsa", False, False, 8, 8.1),
        ("anz-fsanz-3.2.2", True, False, 60, 59.9),
    ],
)
def test_holding(profile, hot, roast, good, bad):
    """The limit itself holds; a tenth of a degree on the wrong side for one reading does not."""
    t = np.arange(10) * 60.0
    fine = np.full(10, float(good))
    assert check_holding(profile, t, fine, hot=hot, roast=roast).met
    dip = fine.copy()
    dip[4] = bad
    check = check_holding(profile, t, dip, hot=hot, roast=roast)
    assert check.met is False
    assert check.used_s == 120.0  # both intervals that touch the reading


def test_reheating_by_purpose():
    """Food Code 3-403.11: 74 °C for 15 s within 2 h for hot holding, 57 °C for commercial food, any for a guest at once."""
    t, c = fall((0, 4), (1.5, 75), (1.7, 75))
    assert check_reheating("us-food-code-2022", t, c, purpose="hot-holding").met
    slow = check_reheating("us-food-code-2022", *fall((0, 4), (3, 75), (3.2, 75)), purpose="hot-holding")
    assert slow.met is False
    assert "Too slow" in slow.message
    cool = fall((0, 4), (0.5, 58), (0.7, 58))
    assert check_reheating("us-food-code-2022", *cool, purpose="hot-holding").met is False
    assert check_reheating("us-food-code-2022", *cool, purpose="commercial").met
    assert check_reheating("us-food-code-2022", *cool, purpose="immediate").met
    assert check_reheating("us-fsis-appendix-a", *cool, purpose="immediate").met is None
    with pytest.raises(InputError, match="purpose"):
        check_reheating("us-food-code-2022", *cool, purpose="lunch")


def test_time_as_a_control():
    """Food Code 3-501.19: 4 h, 6 h while it stays at or below 21 °C; the edges count against the food."""
    assert time_out_of_control("us-food-code-2022", *fall((0, 20), (3.7, 30))).met
    assert time_out_of_control("us-food-code-2022", *fall((0, 20), (4.2, 30))).met is False
    assert time_out_of_control("us-food-code-2022", *fall((0, 4), (5.5, 20))).met
    assert time_out_of_control("us-food-code-2022", *fall((0, 4), (6.5, 20))).met is False
    assert time_out_of_control("us-fsis-appendix-a", *fall((0, 4), (6.5, 20))).met is None


def test_parasites_and_shelf_life_differ_by_authority():
    """Food Code 3-402.11 asks for 7 days at −20 °C, EU 853/2004 for 24 h: the profiles are not mixed."""
    day = (np.arange(0, 30) * 3600.0, np.full(30, -20.0))
    assert parasites_controlled("us-food-code-2022", *day).met is False
    assert parasites_controlled("eu-853-2004", *day).met
    week = (np.arange(0, 170) * 3600.0, np.full(170, -20.0))
    assert parasites_controlled("us-food-code-2022", *week).met
    assert parasites_controlled("uk-fsa", *day).met
    assert parasites_controlled("anz-fsanz-3.2.2", *week).met is None
    # frozen solid at −35 °C, then kept 24 h at −20 °C: the row that needs to have been at −35 °C first
    solid = (np.arange(0, 30) * 3600.0, np.array([-36.0] + 29 * [-22.0]))
    assert parasites_controlled("us-food-code-2022", *solid).met
    assert parasites_controlled("us-food-code-2022", solid[0], np.full(30, -22.0)).met is False
    assert shelf_life("us-food-code-2022", "ready-to-eat", 5.0)[0] == 7
    assert shelf_life("us-food-code-2022", "pouch", 1.0)[0] == 30
    assert shelf_life("us-food-code-2022", "pouch", 7.0)[0] == 0
    assert shelf_life("uk-fsa", "ready-to-eat", 3.0)[0] == 5
    assert shelf_life("anz-fsanz-3.2.2", "pouch", 3.0)[0] is None


@pytest.mark.parametrize("bad", [([0.0], [1.0]), ([0, 0], [1, 2]), ([0, 1], [1, float("nan")]), ([1, 0], [1, 2])])
def test_a_history_that_is_none(bad):
    """Too short, not in order, not a number: an error that names the place."""
    with pytest.raises((InputError, ValueRangeError)) as caught:
        check_cooling("uk-fsa", np.array(bad[0]), np.array(bad[1]))
    assert caught.value.path.startswith("/")


EGGS = [
    ("us-fsis-appendix-a", "whole", 60.0, 210), ("us-fsis-appendix-a", "yolk", 61.1, 210),
    ("us-fsis-appendix-a", "salted-yolk", 63.3, 210), ("us-fsis-appendix-a", "white", 56.7, 210),
    ("anz-fsanz-3.2.2", "whole", 64.0, 150), ("anz-fsanz-3.2.2", "white", 55.0, 570),
]  # fmt: skip


@pytest.mark.parametrize(("profile", "product", "at_c", "seconds"), EGGS)
def test_egg_products(profile, product, at_c, seconds):
    """9 CFR 590.570 and Standard 4.2.5: the row held is enough, a second less or half a degree less is not."""
    for c, held, met in ((at_c, seconds, True), (at_c, seconds - 1, False), (at_c - 0.5, seconds, False)):
        check = check_egg_product(profile, product, np.array([0.0, held]), np.array([c, c]))
        assert check.met is met, check
    assert check_egg_product("uk-fsa", product, np.array([0.0, 1.0]), np.array([70.0, 70.0])).met is None
    with pytest.raises(InputError, match="egg product"):
        check_egg_product(profile, "yoke", np.array([0.0, 1.0]), np.array([70.0, 70.0]))


ROASTS = [  # mass g, stage, whether 3-401.11(B)(2) is in force, whether something is said
    (2000, {"kind": "oven", "medium_c": 110}, False, True),
    (2000, {"kind": "oven", "medium_c": 165}, False, True),
    (2000, {"kind": "oven", "medium_c": 165, "variant": "fan"}, True, False),
    (2000, {"kind": "oven", "medium_c": 180}, True, False),
    (5000, {"kind": "oven", "medium_c": 125}, True, False),
    (5000, {"kind": "oven", "medium_c": 100}, False, True),
    (None, {"kind": "oven", "medium_c": 125}, None, False),
    (2000, {"kind": "oven", "medium_c": 85, "humidity": 0.95}, True, False),
    (2000, {"kind": "oven", "medium_c": 85, "humidity": 0.5}, False, True),
    (2000, {"kind": "oven", "medium_c": 85, "cover": "wrapped"}, False, True),
    (2000, {"kind": "oven", "medium_c": 85, "cover": "bag"}, True, False),
    (2000, {"kind": "simmer", "medium_c": 85}, False, True),
    (2000, {"kind": "boil"}, False, True),
    (2000, {"kind": "steam"}, True, False),
    (2000, {"kind": "bath", "medium_c": 58}, True, False),
    (2000, {"kind": "pan", "medium_c": 200}, False, True),
]


@pytest.mark.parametrize(("mass_g", "stage", "holds", "said"), ROASTS)
def test_whole_roasts_need_their_oven(mass_g, stage, holds, said):
    """Food Code 3-401.11(B)(1): the oven a whole roast's rows ask for, or humid heat, or a moisture-proof bag."""
    piece = {"food": "beef-lean", "form": "roast", "shape": {"kind": "slab", "thickness_mm": 60}, "start_c": 4}
    document = plan_document(
        piece=piece | ({"mass_g": mass_g} if mass_g else {}), stages=[stage | {"minutes": 240}, {"kind": "rest", "minutes": 5}]
    )  # fmt: skip
    force = in_force(parse(document))
    assert ("3-401.11(B)(2)" in {c.id for c in force.by_form["roast"]}) is bool(holds)
    assert ("3-401.11(B)(2)" in {c.id for c, _ in force.open["roast"]}) is (holds is None)
    assert bool(force.findings) is said
    rule = compute(parse(document), with_forecast=False).result["rule"]
    assert holds or rule["clause"] != "3-401.11(B)(2)" or rule["met"] is None


def test_every_clause_says_how_it_is_read():
    """Authority, edition, confidence, and the reading of come-up, continuity and cooling, for each clause of each profile."""
    clauses = [c for p in profiles().values() for c in p.clauses]
    for c in clauses:
        assert all((c.authority, c.edition, c.come_up, c.continuity, c.cooling))
        assert 0.5 <= c.confidence <= 1
    assert len({c.cooling for c in clauses if c.id.startswith("3-401.11")}) == 2


def test_every_row_of_the_data_has_its_authority():
    """Each row names profile, clause, authority and a confidence; profiles exist."""
    tables = {k: v for k, v in read_toml("keeping.toml").items() if k not in {"floor", "standing_in"}}
    for name, rows in tables.items():
        for row in rows:
            assert row["profile"] in {*PROFILES, "eu-853-2004"}, name
            assert row["clause"]
            assert row["authority"]
            assert 0.5 <= row["confidence"] <= 1


def test_house_rules_dominate_their_base():
    """Stricter rows are taken, weaker ones refused with the clause, or taken with a written plan that is named."""
    clause = "3-401.11(A)(3)"
    strict = house_profile("us-food-code-2022", {clause: [(76.0, 10)]})
    assert next(c for c in strict.clauses if c.id == clause).rows == ((76.0, 10.0),)
    with pytest.raises(InputError, match="allow less") as caught:
        house_profile("us-food-code-2022", {clause: [(63.0, 600)]})
    assert clause in caught.value.path
    planned = house_profile("us-food-code-2022", {clause: [(63.0, 600)]}, written_plan="HACCP 4")
    assert "HACCP 4" in planned.edition
    with pytest.raises(InputError, match="no clause"):
        house_profile("uk-fsa", {clause: [(76.0, 10)]})
    for base in profiles().values():
        for c in base.clauses:
            assert dominates(c.rows, c.rows)
            assert not dominates([(c.rows[0][0] - 0.5, c.rows[0][1])], c.rows)


PLANS = {
    "interrupted-cooking": (
        "us-food-code-2022", "steak", "general", 20,
        [{"kind": "pan", "minutes": 2, "medium_c": 220}, {"kind": "chill", "minutes": 60, "medium_c": 2},
         {"kind": "bath", "minutes": 90, "medium_c": 56}],
    ),
    "cooling": (
        "us-food-code-2022", "roast", "general", 120,
        [{"kind": "bath", "minutes": 900, "medium_c": 70}, {"kind": "chill", "minutes": 300, "medium_c": 3}],
    ),
    "chilled-pouch": (
        "uk-fsa", "roast", "general", 30,
        [{"kind": "bath", "minutes": 200, "medium_c": 75}, {"kind": "chill", "minutes": 90, "medium_c": 1, "variant": "ice-water"}],
    ),
    "holding-hot": (
        "uk-fsa", "roast", "general", 30,
        [{"kind": "bath", "minutes": 200, "medium_c": 65}, {"kind": "hold", "minutes": 60, "medium_c": 60}],
    ),
    "come-up": ("us-fsis-appendix-a", "roast", "general", 200, [{"kind": "bath", "minutes": 900, "medium_c": 58}]),
    "thaw-too-warm": ("us-food-code-2022", "steak", "general", 40, [{"kind": "thaw", "minutes": 700, "medium_c": 15}]),
    "susceptible-guests": ("us-food-code-2022", "steak", "susceptible", 25, [{"kind": "pan", "minutes": 3, "medium_c": 220}]),
    "parasites": ("us-food-code-2022", None, "general", 25, [{"kind": "bath", "minutes": 30, "medium_c": 50}]),
}  # fmt: skip


@pytest.mark.parametrize("code", PLANS)
def test_a_plan_is_told(code):
    """Each finding appears on a plan that has its case, with a source, and not on a plain safe cook."""
    rules, form, guests, thickness, stages = PLANS[code]
    document = plan_document(
        piece={"food": "beef-lean" if form else "hake", "shape": {"kind": "slab", "thickness_mm": thickness}, "start_c": 4},
        stages=stages, rules=rules, guests=guests,
    )  # fmt: skip
    if form:
        document["piece"]["form"] = form
    found = [f for f in compute(parse(document)).result["findings"] if f["code"] == code]
    assert found
    assert all(f["source"] and f["level"] in {"note", "care", "stop"} for f in found)
    document["piece"] |= {"shape": {"kind": "slab", "thickness_mm": 15}, "food": "beef-mince", "form": "minced"}
    document |= {
        "stages": [{"kind": "bath", "minutes": 60, "medium_c": 75}],
        "rules": "us-food-code-2022",
        "guests": "general",
    }
    assert code not in [f["code"] for f in compute(parse(document)).result["findings"]]
