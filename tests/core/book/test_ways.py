"""Shipped ways: each computes for three sizes, ends as it is meant to, says what it must, and none is another's twin."""

from __future__ import annotations

import json
from functools import lru_cache

import pytest

from ember_core.book.book import shipped
from ember_core.data.loader import read_toml
from ember_core.eggs.omelette import SCHOOLS, Omelette
from ember_core.eggs.stirred import Scramble
from ember_core.eggs.stirred_plan import omelette_document, scrambled_document
from ember_core.entry.sentence import Sentence
from ember_core.formats.plan import parse
from ember_core.heat.cook import Cook, run
from ember_core.heat.setup import setup
from ember_core.plan.plan import Plan
from ember_core.planning.compute import compute
from ember_core.planning.moves import MoveKind, moves

WAYS = shipped().ways
UNENDED = {"until-not-reached", "pull-already-past", "what-would-work"}
TEXTS = ("name", "school", "gains", "costs")


def cut_for(way: str) -> str:
    """A cut that usually goes this way, else the first it suits."""
    book = shipped()
    fits = [
        c["id"] for c in book.cuts.values() if WAYS[way] in book.ways_for(c, None, Sentence.for_cut(c["id"]).target_c)
    ]
    return next((c for c in fits if book.cuts[c]["way"] == way), fits[0])


@lru_cache(maxsize=256)
def plan_by(way: str, share: float = 1.0, cut: str = "") -> Plan:
    cut = cut or cut_for(way)
    size = round(shipped().cuts[cut]["size_mm"] * share, 1)
    return parse(Sentence.for_cut(cut, way=way, size_mm=size).document())


def minutes(cook: Cook, *stages: int) -> float:
    return sum(cook.stages[i].end_s - cook.stages[i].start_s for i in stages) / 60.0


def test_the_book_is_full() -> None:
    assert len(WAYS) >= 28
    assert len(shipped().cuts) >= 80
    assert min(len(shipped().ways_for(c)) for c in shipped().cuts.values() if c["kind"] not in {"egg", "custard"}) >= 2


@pytest.mark.parametrize("share", [0.8, 1.0, 1.25])
@pytest.mark.parametrize("way", WAYS)
def test_a_way_ends_as_it_is_meant_to(way: str, share: float) -> None:
    out = compute(parse(plan_by(way, share).document), with_forecast=False)
    assert not UNENDED & {f.code for f in out.findings}, [str(f.message) for f in out.findings]
    if any(s.until == "peak_core_c" for s in out.plan.stages):
        assert out.cook.peak_core_c == pytest.approx(out.plan.core_goal_c, abs=0.05)
    said = moves(out.plan, out.cook)
    assert [m.offset_s for m in said] == sorted(m.offset_s for m in said)
    assert all(m.verb and "{" not in m.verb + m.cue + m.why + m.caution for m in said)


def test_no_two_ways_compile_to_the_same_stages() -> None:
    seen: dict[str, str] = {}
    for shape, cut in {
        "slab": "bavette",
        "cylinder": "venison-loin",
        "sphere": "potato",
        "box": "pork-chop-fat-edge",
    }.items():
        for way, row in WAYS.items():
            if shape not in row["shapes"]:
                continue
            stages = [{k: v for k, v in s.items() if k != "x-say"} for s in plan_by(way, 1.0, cut).document["stages"]]
            key = json.dumps([shape, stages], sort_keys=True)
            assert seen.setdefault(key, way) == way, f"{way} is {seen[key]}"


def test_what_physics_gives_is_solved() -> None:
    # common practice that no temperature ends: hours for tenderness, a night in the cold, seconds of colour, a settled oven
    for way in WAYS.values():
        solved = [s for s in way["stage"] if "until" in s or s.get("solve") or s.get("chill_to")]
        assert solved or way["id"] in {"braise"}, way["id"]
        for stage in way["stage"]:
            assert isinstance(stage["minutes"], int | float), (way["id"], stage)


def test_every_way_says_what_it_must() -> None:
    gear, said = read_toml("gear.toml"), read_toml("moves.toml")["say"]
    used = {s["say"] for way in read_toml("ways_first.toml")["way"] for s in way["stage"] if "say" in s}
    for way in WAYS.values():
        assert all(way.get(part) for part in TEXTS), way["id"]
        assert set(way["gear"]) <= set(gear), set(way["gear"]) - set(gear)
        used |= {s["say"] for s in way["stage"] if "say" in s}
        assert set(way["kinds"]) <= set(read_toml("cuts.toml")["kind"]) | {"bird"}
    eggs = [scrambled_document(Scramble(150.0)), *(omelette_document(Omelette(school=s)) for s in SCHOOLS)]
    used |= {s["x-say"] for document in eggs for s in document["stages"] if "x-say" in s}
    assert used == set(said) - {"temper"}


def test_turned_often_is_faster_and_bands_less() -> None:
    """The gain the way claims: more often turned, sooner done (McGee 2004, from memory; here by the model)."""
    often, once = (plan_by(way, 1.0, "bavette") for way in ("hot-pan-turned-often", "hot-pan"))
    cooked = [run(p, setup(p)) for p in (often, once)]
    heat = [c.stages[-1].start_s for c in cooked]
    grey = [float((c.field.max(axis=0) > 65.0).mean()) for c in cooked]
    assert heat[0] < 0.85 * heat[1]
    assert grey[0] < grey[1]
    turns = [m for m in moves(often, cooked[0]) if m.kind == MoveKind.TURN]
    assert len(turns) >= 8


# What kitchens say (common practice, no published source): work, cut, way, stages, band in minutes, what was said of the piece, and the
# size (mm) for which the band is true; None: for none, and why.
BANDS = [
    ("steak basted, 3.5 to 4 min in all", "strip-steak", "hot-pan-basted", (0, 1), (3.5, 4.0), {"target_c": 55.0}, 19.6),
    ("thick chop, 3.5 to 4 min a side", "pork-chop", "hot-pan-basted", (0, 1), (7.0, 8.0), {"target_c": 63.0}, 24.2),
    ("top blade, 110 °C 12 min", "flat-iron", "colour-baste-low-oven", (2,), (11.0, 13.0), {"target_c": 55.0}, 17.5),
    ("lamb rump, oven 12 to 15 min", "lamb-rump", "pan-into-oven", (1,), (12.0, 15.0), {"target_c": 61.0}, 30.0),
    ("game bird breast, 63.3 °C 35 min", "pheasant-breast", "bath", (0,), (33.0, 37.0), {"target_c": 63.3}, 14.8),
    ("prawns in liquor, 5 min", "prawn", "poach-covered", (0,), (4.5, 5.5), {"target_c": 58.0}, 26.1),
    ("ham leg, 3.5 h", "ham-leg", "simmer-cool-glaze-bake", (0,), (190.0, 230.0), {"target_c": 68.0}, 182.0),
    ("layered potatoes, 110 °C 3 h", "potato-cake", "press-and-fry", (0,), (165.0, 195.0), {}, 27.5),
    ("small potatoes, 3 min boiling", "new-potato", "parboiled-then-pan", (0,), (2.5, 3.5), {}, 19.0),
    ("potatoes under paper, 20 min", "new-potato", "glazed-under-paper", (1,), (18.0, 22.0), {}, 49.6),
    ("asparagus, 2 min boiling", "asparagus", "blanch-and-shock", (0,), (1.7, 2.3), {"target_c": 83.0}, 13.5),
    ("asparagus, 10 min in the breast's bath", "asparagus", "bath", (0,), (9.0, 11.0), {"target_c": 83.0}, 9.0),
    ("small loin tempered, oven 2 to 2.5 min, to blue", "venison-loin", "short-heat-long-rest", (0,), (2.0, 2.5), {"target_c": 47.0, "start_c": 20.0}, 12.6),
    ("maize on the cob, 20 min", "carrot", "boiled", (0,), (18.0, 22.0), {}, 41.0),
]  # fmt: skip


@pytest.mark.parametrize(("work", "cut", "way", "stages", "band", "known", "size"), BANDS, ids=[b[0] for b in BANDS])
def test_bands_of_the_trade_hold_for_some_size(work, cut, way, stages, band, known, size) -> None:  # type: ignore[no-untyped-def]
    took = []
    for mm in (0.6 * size, size, 1.6 * size):
        plan = parse(Sentence.for_cut(cut, way=way, size_mm=round(mm, 1), **known).document())
        took.append(minutes(run(plan, setup(plan)), *stages))
    assert took[0] < band[0] <= took[1] <= band[1] < took[2], work
