"""Checks of doneness on 600 blind simulated pieces: is what is then believed held, and does it beat clock and probe alone?

The truths are the simulated kitchen's own pieces (:mod:`tests.validation.calibration`), on seeds 17000 to 17024 of its plans, looked at once (16000 to 16024 were looked at before) and
nothing was set on them. The answers are drawn from the true core with the widths of a trained hand, independently of the core's code.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import pytest
from scipy.special import ndtr

from ember_core.data.loader import read_toml
from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.setup import setup
from ember_core.running.belief import Members
from ember_core.running.history import Checked, running
from ember_core.running.state import words_of
from ember_sim.piece import Pieces
from tests.validation.calibration import LAYERS, PLANS, hidden

SEEDS = range(17000, 17025)
SHARES = (0.45, 0.65, 0.85, 1.0)  # of the forecast's pull, when it is checked
KINDS = {"fish in the oven": "opaque"}
STEPS = 40


def true_cores(document, at_s):
    """Cores of all pieces at some moments, and what tips of probes in them feel: pieces × moments, by the simulated kitchen."""
    pieces = Pieces(document, hidden("evidence", SEEDS), LAYERS)
    stages, now, out, tips, i = document["stages"], 0.0, [], [], 0
    ends = np.cumsum([60.0 * s["minutes"] for s in stages])
    for moment in at_s:
        while now < moment - 1e-6:
            while now >= ends[i] - 1e-6:
                i += 1
            step = min(moment - now, ends[i] - now, at_s[-1] / STEPS)
            pieces.advance(step, i)
            now += step
        out.append(pieces.middle_c.copy())
        tips.append(np.array(pieces.tips_c))
    return np.array(out).T, np.array(tips).T


def answered(kind, core_c, rng):
    """What a trained hand says of a core: the truth and its own error against the cuts of the table."""
    row = read_toml("checks.toml")[kind]
    return row["answers"][int(np.searchsorted(row["cuts_c"], core_c + row["trained"] * rng.standard_normal()))]


@lru_cache(maxsize=1)
def believed():
    """Of every piece and moment: whether the 80 % band holds the core, and the log odds given to its true word by the clock, by it and a
    check, by all (clock, check, readings so far), and by the last reading alone, with the error that readings really have."""
    held, scores, alone = [], [], []
    for n, (name, document) in enumerate(PLANS.items()):
        plan = parse(document)
        nominal = run(plan, setup(plan))
        at_s = [share * nominal.pull_s for share in SHARES]
        asked = running(
            {"format": "open-ember.cook/1", "plan": document, "now_s": 0, "events": [{"at_s": 0, "kind": "start"}]}
        )
        members = Members.of(asked, nominal)
        cores, tips = true_cores(document, at_s)
        words = words_of(plan)
        for m in range(cores.shape[0]):
            rng = np.random.default_rng([n, m, 17])
            seen = tips[m] + 0.5 * rng.standard_normal() + 0.2 * rng.standard_normal(len(at_s))
            for k, moment in enumerate(at_s):
                truth = cores[m, k]
                kind = KINDS.get(name, ("tester", "touch", "cut", "juices")[k])
                check = Checked(moment, kind, answered(kind, truth, rng), width="trained")
                read = list(zip(at_s[: k + 1], seen[: k + 1], strict=True))
                found = [members.given(c, r, (), moment) for c, r in (((), ()), ((check,), ()), ((check,), read))]
                low, high = found[1].band(found[1].core_c, (0.1, 0.9))
                held.append(low <= truth <= high)
                word = next(i for i, (_n, a, b) in enumerate(words) if a <= truth < b)
                scores.append([np.log(max(b.odds(words[word][1], words[word][2]), 1e-3)) for b in found])
                alone.append((truth, seen[k], words[word][1], words[word][2]))
    truth, read, low, high = np.array(alone).T
    wide = np.std(read - truth)
    odds = ndtr((high - read) / wide) - ndtr((low - read) / wide)
    return np.array(held), np.column_stack([scores, np.log(np.maximum(odds, 1e-3))])


def test_the_band_after_a_check_holds_the_truth():
    """Posterior 80 % bands of the core hold it in 74 to 86 % of 600 blind checks."""
    held, _ = believed()
    assert held.size == 600
    assert 0.74 <= held.mean() <= 0.86, held.mean()


@pytest.mark.parametrize(("with_check", "alone"), [(1, 0), (2, 3)], ids=["than the clock", "than the probe"])
def test_the_verdict_with_a_check_is_better(with_check, alone):
    """Its mean logarithmic score is higher with the check than by the clock alone; with all that is known, than by a probe alone."""
    _, scores = believed()
    gain = scores[:, with_check] - scores[:, alone]
    assert gain.mean() > gain.std() / np.sqrt(gain.size), gain.mean()
