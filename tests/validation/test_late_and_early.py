"""Moves late and early by up to half the plan: the likely pull of the replay against the pull of a simulated piece.

The truth is the product's own solver with a piece that nobody told of: another thickness, another start, moves as they really were done.
"""

from __future__ import annotations

import copy

import numpy as np
import pytest

from ember_core.entry.sentence import Sentence
from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.setup import setup
from ember_core.running.history import running
from ember_core.running.state import replay

PIECES = [("bavette", {}), ("hake-loin", {"way": "skin-crisp-then-oven"}), ("pork-chop", {}), ("lamb-rump", {}), ("duck-breast", {})]  # fmt: skip
LEAST = 0.86  # of the pulls lie within the band of nine in ten


def told(rng, cut, known):
    """A cook half way to its pull, moves done when they were done, and the pull of its piece, s; None where it has no such pull."""
    document = Sentence.for_cut(cut, start_c=float(rng.uniform(2, 8)), **known).document()
    nominal = run(parse(document), setup(parse(document)))
    pull = nominal.pull_stage
    if not pull:
        return None
    lasted = [s.took * float(np.exp(rng.uniform(np.log(0.6), np.log(1.5)))) for s in nominal.stages[:pull]]
    begins = np.cumsum(lasted)
    true = copy.deepcopy(document)
    for i, seconds in enumerate(lasted):
        true["stages"][i] = {k: v for k, v in true["stages"][i].items() if k != "until"} | {"minutes": seconds / 60.0}
    length = "thickness_mm" if "thickness_mm" in true["piece"]["shape"] else "diameter_mm"
    true["piece"]["shape"][length] *= float(np.clip(rng.normal(1.0, 0.05), 0.88, 1.12))
    true["piece"].pop("mass_g", None)
    cook = run(parse(true), setup(parse(true)))
    truth = cook.stages[pull].end_s
    if truth - begins[-1] < 20.0:
        return None
    now = float(begins[-1] + 0.5 * (truth - begins[-1]))
    t = np.arange(5.0, now, 5.0)
    read = np.interp(t, cook.t, cook.core) + rng.normal(0.0, 0.2, t.size)
    events = [{"at_s": 0, "kind": "start"}]
    events += [{"at_s": float(at), "kind": "move", "move": f"m{i + 1}"} for i, at in enumerate(begins)]
    readings = [{"t_s": float(a), "core_c": float(b), "probe": "p1"} for a, b in zip(t, read, strict=True)]
    made = {"format": "open-ember.cook/1", "plan": document, "now_s": now, "events": events, "readings": readings}
    return made, truth


@pytest.mark.parametrize("seed", [3, 5])
def test_the_likely_pull_after_moves_that_were_late_or_early(seed):
    """Its band of nine in ten holds the simulated pull, and the likely time is never far from it."""
    rng = np.random.default_rng(seed)
    inside, far = [], []
    for k in range(30):
        made = told(rng, *PIECES[k % len(PIECES)])
        if made is None:
            continue
        cook, truth = made
        coming = replay(running(cook), members=96).as_dict()["next"]
        assert coming["kind"] == "pull"
        inside.append(coming["p5"] <= truth <= coming["p95"])
        far.append(abs(coming["p50"] - truth) / truth)
    assert len(inside) >= 12
    assert np.mean(inside) >= LEAST
    assert max(far) < 0.15
