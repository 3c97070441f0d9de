"""What a plan says before the cook and what its log says after it are the same, when all went as computed."""

from __future__ import annotations

import numpy as np
import pytest

from ember_core.formats.plan import parse
from ember_core.plan.finding import Finding
from ember_core.plan.log import Log
from ember_core.planning.compute import compute
from ember_core.safety.measured import by_its_outside, judge_log
from ember_core.safety.rules import profile_of
from ember_core.safety.verdict import standing
from tests.conftest import plan_document
from tests.core.safety.histories import stage

US, FSIS, UK, ANZ = "us-food-code-2022", "us-fsis-appendix-a", "uk-fsa", "anz-fsanz-3.2.2"
ROAST = {"food": "beef-lean", "form": "roast", "mass_g": 1500}
CASES = [
    (US, {"food": "chicken-breast"}, [stage("bath", 90, medium_c=76), stage("rest", 5)], "met"),
    (US, {"food": "chicken-breast"}, [stage("bath", 90, medium_c=70), stage("rest", 5)], "stop"),
    (US, {"food": "hake"}, [stage("bath", 60, medium_c=52), stage("rest", 2)], "open"),
    (US, {"food": "trout"}, [stage("bath", 60, medium_c=52), stage("rest", 2)], "advisory"),
    (US, ROAST, [stage("bath", 300, medium_c=58), stage("rest", 5)], "met"),
    (US, ROAST, [stage("simmer", 200, medium_c=57.5), stage("rest", 5)], "advisory"),
    (US, ROAST, [stage("oven", 45, medium_c=125)] , "advisory"),
    (US, {"food": "beef-lean"}, [stage("pan", 5, medium_c=200), stage("rest", 5)], "met"),
    (US, {"food": "beef-lean", "handling": ["scored"]}, [stage("pan", 3, medium_c=200), stage("rest", 5)], "advisory"),
    (FSIS, ROAST, [stage("oven", 120, medium_c=160)], "open"),
    (FSIS, ROAST, [stage("oven", 120, medium_c=160, humidity=0.95)], "met"),
    (FSIS, ROAST, [stage("oven", 120, medium_c=160, humidity=0.4)], "stop"),
    (UK, {"food": "lamb"}, [stage("pan", 3, medium_c=210), stage("rest", 5)], "met"),
    (UK, {"food": "pork-loin"}, [stage("pan", 3, medium_c=210), stage("rest", 5)], "stop"),
    (ANZ, {"food": "chicken-breast"}, [stage("bath", 90, medium_c=76)], "open"),
    (ANZ, {"food": "chicken-breast"}, [stage("bath", 90, medium_c=60)], "stop"),
    (US, {"food": "chicken-breast"}, [stage("bath", 1200, medium_c=40), stage("bath", 60, medium_c=80)], "stop"),
    (US, {"food": "chicken-breast"}, [stage("bath", 90, medium_c=76), stage("rest", 900)], "stop"),
    (US, {"food": "chicken-breast"}, [stage("bath", 90, medium_c=76), stage("chill", 400, medium_c=2)], "met"),
]  # fmt: skip


@pytest.mark.parametrize(("rules", "piece", "stages", "state"), CASES)
def test_a_log_of_what_was_computed_says_the_same(rules, piece, stages, state):
    """State and met, by plan and by a log of its core every 5 s."""
    thick = 60 if piece.get("form") == "roast" else 26
    made = {"start_c": 4, "shape": {"kind": "slab", "thickness_mm": thick}} | piece
    plan = parse(
        plan_document(piece=made, stages=stages, rules=rules, target={}, kitchen={"altitude_m": 0, "air_c": 22})
    )
    outcome = compute(plan, with_forecast=False)
    cook, rule, profile = outcome.cook, outcome.result["rule"], profile_of(rules)
    before = standing(rule, plan.required, "general", profile, outcome.findings)
    t = np.arange(0.0, cook.t[-1], 5.0)
    log = Log(tuple(t.tolist()), tuple(np.interp(t, cook.t, cook.core).tolist()))
    judged = judge_log(log, rules=rules, food=piece["food"], form=piece.get("form"), plan=plan, ran=cook.stages)
    said = [Finding.of(f) for f in judged["findings"]]
    judged["rule"] = by_its_outside(judged["rule"], rule, profile, said)
    after = standing(judged["rule"], plan.required, "general", profile, said)
    assert (before.state, rule["met"]) == (after.state, judged["rule"]["met"])
    assert before.state == state
