"""Tenderness, cooking loss and colour through the depth: advisory models of long and gentle cooks.

Each answer carries its source and says when the history leaves the range the source covers.
Coefficients: ``data/long_cooks.toml``.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ember_core.constants import CELSIUS_ZERO, GAS_CONSTANT
from ember_core.data.loader import read_toml
from ember_core.plan.finding import Finding
from ember_core.wording.message import say

Array = NDArray[np.float64]


@dataclass(frozen=True)
class LongCook:
    """What a history does to a piece.

    Attributes
    ----------
    loss : float
        Share of the raw mass lost as juice, at the hottest each depth has been, 0 to 1.
    tender_h : float
        Hours at 70 °C that would soften as much, in the slowest place.
    tender_low_h, tender_high_h : float
        The same with the ends of the activation energy's range.
    pink : ndarray (depths,)
        Share of myoglobin still undenatured at each depth.
    findings : tuple
        Notes on range and source, in the open formats' shape.
    """

    loss: float
    tender_h: float
    tender_low_h: float
    tender_high_h: float
    pink: Array
    findings: tuple[Finding, ...]


def water_held(t_c: float | Array) -> Array:
    """Water a kilogram of raw beef can hold at ``t_c`` °C, kg (van der Sman 2007), 20–90 °C."""
    m = read_toml("long_cooks.toml")["loss"]
    return np.asarray(m["a"] - m["b"] / (1.0 + m["c"] * np.exp(-m["d"] * (np.asarray(t_c, dtype=float) - m["t"]))))


@lru_cache(maxsize=1)
def _colour_fit() -> tuple[float, float]:
    """Slope and midpoint of the logistic curve through the published points (least squares on the logit)."""
    points = np.array(read_toml("long_cooks.toml")["colour"]["points"])
    slope, constant = np.polyfit(points[:, 0], np.log(points[:, 1] / (1.0 - points[:, 1])), 1)
    return float(slope), float(-constant / slope)


def myoglobin_denatured(t_c: float | Array) -> Array:
    """Share of myoglobin denatured at ``t_c`` °C, 40–85 °C."""
    slope, middle = _colour_fit()
    return np.asarray(1.0 / (1.0 + np.exp(-slope * (np.asarray(t_c, dtype=float) - middle))))


def equivalent_hours(t_s: Array, temperature_c: Array, ea_j_mol: float, reference_c: float = 70.0) -> Array:
    """Hours at ``reference_c`` that soften as much as a history does.

    Parameters
    ----------
    t_s : ndarray (n,)
        Times, s, increasing.
    temperature_c : ndarray (n,) or (n, depths)
        °C.
    ea_j_mol : float
        Effective activation energy, J/mol, > 0.
    """
    kelvin = np.asarray(temperature_c, dtype=float) + CELSIUS_ZERO
    rate = np.exp(-ea_j_mol / GAS_CONSTANT * (1.0 / kelvin - 1.0 / (reference_c + CELSIUS_ZERO)))
    return np.asarray(np.trapezoid(rate, np.asarray(t_s, dtype=float), axis=0) / 3600.0)


def long_cook(t_s: Array, field_c: Array, volumes: Array | None = None) -> LongCook:
    """Judge a computed history, times × depths; ``volumes`` weigh the depths (default alike)."""
    data: dict[str, Any] = read_toml("long_cooks.toml")
    hottest = np.asarray(field_c).max(axis=0)
    weights = np.ones(hottest.size) if volumes is None else np.asarray(volumes, dtype=float)
    low, high = data["loss"]["valid_c"]
    held = water_held(np.clip(hottest, low, high))
    loss = float(np.average(np.maximum(water_held(low) - held, 0.0), weights=weights))
    tender = data["tenderness"]
    hours = [
        float(equivalent_hours(t_s, field_c, ea, tender["reference_c"]).min())
        for ea in (tender["ea_j_mol"], *tender["ea_range_j_mol"])
    ]
    out = []
    if hottest.max() > high:
        message = say(
            "Part of the piece reaches {hottest_c:temp0}; the loss is computed as at {high_c:temp0}.",
            hottest_c=hottest.max(),
            high_c=high,
        )
        out.append(Finding("loss-outside-range", "note", message, data["loss"]["source"]))
    inside = (np.asarray(field_c) > 40.0) & (np.asarray(field_c) < tender["valid_c"][0])
    if inside.any() and hours[0] > 0.5:
        message = say(
            "Time below {least_c:temp} counts little and is outside the source's range; {note}.",
            least_c=tender["valid_c"][0],
            note=say(tender["note"]),
        )
        out.append(Finding("tenderness-outside-range", "note", message, tender["source"]))
    pink = 1.0 - myoglobin_denatured(hottest)
    return LongCook(loss, hours[0], min(hours), max(hours), pink, tuple(out))
