"""Media that cold food cools, against a solution written apart from the core (SciPy), and their books of energy."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from scipy.linalg import solve_banded

from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.setup import setup
from ember_core.planning.compute import compute
from tests.conftest import plan_document

MEAT = {"conductivity_w_mk": 0.48, "density_kg_m3": 1060.0, "specific_heat_j_kgk": 3500.0}
STEEL, WATER, FAT = 490.0, 4114.0, 1804.0  # J/(kg K), J/(L K): data/stores.toml
AIR_C = 22.0


def cooked(stages, shape, *, mass_g=None, count=1, food=None, start_c=5.0, tol=None, **more):
    """A cook of a piece of constant properties, or of a food."""
    piece = {"shape": shape, "start_c": start_c, "count": count, **({"food": food} if food else {"properties": MEAT})}
    if mass_g:
        piece["mass_g"] = mass_g
    plan = parse(plan_document(piece=piece, stages=stages, **more))
    return run(plan, setup(plan), tol=tol)


def slab_and_store(
    t,
    *,
    thick,
    mass_kg,
    count,
    h_a,
    h_b,
    far_c,
    medium_c,
    capacity,
    supply,
    loss,
    cells=240,
    start_c=5.0,
    most_s=np.inf,
):
    """Core and medium, °C, of ``count`` slabs with face b in the store and face a in air: finite volumes and LSODA.

    ``supply`` (W) and, where it is a function, ``loss`` (W/K) are those of the store's temperature and of time.
    """
    loses = loss if callable(loss) else lambda _: loss
    k, rho, c = MEAT.values()
    dx = thick / cells
    area = mass_kg / rho / thick

    def rate(moment, y):
        piece, medium = y[:-1], y[-1]
        half = 2.0 * k / dx
        into_a = (far_c - piece[0]) / (1.0 / h_a + 1.0 / half)
        into_b = (medium - piece[-1]) / (1.0 / h_b + 1.0 / half)
        flow = np.concatenate([[into_a], -k * np.diff(piece) / dx, [-into_b]])
        change = (flow[:-1] - flow[1:]) / (rho * c * dx)
        return np.append(change, (supply(medium) - loses(moment) * (medium - AIR_C) - count * area * into_b) / capacity)

    begin = np.append(np.full(cells, start_c), medium_c)
    limits = {"rtol": 1e-8, "atol": 1e-8, "lband": 1, "uband": cells, "max_step": most_s}
    found = solve_ivp(rate, (0, t[-1]), begin, method="LSODA", t_eval=t, **limits).y
    middle = cells // 2
    return 0.5 * (found[middle - 1] + found[middle]), found[-1]


@pytest.mark.parametrize("mass", [0.6, 2.4, 50.0])
@pytest.mark.parametrize("power", [None, 800.0])
def test_a_pan_with_four_pieces(mass, power):
    """A burner that is left as it is, or of a stated power; four slabs of 24 mm, the other face in air."""
    times = np.array([10.0, 40.0, 90.0, 200.0, 480.0])
    store = {"kind": "pan", "mass_kg": mass, "material": "steel", "loss_w_k": 3.0, "pieces": 4}
    if power is not None:
        store["power_w"] = power
    stage = {
        "kind": "pan", "minutes": 10, "store": store,
        "faces": {
            "b": {"medium_c": 180, "surface": {"h_w_m2k": 300}},
            "a": {"kind": "rest", "medium_c": AIR_C, "surface": {"h_w_m2k": 12}},
        },
    }  # fmt: skip
    cook = cooked(
        [stage], {"kind": "slab", "thickness_mm": 24}, mass_g=220, report_at_s=list(times), kitchen={"air_c": AIR_C}
    )
    flame = 3.0 * (180 - AIR_C) if power is None else power
    core, medium = slab_and_store(
        times, thick=0.024, mass_kg=0.22, count=4, h_a=12.0, h_b=300.0, far_c=AIR_C, medium_c=180.0,
        capacity=mass * STEEL, supply=lambda _: flame, loss=3.0,
    )  # fmt: skip
    at = [cook.at(t) for t in times]
    assert np.abs(cook.medium[at] - medium).max() < 0.3
    assert np.abs(cook.core[at] - core).max() < 0.1


@pytest.mark.parametrize("heater", [400.0, 1500.0])
def test_a_bath_with_three_kilograms(heater):
    """12 litres at 60 °C, six slabs of 500 g at 5 °C: its thermostat works in full 0.8 K below what it is set to."""
    times = np.array([60.0, 300.0, 900.0, 2400.0, 5400.0])
    surface = {"h_w_m2k": 95}
    store = {"kind": "bath", "litres": 12, "power_w": heater, "loss_w_k": 3.5}
    cook = cooked(
        [{"kind": "bath", "minutes": 90, "medium_c": 60, "surface": surface, "store": store}],
        {"kind": "slab", "thickness_mm": 40}, mass_g=500, count=6, report_at_s=list(times), kitchen={"air_c": AIR_C},
    )  # fmt: skip
    hold = 3.5 * (60 - AIR_C)

    def thermostat(water):
        return min(max(hold + (heater - hold) / 0.8 * (60.0 - water), 0.0), heater)

    # the same on both faces: half of each slab, from both sides
    core, medium = symmetric(times, thermostat)
    at = [cook.at(t) for t in times]
    assert np.abs(cook.medium[at] - medium).max() < 0.1
    assert np.abs(cook.core[at] - core).max() < 0.1
    low = float(np.nanmin(cook.medium))
    assert low < 59.8
    assert cook.medium[-1] > low + 0.15


def symmetric(times, supply, cells=120):
    """Core and water, °C: six half slabs of 40 mm, both of whose faces are in 12 litres."""
    k, rho, c = MEAT.values()
    dx = 0.02 / cells
    area = 2 * 6 * 0.5 / rho / 0.04

    def rate(_, y):
        piece, water = y[:-1], y[-1]
        into = (water - piece[-1]) / (1.0 / 95.0 + dx / (2.0 * k))
        flow = np.concatenate([[0.0], -k * np.diff(piece) / dx, [-into]])
        change = (flow[:-1] - flow[1:]) / (rho * c * dx)
        return np.append(change, (supply(water) - 3.5 * (water - AIR_C) - area * into) / (12 * WATER))

    found = solve_ivp(
        rate, (0, times[-1]), np.append(np.full(cells, 5.0), 60.0), method="LSODA", t_eval=times, rtol=1e-8, atol=1e-8,
    ).y  # fmt: skip
    return 1.125 * found[0] - 0.125 * found[1], found[-1]


def thermostat_of(heater, wanted, loss, band):
    """W of a heater at a store's temperature: full a ``band`` below what is wanted, what holds it there."""
    hold = loss * (wanted - AIR_C)
    return lambda medium: min(max(hold + (heater - hold) / band * (wanted - medium), 0.0), heater)


OPEN_OVEN, OPEN_CABINET = [(600.0, 20.0), (1200.0, 45.0)], [(300.0, 60.0)]


@pytest.mark.parametrize(
    ("kind", "word", "medium", "loss", "band", "heater", "opened"),
    [("oven", "oven", 180.0, 6.0, 10.0, 1500.0, OPEN_OVEN), ("cabinet", "hold", 65.0, 3.0, 3.0, 400.0, OPEN_CABINET)],
)
def test_a_door_that_is_opened(kind, word, medium, loss, band, heater, opened):
    """Walls of 20 kg of steel lose 14 W/K more while the door is open; four slabs, one face on a rack in the store."""
    times = np.sort([v for at, long in opened for v in (at, at + long, at + long + 90.0)] + [2400.0])
    store = {"kind": kind, "power_w": heater, "pieces": 4, "doors": [{"at_s": a, "open_s": o} for a, o in opened]}
    faces = {
        "b": {"medium_c": medium, "surface": {"h_w_m2k": 40}},
        "a": {"kind": "rest", "medium_c": AIR_C, "surface": {"h_w_m2k": 12}},
    }
    piece = {"properties": MEAT, "shape": {"kind": "slab", "thickness_mm": 30}, "start_c": 5, "mass_g": 400}
    stage = {"kind": word, "minutes": 45, "store": store, "faces": faces}
    plan = parse(plan_document(piece=piece, stages=[stage], report_at_s=list(times), kitchen={"air_c": AIR_C}))
    cook = compute(plan).cook
    core, walls = slab_and_store(
        times, thick=0.03, mass_kg=0.4, count=4, h_a=12.0, h_b=40.0, far_c=AIR_C, medium_c=medium, capacity=20 * STEEL,
        supply=thermostat_of(heater, medium, loss, band), most_s=5.0,
        loss=lambda t: loss + 14.0 * any(at <= t < at + long for at, long in opened),
    )  # fmt: skip
    at = [cook.at(t) for t in times]
    assert np.abs(cook.medium[at] - walls).max() < 0.3
    assert np.abs(cook.core[at] - core).max() < 0.1
    before, after = (np.interp(t, cook.t, cook.medium) for t in (opened[-1][0], sum(opened[-1])))
    assert before - after > 0.3  # it is felt


@pytest.mark.parametrize(("begins", "lid"), [(None, False), (None, True), (14.0, True), (14.0, False)])
def test_a_pot_comes_back_to_the_boil_or_is_brought_to_it(begins, lid):
    """3 litres and a burner of 1.5 kW; eight slabs of 150 g, one face in the water: vapour takes what is too much."""
    times = np.array([30.0, 120.0, 300.0, 600.0, 1100.0])
    store = {"kind": "pot", "litres": 3, "power_w": 1500, "pieces": 8, "lid": lid}
    surface = {"surface": {"h_w_m2k": 800}}
    faces = {
        "b": surface if begins is None else surface | {"medium_c": begins},
        "a": {"kind": "rest", "medium_c": AIR_C, "surface": {"h_w_m2k": 0}},
    }
    stage = {"kind": "boil", "minutes": 20, "store": store, "faces": faces}
    cook = cooked(
        [stage], {"kind": "slab", "thickness_mm": 20}, mass_g=150, report_at_s=list(times), kitchen={"air_c": AIR_C}
    )
    boil, loss = 99.974, 1.5 if lid else 4.0  # 0 m, IAPWS SR1-86
    core, water = slab_and_store(
        times, thick=0.02, mass_kg=0.15, count=8, h_a=1e-9, h_b=800.0, far_c=AIR_C, medium_c=begins or boil,
        capacity=3 * WATER, supply=thermostat_of(1500.0, boil, loss, 1.0), loss=loss, start_c=5.0,
    )  # fmt: skip
    at = [cook.at(t) for t in times]
    assert np.abs(cook.medium[at] - water).max() < 0.3
    assert np.abs(cook.core[at] - core).max() < 0.15
    assert cook.medium[-1] == pytest.approx(boil, abs=0.5)
    if begins is None:
        assert np.nanmin(cook.medium) < boil - 0.5


def test_a_plate_and_what_lies_on_it_come_to_one_temperature():
    """A china plate of 0.8 kg at 70 °C (850 J/(kg K)) under a slab of 250 g at 50 °C that loses nothing elsewhere."""
    store = {"kind": "plate", "loss_w_k": 0.0}
    faces = {"b": {"variant": "plate", "medium_c": 70}, "a": {"surface": {"h_w_m2k": 0}}}
    stage = {"kind": "rest", "minutes": 240, "store": store, "faces": faces}
    cook = cooked([stage], {"kind": "slab", "thickness_mm": 25}, mass_g=250, start_c=50.0)
    plate, piece = 0.8 * 850.0, 0.25 * 3500.0
    even = (plate * 70 + piece * 50) / (plate + piece)
    assert cook.medium[-1] == pytest.approx(even, abs=0.1)
    assert cook.core[-1] == pytest.approx(even, abs=0.1)


SHAPES = {
    "slab": ({"kind": "slab", "thickness_mm": 30}, 300.0),
    "long cylinder": ({"kind": "cylinder", "diameter_mm": 40}, 300.0),
    "sphere": ({"kind": "sphere", "diameter_mm": 50}, None),
    "box": ({"kind": "box", "length_mm": 90, "width_mm": 60, "thickness_mm": 30}, None),
    "short cylinder": ({"kind": "cylinder", "diameter_mm": 60, "length_mm": 50}, None),
    "ellipsoid": ({"kind": "ellipsoid", "length_mm": 90, "width_mm": 60, "thickness_mm": 40}, None),
    "egg": ({"kind": "egg", "mass_g": 60}, None),
}
ENOUGH = {"bath": 12 * WATER, "fat": 8 * FAT, "oven": 20 * STEEL}


@pytest.mark.parametrize("kind", ["bath", "fat", "oven"])
@pytest.mark.parametrize("name", SHAPES)
def test_energy_of_medium_and_pieces_closes(name, kind):
    """What the medium has lost, less what its heater brought, is what all pieces have taken; a heater of none, no losses."""
    shape, mass = SHAPES[name]
    word, medium = {"bath": ("bath", 70.0), "fat": ("fry", 170.0), "oven": ("oven", 180.0)}[kind]
    store = {"kind": kind, "power_w": 0.0, "loss_w_k": 0.0, "pieces": 3}
    stage = {"kind": word, "minutes": 12, "medium_c": medium, "store": store}
    food = "egg-whole" if name == "egg" else "beef-lean"
    cook = cooked([stage], shape, mass_g=mass, food=food)
    given = ENOUGH[kind] * (medium - cook.medium[-1])
    assert given > 1e4
    assert cook.taken_j == pytest.approx(given, rel=3e-3)


@pytest.mark.parametrize("name", ["slab", "box", "sphere"])
def test_pieces_have_what_was_taken(name):
    """Constant properties, no evaporation: J taken by all pieces are those by which they are warmer."""
    shape, mass = SHAPES[name]
    store = {"kind": "bath", "power_w": 0.0, "loss_w_k": 0.0, "pieces": 3}
    cook = cooked([{"kind": "bath", "minutes": 15, "medium_c": 70, "store": store}], shape, mass_g=mass)
    volumes = {"slab": 0.3 / 1060.0, "box": 90 * 60 * 30e-9, "sphere": np.pi / 6 * 0.05**3}
    warmer = 3 * volumes[name] * 1060.0 * 3500.0 * (cook.mean[-1] - 5.0)
    assert cook.taken_j == pytest.approx(warmer, rel=3e-3)


@pytest.mark.parametrize("name", SHAPES)
def test_a_store_without_end_is_a_medium_that_keeps_its_temperature(name):
    shape, mass = SHAPES[name]
    food = "egg-whole" if name == "egg" else "beef-lean"
    stage = {"kind": "bath", "minutes": 20, "medium_c": 62.0}
    endless = {**stage, "store": {"kind": "bath", "litres": 2000, "power_w": 60000, "pieces": 1}}
    a, b = (cooked([s], shape, mass_g=mass, food=food, tol=0.02) for s in (stage, endless))
    assert b.core[-1] == pytest.approx(a.core[-1], abs=0.03)
    assert b.mean[-1] == pytest.approx(a.mean[-1], abs=0.03)


def test_next_to_no_store_ends_where_all_is_mixed():
    """A small pan without flame or loss and one piece: both end at the temperature that energy alone gives."""
    store = {"kind": "pan", "mass_kg": 0.5, "power_w": 0.0, "loss_w_k": 0.0}
    faces = {"b": {"medium_c": 90, "surface": {"h_w_m2k": 400}}, "a": {"kind": "rest", "surface": {"h_w_m2k": 0}}}
    stage = {"kind": "pan", "minutes": 240, "store": store, "faces": faces}
    cook = cooked([stage], {"kind": "slab", "thickness_mm": 20}, mass_g=200)
    pan, piece = 0.5 * STEEL, 0.2 * 3500.0
    even = (pan * 90 + piece * 5) / (pan + piece)
    assert cook.medium[-1] == pytest.approx(even, abs=0.1)
    assert cook.core[-1] == pytest.approx(even, abs=0.1)


def test_a_ball_on_a_mesh_is_a_ball():
    """The same sphere in one dimension and as an ellipsoid: water and core agree."""
    store = {"kind": "bath", "litres": 1.0, "power_w": 100.0, "pieces": 4}
    stage = {"kind": "bath", "minutes": 25, "medium_c": 65, "surface": {"h_w_m2k": 95}, "store": store}
    ball = {"kind": "ellipsoid", "length_mm": 50, "width_mm": 50, "thickness_mm": 50}
    a, b = (cooked([stage], s) for s in ({"kind": "sphere", "diameter_mm": 50}, ball))
    for t in (120.0, 600.0, 1500.0):
        assert np.interp(t, b.t, b.medium) == pytest.approx(np.interp(t, a.t, a.medium), abs=0.15)
        assert np.interp(t, b.t, b.core) == pytest.approx(np.interp(t, a.t, a.core), abs=0.3)


def test_the_pan_goes_on_when_a_piece_is_turned():
    """The second face meets the pan as the first one left it; a pan of its own temperature is another pan."""
    store = {"kind": "pan", "mass_kg": 1.5, "power_w": 600.0}
    stages = [{"kind": "pan", "minutes": 2, "store": store, "faces": {f: {"medium_c": 200}}} for f in ("b", "a")]
    cook = cooked(stages, {"kind": "slab", "thickness_mm": 25}, mass_g=250, count=4, food="beef-lean")
    turn = cook.at(120.0)
    assert cook.medium[turn] < 185.0
    assert abs(cook.medium[turn + 1] - cook.medium[turn]) < 5.0
    stages[1]["faces"]["a"]["medium_c"] = 210
    fresh = cooked(stages, {"kind": "slab", "thickness_mm": 25}, mass_g=250, count=4, food="beef-lean")
    assert fresh.medium[fresh.at(120.0) + 1] > 200.0


def test_report_times_and_split_stages_change_nothing():
    store = {"kind": "bath", "litres": 4, "power_w": 500}
    one = [{"kind": "bath", "minutes": 40, "medium_c": 58, "store": store}]
    two = [{**one[0], "minutes": 15}, {**one[0], "minutes": 25}]
    shape = {"kind": "slab", "thickness_mm": 25}
    a = cooked(one, shape, mass_g=300, count=3, food="salmon-wild")
    b = cooked(two, shape, mass_g=300, count=3, food="salmon-wild")
    c = cooked(one, shape, mass_g=300, count=3, food="salmon-wild", report_at_s=[7.0, 99.0, 1003.0])
    for other in (b, c):
        assert other.core[-1] == pytest.approx(a.core[-1], abs=0.02)
        assert other.medium[-1] == pytest.approx(a.medium[-1], abs=0.02)


@pytest.mark.parametrize(("plate_c", "thick"), [(22.0, 6.0), (22.0, 12.0), (65.0, 6.0)])
def test_carved_slices_cool_on_their_plate(plate_c, thick):
    """Slices of a rested roast, one face on a china plate and the other in air: a balance of two lumps by hand, within 1.5 K."""
    store = {"kind": "plate", "mass_kg": 0.8, "loss_w_k": 0.6, "pieces": 1}
    air = {"kind": "rest", "medium_c": AIR_C, "surface": {"h_w_m2k": 10}}
    stages = [
        {"kind": "bath", "minutes": 600, "medium_c": 58},
        {
            "kind": "rest", "minutes": 10, "portion": {"kind": "slab", "thickness_mm": thick}, "store": store,
            "faces": {"b": {"variant": "plate", "medium_c": plate_c}, "a": air},
        },
    ]  # fmt: skip
    shape = {"kind": "slab", "thickness_mm": 60}
    cook = cooked(stages, shape, mass_g=180, kitchen={"air_c": AIR_C})
    area = 0.18 / 1060.0 / (thick / 1000.0)
    half = thick / 2000.0 / 0.48  # to the middle of the slice

    def rate(_, y):
        meat, plate = y
        down, up = (area / (1.0 / h + 0.7 * half) for h in (100.0, 10.0))
        into = down * (plate - meat)
        return [(into + up * (AIR_C - meat)) / (0.18 * 3500.0), (-into - 0.6 * (plate - AIR_C)) / (0.8 * 850.0)]

    times = np.array([60.0, 180.0, 600.0])
    begin = cook.stages[0].end_s
    lumps = solve_ivp(rate, (0, 600), [cook.stages[0].mean_c, plate_c], t_eval=times, rtol=1e-8).y
    assert np.abs(np.interp(begin + times, cook.t, cook.mean) - lumps[0]).max() < 1.5
    assert np.abs(np.interp(begin + times, cook.t, cook.medium) - lumps[1]).max() < 1.5


@pytest.mark.parametrize(("swing", "thick"), [(8.0, 0.02), (16.0, 0.04)])
def test_a_thermostat_that_clicks_is_felt_as_its_mean(swing, thick):
    """An oven whose heater is on or off and swings by 8 or 16 K: the core is that of one held at its mean, within 0.5 K (4 s).

    The core's heater follows in a band and has no swing of its own; this is what that leaves out.
    """
    k, rho, c = MEAT.values()
    cells, heater, loss, medium = 60, 3000.0, 6.0, 180.0
    dx, area = thick / 2 / cells, 2 * 0.5 / rho / thick
    t, step, end = 0.0, 1.0, 2400.0
    piece, walls, burning = np.full(cells, 5.0), medium, True
    course, core = [walls], [5.0]
    conduct, outer = k / dx, 1.0 / (1.0 / 40.0 + dx / (2 * k))
    # one second at a time, implicit in the piece, the walls by their balance
    matrix = np.zeros((3, cells))
    per = step / (rho * c * dx)
    matrix[1] = 1.0 + per * conduct * np.r_[1.0, np.full(cells - 2, 2.0), 1.0]
    matrix[0, 1:] = matrix[2, :-1] = -per * conduct
    matrix[1, -1] += per * outer
    while t < end:
        burning = walls < medium + swing / 2 if burning else walls < medium - swing / 2
        right = piece.copy()
        right[-1] += per * outer * walls
        piece = solve_banded((1, 1), matrix, right)
        taken = area * outer * (walls - piece[-1])
        walls += step * ((heater if burning else 0.0) - loss * (walls - AIR_C) - taken) / (20 * STEEL)
        t += step
        course.append(walls)
        core.append(1.125 * piece[0] - 0.125 * piece[1])
    assert max(course[300:]) - min(course[300:]) > 0.9 * swing
    mean = float(np.mean(course[300:]))
    surface = {"surface": {"h_w_m2k": 40}}
    store = {"kind": "oven", "power_w": heater, "loss_w_k": loss, "set_c": mean, "pieces": 1}
    stage = {"kind": "oven", "minutes": 40, "medium_c": medium, "store": store, **surface}
    times = [600.0, 1200.0, 2400.0]
    cook = cooked(
        [stage], {"kind": "slab", "thickness_mm": 1000 * thick}, mass_g=500, report_at_s=times, kitchen={"air_c": AIR_C}
    )
    at = [cook.at(x) for x in times]
    assert np.abs(cook.core[at] - np.interp(times, np.arange(len(core)), core)).max() < 0.5
