"""Crowding: what is said would do does when it is cooked, and the next step less does not; and what is said of juice, ovens and ways back."""

from __future__ import annotations

import re
from functools import cache
from json import dumps, loads

import numpy as np
import pytest

from ember_core.formats.plan import parse
from ember_core.planning.compute import compute
from ember_core.planning.crowding import HEATER_STEP_W, LITRE_STEP, MASS_STEP_KG, crowding
from ember_core.planning.medium_use import ComputeContext, medium_use_of, medium_uses_of
from ember_core.planning.several import other_sizes
from tests.conftest import plan_document

HAKE = {"food": "hake", "form": "fish", "shape": {"kind": "slab", "thickness_mm": 24}, "start_c": 4, "mass_g": 180}
BREAST = {
    "food": "chicken-breast",
    "form": "poultry",
    "shape": {"kind": "slab", "thickness_mm": 28},
    "start_c": 4,
    "mass_g": 200,
}
BEEF = {
    "food": "beef-lean",
    "form": "steak",
    "shape": {"kind": "slab", "thickness_mm": 28},
    "start_c": 5,
    "mass_g": 500,
}
KITCHEN = {"altitude_m": 0, "air_c": 24}


def stage(kind, minutes, medium_c, store=None, **more):
    return {"kind": kind, "minutes": minutes, "medium_c": medium_c, "store": {"kind": kind, **(store or {})}, **more}


def turned(minutes, medium_c, times=2, **store):
    """A pan in which the pieces are turned."""
    face = ("a", "b")
    return [
        {"kind": "pan", "minutes": minutes / times, "faces": {face[i % 2]: {"medium_c": medium_c}}, "store": {"kind": "pan", **store}}
        for i in range(times)
    ]  # fmt: skip


def document(piece, count, *stages):
    return plan_document(
        piece=piece | {"count": count}, stages=[*stages, {"kind": "rest", "minutes": 5}], kitchen=KITCHEN
    )


@cache
def _result(text):
    return compute(parse(loads(text)), with_forecast=False).result


def result(of):
    return _result(dumps(of))


def said(of, code="crowded"):
    """The finding of a plan document about that, or None."""
    return next((f for f in result(of)["findings"] if f["code"].startswith(code)), None)


def crowded(of):
    found = said(of)
    return found is not None and found["level"] == "care"


def with_store(of, **changed):
    stages = [s | {"store": s["store"] | changed} if "store" in s else s for s in of["stages"]]
    return of | {"stages": stages}


CROWDS = {
    "weak pan": document(HAKE, 6, stage("pan", 6, 200, {"mass_kg": 1.2, "power_w": 700})),
    "turned": document(BREAST, 6, *turned(12, 190, mass_kg=1.6, power_w=900)),
    "set pan": document(BREAST, 8, stage("pan", 10, 190, {"mass_kg": 1.6, "power_w": 1100, "set_c": 190})),
    "in turn": document(HAKE, 4, *turned(6, 200, 1, mass_kg=1.0, power_w=500, lay_in_every_s=8)),
    "bath": document(BEEF, 6, stage("bath", 60, 60, {"litres": 6, "power_w": 300})),
    "loaded bath": document(BEEF, 6, {"kind": "bath", "minutes": 60, "medium_c": 60, "load": {"litres": 6, "heater_w": 300}}),
    "fat": document(HAKE, 8, stage("fry", 5, 180, {"kind": "fat", "litres": 3, "power_w": 2000})),
    "pot": document(BREAST, 8, stage("simmer", 15, 85, {"kind": "pot", "litres": 3, "power_w": 300})),
    "oven": document(BREAST, 60, stage("oven", 25, 200, {"power_w": 2000}, variant="fan")),
}  # fmt: skip


@pytest.mark.parametrize("name", CROWDS)
def test_what_is_said_would_do_does_and_a_step_less_does_not(name):
    """Each change is put into the plan as a cook would, and the plan computed again."""
    crowd = CROWDS[name]
    found = said(crowd)
    assert found["level"] == "care"
    words, ways = found["message"], 0
    count, in_turn = crowd["piece"]["count"], name == "in turn"  # those have something to spare
    if fit := re.search(r"at most (\d+) at a time|one at a time", words):
        ways += 1
        fits = int(fit[1] or 1)
        assert not crowded(crowd | {"piece": crowd["piece"] | {"count": fits}})
        assert crowded(crowd | {"piece": crowd["piece"] | {"count": fits + 1}}) or in_turn
        batches = re.search(r"\((\d+) batches of (\d+)(?: or (\d+))?", words)
        if batches:
            many, most, least = int(batches[1]), int(batches[2]), int(batches[3] or batches[2])
            assert fits >= most >= least >= 1
            assert many * least <= count <= many * most
    steps = (
        (r"([\d.]+) kW (?:into it )?instead", 1000.0, "power_w", HEATER_STEP_W),
        (r"a heavier one, of ([\d.]+) kg", 1.0, "mass_kg", MASS_STEP_KG),
        (r"([\d.]+) L instead", 1.0, "litres", LITRE_STEP),
    )
    for pattern, factor, key, step in steps:
        if not (more := re.search(pattern, words)):
            continue
        ways += 1
        needs = factor * float(more[1])
        if "load" in crowd["stages"][0]:
            key = {"power_w": "heater_w", "litres": "litres"}[key]
            changed = [
                crowd | {"stages": [crowd["stages"][0] | {"load": crowd["stages"][0]["load"] | {key: x}}, *crowd["stages"][1:]]}
                for x in (needs, needs - step)
            ]  # fmt: skip
        else:
            changed = [with_store(crowd, **{key: round(x, 6)}) for x in (needs, needs - step)]
        assert not crowded(changed[0])
        assert crowded(changed[1]) or in_turn
    assert ways >= (1 if name == "oven" else 2)


def test_a_pan_is_as_crowded_however_often_they_are_turned():
    """The fall is that of the pan from when they are laid in, not from when they were last turned."""
    falls = []
    for times in (1, 2, 12):
        found = said(document(BREAST, 6, *turned(12, 190, times, mass_kg=1.6, power_w=700)))
        assert found["level"] == "care"
        assert found["message"].startswith("Stage 1:" if times == 1 else f"Stages 1 to {times}:")
        falls.append(found["message"].values["drop_k"])
    assert falls[2] > 0.8 * falls[0]


def test_a_pan_after_a_bath_begins_at_its_own_heat():
    """What is recorded as they are laid in is the bath's temperature."""
    bath = stage("bath", 40, 55, {"litres": 20, "power_w": 1500})
    after = document(BEEF, 6, bath, stage("pan", 4, 220, {"mass_kg": 1.2, "power_w": 500}))
    found = said(after, "crowded-pan")
    pan = result(after)["stages"][1]["medium"]
    assert found["message"].startswith("Stage 2:")
    assert found["message"].values["drop_k"] >= 220 - min(c for _, c in pan) - 0.01


def test_the_way_back_is_the_medium_s_own():
    """A bath is back when it is within half a kelvin of what it was set to."""
    crowd = CROWDS["bath"]
    minutes = float(re.search(r"about (\d+) min to come back", said(crowd)["message"])[1])
    t, medium = np.array(result(crowd)["stages"][0]["medium"]).T
    lowest = medium.argmin()
    back = np.interp(59.5, medium[lowest:], t[lowest:])
    assert back / 60 == pytest.approx(minutes, abs=0.6)
    assert medium[0] - medium[lowest] == pytest.approx(said(crowd)["message"].values["drop_k"], abs=0.1)


def test_juice_that_a_pan_cannot_turn_to_steam_is_told_in_grams():
    """A weak pan: more runs out of many than it can boil off; a strong one boils it all off."""
    words = said(CROWDS["weak pan"])["message"]
    juice, steam, minutes = map(
        float, re.search(r"([\d.]+) g of juice .* turn ([\d.]+) g .* for (\d+) min", words).groups()
    )
    whole = result(CROWDS["weak pan"])["outside"]["drip"] * 6 * 180
    assert steam < 0.2 * juice
    assert 0.5 * whole < juice <= whole + 1  # the rest of it runs out while they rest
    assert 1 <= minutes <= 6
    strong = with_store(CROWDS["weak pan"], power_w=3500)
    assert said(strong) is None or "juice runs" not in said(strong)["message"]


def test_what_has_no_juice_boils_in_none():
    """Slices of potato fall as far, and nothing is said of juice or its steam."""
    potato = {
        "food": "potato",
        "form": "plant",
        "shape": {"kind": "slab", "thickness_mm": 12},
        "start_c": 10,
        "mass_g": 60,
    }
    found = said(document(potato, 14, stage("pan", 8, 190, {"mass_kg": 1.2, "power_w": 500})))
    assert found["level"] == "care"
    assert "juice" not in found["message"]


JUICY = [
    (document(BREAST, 6, *turned(16, 180, mass_kg=2.4, power_w=1000)), True),
    (document(BREAST, 4, stage("pan", 12, 190, {"mass_kg": 2.4, "power_w": 1500, "set_c": 190})), True),
    (document(HAKE, 4, *turned(6, 200, 1, mass_kg=1.6, power_w=900, lay_in_every_s=8)), True),
    (document(BREAST, 6, {"kind": "pan", "minutes": 12, "medium_c": 180}), False),
    (document(BEEF, 2, stage("bath", 60, 60, {"litres": 6, "power_w": 300})), False),
]


@pytest.mark.parametrize(("plan", "steams"), JUICY)
def test_a_pan_is_computed_again_with_the_steam_of_the_juice(plan, steams):
    """The pan as it is told is the pan that cooks with what it gives to the steam: the turns have come to agree."""
    one = parse(plan)
    kitchen = ComputeContext({}, None)
    now = kitchen.cooked(one)
    stays = [medium_use_of(now, *found, kitchen) for found in medium_uses_of(one)]
    again = kitchen.steamed(now, stays)
    assert (again is not None) is steams
    if again is None:
        return
    stay = stays[0]
    assert stay.puddle.steam[-1] > 0.005
    known = np.isfinite(again.cook.medium)
    t, medium = again.cook.t[known], again.cook.medium[known]
    while_it_lies = stay.t < t[-1]
    off = np.interp(stay.t, t, medium)[while_it_lies] - stay.medium[while_it_lies]
    assert float(np.sqrt(np.mean(off**2))) < 2.0
    assert again.cook.peak_core_c < now.cook.peak_core_c


def test_steam_of_a_pan_is_not_taken_from_the_oven_that_comes_after_it():
    """Seared in a pan that it cools, then in an oven whose door is opened: each medium loses what is lost in it."""
    door = {"power_w": 2500, "doors": [{"at_s": 300, "open_s": 20}]}
    one = parse(
        document(BREAST, 6, *turned(10, 180, mass_kg=1.6, power_w=900), stage("oven", 20, 180, door, variant="fan"))
    )
    kitchen = ComputeContext({}, None)
    now = kitchen.cooked(one)
    assert now.sharing.first == 2
    stays = [medium_use_of(now, *found, kitchen) for found in medium_uses_of(one)]
    assert [(s.kind, s.pieces_kg) for s in stays] == [("pan", pytest.approx(1.2)), ("oven", pytest.approx(1.2))]
    again = kitchen.steamed(now, stays)
    for cook, told in ((now.cook, stays[0].computed), (again.cook, stays[0].medium)):
        seared = cook.t < cook.stages[1].end_s
        assert np.nanmin(cook.medium[seared]) == pytest.approx(told.min(), abs=4.0)
    roasted = (now.cook.t > now.cook.stages[2].start_s + 60.0) & np.isfinite(now.cook.medium)
    apart = np.interp(now.cook.t, again.cook.t, again.cook.medium)[roasted] - now.cook.medium[roasted]
    assert np.abs(apart).max() < 1.0


def test_what_is_met_is_met_with_the_steam_of_the_juice_too():
    """The rule is not met by a pan that is hotter than its juice leaves it; where it is met with that too, it is met."""
    plan = document(BREAST, 8, *turned(20, 180, mass_kg=2.4, power_w=1200))
    until = [plan["stages"][0], plan["stages"][1] | {"minutes": 60, "until": {"rule": True}}, plan["stages"][2]]
    short = result(plan | {"stages": until})
    assert short["stages"][1]["ended_by"] == "rule"  # as it is computed without steam
    assert short["rule"]["met"] is False
    assert short["rule"]["needs"].startswith("With the steam of their juice, which cools the pan:")
    told = next(f for f in short["findings"] if f["code"] == "juice-steams")
    assert told["level"] == "care"
    longer = [until[0], {k: v for k, v in until[1].items() if k != "until"} | {"minutes": 65}, until[2]]
    assert result(plan | {"stages": longer})["rule"]["met"] is True


@pytest.mark.parametrize(
    ("piece", "count", "minutes"),
    [
        (BREAST | {"x-sizes-mm": [28, 28, 28, 28, 28, 32]}, 6, 18),
        (BREAST, 4, 16),
    ],
    ids=["one is thicker", "laid in turn"],
)
def test_every_piece_is_judged_with_the_steam(piece, count, minutes):
    """The one that is met last - the thicker, or whoever is laid in last - is judged in the colder pan too."""
    apart = {} if "x-sizes-mm" in piece else {"lay_in_every_s": 20}
    plan = parse(document(piece, count, *turned(minutes, 180, 1 if apart else 2, mass_kg=2.0, power_w=900, **apart)))
    kitchen = ComputeContext({}, None)
    now, others = kitchen.cooked(plan), other_sizes(plan)
    crowd = crowding(now, kitchen, others)
    alike = () if now.sharing is None else now.sharing.like
    pieces = [(plan, now.cook), *others, *alike]
    assert len(crowd.steamed) == len(pieces) > 1
    for (one, dry), (same, steamed) in zip(pieces, crowd.steamed, strict=True):
        assert one.shape == same.shape
        assert steamed.peak_core_c < dry.peak_core_c - 0.2


def test_steam_that_cannot_be_followed_is_said():
    """With next to no work allowed: not passed over."""
    plan = parse(document(BREAST, 8, *turned(14, 180, mass_kg=2.4, power_w=1200)))
    crowd = crowding(ComputeContext({}, None).cooked(plan), ComputeContext({}, 1e-6, False))
    assert crowd.steamed == []
    told = next(f for f in crowd.findings if f.code == "juice-steams")
    assert told.level == "care"
    assert told.message.endswith("Measure it.")


def test_different_meat_in_one_pan_is_judged_with_the_steam_too():
    """A thin and a thick piece: what the thick one gives off cools the pan under the thin one."""
    thick = {"piece": BREAST | {"shape": {"kind": "slab", "thickness_mm": 30}, "count": 4}, "target": {"core_c": 74}}
    pan = stage("pan", 14, 180, {"mass_kg": 2.0, "power_w": 1000}, also=[thick])
    plan = parse(document(BREAST | {"shape": {"kind": "slab", "thickness_mm": 18}, "mass_g": 120}, 3, pan))
    kitchen = ComputeContext({}, None)
    now = kitchen.cooked(plan)
    crowd = crowding(now, kitchen)
    (_, dry, _), (_, steamed) = now.sharing.also[0], crowd.beside[0]
    assert steamed.stages[-1].end_s == pytest.approx(dry.stages[-1].end_s)  # its pull is foreseen: by the clock
    assert steamed.peak_core_c < dry.peak_core_c - 0.3
    assert crowd.steamed[0][1].peak_core_c < now.cook.peak_core_c - 0.3


def test_the_method_page_s_pan():
    """Eight chicken breasts in a pan of 2.4 kg at 1.2 kW: how far it falls without and with the steam, and what that makes of the core."""
    breast = BREAST | {"shape": {"kind": "slab", "thickness_mm": 25}, "mass_g": 180}
    plan = parse(document(breast, 8, *turned(14, 180, mass_kg=2.4, power_w=1200)))
    kitchen = ComputeContext({}, None)
    now = kitchen.cooked(plan)
    stay = medium_use_of(now, *medium_uses_of(plan)[0], kitchen)
    crowd = crowding(now, kitchen._replace(advises=False))
    assert stay.drop_k - stay.by_steam_k == pytest.approx(28, abs=1)
    assert stay.drop_k == pytest.approx(58, abs=3)
    assert now.cook.peak_core_c - crowd.steamed[0][1].peak_core_c == pytest.approx(2, abs=0.4)


OVEN = stage("oven", 40, 180, {"power_w": 2500}, variant="fan")


@pytest.mark.parametrize("until", [None, {"core_c": 68}])
def test_one_more_tray_does_what_is_said(until):
    """Against the plan of so many more pieces: the fall, and when they are ready or how cold they are."""
    plan = document(BREAST, 44, OVEN | ({"until": until} if until else {}))
    words = said(plan, "one-more-tray")["message"]
    more = int(re.search(r"one more tray \(of (\d+)\)", words)[1])
    assert 10 < more <= 44
    fuller = plan | {"piece": plan["piece"] | {"count": 44 + more}}
    falls = [180 - min(c for _, c in result(x)["stages"][0]["medium"]) for x in (fuller, plan)]
    told = map(float, re.search(r"falls by ([\d.]+) °C instead of ([\d.]+);", words).groups())
    assert list(told) == pytest.approx(falls, abs=0.15)
    was, now = (result(x)["stages"][0] for x in (plan, fuller))
    assert now["end_s"] > was["end_s"] + 30 if until else now["core_c"] < was["core_c"] - 0.2
    if until:
        assert "min" in re.search(r"ready (.*) later", words)[1]
    else:
        colder = float(re.search(r"core is ([\d.]+) °C colder", words)[1])
        assert colder == pytest.approx(was["core_c"] - now["core_c"], abs=0.06)


def test_a_tray_in_a_large_oven_is_not_felt():
    plan = document(BREAST, 6, OVEN | {"store": {"kind": "oven", "mass_kg": 200, "power_w": 20000}})
    assert said(plan, "one-more-tray")["message"].endswith("they are ready as before.")


def test_an_open_door_is_not_the_pieces_doing():
    """The fall that is told is that with the door shut."""
    shut = document(BREAST, 44, OVEN)
    opened = document(BREAST, 44, OVEN | {"store": OVEN["store"] | {"doors": [{"at_s": 300, "open_s": 120}]}})
    tray = [said(x, "one-more-tray")["message"].values["drop_k"] for x in (shut, opened)]
    assert tray[1] == pytest.approx(tray[0], abs=0.05)
    assert said(opened, "door-opened")
    assert said(shut, "door-opened") is None


def test_a_textbook_body_is_no_crowd():
    body = {"properties": {"conductivity_w_mk": 0.5, "density_kg_m3": 1050, "specific_heat_j_kgk": 3600}, "start_c": 4}
    piece = body | {"shape": {"kind": "slab", "thickness_mm": 24}, "mass_g": 200}
    assert said(document(piece, 8, stage("pan", 6, 200, {"mass_kg": 1.0, "power_w": 300}))) is None


def test_little_in_much_is_not_worth_a_word():
    assert said(document(BEEF, 1, stage("bath", 40, 60, {"litres": 60, "power_w": 2000}))) is None
