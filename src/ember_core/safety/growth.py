"""How far bacteria that survive cooking can grow while food is warm: a model beside the rules, never in place of them.

Baranyi & Roberts 1994 (Int. J. Food Microbiology 23:277): with the rate's integral ``M``, ln N rises by
``M + ln(exp(-M) + exp(-lag) - exp(-M - lag))``. Coefficients and their sources: ``data/growth.toml``.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ember_core.data.loader import read_toml
from ember_core.heat.cook import Cook
from ember_core.plan.finding import Finding, Level
from ember_core.wording.message import say

Array = NDArray[np.float64]
RANGE_C = (10.0, 54.4)  # the growth range, as the rules for come-up have it
GROWS_LITTLE = frozenset({"plant", "egg", "fish", "shellfish"})  # species on which the model's organism is no usual one
WORTH_LOG10 = 0.3  # less is not worth a word


@dataclass(frozen=True)
class Growth:
    """What a history lets grow.

    Attributes
    ----------
    log10 : float
        At the place where it is most, since the last heat that kills what grew, ≥ 0.
    range_s : float
        How long the place that is longest within it is in the growth range, s.
    all_log10 : float
        All that grew at the worst place, what heat killed on the way too, ≥ ``log10``.
    """

    log10: float
    range_s: float
    all_log10: float

    def as_dict(self) -> dict[str, str | float]:
        """As a result has it."""
        source = read_toml("growth.toml")["c-perfringens"]["source"]
        return {
            "organism": "c-perfringens",
            "log10": round(self.log10, 3),
            "range_s": round(self.range_s, 1),
            "source": source,
        }


@lru_cache(maxsize=1)
def _steepness() -> float:
    """``b`` of the rate curve, 1/(K h^0.5), from what it is at its best."""
    row = read_toml("growth.toml")["c-perfringens"]
    t = np.linspace(row["low_c"], row["high_c"], 4001)
    shape = (t - row["low_c"]) * (1.0 - np.exp(row["c_per_k"] * (t - row["high_c"])))
    return float(np.sqrt(row["most_per_h"]) / shape.max())


def rate(t_c: float | Array) -> Array:
    """Rate of growth of ln N at ``t_c`` °C, 1/h; 0 outside its span."""
    row = read_toml("growth.toml")["c-perfringens"]
    t = np.clip(np.asarray(t_c, dtype=float), row["low_c"], row["high_c"])
    root = _steepness() * (t - row["low_c"]) * (1.0 - np.exp(row["c_per_k"] * (t - row["high_c"])))
    return np.asarray(root**2)


def grown(t_s: Array, temperature_c: Array) -> Array:
    """How far a population has grown at the end of a history, log10 of its increase; what is killed on the way begins anew.

    Parameters
    ----------
    t_s : ndarray (n,)
        s, rising.
    temperature_c : ndarray (n,) or (n, places)
        °C.

    Returns
    -------
    ndarray (places,) or a number
        Since the last heat that kills, or the begin, ≥ 0.
    """
    t_c = np.asarray(temperature_c, dtype=float)
    found = _along(t_s, t_c[:, None] if t_c.ndim == 1 else t_c)[-1]
    return np.asarray(found[0] if t_c.ndim == 1 else found)


def _along(t_s: Array, field: Array) -> Array:
    """:func:`grown` at the end of every step, steps × places."""
    row = read_toml("growth.toml")["c-perfringens"]
    steps = np.diff(t_s)[:, None]
    rates = rate(field)
    work = np.cumsum(0.5 * (rates[1:] + rates[:-1]) * steps / 3600.0, axis=0)
    middle = 0.5 * (field[1:] + field[:-1])
    hot = middle >= row["high_c"]
    kill = np.cumsum(
        hot * steps / row["d_s"] * 10.0 ** ((np.minimum(middle, 100.0) - row["at_c"]) / row["z_c"]), axis=0
    )
    killed = kill - np.maximum.accumulate(np.where(hot, 0.0, kill)) >= row["gone_log10"]
    most = work - np.maximum.accumulate(np.where(killed, work, 0.0), axis=0)
    lag = row["lag"]
    increase = most + np.log(np.exp(-most) + np.exp(-lag) - np.exp(-most - lag))
    return np.asarray(np.maximum(increase / np.log(10.0), 0.0))


def living_and_all(t_s: Array, field_c: Array) -> tuple[float, float]:
    """The most that grew at any place of a history, log10: what lives at its end, and all of it, killed afterwards or not.

    Every stretch of growth that heat ends counts in the second: what stands after it are toxins and spores. Parameters as of
    :func:`growth`.
    """
    if len(t_s) < 2:
        return 0.0, 0.0
    along = _along(t_s, field_c)
    ends = np.vstack([along[:-1] > along[1:] + 1e-9, np.ones((1, along.shape[1]), dtype=bool)])
    return float(along[-1].max()), float((along * ends).sum(axis=0).max())


@lru_cache(maxsize=8)
def growth_of(cook: Cook) -> Growth:
    """:func:`growth` of a computed cook, worked out once for its rule and its result."""
    return growth(cook.t, cook.everywhere)


def growth(t_s: Array, field_c: Array) -> Growth:
    """Growth along a cook, times × places, °C; the place where it is most counts."""
    low, high = RANGE_C
    middle = 0.5 * (field_c[1:] + field_c[:-1])
    within = ((middle > low) & (middle < high)) * np.diff(t_s)[:, None]
    living, all_of_it = living_and_all(t_s, field_c)
    return Growth(living, float(within.sum(axis=0).max()), all_of_it)


def growth_findings(found: Growth) -> list[Finding]:
    """What a cook should know of it: advice, however grave. What stops is the clause on cooling or coming up, not a model."""
    row = read_toml("growth.toml")["c-perfringens"]
    if found.log10 < WORTH_LOG10:
        return []
    many = 10.0**found.log10
    if found.log10 < row["more_log10"]:
        words = say(
            "While it is warm, what survives cooking can grow {many:.1f}-fold ({organism}, a model): within the tenfold that is "
            "allowed for cooling.",
            many=many,
            organism=row["name"],
        )
        return [Finding("growth", Level.NOTE, words, row["source"])]
    if found.log10 < row["ill_log10"]:
        words = say(
            "While it is warm, what survives cooking can grow {many:.0f}-fold ({organism}, a model): more than the tenfold that is "
            "allowed for cooling. Bring it through 10 to 54 °C faster: smaller pieces, ice water, a hotter start.",
            many=many,
            organism=row["name"],
        )
        return [Finding("growth", Level.CARE, words, f"{row['source']}; {row['more_source']}")]
    words = say(
        "While it is warm, what survives cooking can grow more than a thousandfold ({organism}, a model): enough to make ill. Bring "
        "it through 10 to 54 °C faster, or keep it out of service.",
        organism=row["name"],
    )
    return [Finding("growth", Level.CARE, words, f"{row['source']}; {row['ill_source']}")]
