"""Simulated devices by themselves: they hold what they are turned to, go wrong as they are told, and feel what lies in them."""

from __future__ import annotations

from datetime import datetime

import pytest

from ember_core.entry.sentence import Sentence
from ember_sim.device import FAULTS, KINDS, LIES_IN, SLOW_S, Device
from ember_sim.hub import Sensor, Spool, connect, go_on
from ember_web.kitchens.models import GEAR_OF
from ember_web.line.actions.set_fault import DEVICE_FAULTS

DIALS = {"oven": 180.0, "bath": 56.0, "pan": 220.0, "fryer": 175.0, "hot-cabinet": 65.0, "grill": 250.0, "smoker": 95.0}
STAYS_K = {"oven": 9.0, "bath": 0.8, "pan": 20.0, "fryer": 5.0, "hot-cabinet": 8.0, "grill": 20.0, "smoker": 20.0}


def device(kind, **more):
    return Device({"name": kind, "kind": kind, "faults": [], **more}, 0.0)


def run(found, faults=(), until=1800.0, taken_w=0.0):
    """Turned to its usual heat; what is wrong begins after five minutes. Returns what was true and what was shown."""
    found.turn(DIALS[found.row["kind"]], [])
    true, shown = [], []
    for at in range(10, int(until) + 1, 10):
        if at == 300:
            found.turn(DIALS[found.row["kind"]], [{"kind": f, "since": 300.0} for f in faults])
        found.advance(float(at), taken_w)
        true.append(found.true_c(float(at)))
        shown.append(found.shown_c)
    return true, shown


@pytest.mark.parametrize("kind", sorted(KINDS))
def test_it_stays_where_it_is_turned_to(kind):
    true, _ = run(device(kind))
    assert max(abs(c - DIALS[kind]) for c in true) < STAYS_K[kind]


def test_one_that_shows_too_much_is_as_much_colder():
    true, shown = run(device("oven", off_k=-8.0))
    mean = sum(true) / len(true)
    assert mean - DIALS["oven"] == pytest.approx(-8.0, abs=2.5)
    assert sum(shown) / len(shown) - mean == pytest.approx(8.0, abs=0.5)


@pytest.mark.parametrize(
    ("kind", "fault", "falls_k"),
    [("oven", "drift", 20), ("oven", "door", 60), ("oven", "load", 25), ("pan", "weak", 10), ("pan", "load", 60), ("bath", "load", 2.5),
     ("fryer", "load", 15), ("hot-cabinet", "door", 10), ("hot-cabinet", "drift", 2), ("fryer", "drift", 15)],
)  # fmt: skip
def test_what_goes_wrong_is_felt(kind, fault, falls_k):
    """The truth falls; what the thermometer shows falls with it, but for one that drifts, which hides it."""
    true, shown = run(device(kind), (fault,))
    assert DIALS[kind] - min(true[35:]) > falls_k
    if fault == "drift":
        assert DIALS[kind] - min(shown[35:]) < STAYS_K[kind]
    else:
        assert DIALS[kind] - min(shown[35:]) > 0.7 * falls_k


def test_silence_and_a_slow_clock():
    found = device("oven")
    run(found, ("silent", "clock"), until=400.0)
    assert found.reading() is None
    assert found.stamp_s == 400.0 - SLOW_S
    found.turn(DIALS["oven"], [])
    assert found.reading() is not None
    assert found.stamp_s == 400.0


def test_an_empty_one_is_up_to_heat_when_something_goes_in():
    found = device("oven")
    found.turn(None, [])
    found.advance(600.0)
    found.turn(200.0, [])
    assert found.true_c(600.0) == 200.0
    assert found.true_c(10.0) == 200.0 or found.true_c(10.0) < 30.0


def test_every_fault_on_offer_is_one_and_every_kind_lies_in_its_gear():
    assert set(DEVICE_FAULTS) == set(FAULTS)
    assert LIES_IN == GEAR_OF
    assert set(LIES_IN.values()) == set(KINDS)


def line(now, plan, faults=(), probe_faults=(), probes=("p1",)):
    """What the API tells: pieces in the oven since the beginning."""
    moves = [{"stage": 0, "offset_s": 0, "done": 0.0}]
    cooks = [
        {"id": f"c{p}", "probe": p, "plan": plan, "started": 0.0, "moves": moves, "devices": {"oven": "oven-1"}}
        for p in probes
    ]
    heat = plan["stages"][0]["medium_c"]
    row = {"name": "oven-1", "kind": "oven", "dial_c": heat, "faults": [{"kind": k, "since": 0.0} for k in faults]}
    return {"cooks": cooks, "devices": [row], "probes": [{"name": "p1", "faults": [{"kind": k} for k in probe_faults]}], "now": now}  # fmt: skip


@pytest.fixture
def spool(tmp_path):
    opened = Spool(str(tmp_path / "spool.sqlite"))
    yield opened
    opened.db.close()


def cooked(spool, until=2400, hot=False, **more):
    """Pieces and devices gone on together; returns the sensors, the oven and what was read."""
    plan = Sentence.for_cut("hogget-shoulder", target_c=61.0).document()
    sensors, devices = {}, {}
    for now in range(60, until + 1, 60):
        told = line(float(now), plan, **more)
        for cook in told["cooks"]:
            sensors.setdefault(cook["id"], Sensor(cook))
        connect(told, sensors, devices)
        go_on({c["id"]: c for c in told["cooks"]}, float(now), sensors, devices, spool)
    return sensors, devices["oven-1"], spool.batch(5000)


def test_a_piece_feels_its_own_oven(spool, tmp_path):
    """Behind an open door it is colder; the thermometer in the oven is read and posted as such."""
    usual, _, rows = cooked(spool)
    other = Spool(str(tmp_path / "other.sqlite"))
    cold, oven, behind = cooked(other, faults=("door",))
    other.db.close()
    assert cold["cp1"].piece.core_c < usual["cp1"].piece.core_c - 1.0
    of_oven = [r["medium_c"] for r in rows if r.get("device") == "oven-1"]
    assert len(of_oven) > 200
    assert all("core_c" not in r for r in rows if "device" in r)
    assert min(r["medium_c"] for r in behind if "device" in r) < min(of_oven) - 20.0
    assert len({(r["boot"], r["sequence"]) for r in rows}) == len(rows)
    assert all(datetime.fromisoformat(r["at"]).timestamp() <= 2400.0 for r in rows)
    assert usual["cp1"].takes_w(oven) == 0.0  # another oven than its own


def test_what_lies_in_it_takes_heat(spool):
    sensors, oven, _ = cooked(spool, until=300)
    assert 50.0 < sensors["cp1"].takes_w(oven) < 3000.0


@pytest.mark.parametrize(
    ("fault", "reads"), [("out", "air"), ("touches", "hot"), ("swapped", "other"), ("silent", "nothing")]
)
def test_a_probe_that_goes_wrong(spool, fault, reads):
    sensors, _, rows = cooked(spool, until=1200, probe_faults=(fault,), probes=("p1", "p2"))
    mine, other = sensors["cp1"], sensors["cp2"]
    read = [r["core_c"] for r in rows if r.get("probe") == "p1"]
    assert (not read) is (reads == "nothing")
    if reads == "air":
        assert read[-1] == pytest.approx(mine.piece.air_c, abs=1.0)
    if reads == "hot":
        assert read[-1] > mine.piece.core_c + 15.0
    if reads == "other":
        assert mine.feels is other
        assert other.feels is mine
