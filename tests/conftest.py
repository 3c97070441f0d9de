"""Shared by all tests."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import HealthCheck, settings

# how fast examples are made says how busy the machine is, and nothing of the code
settings.register_profile("calm", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("calm")


def plan_document(**over: Any) -> dict[str, Any]:
    """A small valid plan; keywords replace its top-level keys."""
    document: dict[str, Any] = {
        "format": "open-ember.plan/1",
        "piece": {"food": "beef-lean", "form": "steak", "shape": {"kind": "slab", "thickness_mm": 28}, "start_c": 4},
        "target": {"core_c": 55},
        "stages": [
            {"kind": "pan", "minutes": 2, "faces": {"a": {"medium_c": 220}}},
            {
                "kind": "pan",
                "minutes": 16,
                "until": {"peak_core_c": 55},
                "faces": {"b": {"medium_c": 220}, "a": {"kind": "baste", "medium_c": 150}},
            },
            {"kind": "rest", "minutes": 8, "cover": "bare"},
        ],
        "kitchen": {"altitude_m": 1850, "air_c": 24},
        "rules": "us-food-code-2022",
    }
    return document | over


def conduction(
    kind: str,
    size_mm: float,
    h: float,
    start_c: float,
    medium_c: float,
    minutes: float,
    *,
    k: float = 0.5,
    rho_c: float = 3.6e6,
    **over: Any,
) -> dict[str, Any]:
    """A plain conduction problem, as in the textbooks."""
    key = "thickness_mm" if kind == "slab" else "diameter_mm"
    stage = {"kind": "bath", "minutes": minutes, "medium_c": medium_c, "surface": {"h_w_m2k": h}}
    return {
        "format": "open-ember.plan/1",
        "piece": {
            "properties": {"conductivity_w_mk": k, "density_kg_m3": 1000, "specific_heat_j_kgk": rho_c / 1000},
            "shape": {"kind": kind, key: size_mm},
            "start_c": start_c,
        },
        "stages": [stage],
    } | over


@pytest.fixture
def document() -> dict[str, Any]:
    """A plan document to change at will."""
    return plan_document()
