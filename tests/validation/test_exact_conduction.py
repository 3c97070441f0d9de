"""The solver against exact series, two-face slab and semi-infinite solid."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.special import erfcx

from ember_core.formats.plan import parse
from ember_core.planning.compute import compute
from tests.conftest import conduction
from tests.validation.series import unaccomplished

FOURIER = np.array([0.05, 0.07, 0.1, 0.15, 0.25, 0.4, 0.7, 1.2, 2.5])
LIMIT_K = 0.05  # the accuracy the project promises for Fourier > 0.05


def samples_at(document, times):
    """Samples at the report times, with the exact time asked for."""
    result = compute(parse(document)).result
    by_time = {s["t_s"]: s for s in result["samples"]}
    return [by_time[round(float(t), 3)] for t in times]


@pytest.mark.parametrize("shape", ["slab", "cylinder", "sphere"])
@pytest.mark.parametrize("biot", [0.1, 0.5, 2.0, 10.0, 100.0])
@pytest.mark.parametrize(("start", "medium"), [(5.0, 85.0), (90.0, 2.0), (-40.0, 200.0)])
def test_series(shape, biot, start, medium):
    """Incropera & DeWitt, Fundamentals of Heat and Mass Transfer, ch. 5: exact one-dimensional series."""
    half, k, rho_c = 0.015, 0.5, 3.6e6
    times = np.round(FOURIER * half**2 * rho_c / k, 3)
    found = samples_at(
        conduction(shape, 2000 * half, biot * k / half, start, medium, times[-1] / 60 + 1, report_at_s=times.tolist()),
        times,
    )
    for fourier, sample in zip(times * k / rho_c / half**2, found, strict=True):
        core, surface, mean = (medium + (start - medium) * u for u in unaccomplished(shape, biot, float(fourier)))
        assert sample["core_c"] == pytest.approx(core, abs=LIMIT_K)
        assert sample["surface_c"] == pytest.approx(surface, abs=LIMIT_K)
        assert sample["mean_c"] == pytest.approx(mean, abs=LIMIT_K)


def test_two_faces_reach_the_steady_line():
    """Two resistances and the slab in series: Incropera ch. 3, composite wall."""
    thickness, k, ha, hb, ta, tb = 0.02, 0.5, 50.0, 200.0, 90.0, 10.0
    document = conduction("slab", 20, 1, 20, 20, 600)
    document["stages"][0] = {
        "kind": "bath",
        "minutes": 600,
        "faces": {"a": {"medium_c": ta, "surface": {"h_w_m2k": ha}}, "b": {"medium_c": tb, "surface": {"h_w_m2k": hb}}},
    }
    last = compute(parse(document)).result["samples"][-1]
    flux = (ta - tb) / (1 / ha + thickness / k + 1 / hb)
    assert last["surface_c"] == pytest.approx(ta - flux / ha, abs=0.01)
    assert last["surface_b_c"] == pytest.approx(tb + flux / hb, abs=0.01)
    assert last["core_c"] == pytest.approx((last["surface_c"] + last["surface_b_c"]) / 2, abs=0.01)


@pytest.mark.parametrize("h", [20.0, 200.0, 1000.0])
def test_semi_infinite_surface(h):
    """Convection on a semi-infinite solid: Carslaw & Jaeger §2.7; a thick slab before heat crosses it."""
    k, rho_c, start, medium = 0.5, 3.6e6, 5.0, 150.0
    times = np.array([60.0, 200.0, 400.0])
    document = conduction("slab", 80, h, start, medium, 25, report_at_s=times.tolist())
    for t, sample in zip(times, samples_at(document, times), strict=True):
        u = h * np.sqrt(t / (k * rho_c))
        exact = start + (medium - start) * (1 - erfcx(u))
        assert sample["surface_c"] == pytest.approx(exact, abs=0.35)  # early surface: Fourier below 0.01


@pytest.mark.parametrize(("thickness_mm", "low_min", "high_min"), [(10, 18, 21), (25, 66, 80), (50, 195, 230)])
def test_heating_times_of_slabs(thickness_mm, low_min, high_min):
    """Baldwin 2012, IJGFS 1:15, thawed slabs from 5 °C to 0.5 °C below a 60 °C bath: 19 min, 1¼ h, 3½ h, coarsely rounded."""
    document = conduction("slab", thickness_mm, 95, 5, 60, 600, k=0.50, rho_c=0.50 / 1.4e-7)
    document["stages"][0]["until"] = {"core_c": 59.5}
    stage = compute(parse(document)).result["stages"][0]
    assert stage["ended_by"] == "core_c"
    assert low_min <= stage["end_s"] / 60 <= high_min
