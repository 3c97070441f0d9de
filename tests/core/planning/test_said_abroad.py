"""What is said of a computed plan, to a reader of °F: temperatures, and differences, which have no zero to shift."""

from __future__ import annotations

import pytest

from ember_core.formats.plan import parse
from ember_core.planning.compute import compute
from ember_core.wording.message import Speaker
from ember_core.wording.quantities import IMPERIAL
from tests.conftest import plan_document

OVEN = {"kind": "oven", "medium_c": 110, "minutes": 5}
BATH = {"kind": "bath", "medium_c": 56, "minutes": 60, "load": {"litres": 6, "heater_w": 300}}


@pytest.mark.parametrize(
    ("stages", "piece", "code", "english", "abroad"),
    [
        ([OVEN], {}, "below-target", "{peak:.1f} °C, {off:.1f} below the target of 55 °C.", "{peak_f:.1f} °F, {off_f:.1f} below the target of 131 °F."),
        ([OVEN | {"until": {"core_c": 54}}], {}, "until-not-reached", "without the core at 54 °C.", "without the core at 129.2 °F."),
        ([BATH], {"mass_g": 500, "count": 6}, "crowded-bath", "down by {drop:.1f} °C;", "down by {drop_f:.1f} °F;"),
    ],
)  # fmt: skip
def test_differences_and_temperatures(stages, piece, code, english, abroad):
    """The same sentence in English with SI, and in °F."""
    base = {"food": "beef-lean", "form": "steak", "start_c": 4, "shape": {"kind": "slab", "thickness_mm": 28}}
    plan = parse(plan_document(piece=base | piece, stages=stages, target={"core_c": 55}))
    outcome = compute(plan, with_forecast=False)
    found = next(f for f in outcome.findings if f.code == code)
    peak, drop = outcome.cook.peak_core_c, found.params.get("drop_k", 0.0)
    values = {"peak": peak, "off": 55 - peak, "drop": drop}
    values |= {"peak_f": 1.8 * peak + 32, "off_f": 1.8 * (55 - peak), "drop_f": 1.8 * drop}
    assert english.format(**values) in found.message
    assert abroad.format(**values) in Speaker(units=IMPERIAL).say(found.message)
