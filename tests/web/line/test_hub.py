"""The simulated hub: spool, lag, noise, drop-outs, and moves that are undone."""

from __future__ import annotations

import time

import pytest

from ember_core.entry.sentence import Sentence
from ember_sim.hub import Sensor, Spool

DOCUMENT = Sentence.for_cut("bavette", altitude_m=1850.0).document()


def cook(*done):
    """A cook as the API tells it: seconds at which moves 0, 1, 2 … were done."""
    moves = [
        {"stage": s, "offset_s": o, "done": d}
        for (s, o), d in zip([(0, 0), (1, 118), (2, 377), (None, 857)], [*done, None, None, None, None], strict=False)
    ]
    return {"id": "c1", "probe": "p1", "plan": DOCUMENT, "started": done[0], "moves": moves}


@pytest.fixture
def spool(tmp_path):
    """A spool in a file."""
    opened = Spool(str(tmp_path / "spool.sqlite"))
    yield opened
    opened.db.close()


def readings(spool):
    """What waits: (time, °C)."""
    from datetime import datetime

    return [(datetime.fromisoformat(r["at"]).timestamp(), r["core_c"]) for r in spool.batch()]


def test_readings_come_every_five_seconds_with_drop_outs_and_noise(spool):
    """About one in fifty is missing; the core rises; no reading lies in the future."""
    sensor = Sensor(cook(1000.0, 1118.0, 1377.0))
    for now in range(1010, 1860, 10):
        sensor.follow(cook(1000.0, 1118.0, 1377.0), float(now), spool)
    rows = readings(spool)
    assert 140 <= len(rows) <= 171
    assert all(1000 < t <= 1860 for t, _ in rows)
    assert rows[-1][1] > 40
    early = [c for t, c in rows if t < 1040]
    assert 0.02 < max(early) - min(early) < 3  # noise, not a flat line


def test_the_sensor_lags_behind_the_truth(spool):
    """While the core rises the shown value is behind it."""
    sensor = Sensor(cook(0.0, 118.0))
    sensor.follow(cook(0.0, 118.0), 360.0, spool)
    assert sensor.shown < sensor.piece.core_c - 0.2


def test_an_undone_move_is_followed_without_repeating_readings(spool):
    """A past move that moves makes the piece cook anew; times go on without doubles."""
    sensor = Sensor(cook(0.0, 118.0))
    sensor.follow(cook(0.0, 118.0), 300.0, spool)
    hot = sensor.piece.core_c
    sensor.follow(cook(0.0), 305.0, spool)
    assert sensor.piece.core_c < hot
    times = [t for t, _ in readings(spool)]
    assert times == sorted(set(times))


def test_the_spool_survives_and_forgets_only_what_was_answered(tmp_path):
    """A killed hub finds its readings again; a new boot has its own numbers."""
    path = str(tmp_path / "spool.sqlite")
    first = Spool(path)
    first.add("p1", time.time(), 20.0)
    first.add("p1", time.time(), 21.0)
    first.db.close()
    second = Spool(path)
    second.add("p1", time.time(), 22.0)
    rows = second.batch()
    assert [r["core_c"] for r in rows] == [20.0, 21.0, 22.0]
    assert len({(r["boot"], r["sequence"]) for r in rows}) == 3
    answers = [{"boot": r["boot"], "sequence": r["sequence"]} for r in rows]
    second.answered([answers[0] | {"status": "taken"}, answers[1] | {"status": "later"}])
    assert [r["core_c"] for r in second.batch()] == [21.0, 22.0]
    second.db.close()
