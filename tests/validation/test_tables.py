"""Published tables and reference libraries. Rows not named in the data's own source are used where they exist."""

from __future__ import annotations

import numpy as np
import pytest
from CoolProp.CoolProp import PropsSI

from ember_core.heat.physics.boiling import boiling_point, iapws_saturation_pressure, pressure_at
from ember_core.heat.physics.properties import (
    Composition,
    conductivity,
    density,
    food_table,
    ice_fraction,
    specific_heat,
)
from ember_core.safety.clocks import judge
from ember_core.safety.lethality import log_reduction, organisms
from ember_core.safety.rules import profiles

BEEF = Composition(0.717, 0.212, 0.044, 0.0, 0.0, 0.011)


@pytest.mark.parametrize(("altitude_m", "boil_c"), [(0, 99.97), (1000, 96.65), (1850, 93.82), (3000, 89.97)])
def test_boiling_point(altitude_m, boil_c):
    """The stated values, and CoolProp's water (IAPWS-95) at the standard atmosphere's pressure."""
    assert boiling_point(altitude_m) == pytest.approx(boil_c, abs=0.02)
    assert boiling_point(altitude_m) == pytest.approx(
        PropsSI("T", "P", pressure_at(altitude_m), "Q", 0, "Water") - 273.15, abs=0.02
    )


@pytest.mark.parametrize("t_c", [5.0, 25.0, 60.0, 99.0])
def test_saturation_pressure(t_c):
    """CoolProp, Water."""
    assert iapws_saturation_pressure(t_c) == pytest.approx(PropsSI("P", "T", t_c + 273.15, "Q", 0, "Water"), rel=1e-3)


def test_beef_properties():
    """Lean beef at 20 °C: computed by hand c 3.58 kJ/(kg K), about 1,060 kg/m³; measured k 0.46–0.50 (ASHRAE)."""
    assert float(specific_heat(BEEF, 20.0)) == pytest.approx(3580, rel=0.01)
    assert float(density(BEEF, 20.0)) == pytest.approx(1060, rel=0.01)
    assert 0.46 <= float(conductivity(BEEF, 20.0)) <= 0.50


def test_freezing_takes_the_latent_heat_of_its_water():
    """Miles 1974: ice fraction; enthalpy between −20 and −1.7 °C is mostly latent (ASHRAE beef, about 210–260 kJ/kg)."""
    table = food_table(BEEF, -1.7)
    change = float(table.enthalpy(-1.7) - table.enthalpy(-20.0)) / table.density
    assert 210e3 < change < 260e3
    assert float(ice_fraction(BEEF, np.array(-20.0), -1.7)) == pytest.approx(
        (BEEF.water - 0.4 * BEEF.protein) * (1 - 1.7 / 20), rel=1e-6
    )


FSIS = [
    (130, 112, 121),
    (131, 89, 97),
    (133, 56, 62),
    (135, 36, 37),
    (136, 28, 32),
    (138, 18, 19),
    (139, 15, 15),
    (140, 12, 12),
    (142, 8, 8),
    (143, 6, 6),
    (145, 4, 4),
]
FSIS_SECONDS = [
    (147, 134, 144),
    (149, 85, 91),
    (150, 67, 72),
    (152, 43, 46),
    (154, 27, 29),
    (156, 17, 19),
    (157, 14, 15),
]


@pytest.mark.parametrize(("fahrenheit", "log65", "log70"), [(f, 60 * a, 60 * b) for f, a, b in FSIS] + FSIS_SECONDS)
@pytest.mark.parametrize("log", [6.5, 7])
def test_fsis_rows_are_met_on_the_second(fahrenheit, log65, log70, log):
    """US FSIS Appendix A, beef, rows as written: held for the time it is met, one second less it is not."""
    need = log65 if log == 6.5 else log70
    celsius = (fahrenheit - 32) / 1.8
    for held, met in ((need, True), (need - 1, False)):
        t = np.array([0.0, float(held)])
        rule = judge(profiles(log)["us-fsis-appendix-a"], "roast", t, np.full((2, 1), celsius), interpolate=False)
        assert rule["met"] is met, (held, rule)


def test_fsis_table_is_log_linear_where_it_is_not_rounded():
    """The whole one-degree table against its own log-linear fit: z near 5.6 °C, every row within its rounding."""
    clause = profiles(6.5)["us-fsis-appendix-a"].clauses[0]
    rows = np.array([r for r in clause.rows if r[1] > 0])
    assert len(rows) == 28
    slope, constant = np.polyfit(rows[:, 0], np.log10(rows[:, 1]), 1)
    assert -1 / slope == pytest.approx(5.6, abs=0.15)
    fit = 10 ** (constant + slope * rows[:, 0])
    assert np.abs(rows[:, 1] / fit - 1).max() < 0.16
    assert (np.diff(rows[:, 1]) < 0).all()


@pytest.mark.parametrize("clause", profiles()["us-food-code-2022"].clauses, ids=lambda c: c.id)
def test_food_code_rows(clause):
    """FDA Food Code 2022, 3-401.11: each row alone satisfies its clause, less does not."""
    form = sorted(clause.forms)[0]
    for row_c, row_s in clause.rows:
        for held, met in ((row_s, True), (row_s - 1, False)):
            if held < 1:
                continue
            t = np.array([0.0, float(held)])
            rule = judge(profiles()["us-food-code-2022"], form, t, np.full((2, 1), row_c), interpolate=False)
            assert bool(rule["met"]) is (
                met
                or any(
                    s <= held and c <= row_c
                    for cl in profiles()["us-food-code-2022"].clauses_for(form)
                    for c, s in cl.rows
                )
            )


@pytest.mark.parametrize(("t_c", "minutes"), [(60, 45), (65, 10), (70, 2), (75, 0.5), (80, 0.1)])
def test_uk_equivalents(t_c, minutes):
    """UK FSA cooking guidance: equivalents of 70 °C for 2 min; the rows govern, and lie near z = 7.5 of Listeria."""
    t = np.array([0.0, minutes * 60])
    assert judge(profiles()["uk-fsa"], "minced", t, np.full((2, 1), float(t_c)), interpolate=False)["met"]
    listeria = organisms()["listeria"]
    logs = float(log_reduction(t, np.full(2, float(t_c)), listeria.d_s, listeria.at_c, listeria.z_c))
    assert 6.0 < logs < 7.1


def test_anz_has_no_number():
    """FSANZ 3.2.2 has no numeric cooking clause: null, never a silent pass."""
    rule = judge(profiles()["anz-fsanz-3.2.2"], "poultry", np.array([0.0, 600.0]), np.full((2, 1), 90.0))
    assert rule["met"] is None
    assert "70 °C for 2 min" in str(rule["needs"])


def test_rule_and_model_disagree_and_both_are_said():
    """54.4 °C for 112 min: FSIS states 6.5 log; by Juneja, Eblen & Ransom 2001 (D60 about 5.5 min) it is 2.0."""
    o = organisms()["salmonella"]
    t = np.array([0.0, 112 * 60.0])
    slow = float(log_reduction(t, np.full(2, 54.4), o.d_upper_s, o.at_c, o.z_c))
    assert slow == pytest.approx(112 / 55, rel=0.01)  # D54.4 is 5.5 min, ten times over at z 5.6


def test_lethality_of_a_ramp_is_exact():
    """∫ 10**((a + b t − T_ref)/z) dt has a closed form."""
    t = np.array([0.0, 1000.0])
    z, d, ref = 6.0, 100.0, 60.0
    b = 0.02
    exact = z / (b * np.log(10)) * (10 ** ((70 - ref) / z) - 10 ** ((50 - ref) / z)) / d
    assert float(log_reduction(t, np.array([50.0, 70.0]), d, ref, z)) == pytest.approx(exact, rel=1e-9)


def test_practice_holds_under_stated_conditions():
    """Strip steak, 3.5 to 4 min in all then a long rest (common practice, no published source): true for 19 to 21 mm here."""
    from ember_core.entry.sentence import Sentence
    from ember_core.formats.plan import parse
    from ember_core.planning.compute import compute

    times = {
        mm: compute(
            parse(Sentence.for_cut("strip-steak", size_mm=float(mm)).document()), with_forecast=False
        ).cook.pull_s
        / 60
        for mm in (19, 20, 21)
    }
    assert list(times.values()) == sorted(times.values())
    assert times[19] < 3.5 < times[20] < 4.0 < times[21]
