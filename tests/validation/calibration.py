"""Blind simulated cooks: truths of the simulated kitchen against the forecast, before and after readings.

The truths come from the simulated kitchen's own model (explicit differences in temperature, other
surface coefficients and properties, a medium that wanders, its own spreads), not from the solver.
The blind cooks are the seeds 0, 1, 2 … of each plan, as they come, and since ovens have their own vapour the seeds 9000 to
9049, looked at once when all else was done; the model's own error and the spreads of oven, grill, simmer and drying were set
on the seeds 2000 to 2149. In media with a store the seeds
14000 to 14049, looked at once; what was set for them, on the seeds 11000 to 11049, and after a look at 12000 to 12049 and 13000 to 13049:
the bath's spread and band, the clock's error in fat, and the tip beside the core with the readings' own errors.
"""

from __future__ import annotations

import copy
from dataclasses import dataclass

import numpy as np

from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.ensemble.forecast import MEMBER_CELLS
from ember_core.heat.ensemble.learning import PROBE_ERROR_C, Learner
from ember_core.heat.setup import setup
from ember_sim.piece import Hidden, Pieces

LAYERS = 60
BLIND = range(50)
FRESH = range(9000, 9050)
SNAPSHOTS = 40
COLD_K = 8.0


def cook(food, shape, start, stages, altitude=1850):
    """A plan with a pull to be solved."""
    return {
        "format": "open-ember.plan/1",
        "piece": {"food": food, "shape": shape, "start_c": start},
        "stages": stages,
        "kitchen": {"altitude_m": altitude, "air_c": 24},
    }


def slab(mm):
    """A slab."""
    return {"kind": "slab", "thickness_mm": mm}


REST = {"kind": "rest", "minutes": 12}
PLANS = {
    "steak in a pan": cook("beef-lean", slab(28), 5, [
        {"kind": "pan", "minutes": 2, "faces": {"a": {"medium_c": 200}}},
        {"kind": "pan", "minutes": 30, "faces": {"b": {"medium_c": 200}, "a": {"kind": "baste", "medium_c": 140}},
         "until": {"peak_core_c": 55}}, REST]),
    "fish in the oven": cook("white-fish", slab(30), 6, [
        {"kind": "oven", "minutes": 90, "medium_c": 170, "until": {"peak_core_c": 54}}, REST]),
    "rolled roast": cook("lamb", {"kind": "cylinder", "diameter_mm": 80}, 8, [
        {"kind": "oven", "minutes": 300, "medium_c": 140, "until": {"peak_core_c": 60}}, {"kind": "rest", "minutes": 30}]),
    "veal cutlet, low oven": cook("veal", slab(22), 5, [
        {"kind": "pan", "minutes": 1, "faces": {"a": {"medium_c": 200}}},
        {"kind": "pan", "minutes": 1, "faces": {"b": {"medium_c": 200}}},
        {"kind": "oven", "minutes": 300, "medium_c": 120, "until": {"peak_core_c": 58}}, REST]),
    "breast in simmering stock": cook("chicken-breast", slab(32), 5, [
        {"kind": "simmer", "minutes": 60, "medium_c": 85, "until": {"peak_core_c": 66}}, REST]),
    "pork under the grill": cook("pork-loin", slab(26), 5, [
        {"kind": "grill", "minutes": 90, "medium_c": 200, "until": {"peak_core_c": 62}}, REST]),
}  # fmt: skip


def shared(document, count, mass_g, store, *stages):
    """The plan with a store of heat in some stages, and how much lies in it."""
    own = copy.deepcopy(document)
    own["piece"] |= {"count": count, "mass_g": mass_g}
    for i in stages:
        own["stages"][i]["store"] = store
    return own


# the same kind of cooks in media that cold food cools; the simulated kitchen's own stores, heaters that click and other losses
IN_STORES = {
    "steaks in a light pan": shared(PLANS["steak in a pan"], 4, 260, {"kind": "pan", "mass_kg": 1.5, "power_w": 900}, 0, 1),
    "cutlets in a pan and a hand at it": shared(cook("veal", slab(24), 5, [
        {"kind": "pan", "minutes": 2, "faces": {"a": {"medium_c": 190}}},
        {"kind": "pan", "minutes": 30, "faces": {"b": {"medium_c": 190}}, "until": {"peak_core_c": 58}}, REST]),
        3, 220, {"kind": "pan", "mass_kg": 2.0, "power_w": 1200, "set_c": 190}, 0, 1),
    "fish in a loaded oven": shared(PLANS["fish in the oven"], 6, 200, {"kind": "oven", "mass_kg": 14, "power_w": 2200}, 0),
    "rolled roasts, two in a small oven": shared(PLANS["rolled roast"], 2, 1100, {"kind": "oven", "mass_kg": 10, "power_w": 1500}, 0),
    "breasts in a crowded bath": shared(cook("chicken-breast", slab(30), 5, [
        {"kind": "bath", "minutes": 200, "medium_c": 72, "until": {"peak_core_c": 64}}, {"kind": "rest", "minutes": 5}]),
        12, 220, {"kind": "bath", "litres": 10, "power_w": 900}, 0),
    "fillets in little fat": shared(cook("white-fish", slab(26), 5, [
        {"kind": "fry", "minutes": 30, "medium_c": 170, "until": {"peak_core_c": 58}}, {"kind": "rest", "minutes": 6}]),
        6, 160, {"kind": "fat", "litres": 5, "power_w": 2500}, 0),
}  # fmt: skip
STORE_SEEDS = range(14000, 14050)


def hidden(name, seeds, wide=1.0):
    """What each truth hides: the simulated kitchen's own draw for the cook's name, or a wider one."""
    return [Hidden.drawn(f"{name} {seed}", wide) for seed in seeds]


@dataclass(frozen=True, eq=False)
class Truths:
    """True pulls (s) and what the probes' tips felt (times × pieces)."""

    pull_s: np.ndarray
    t: np.ndarray
    tips: np.ndarray


def truths(plan, hiddens):
    """Heat all pieces to the end of the stage, and coast from snapshots to find each one's pull."""
    pieces = Pieces(plan, hiddens, LAYERS)
    stages = plan["stages"]
    pull = len(stages) - 2
    target = stages[pull]["until"]["peak_core_c"]
    nominal = run(parse(plan), setup(parse(plan)))
    t, tips = [0.0], [pieces.tips_c]
    now = 0.0
    for i in range(pull):
        for _ in range(8):
            pieces.advance(stages[i]["minutes"] * 60 / 8, i)
            now += stages[i]["minutes"] * 60 / 8
            t.append(now)
            tips.append(pieces.tips_c)
    peaks, at = [], []
    step = 2.6 * (nominal.pull_s - now) / SNAPSHOTS
    for _ in range(SNAPSHOTS):
        pieces.advance(step, pull)
        now += step
        t.append(now)
        tips.append(pieces.tips_c)
        if (pieces.temperature @ pieces.volume / pieces.volume.sum()).max() < target - COLD_K:
            continue  # its middle rises to less than its mean: none gets there yet
        coast, top = copy.deepcopy(pieces), pieces.middle_c
        for _ in range(24):
            coast.advance(stages[-1]["minutes"] * 60 / 24, pull + 1)
            now_c = coast.middle_c
            top = np.maximum(top, now_c)
            if (now_c < top - 0.3).all():
                break  # past its highest
        peaks.append(top)
        at.append(now)
        if top.min() > target + 1:
            break
    peaks, at = np.array(peaks), np.array(at)
    pulls = np.array(
        [np.interp(target, peaks[:, m], at) if peaks[-1, m] > target else np.nan for m in range(len(hiddens))]
    )
    return Truths(pulls, np.array(t), np.array(tips))


@dataclass(frozen=True, eq=False)
class Score:
    """Ranks (0 to 1) of the truth among the members and errors of the median, before and after readings."""

    before: np.ndarray
    after: np.ndarray
    error_before_s: np.ndarray
    error_after_s: np.ndarray
    fourier_half: float
    pull_s: float  # the forecast's own

    @property
    def ratio(self):
        """Median error after readings over that before."""
        return float(np.median(self.error_after_s) / np.median(self.error_before_s))


def held(ranks):
    """Share of truths inside the 5–95 % band."""
    return float(np.mean((ranks > 0.05) & (ranks < 0.95)))


def pooled_ratio(scores):
    """Median of all errors as shares of their pulls, after readings over before."""
    after, before = (
        np.concatenate([getattr(s, name) / s.pull_s for s in scores]) for name in ("error_after_s", "error_before_s")
    )
    return float(np.median(after) / np.median(before))


def score(name, seeds, wide=1.0, members=256):
    """Forecast one plan, cook it blind with the given seeds, learn from readings up to half of the forecast's pull."""
    document = (PLANS | IN_STORES)[name]
    plan = parse(document)
    nominal = run(plan, setup(plan))
    made = setup(plan, cells=MEMBER_CELLS)
    kinds = plan.face_kinds
    learner = Learner.prepare(made, kinds, nominal, members=members)
    true = truths(document, hidden(name, seeds, wide))
    before, after, e0, e1 = [], [], [], []
    half = 0.5 * float(np.median(learner.pull_s))
    for m, pull in enumerate(true.pull_s):
        if not np.isfinite(pull):  # never gets there within the time looked at: above every member
            pull = true.t[-1]
        rng = np.random.default_rng([m, 99])
        times = np.sort(rng.uniform(20, half, 40))[rng.random(40) < 0.8]  # gaps, uneven
        read = np.interp(times, true.t, true.tips[:, m]) + rng.normal(0, PROBE_ERROR_C) + rng.normal(0, 0.2, times.size)
        order = rng.permutation(times.size)  # late and unordered
        posterior = learner.update(times[order], read[order])
        before.append((learner.pull_s < pull).mean())
        after.append((posterior.pull_s < pull).mean())
        e0.append(abs(np.median(learner.pull_s) - pull))
        e1.append(abs(np.median(posterior.pull_s) - pull))
    size = document["piece"]["shape"].get("thickness_mm", document["piece"]["shape"].get("diameter_mm"))
    fourier = 1.36e-7 * half / (size / 2000) ** 2
    return Score(np.array(before), np.array(after), np.array(e0), np.array(e1), float(fourier), 2.0 * half)
