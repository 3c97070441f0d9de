"""Pieces that share a medium with a store: in turn, or of different kinds; against a solution written apart from the core."""

from __future__ import annotations

import copy
from itertools import pairwise

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from ember_core.errors import InputError
from ember_core.formats.plan import check, parse
from ember_core.heat.cook import run
from ember_core.heat.setup import setup
from ember_core.heat.shared_medium import Sharer, cook_together
from ember_core.planning.compute import compute
from ember_core.planning.sharing import shared
from ember_core.safety.statement import state_rule
from tests.conftest import plan_document

MEAT = {"conductivity_w_mk": 0.48, "density_kg_m3": 1060.0, "specific_heat_j_kgk": 3500.0}
PAN = {"kind": "pan", "mass_kg": 2.4, "power_w": 800.0, "loss_w_k": 3.0}


def pan_plan(thick=24.0, minutes=8.0, **store):
    """A slab of 220 g in a pan, its other face in air, without radiation or evaporation."""
    stage = {
        "kind": "pan", "minutes": minutes, "store": PAN | store,
        "faces": {"b": {"medium_c": 180, "surface": {"h_w_m2k": 300}}, "a": {"kind": "rest", "medium_c": 22, "surface": {"h_w_m2k": 12}}},
    }  # fmt: skip
    piece = {"properties": MEAT, "shape": {"kind": "slab", "thickness_mm": thick}, "start_c": 5, "mass_g": 220}
    return parse(plan_document(piece=piece, stages=[stage], kitchen={"air_c": 22}))


def pan_by_hand(thicks, apart, minutes=8.0, cells=60):
    """The pan's course with slabs laid in ``apart`` s after each other: finite volumes and an implicit method of SciPy."""
    k, rho, c = MEAT.values()
    dx = np.array(thicks)[:, None] / 1000.0 / cells
    area = 0.22 / rho / (np.array(thicks) / 1000.0)
    n = len(thicks)
    begins = apart * np.arange(n)
    y = np.append(np.full(n * cells, 5.0), 180.0)
    edges = sorted({*begins, *(begins + 60.0 * minutes)})
    t, medium = [0.0], [180.0]
    for a, b in pairwise(edges):
        live = ((begins <= a + 1e-9) & (a < begins + 60.0 * minutes - 1e-9))[:, None]

        def rate(_, y, live=live):
            piece, pan = y[:-1].reshape(n, cells), y[-1]
            half = 2.0 * k / dx
            outer = (22.0 - piece[:, :1]) / (1.0 / 12.0 + 1.0 / half)
            inner = (pan - piece[:, -1:]) / (1.0 / 300.0 + 1.0 / half)
            flow = np.hstack([outer, -k * np.diff(piece, axis=1) / dx, -inner])
            change = live * (flow[:, :-1] - flow[:, 1:]) / (rho * c * dx)
            taken = float((live * inner * area[:, None]).sum())
            return np.append(change.ravel(), (800.0 - 3.0 * (pan - 22.0) - taken) / (2.4 * 490.0))

        found = solve_ivp(rate, (a, b), y, method="LSODA", t_eval=np.linspace(a, b, 20)[1:], rtol=1e-6, atol=1e-6)
        y = found.y[:, -1]
        t, medium = [*t, *found.t], [*medium, *found.y[-1]]
    return np.array(t), np.array(medium)


@pytest.mark.parametrize(("thicks", "apart"), [((24, 24, 24, 24), 8.0), ((16, 34), 40.0)])
def test_pieces_laid_in_one_after_another(thicks, apart):
    plans = [pan_plan(float(x)) for x in thicks]
    found = cook_together([Sharer(p, setup(p), 0, 0, apart * i) for i, p in enumerate(plans)])
    t, medium = pan_by_hand(thicks, apart)
    assert np.abs(np.interp(t, found.t, found.medium) - medium).max() < 0.3
    for i, cook in enumerate(found.cooks):  # and each run has seen that very medium
        own = np.interp(cook.t[1:] + apart * i, found.t, found.medium)
        assert np.sqrt(np.mean((cook.medium[1:] - own) ** 2)) < 0.15


def test_alike_and_at_once_is_what_one_run_says():
    """Four in turn without a pause between them are four at once."""
    plan = pan_plan(pieces=1)
    found = cook_together([Sharer(plan, setup(plan), 0, 0, 1e-3 * i) for i in range(4)])
    four = pan_plan(pieces=4)
    cook = run(four, setup(four))
    for t in (20.0, 100.0, 400.0):
        assert np.interp(t, found.t, found.medium) == pytest.approx(np.interp(t, cook.t, cook.medium), abs=0.15)
    assert found.cooks[0].core[-1] == pytest.approx(cook.core[-1], abs=0.05)


STAGES = [
    {"kind": "pan", "minutes": 3, "faces": {"a": {"medium_c": 220}}},
    {"kind": "pan", "minutes": 30, "until": {"peak_core_c": 52}, "faces": {"b": {"medium_c": 220}}},
    {"kind": "rest", "minutes": 5},
]


def in_turn(apart, count=3, mass_kg=1.2, target_c=52, food="hake", mm=24):
    """A plan of pieces laid into a light pan in turn, turned and pulled to a peak."""
    stages = copy.deepcopy(STAGES)
    for stage in stages[:2]:
        stage["store"] = {"kind": "pan", "mass_kg": mass_kg, "power_w": 700, "lay_in_every_s": apart}
    stages[1]["until"] = {"peak_core_c": target_c}
    piece = {"food": food, "shape": {"kind": "slab", "thickness_mm": mm}, "start_c": 4, "mass_g": 180, "count": count}
    return parse(plan_document(piece=piece, stages=stages, target={"core_c": target_c}, rules="us-food-code-2022"))


def test_a_plan_laid_in_turn_says_what_becomes_of_the_others():
    outcome = compute(in_turn(20.0), with_forecast=False)
    check(outcome.result, "result-1")
    assert outcome.result["peak"]["core_c"] == pytest.approx(52.0, abs=0.1)
    assert "laid-in-turn" in [f["code"] for f in outcome.result["findings"]]
    assert outcome.result["stages"][0]["medium"][0] == [0.0, 220.0]
    assert min(c for _, c in outcome.result["stages"][0]["medium"]) < 200.0


@pytest.mark.parametrize(("target_c", "mass_kg"), [(52.0, 0.6), (63.3, 0.6), (66.0, 3.0)])
def test_the_rule_is_that_of_every_piece_in_turn(target_c, mass_kg):
    """Wherever one of them falls short, the plan does: a wrong met is looked for in the light pan."""
    plan = in_turn(20.0, count=3, mass_kg=mass_kg, target_c=target_c)
    found = shared(plan, {"rows": (), "lethality": None}, None)
    each = [state_rule(p, c)[0]["met"] for p, c in ((plan, found.cook), *found.like)]
    assert len(each) == 3
    assert compute(plan, with_forecast=False).result["rule"]["met"] is all(each)
    assert target_c > 60.0 or not any(each)


@pytest.mark.parametrize(
    ("food", "mm", "target_c", "count", "mass_kg", "apart"),
    [
        ("hake", 21, 65, 4, 2.3, 40),
        ("hake", 19, 65, 3, 1.7, 9),
        ("chicken-breast", 32, 62, 3, 1.2, 15),
        ("beef-lean", 25, 63, 4, 0.8, 13),
        ("halibut", 24, 59, 4, 2.2, 16),
        ("halibut", 28.5, 65.5, 3, 2.0, 14.5),
    ],
)
def test_pieces_laid_in_turn_come_to_agree(food, mm, target_c, count, mass_kg, apart):
    """A wet piece's crust comes cell by cell: that must not keep the pieces from agreeing on their pan."""
    plan = in_turn(apart, count=count, mass_kg=mass_kg, target_c=target_c, food=food, mm=mm)
    found = shared(plan, {"rows": (), "lethality": None}, None)
    peaks = [cook.peak_core_c for cook in (found.cook, *(c for _, c in found.like))]
    assert len(peaks) == count
    assert peaks[0] == pytest.approx(target_c, abs=0.02)
    assert peaks == sorted(
        peaks, reverse=True
    )  # whoever is laid in later finds a colder pan, and has the first one's minutes


def roast(also, **stage):
    """A roast in an oven with a store, and other pieces beside it."""
    first = {
        "kind": "oven", "minutes": 300, "medium_c": 180, "variant": "fan", "until": {"peak_core_c": 60}, "store": {"kind": "oven"}, "also": also,
    } | stage  # fmt: skip
    piece = {
        "food": "beef-lean",
        "form": "roast",
        "shape": {"kind": "cylinder", "diameter_mm": 80, "length_mm": 160},
        "start_c": 5,
    }
    return plan_document(piece=piece, stages=[first, {"kind": "rest", "minutes": 10}], target={"core_c": 60})


POTATO = {
    "piece": {
        "food": "potato",
        "shape": {"kind": "sphere", "diameter_mm": 45},
        "count": 12,
        "start_c": 20,
        "mass_g": 60,
    }
}
BREAST = {
    "piece": {
        "food": "chicken-breast",
        "shape": {"kind": "slab", "thickness_mm": 24},
        "start_c": 4,
        "mass_g": 200,
        "count": 3,
    }
}


def test_a_roast_with_its_roots_each_to_its_own_end():
    plan = parse(roast([{**POTATO, "target": {"core_c": 90}, "in_s": 600}, {**BREAST, "out_s": 1500}]))
    result = compute(plan, with_forecast=False).result
    check(result, "result-1")
    potato, breast = result["also"]
    assert potato["peak"]["core_c"] == pytest.approx(90.0, abs=0.2)
    assert potato["x-in-s"] == 600.0
    assert breast["stages"][0]["end_s"] == pytest.approx(1500.0)
    alone = compute(
        parse(roast([{**POTATO, "target": {"core_c": 95}}], store={"kind": "oven", "mass_kg": 500, "power_w": 60000})),
        with_forecast=False,
    )
    light = compute(
        parse(roast([{**POTATO, "target": {"core_c": 95}}], store={"kind": "oven", "mass_kg": 5, "power_w": 1500})),
        with_forecast=False,
    )
    assert light.cook.pull_s > alone.cook.pull_s + 20.0  # what lies beside it costs the roast time


def test_the_forecast_knows_what_lies_beside():
    plan = parse(roast([{**BREAST, "target": {"core_c": 74}}]) | {"forecast": {"members": 32}})
    outcome = compute(plan)
    assert outcome.forecast.failed == 0
    assert abs(np.median(outcome.forecast.pull_s) / outcome.cook.pull_s - 1.0) < 0.1


@pytest.mark.parametrize(
    ("also", "stage", "path"),
    [
        ([POTATO], {}, "/stages/0/also/0/target"),
        ([{**POTATO, "out_s": 60, "in_s": 90}], {}, "/stages/0/also/0/out_s"),
        ([{**POTATO, "target": {"core_c": 95}}], {"store": None}, "/stages/0/also"),
        ([{"piece": {**POTATO["piece"], "food": "moon"}, "target": {"core_c": 95}}], {}, "/stages/0/also/0/piece/food"),
        ([{"piece": {"food": "potato", "shape": {"kind": "slab", "thickness_mm": 9}, "start_c": 9}, "out_s": 60}], {}, "/stages/0/also/0/piece/mass_g"),
        ([], {}, "/stages/0/also"),
    ],
)  # fmt: skip
def test_what_cannot_lie_beside_is_refused_by_name(also, stage, path):
    document = roast(also, **stage)
    if document["stages"][0]["store"] is None:
        del document["stages"][0]["store"]
    with pytest.raises(InputError) as told:
        parse(document)
    assert told.value.path == path


@pytest.mark.parametrize(
    ("store", "piece", "path"),
    [
        ({"mass_kg": 0}, {}, "/stages/0/store/mass_kg"),
        ({"power_w": 100000}, {}, "/stages/0/store/power_w"),
        ({"kind": "bath"}, {}, "/stages/0/store/kind"),
        ({"litres": 3}, {}, "/stages/0/store/litres"),
        ({"material": "gold"}, {}, "/stages/0/store/material"),
        ({"lay_in_every_s": 8, "pieces": 40}, {}, "/stages/0/store/lay_in_every_s"),
        ({}, {"mass_g": None}, "/piece/mass_g"),
    ],
)
def test_a_store_that_cannot_be_is_refused_by_name(store, piece, path):
    own = {"food": "hake", "shape": {"kind": "slab", "thickness_mm": 24}, "start_c": 4, "mass_g": 180} | piece
    own = {k: v for k, v in own.items() if v is not None}
    stage = {"kind": "pan", "minutes": 3, "faces": {"a": {"medium_c": 220}}, "store": {"kind": "pan"} | store}
    with pytest.raises(InputError) as told:
        parse(plan_document(piece=own, stages=[stage]))
    assert told.value.path == path


def test_forty_pieces_do_not_lie_in_two_litres():
    piece = {
        "food": "beef-lean",
        "shape": {"kind": "slab", "thickness_mm": 25},
        "start_c": 4,
        "mass_g": 200,
        "count": 40,
    }
    stage = {"kind": "bath", "minutes": 60, "medium_c": 56, "store": {"kind": "bath", "litres": 2}}
    with pytest.raises(InputError, match="do not lie in 2") as told:
        parse(plan_document(piece=piece, stages=[stage]))
    assert told.value.path == "/stages/0/store/litres"


@pytest.mark.parametrize("store", ["pan", {"kind": "kettle"}, {}, {"kind": "pan", "places": "four"}])
def test_gear_whose_store_is_none_is_refused(store):
    piece = {"food": "hake", "shape": {"kind": "slab", "thickness_mm": 24}, "start_c": 4, "mass_g": 180}
    document = plan_document(piece=piece) | {"x-gear": {"name": "P", "offset_c": 0.0, "store": store}}
    with pytest.raises(InputError) as told:
        parse(document)
    assert told.value.path == "/x-gear/store"


OVEN = {"kind": "oven", "minutes": 40, "medium_c": 180, "store": {"kind": "oven"}}
DOOR = {"kind": "oven", "doors": [{"at_s": 300, "open_s": 20}]}
POT = {"kind": "boil", "minutes": 10, "store": {"kind": "pot", "litres": 5}}
PLATE = {"kind": "rest", "minutes": 8, "variant": "plate", "store": {"kind": "plate"}}


@pytest.mark.parametrize(
    ("stages", "path"),
    [
        ([POT | {"store": {"kind": "pot", "set_c": 90}}], "/stages/0/store/set_c"),
        ([POT | {"store": {"kind": "pot", "doors": DOOR["doors"]}}], "/stages/0/store/doors"),
        ([POT | {"medium_c": 120}], "/stages/0/medium_c"),
        ([{"kind": "boil", "minutes": 10, "medium_c": 20}], "/stages/0/medium_c"),  # of no pot: it boils
        ([OVEN | {"store": {"kind": "pot"}}], "/stages/0/store/kind"),
        ([OVEN | {"store": {"kind": "oven", "lid": True}}], "/stages/0/store/lid"),
        ([OVEN | {"store": {"kind": "oven", "doors": [{"at_s": 2390, "open_s": 20}]}}], "/stages/0/store/doors/0/at_s"),
        ([OVEN | {"store": {"kind": "oven", "doors": [*DOOR["doors"], {"at_s": 310, "open_s": 5}]}}], "/stages/0/store/doors/1/at_s"),
        ([OVEN | {"store": DOOR}, PLATE], "/stages/1/store"),
        ([OVEN | {"store": DOOR}, OVEN | {"store": DOOR}], "/stages/1/store"),
        ([PLATE | {"variant": "board"}], "/stages/0/store/kind"),
        ([PLATE | {"store": {"kind": "plate", "power_w": 100}}], "/stages/0/store/power_w"),
        ([PLATE | {"cover": "tented"}], "/stages/0/cover"),
    ],
)  # fmt: skip
def test_what_a_pot_a_door_or_a_plate_cannot_be_is_refused_by_name(stages, path):
    piece = {"food": "hake", "shape": {"kind": "slab", "thickness_mm": 24}, "start_c": 4, "mass_g": 180}
    with pytest.raises(InputError) as told:
        parse(plan_document(piece=piece, stages=stages))
    assert told.value.path == path


def test_a_door_is_felt_by_the_pull_and_the_forecast():
    """Twelve openings of a minute make a roast in a weak oven later, and its forecast with it."""
    piece = {"food": "beef-lean", "shape": {"kind": "cylinder", "diameter_mm": 80}, "start_c": 6, "mass_g": 1000}
    rest = {"kind": "rest", "minutes": 15}
    outcomes = []
    for doors in ([], [{"at_s": 200 * (i + 1), "open_s": 60} for i in range(12)]):
        store = {"kind": "oven", "power_w": 1400, **({"doors": doors} if doors else {})}
        oven = {"kind": "oven", "minutes": 150, "medium_c": 170, "until": {"peak_core_c": 58}, "store": store}
        outcomes.append(compute(parse(plan_document(piece=piece, stages=[oven, rest], forecast={"members": 64}))))
    shut, opened = (o.result for o in outcomes)
    assert opened["coast"]["pull_s"] > shut["coast"]["pull_s"] + 60
    assert opened["forecast"]["pull_s"]["p50"] > shut["forecast"]["pull_s"]["p50"] + 60
    assert opened["peak"]["core_c"] == pytest.approx(58.0, abs=0.05)
    assert "door-opened" in {f["code"] for f in opened["findings"]}
