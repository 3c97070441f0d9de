"""What thermometers in simulated ovens, pans and baths make of a pull: devices that click and wander, built apart from the core.

The rows of ``docs/method/measured_line.md`` come from here.
"""

from __future__ import annotations

import numpy as np
import pytest

from ember_core.data.loader import read_toml
from ember_core.entry.sentence import Sentence
from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.ensemble.coarse import coarse_setup
from ember_core.heat.ensemble.learning import Learner
from ember_core.heat.setup import setup
from ember_core.running.intervals import heated_by
from ember_sim.device import Device

DEVICES = range(12)
AFTER_S = (70, 120, 300, 600, 1200, 2400)  # of readings, each ten seconds
CASES = [("hake-loin", "oven"), ("hogget-shoulder", "oven"), ("guinea-fowl-supreme", "bath"), ("bavette", "pan")]


def prepared(cut, kind):
    """A cut's ensemble, and what its medium is turned to."""
    plan = parse(Sentence.for_cut(cut, altitude_m=1850.0).document())
    learner = Learner.prepare(coarse_setup(plan), plan.face_kinds, run(plan, setup(plan)), members=96, threads=1)
    stage = next(s for s in plan.document["stages"] if s["kind"] == kind)
    return learner, float(heated_by(stage)["medium_c"])


@pytest.fixture(scope="module", params=CASES, ids=lambda c: c[0])
def case(request):
    """Its kind of medium, its ensemble, and what the medium is turned to."""
    return (request.param[1], *prepared(*request.param))


def read(kind, dial, number, seconds, off_k=0.0):
    """What a device shows, by time."""
    device = Device({"name": f"{kind}-{number}", "kind": kind, "litres": 26.0, "off_k": off_k}, 0.0)
    device.turn(dial, [])
    times = np.arange(10.0, seconds + 1.0, 10.0)
    shown = []
    for at in times:
        device.advance(float(at), 60.0)
        shown.append(device.reading())
    return times, np.array(shown)


def quantiles(learner, times=None, values=None):
    none = np.empty(0)
    pulls = learner.pull_s if times is None else learner.update(none, none, times, values).pull_s
    return np.quantile(pulls, [0.05, 0.5, 0.95])


def moved_by_clicks(kind, learner, dial):
    """By how much devices that do what they are turned to move the pull at the most, and by how much they widen its band."""
    before = quantiles(learner)
    moved, wider = [], []
    for number in DEVICES:
        times, values = read(kind, dial, number, min(max(AFTER_S), before[1]))
        for until in AFTER_S:
            n = until // 10
            if n <= times.size:
                now = quantiles(learner, times[:n], values[:n])
                moved.append(abs(now[1] / before[1] - 1.0))
                wider.append((now[2] - now[0]) / (before[2] - before[0]))
    return max(moved), max(wider)


def moved_by_offset(kind, learner, dial, share):
    """By how much one that is off by so many of its kind's spreads moves the pull."""
    spread = read_toml("spreads.toml")["medium_c"][kind]
    before = quantiles(learner)
    times, values = read(kind, dial + share * spread, 3, min(1500.0, before[1]))
    return quantiles(learner, times, values)[1] / before[1] - 1.0


def test_a_device_that_does_what_it_is_turned_to_moves_nothing(case):
    """Its clicks are no news: the pull stays within a twentieth, its band within a fifth, after a minute and after forty."""
    moved, wider = moved_by_clicks(*case)
    assert moved < 0.05
    assert wider < 1.2


@pytest.mark.parametrize("share", [-1.5, 1.5])
def test_one_that_is_off_is_believed_in_part(case, share):
    """Off by one and a half spreads an oven or a bath moves the pull the right way; nothing runs away."""
    moved = moved_by_offset(*case, share)
    if case[0] != "pan":
        assert bool(moved < -0.02) is (share > 0)
    assert abs(moved) < (0.05 if case[0] == "pan" else 0.2)  # a pan under one face tells little of the core
