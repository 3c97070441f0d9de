"""Situations of a cook → the rule's statement, its words, and the findings; each limit at, just below and just above."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from ember_core.errors import InputError
from ember_core.formats.plan import parse
from ember_core.safety.conditions import in_force
from ember_core.safety.statement import state_rule
from tests.conftest import plan_document
from tests.core.safety.histories import ANZ, BEEF, FSIS, ROAST, UK, US, at, cook_of, judged, stage

HELD = [
    (ANZ, {"food": "chicken-breast"}, 70.0, 119.7, "open"), (ANZ, {"food": "chicken-breast"}, 70.0, 119.3, "stop"),
    # profile, food and form, held °C, seconds → state (met at the limit, short or stop or advisory just below)
    (US, {"food": "pork-loin"}, 63.0, 15, "met"), (US, {"food": "pork-loin"}, 63.0, 14, "advisory"), (US, {"food": "pork-loin"}, 62.9, 600, "advisory"),
    (US, {"food": "pork-loin"}, 62.95, 15, "met"), (US, {"food": "pork-loin"}, 62.94, 600, "advisory"),
    (US, {"food": "beef-mince"}, 63.0, 180, "met"), (US, {"food": "beef-mince"}, 63.0, 179, "advisory"), (US, {"food": "beef-mince"}, 66.0, 60, "met"),
    (US, {"food": "beef-mince"}, 68.0, 17, "met"), (US, {"food": "beef-mince"}, 68.0, 16, "advisory"), (US, {"food": "beef-mince"}, 70.0, 0, "met"),
    (US, {"food": "beef-mince"}, 67.9, 0, "advisory"), (US, {"food": "beef-mince"}, 62.0, 60, "advisory"),
    (US, BEEF | {"form": "tenderised"}, 63.0, 60, "advisory"), (US, BEEF | {"form": "injected"}, 63.0, 179, "advisory"),
    (US, {"food": "chicken-breast"}, 74.0, 0, "met"), (US, {"food": "chicken-breast"}, 73.9, 6000, "stop"),
    (US, {"food": "wild-boar"}, 73.9, 6000, "stop"), (US, {"food": "wild-boar"}, 74.0, 0, "met"),
    (US, BEEF | {"form": "stuffed"}, 73.9, 6000, "stop"), (US, {"food": "rabbit"}, 63.0, 15, "met"), (US, {"food": "hake"}, 63.0, 14, "open"),
    (US, {"food": "egg-whole"}, 60.0, 600, "advisory"), (US, {"food": "custard"}, 70.0, 0, "met"), (US, {"food": "carrot"}, 50.0, 60, "open"),
    (US, {"food": "carrot"}, 57.0, 0, "met"),
    (FSIS, {"food": "chicken-breast"}, 60.0, 2100, "met"), (FSIS, {"food": "chicken-breast"}, 60.0, 2099, "short"),
    (FSIS, {"food": "chicken-breast"}, 57.0, 9000, "stop"), (FSIS, {"food": "hake"}, 80.0, 600, "open"), (FSIS, BEEF, 54.0, 600, "stop"),
    (FSIS, BEEF | {"form": "stuffed"}, 80.0, 600, "open"), (FSIS, {"food": "chicken-breast", "form": "stuffed"}, 60.0, 2099, "short"),
    (UK, {"food": "chicken-breast"}, 70.0, 120, "met"), (UK, {"food": "chicken-breast"}, 70.0, 119, "short"),
    (UK, {"food": "chicken-breast"}, 49.0, 6000, "stop"), (UK, {"food": "chicken-breast"}, 40.0, 600, "stop"),
    (UK, {"food": "beef-mince"}, 49.0, 600, "stop"), (UK, {"food": "venison-wild"}, 49.0, 600, "stop"), (UK, {"food": "pork-loin"}, 55.0, 600, "stop"),
    (UK, {"food": "chicken-breast", "form": "stuffed"}, 49.0, 600, "stop"), (UK, {"food": "hake"}, 50.0, 600, "open"),
    (UK, {"food": "egg-whole"}, 50.0, 600, "stop"), (UK, {"food": "egg-whole", "form": "egg-now"}, 50.0, 600, "advisory"), (UK, {"food": "trout"}, 50.0, 600, "advisory"), (UK, {"food": "prawn"}, 50.0, 600, "stop"), (UK, {"food": "carrot"}, 50.0, 60, "advisory"),
    (ANZ, {"food": "chicken-breast"}, 40.0, 600, "stop"), (ANZ, {"food": "chicken-breast"}, 70.0, 119, "stop"),
    (ANZ, {"food": "chicken-breast"}, 70.0, 120, "open"), (ANZ, {"food": "chicken-breast"}, 75.0, 0, "open"), (ANZ, {"food": "beef-mince"}, 60.0, 600, "stop"),
    (ANZ, {"food": "pork-loin"}, 55.0, 600, "stop"), (ANZ, {"food": "beef-liver"}, 55.0, 600, "stop"), (ANZ, {"food": "beef-lean"}, 55.0, 600, "open"),
    (ANZ, {"food": "hake"}, 50.0, 600, "open"), (ANZ, BEEF | {"form": "stuffed"}, 55.0, 600, "stop"), (ANZ, {"food": "venison-wild"}, 55.0, 600, "stop"),
]  # fmt: skip


@pytest.mark.parametrize(("rules", "what", "celsius", "seconds", "state"), HELD)
def test_held_in_a_bath(rules, what, celsius, seconds, state):
    """Come up to a temperature and held there for seconds, then served: the state, and met only where it says met."""
    corners = [(0, 4), (10, celsius), (10 + seconds / 60, celsius), (10.001 + seconds / 60, 30), (300, 30)]
    got, rule, _ = judged([stage("bath", 11 + seconds / 60)], corners, rules=rules, **what)
    assert got == state
    assert (rule["met"] is True) is (state == "met")
    if rules == ANZ or (state == "open" and what.get("food") not in {"carrot", "hake"}):
        assert rule["met"] is None


@pytest.mark.parametrize("guests", ["general", "susceptible"])
@pytest.mark.parametrize(("rules", "food", "general"), [(US, "egg-whole", "advisory"), (UK, "trout", "advisory"), (FSIS, "hake", "open"), (ANZ, "hake", "open")])  # fmt: skip
def test_susceptible_guests_get_no_advisory(rules, food, general, guests):
    """3-801.11: nothing stands in for the clause; a profile without a number is no excuse either."""
    state, _, codes = judged([stage("bath", 40)], at(50), rules=rules, food=food, guests=guests)
    assert state == (general if guests == "general" else "stop")
    assert codes.get("susceptible-guests") == (None if guests == "general" else "stop")


REMAINING = [(US, "beef-mince", 63.0, 100, 80.0), (US, "pork-loin", 63.0, 5, 10.0), (UK, "chicken-breast", 70.0, 30, 90.0),
             (UK, "chicken-breast", 66.0, 300, 300.0), (FSIS, "chicken-breast", 62.8, 600, 228.0), (US, "chicken-breast", 70.0, 600, None)]  # fmt: skip


@pytest.mark.parametrize(("rules", "food", "celsius", "seconds", "left"), REMAINING)
def test_what_is_missing(rules, food, celsius, seconds, left):
    """The smallest remaining time over the rows in reach; none when no row is."""
    corners = [(0, 4), (1, celsius), (1 + seconds / 60, celsius), (1.0001 + seconds / 60, 30), (300, 30)]
    _, rule, _ = judged([stage("bath", 2 + seconds / 60)], corners, rules=rules, food=food)
    assert rule["met"] is False
    assert rule["remaining_s"] == (None if left is None else pytest.approx(left, abs=1.5))


PAN = [stage("pan", 4), stage("rest", 6)]
RARE = [(0, 4), (4, 45), (10, 50)]
SEARED = [
    # profile, food, form, handling, guests, faces a and b → state
    (US, "beef-lean", "steak", (), "general", (63.0, 63.0), "met"), (US, "beef-lean", "steak", (), "general", (62.9, 90.0), "advisory"),
    (US, "beef-lean", "steak", (), "general", (90.0, 62.9), "advisory"), (US, "beef-lean", "steak", (), "susceptible", (90, 90), "stop"),
    (US, "beef-lean", "steak", ("scored",), "general", (90, 90), "advisory"), (US, "beef-lean", "steak", ("marinated",), "general", (90, 90), "advisory"),
    (US, "beef-lean", "roast", (), "general", (90, 90), "advisory"), (US, "beef-lean", "tenderised", (), "general", (90, 90), "advisory"),
    (US, "beef-liver", "steak", (), "general", (90, 90), "advisory"), (US, "veal", "steak", (), "general", (90, 90), "advisory"),
    (US, "lamb", "steak", (), "general", (90, 90), "advisory"), (US, "venison", "steak", (), "general", (90, 90), "advisory"),
    (UK, "beef-lean", "steak", (), "general", (80, 80), "met"), (UK, "beef-lean", "roast", (), "general", (80, 80), "met"),
    (UK, "lamb", "roast", (), "general", (80, 80), "met"), (UK, "lamb", "roast", ("rolled",), "general", (80, 80), "stop"),
    (UK, "beef-lean", "steak", (), "general", (59.9, 80), "stop"), (UK, "pork-loin", "steak", (), "general", (80, 80), "stop"),
    (UK, "veal", "steak", (), "general", (80, 80), "stop"), (UK, "beef-lean", "minced", (), "general", (80, 80), "stop"),
    (UK, "lamb-kidney", "steak", (), "general", (80, 80), "stop"), (UK, "beef-lean", "steak", (), "susceptible", (80, 80), "stop"),
    (FSIS, "beef-lean", "steak", (), "general", (90, 90), "stop"), (ANZ, "beef-lean", "steak", (), "general", (90, 90), "open"),
]  # fmt: skip


@pytest.mark.parametrize(("rules", "food", "form", "handling", "guests", "faces", "state"), SEARED)
def test_pieces_seared_outside(rules, food, form, handling, guests, faces, state):
    """Food Code 3-401.11(C) and UK guidance on whole beef and lamb: intact, of that species, both faces hot enough."""
    piece = {"handling": list(handling)}
    got, rule, _ = judged(PAN, RARE, rules=rules, food=food, form=form, guests=guests, faces=faces, piece=piece)
    assert got == state
    assert (rule["met"] is True) is (state == "met")


@pytest.mark.parametrize(
    ("food", "level"),
    [("beef-lean", "care"), ("hake", "care"), ("carrot", "care"), ("pork-loin", "stop"), ("beef-liver", "stop")],
)
def test_less_than_the_guidance(food, level):
    """FSANZ 3.2.2: its guidance is no clause; less is said, as a stop but for what is eaten so."""
    assert judged(PAN, RARE, rules=ANZ, food=food)[2]["guidance"] == level


def test_a_house_sears_as_its_base():
    """A house that follows the UK has its words for whole beef; one that follows FSIS has none."""
    for base, state in ((UK, "met"), (US, "met"), (FSIS, "stop")):
        assert (
            judged(PAN, RARE, food="beef-lean", faces=(85, 85), rules="house", **{"x-house": {"base": base}})[0]
            == state
        )


def whole(kind="oven", minutes=60.0, **more):
    """Heat for a roast, and its rest."""
    return [stage(kind, minutes, **more), stage("rest", 20)]


OVENS = [
    # stages, mass → True: the rows for whole roasts count; False: not; None: it cannot be told
    (whole(medium_c=177), 2000, True), (whole(medium_c=176), 2000, False), (whole(medium_c=163, variant="fan"), 2000, True),
    (whole(medium_c=162, variant="fan"), 2000, False), (whole(medium_c=121), 4500, True), (whole(medium_c=120), 4500, False),
    (whole(medium_c=121), 4499, False), (whole(medium_c=121), None, None), (whole(medium_c=120), None, False),
    (whole(medium_c=121, humidity=0.91), 2000, True), (whole(medium_c=121, humidity=0.9), 2000, False), (whole(medium_c=122, humidity=0.95), 2000, False),
    (whole(minutes=59.9, medium_c=121, humidity=0.95), 2000, False), (whole(medium_c=121, cover="bag"), 2000, True),
    (whole(medium_c=122, cover="bag"), 2000, False), (whole(medium_c=85, cover="wrapped"), 2000, False), (whole(medium_c=85, cover="tented"), 2000, False),
    (whole("bath", medium_c=57), 2000, True), (whole("simmer", medium_c=60), 2000, False), (whole("boil"), 2000, False), (whole("steam"), 2000, True),
    (whole("steam", minutes=59.9), 2000, False), (whole("pan"), 2000, False), (whole("fry"), 2000, False), (whole("hold", medium_c=60), 2000, False),
    ([stage("pan", 4), *whole("bath")], 2000, True), ([stage("simmer", 30, medium_c=60), *whole("bath")], 2000, False),
    ([stage("oven", 30, medium_c=100), *whole(medium_c=180)], 2000, False),
]  # fmt: skip


@pytest.mark.parametrize(("stages", "mass", "counts"), OVENS)
def test_whole_roasts_by_their_heat(stages, mass, counts):
    """3-401.11(B)(1): held at 57.2 °C for 40 minutes, which only the rows for whole roasts would meet."""
    total = sum(s["minutes"] for s in stages)
    corners = [(0, 4), (total - 65, 4), (total - 60, 57.3), (total, 57.3)] if total > 70 else [(0, 57.3), (total, 57.3)]
    state, rule, codes = judged(stages, corners, piece={"mass_g": mass} if mass else None, **ROAST)
    assert rule["met"] is (True if counts else None if counts is None else False)
    assert state == {True: "met", None: "open", False: "advisory"}[counts]
    assert ("roast-oven" in codes) is (counts is False)


LIMITS = [
    # an oven that is still heating up is where it begins, if that takes more than a tenth of the time
    (whole(medium_c=180, medium_from_c=60, settle_minutes=6), 2000, True), (whole(medium_c=180, medium_from_c=60, settle_minutes=6.1), 2000, False),
    (whole(medium_c=180, medium_from_c=177, settle_minutes=60), 2000, True), (whole(medium_c=100, medium_from_c=130, cover="bag"), 2000, False),
    (whole(medium_c=100, medium_from_c=121, cover="bag"), 2000, True), (whole(medium_c=130, medium_from_c=100, humidity=0.95), 2000, False),
    # half a kelvin of slack, for °F: at it, and just beyond; stages one by one
    (whole(medium_c=176.5), 2000, True), (whole(medium_c=176.4), 2000, False), (whole(medium_c=162.5, variant="fan"), 2000, True), (whole(medium_c=162.4, variant="fan"), 2000, False),
    (whole(medium_c=120.5), 4500, True), (whole(medium_c=120.4), 4500, False), (whole(medium_c=121.5, cover="bag"), 2000, True), (whole(medium_c=121.6, cover="bag"), 2000, False),
    (whole(medium_c=121.5, humidity=0.95), 2000, True), (whole(medium_c=121.6, humidity=0.95), 2000, False),
    ([stage("oven", 10, medium_c=180), *whole(medium_c=121)], 2000, False), ([{"kind": "oven", "minutes": 10, "medium_c": 180, "faces": {"b": {"kind": "pan"}}}, *whole(medium_c=180)], 2000, False),
    ([{"kind": "pan", "minutes": 10, "medium_c": 180, "faces": {"b": {"kind": "baste"}}}, *whole(medium_c=180)], 2000, True), ([stage("rest", 5), *whole(medium_c=180)], 2000, True),
]  # fmt: skip


@pytest.mark.parametrize(("stages", "mass", "counts"), LIMITS)
def test_the_limits_of_a_roasts_oven(stages, mass, counts):
    """3-401.11(B)(1) is in force or not; said, as care, when it is not."""
    piece = {
        "food": "beef-lean",
        "form": "roast",
        "start_c": 4,
        "shape": {"kind": "slab", "thickness_mm": 25},
        "mass_g": mass,
    }
    force = in_force(parse(plan_document(piece=piece, stages=stages)))
    assert ("3-401.11(B)(2)" in {c.id for c in force.by_form["roast"]}) is counts
    assert [f.level for f in force.findings] == ([] if counts else ["care"])


ROWS = [
    (US, {"food": "hake", "form": "minced"}, [(63, 180), (66, 60), (68, 17), (70, 15)]), (US, {"food": "chicken-breast", "form": "stuffed"}, [(74, 0)]),
    (US, {"food": "beef-lean", "form": "stuffed"}, [(74, 15)]), (FSIS, {"food": "beef-lean", "form": "stuffed"}, []), (FSIS, {"food": "hake"}, []),
    (US, {"food": "hake"}, [(63, 15)]),
]  # fmt: skip


@pytest.mark.parametrize(("rules", "what", "rows"), ROWS)
def test_rows_that_meet_every_form_at_once(rules, what, rows):
    """What a stage that waits for the rule waits for: each pair of rows by the hotter and the longer."""
    piece = {"start_c": 4, "shape": {"kind": "slab", "thickness_mm": 25}} | what
    assert list(in_force(parse(plan_document(piece=piece, stages=[stage("bath", 9)], rules=rules))).rows()) == rows


def test_an_open_condition_does_not_unmeet_what_another_clause_meets():
    """The mass is not stated, but 63 °C for 15 s is held as well."""
    roast, loin = (
        judged(whole(medium_c=125), [(0, 4), (30, 65), (80, 65)], **what)[1] for what in (ROAST, {"food": "pork-loin"})
    )
    assert {k: v for k, v in roast.items() if k != "premises"} == {k: v for k, v in loin.items() if k != "premises"}
    assert judged(whole(medium_c=125), [(0, 4), (30, 65), (80, 65)], **ROAST)[1]["met"] is True


def test_only_time_in_the_oven_and_its_rest_counts_for_a_roast():
    """Held in a pan, or in a very hot cabinet after a minute in a bath: nothing of it counts."""
    for later in (stage("pan", 60, medium_c=60), stage("hold", 60, medium_c=85)):
        assert judged([stage("bath", 1), later], at(57.3, 55), **ROAST)[1]["met"] is False
    for warm in ({}, {"medium_c": 60}):
        assert judged([stage("bath", 1), stage("rest", 60, **warm)], at(57.3, 55), **ROAST)[1]["met"] is True
    before = [(0, 57.3), (60, 57.3), (61, 4), (120, 20)]
    assert judged([stage("rest", 60), stage("bath", 60)], before, **ROAST)[1]["met"] is False


MOIST = [
    (whole(medium_c=140, medium_from_c=60, settle_minutes=6), 4500, True, {}), (whole(medium_c=140, medium_from_c=60, settle_minutes=6.1), 4500, None, {}),
    (whole(minutes=59.9, humidity=0.9), None, False, {"moist-oven": "stop"}), (whole(minutes=60, humidity=0.9), None, True, {}),
    ([stage("oven", 60, humidity=0.9), *whole(humidity=0.3)], None, True, {}), ([stage("oven", 59, humidity=0.9), *whole(humidity=0.3)], None, False, {"moist-oven": "stop"}),
    ([stage("oven", 60, humidity=0.89), *whole(humidity=0.3)], None, False, {"moist-oven": "stop"}), (whole(medium_c=120.5), 4500, True, {}), (whole(medium_c=120.4), 4500, None, {}),
    ([{"kind": "steam", "minutes": 60, "faces": {"a": {}}}, *whole(minutes=60)], None, None, {}), (whole("grill"), None, None, {}),
    ([stage("bath", 60), stage("grill", 10)], None, True, {}), ([stage("bath", 45), stage("grill", 11)], None, None, {}), (whole(medium_c=121, humidity=0.1), 4500, True, {}),
    (whole(), None, None, {}), (whole(humidity=0.9), None, True, {}), (whole(humidity=0.89), None, False, {"moist-oven": "stop"}),
    (whole(cover="bag"), None, True, {}), (whole(cover="wrapped"), None, None, {}), (whole(medium_c=121), 4500, True, {}),
    (whole(medium_c=120), 4500, None, {}), (whole(medium_c=121), 4499, None, {}), (whole("bath"), None, True, {}), (whole("pan"), None, True, {}),
    ([stage("steam", 60), *whole(minutes=180)], None, True, {}), ([stage("steam", 59), *whole(minutes=60)], None, None, {}),
    ([stage("steam", 60), *whole(minutes=181)], None, None, {}),
]  # fmt: skip


@pytest.mark.parametrize(("stages", "mass", "met", "codes"), MOIST)
def test_fsis_asks_for_a_moist_oven(stages, mass, met, codes):
    """Appendix A: 90 % for a quarter of the heating and an hour, a bag, or 4.5 kg at 121 °C; else it is not, or cannot be told."""
    total = sum(s["minutes"] for s in stages)
    state, rule, found = judged(
        stages, [(0, 4), (10, 72), (total, 72)], rules=FSIS, piece={"mass_g": mass} if mass else None, **ROAST
    )
    assert rule["met"] is met
    assert state == {True: "met", False: "stop", None: "open"}[met]
    assert codes.items() <= found.items()


@pytest.mark.parametrize(
    ("stages", "oven"),
    [
        ([stage("hold", 60, medium_c=54.4)], True),
        ([stage("hold", 60, medium_c=54.3)], False),
        ([stage("bath", 59), stage("hold", 60, medium_c=79.9)], False),
        ([stage("bath", 59), stage("hold", 60, medium_c=80)], True),
        ([stage("rest", 60, medium_c=90), stage("bath", 59)], True),
        (
            [
                stage("bath", 59),
                {"kind": "hold", "minutes": 60, "medium_c": 60, "faces": {"a": {}, "b": {"medium_c": 80}}},
            ],
            True,
        ),
        ([stage("rest", 60), stage("hold", 60, medium_c=54.4)], True),
    ],
)
def test_a_hot_cabinet_is_an_oven_by_another_name(stages, oven):
    """Cooked in a cabinet, or kept in one at 80 °C: the oven's moisture is asked for."""
    piece = {"food": "beef-lean", "form": "roast", "start_c": 4, "shape": {"kind": "slab", "thickness_mm": 60}}
    force = in_force(parse(plan_document(piece=piece, stages=stages, rules=FSIS)))
    assert bool(force.open["roast"]) is oven


UNKNOWN = [
    (None, 73.9, "stop"),
    (None, 74.0, "met"),
    ("steak", 64.0, "stop"),
    ("plant", 60.0, "stop"),
    ("fish", 64.0, "stop"),
    ("roast", 74.0, "met"),
]


@pytest.mark.parametrize(("form", "celsius", "state"), UNKNOWN)
def test_an_unknown_species_takes_the_strictest(form, celsius, state):
    """A composition without a food is judged as poultry, mince and meat at once, whatever form it claims, and says so."""
    piece = {"composition": {"water": 0.74, "protein": 0.23, "fat": 0.02, "ash": 0.01}}
    got, _, codes = judged([stage("bath", 300)], at(celsius, 290), food=None, form=form, piece=piece)
    assert got == state
    assert codes["species-unknown"] == "care"


LAB = {"species": "chicken", "file": "report 12", "date": "2026-03-31"}
HOUSES = [
    # rows, written plan, validated → accepted, and whether the finding is there
    ([[30, 0]], "x", None, False), ([[54.3, 86400]], "HACCP 7", None, False), ([[54.4, 86400]], "HACCP 7", None, True), ([[60, 1650]], "HACCP 7", None, True),
    ([[60, 1649]], "HACCP 7", None, False), ([[60, 1800]], "", None, False), ([[60, 1800]], "   ", None, False), ([[60, 1800]], None, None, False),
    ([[52.3, 86400]], "HACCP 7", LAB | {"organism": "salmonella", "log10": 7, "by": "lab report 12"}, False),
    ([[52.4, 18000]], "HACCP 7", LAB | {"organism": "salmonella", "log10": 7, "by": "lab report 12"}, True),
    ([[55, 1800]], "HACCP 7", LAB | {"organism": "salmonella", "log10": 4.9, "by": "lab report 12"}, False),
    ([[55, 1800]], "HACCP 7", LAB | {"organism": "salmonella", "log10": 7, "by": "me"}, False),
    ([[55, 1800]], "HACCP 7", LAB | {"organism": "unicorn", "log10": 7, "by": "lab report 12"}, False), ([[55, 1800]], "HACCP 7", "yes", False),
    ([[30, 0]], "HACCP 7", LAB | {"organism": "salmonella", "log10": 7, "by": "lab report 12"}, False),
]  # fmt: skip


@pytest.mark.parametrize(("rows", "written", "validated", "taken"), HOUSES)
def test_the_floor_of_a_house(rows, written, validated, taken):
    """No plan's name allows less than the floor; what is allowed stays said on every cook."""
    house = {"base": US, "rows": {"3-401.11(A)(3)": rows}}
    house |= {"written_plan": written} if written is not None else {}
    house |= {"validated": validated} if validated is not None else {}
    stages, corners = [stage("bath", 30)], at(75)
    if not taken:
        with pytest.raises(InputError) as caught:
            judged(stages, corners, rules="house", **{"x-house": house})
        assert "house" in caught.value.path
        return
    _, rule, codes = judged(stages, corners, rules="house", **{"x-house": house})
    assert codes["house-weaker"] == "care"
    assert written in rule["edition"]
    assert (
        "house-weaker"
        not in judged(
            stages, corners, rules="house", **{"x-house": {"base": US, "rows": {"3-401.11(A)(3)": [[76, 0]]}}}
        )[2]
    )


@pytest.mark.parametrize(
    ("rules", "closed", "elsewhere", "b", "met"),
    [
        (US, True, None, 20.0, True), (US, False, None, 20.0, False), (US, False, 20.0, 85.0, True), (UK, False, 20.0, 85.0, False),
        (UK, False, 85.0, 85.0, True), (UK, False, None, 85.0, True), (US, True, 85.0, 20.0, False), (UK, True, None, 20.0, True),
    ],
)  # fmt: skip
def test_which_outside_is_seared(rules, closed, elsewhere, b, met):
    """A round piece has one face; the Food Code asks for top and bottom, the UK for edges and sides as well where they are computed."""
    piece = {"food": "beef-lean", "start_c": 4, "shape": {"kind": "slab", "thickness_mm": 25}}
    plan = parse(plan_document(piece=piece, stages=PAN, rules=rules, target={}))
    cook = cook_of(plan, RARE, faces=(85, b))
    more = np.full((cook.t.size, 2), elsewhere) if elsewhere else cook.elsewhere
    rule, _ = state_rule(plan, replace(cook, closed=closed, elsewhere=more), (True, True))
    assert rule["met"] is met
    if met:
        assert (rule["met_at_s"], rule["remaining_s"]) == (0.0 if rules == US else 6.0, 0.0)


def test_the_moment_the_outside_was_seared():
    """Between two samples, as a computed surface runs straight; to a thousandth of a second."""
    piece = {"food": "beef-lean", "start_c": 4, "shape": {"kind": "slab", "thickness_mm": 25}}
    plan = parse(plan_document(piece=piece, stages=PAN, target={}))
    cook = cook_of(plan, RARE)
    rising = np.interp(cook.t, [0, 600], [4, 100])
    rule, _ = state_rule(plan, replace(cook, surface_a=rising, surface_b=rising), (True, True))
    assert rule["met_at_s"] == round((62.95 - 4) / 96 * 600, 3)
