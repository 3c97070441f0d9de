"""Every key of a stage, on every kind: it changes the cook, or an error names it. Nothing is ignored."""

from __future__ import annotations

import json

import pytest

from ember_core.errors import FormatError, InputError
from ember_core.formats.plan import loads, parse, schema
from ember_core.formats.stages import kinds
from ember_core.heat.cook import run
from ember_core.heat.findings import setup_findings
from ember_core.heat.setup import setup
from tests.conftest import plan_document

MEDIUM = {
    "bath": 62,
    "oven": 150,
    "smoke": 95,
    "pan": 170,
    "grill": 200,
    "fry": 170,
    "baste": 140,
    "hold": 70,
    "chill": 2,
    "thaw": 4,
    "cure": 3,
    "brine": 3,
    "press": 3,
}
COVERS = schema()["$defs"]["cover"]["enum"]
VARIANTS = schema()["$defs"]["variant"]["enum"]
OTHERS: dict[str, list[dict]] = {
    "medium_c": [{"medium_c": 65.0}, {"medium_c": 40.0}, {"medium_c": 180.0}],
    "medium_from_c": [{"medium_from_c": 20.0}, {"medium_from_c": 180.0}],
    "settle_minutes": [{"settle_minutes": 9.0}, {"medium_from_c": 30.0, "settle_minutes": 9.0}],
    "humidity": [{"humidity": h} for h in (0.0, 0.6, 1.0)] + [{"humidity": 0.6, "cover": c} for c in COVERS],
    "cover": [{"cover": c} for c in COVERS],
    "variant": [{"variant": v} for v in VARIANTS],
    "surface": [{"surface": {"h_w_m2k": 30}}, {"surface": {"h_w_m2k": 30, "emissivity": 0.5}}]
    + [{"surface": {"h_w_m2k": 30}, k: v} for k, v in (("cover", "bare"), ("humidity", 0.5), ("medium_from_c", 25.0), ("variant", "still"))]
    + [{"surface": {"h_w_m2k": 30, "wet": True}, "humidity": 0.9}],
    "load": [{"load": {"litres": 6, "heater_w": 600}}, {"load": {"litres": 6, "heater_w": 600}, "medium_from_c": 30.0}]
    + [{"load": {"kg": 6}}, {"load": {"litres": 300}}, {"load": {"kg": 6, "litres": 300}}, {"load": {"litres": 6}}]
    + [{"load": {"kg": 6}, **more} for more in ({"humidity": 0.4}, {"cover": "bag"}, {"surface": {"h_w_m2k": 30, "wet": True}})],
    "support": [{"support": "tray"}, {"support": "rack"}]
    + [{"support": "rack", **more} for more in ({"surface": {"h_w_m2k": 30}}, {"faces": {"a": {"medium_c": 180.0}}})],
    "vent": [{"vent": "open"}, {"vent": "closed"}]
    + [{"vent": "closed", **more} for more in ({"humidity": 0.4}, {"cover": "wrapped"}, {"cover": "tented"})],
}  # fmt: skip
NO_CHANGE = {"bare"}  # a word for the default, which changes nothing by its meaning
DEFAULTS = {
    ("bath", "stirred"), ("oven", "still"), ("pan", "fair"), ("chill", "air"), ("thaw", "fridge"), ("oven", "tray"), ("smoke", "still"), ("oven", "open"),
}  # fmt: skip
CASES = [(kind, key, more) for kind in kinds() for key, values in OTHERS.items() for more in values]


def stage_of(kind, more):
    """A stage of a kind with its least keys and more."""
    stage = {"kind": kind, "minutes": 6, **more}
    return stage if "medium_c" in stage or kind not in MEDIUM else {**stage, "medium_c": MEDIUM[kind]}


def trace(stage):
    """The mean temperature through a slab's cook, or the error."""
    piece = {
        "food": "beef-lean",
        "shape": {"kind": "slab", "thickness_mm": 12},
        "start_c": 30,
        "mass_g": 400,
        "count": 4,
    }
    try:
        plan = parse(plan_document(piece=piece, stages=[stage]))
        return run(plan, setup(plan)).stages[0].mean_c
    except InputError as error:
        return error


@pytest.mark.parametrize(("kind", "key", "more"), CASES, ids=lambda v: v if isinstance(v, str) else json.dumps(v))
def test_a_stated_key_counts_or_is_refused_by_name(kind, key, more):
    """Either each stated key changes what is computed, or the error's path names one of them."""
    said = trace(stage_of(kind, more))
    if isinstance(said, InputError):
        assert set(said.path.split("/")[3:]) & set(more)
        assert said.code in {"choice", "boiling", "range", "missing"}
        assert len(said.message) > 30
        return
    for stated in more:
        value = more[stated]
        if value in NO_CHANGE if isinstance(value, str) else False:
            continue
        without = {k: v for k, v in more.items() if k != stated}
        if stated == "medium_c" and kind in MEDIUM and value == MEDIUM[kind]:
            continue
        if (kind, value) in DEFAULTS if isinstance(value, str) else False:
            assert said == trace(stage_of(kind, without))
            continue
        other = trace(stage_of(kind, without))
        assert isinstance(other, InputError) or abs(said - other) > 1e-4, f"{stated} is ignored"


FACES = [
    # a lid, of what, over what
    ({"kind": "pan", "minutes": 5, "medium_c": 150, "cover": "lidded"}, "/stages/0/cover"),
    ({"kind": "oven", "minutes": 5, "cover": "lidded", "faces": {"a": {"medium_c": 150}}}, "/stages/0/cover"),
    ({"kind": "rest", "minutes": 5, "cover": "lidded"}, "/stages/0/cover"),
    ({"kind": "pan", "minutes": 5, "faces": {"a": {"medium_c": 150, "cover": "lidded"}}}, "/stages/0/faces/a/cover"),
    # keys of the stage that no face takes up, faces that do not meet what the stage is called
    ({"kind": "bath", "minutes": 5, "medium_c": 60, "faces": {"a": {"medium_c": 50}, "b": {"medium_c": 50}}}, "/stages/0/medium_c"),
    ({"kind": "pan", "minutes": 5, "variant": "good", "faces": {"a": {"medium_c": 150, "variant": "poor"}}}, "/stages/0/variant"),
    ({"kind": "bath", "minutes": 5, "faces": {"a": {"kind": "rest"}}}, "/stages/0/kind"),
    ({"kind": "bath", "minutes": 5, "faces": {}}, "/stages/0/faces"),
    # water and steam
    ({"kind": "steam", "minutes": 20, "medium_c": 65}, "/stages/0/medium_c"),
    ({"kind": "boil", "minutes": 20, "medium_c": 100}, "/stages/0/medium_c"),
    ({"kind": "bath", "minutes": 5, "medium_c": 60, "medium_from_c": 300}, "/stages/0/medium_from_c"),
    ({"kind": "simmer", "minutes": 5, "medium_c": 80, "medium_from_c": 120}, "/stages/0/medium_from_c"),
    # what ends a stage
    ({"kind": "bath", "minutes": 5, "medium_c": 60, "until": {"core_c": 50, "organism": "listeria"}}, "/stages/0/until/organism"),
]  # fmt: skip


@pytest.mark.parametrize(("stage", "path"), FACES)
def test_stages_that_contradict_themselves(stage, path):
    """Lids without a pan, keys that reach no face, water above its boiling point (93.8 °C at 1,850 m)."""
    with pytest.raises(InputError) as caught:
        parse(plan_document(stages=[stage]))
    assert caught.value.path == path


def test_a_lid_is_no_hotter_than_its_pan():
    """The moist air under a lid is 12 K below boiling, or as warm as the pan, whichever is less."""
    for medium, under in ((170, 93.82 - 12), (60, 60)):
        stage = {"kind": "pan", "minutes": 5, "cover": "lidded", "faces": {"a": {"medium_c": medium}}}
        assert parse(plan_document(stages=[stage])).stages[0].face_b.medium_c == pytest.approx(under, abs=0.02)


PIECES = [
    ({"shape": {"kind": "slab", "thickness_mm": 20, "diameter_mm": 40}}, "/piece/shape/diameter_mm"),
    ({"shape": {"kind": "slab", "thickness_mm": 20, "width_mm": 40}}, "/piece/shape/width_mm"),
    ({"shape": {"kind": "sphere", "diameter_mm": 40, "length_mm": 90}}, "/piece/shape/length_mm"),
    ({"shape": {"kind": "cylinder", "diameter_mm": 40, "mass_g": 90}}, "/piece/shape/mass_g"),
    ({"shape": {"kind": "box", "length_mm": 100, "width_mm": 60, "thickness_mm": 60}, "mass_g": 5000}, "/piece/mass_g"),
    ({"shape": {"kind": "box", "length_mm": 100, "width_mm": 60, "thickness_mm": 60}, "mass_g": 100}, "/piece/mass_g"),
    ({"shape": {"kind": "cylinder", "diameter_mm": 60, "length_mm": 120}, "mass_g": 500}, "/piece/mass_g"),
    ({"shape": {"kind": "sphere", "diameter_mm": 60}, "mass_g": 200}, "/piece/mass_g"),
    ({"shape": {"kind": "slab", "thickness_mm": 10}, "mass_g": 60000}, "/piece/mass_g"),
    ({"shape": {"kind": "egg", "mass_g": 58}, "food": "egg-whole", "mass_g": 90}, "/piece/mass_g"),
]


@pytest.mark.parametrize(("piece", "path"), PIECES)
def test_shapes_state_their_own_lengths_and_hold_their_mass(piece, path):
    """A length of another shape, or a mass that the shape cannot have, is refused by name."""
    with pytest.raises(InputError) as caught:
        parse(plan_document(piece={"food": "beef-lean", "start_c": 4} | piece))
    assert caught.value.path == path


@pytest.mark.parametrize("fill", [0.36, 1.0, 1.34])
def test_a_mass_near_the_shape_is_taken(fill):
    """0.35 to 1.35 of what the shape holds at 1,060 kg/m³."""
    shape = {"kind": "box", "length_mm": 100, "width_mm": 60, "thickness_mm": 60}
    plan = parse(plan_document(piece={"food": "beef-lean", "start_c": 4, "shape": shape, "mass_g": 360 * 1.06 * fill}))
    assert plan.document["piece"]["mass_g"] == 360 * 1.06 * fill


def test_a_doneness_alone_is_a_target():
    """Its temperature is the food's; a name the food does not have is refused."""
    assert parse(plan_document(target={"doneness": "rare"})).target_c == 51
    for core, said in ((54, False), (48, False), (47.9, True), (60, True)):
        plan = parse(plan_document(target={"doneness": "rare", "core_c": core}))
        assert plan.target_c == core
        assert ("doneness-and-core" in [f.code for f in setup_findings(plan, 94.0)]) is said
    with pytest.raises(FormatError) as caught:
        parse(plan_document(target={"doneness": "crunchy"}))
    assert caught.value.path == "/target/doneness"


@pytest.mark.parametrize(("start", "said"), [(30.0, False), (30.1, True), (75.0, True)])
def test_a_piece_that_starts_hot_is_said(start, said):
    """What came before is not in the plan."""
    piece = {"food": "beef-lean", "start_c": start, "shape": {"kind": "slab", "thickness_mm": 20}}
    found = [f.level for f in setup_findings(parse(plan_document(piece=piece)), 94.0) if f.code == "hot-start"]
    assert found == (["care"] if said else [])


def test_waiting_for_a_rule_needs_one_and_keys_stand_once():
    """until rule without rules; x-house under other rules; a key twice in one object."""
    document = plan_document(stages=[{"kind": "bath", "minutes": 5, "medium_c": 60, "until": {"rule": True}}])
    del document["rules"]
    for made, path in ((document, "/stages/0/until/rule"), (plan_document(**{"x-house": {"base": "uk-fsa"}}), "/x-house"),
                       (plan_document(rules="house", **{"x-house": {"base": "uk-fsa", "row": {}}}), "/x-house/row")):  # fmt: skip
        with pytest.raises(InputError) as caught:
            parse(made)
        assert caught.value.path == path
    text = json.dumps(plan_document()).replace('"start_c": 4', '"start_c": 4, "start_c": 60')
    with pytest.raises(FormatError) as caught:
        loads(text)
    assert caught.value.code == "duplicate-key"


def test_covers_are_different_things():
    """180 °C still oven, 22 mm on a rack: foil with air, foil close, cloth, a bag; bare evaporates. Foil no longer passes the bare oven's heat."""
    means = {
        c: trace(stage_of("oven", {"cover": c, "medium_c": 180.0, "support": "rack"})) for c in COVERS if c != "lidded"
    }
    assert means["tented"] < means["wrapped"] < means["bag"]
    assert means["tented"] < means["bare"] < means["bag"]
    assert means["tented"] < means["cloth"] < means["bag"]
    assert len({round(m, 2) for m in means.values()}) == len(means)
