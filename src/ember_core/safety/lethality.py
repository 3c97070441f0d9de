"""The model's statement: log reduction as an integral of the death rate over the history.

log10 reduction = ∫ 10**((T − T_ref)/z) / D_ref dt at the coldest point. It is information beside
the rule, never a substitute for it.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ember_core.data.loader import read_toml

Array = NDArray[np.float64]
LN10 = float(np.log(10.0))


@dataclass(frozen=True)
class Organism:
    """Death kinetics of one organism in one matrix; D in s at ``at_c`` °C, z in K."""

    id: str
    name: str
    matrix: str
    at_c: float
    d_s: float
    d_upper_s: float
    d_lower_s: float
    z_c: float
    source: str
    species: frozenset[str]


@lru_cache(maxsize=1)
def organisms() -> dict[str, Organism]:
    """All organisms of the data file by id."""
    return {
        r["id"]: Organism(
            r["id"],
            r["name"],
            r["matrix"],
            r["at_c"],
            60 * r["d_min"],
            60 * r["d_upper_min"],
            60 * r["d_lower_min"],
            r["z_c"],
            r["source"],
            frozenset(r["species"]),
        )
        for r in read_toml("organisms.toml")["organism"]
    }


def for_food(species: str | None) -> tuple[Organism, ...]:
    """The organisms reported for a food of a species; None: of an unknown one."""
    return tuple(o for o in organisms().values() if {"any", species or "unknown"} & o.species)


def log_reduction(
    t_s: Array, temperature_c: Array, d_s: float, t_ref_c: float, z_c: float, counts: NDArray[np.bool_] | None = None
) -> Array:
    """Log10 reduction of a history, exact for temperatures that run linearly between samples.

    Parameters
    ----------
    t_s : ndarray, shape (n,)
        Times, s, increasing.
    temperature_c : ndarray, shape (n,) or (n, depths)
        Temperatures, °C.
    d_s, t_ref_c, z_c : float
        D in s at ``t_ref_c`` °C, z in K; all > 0.
    counts : ndarray of bool (n - 1,), optional
        Intervals that count; nothing is credited in the others (gaps of a log).

    Returns
    -------
    ndarray
        One value per depth (a 0-d array for one history).
    """
    exponent = np.clip((np.asarray(temperature_c, dtype=float) - t_ref_c) / z_c, -200.0, 12.0) * LN10
    rate = np.exp(exponent) / d_s
    lo, hi = exponent[:-1], exponent[1:]
    change = hi - lo
    small = np.abs(change) < 1e-6
    safe = np.where(small, 1.0, change)
    average = np.where(small, 0.5 * (rate[:-1] + rate[1:]), (rate[1:] - rate[:-1]) / safe)
    dt = np.diff(np.asarray(t_s, dtype=float))
    if counts is not None:
        dt = np.where(counts, dt, 0.0)
    return np.asarray(np.tensordot(dt, average, axes=(0, 0)))


def statement(
    t_s: Array,
    field_c: Array,
    organism: Organism,
    cautious: tuple[Array, Array] | None = None,
    counts: NDArray[np.bool_] | None = None,
) -> dict[str, object]:
    """The ``model`` object of a result, at the coldest point of ``field_c`` (times × depths).

    ``cautious`` is the history (t, field) of a piece at the cautious end of the likely ones; the slow
    end ``log10_p5`` is then its, with the slowest published D. ``counts``: intervals that count, as in :func:`log_reduction`.

    Parameters
    ----------
    t_s, field_c : ndarray (times,), (times, depths)
        s, °C.
    organism : Organism
    cautious : (t, field), optional
        History of a piece at the cautious end.
    counts : ndarray of bool, optional
        Intervals that count, as in :func:`log_reduction`.
    """

    def least(t: Array, field: Array, counts: NDArray[np.bool_] | None) -> float:
        return float(log_reduction(t, field, organism.d_s, organism.at_c, organism.z_c, counts).min())

    nominal = least(t_s, field_c, counts)
    slow = nominal if cautious is None else min(least(*cautious, None), nominal)
    return {
        "organism": organism.id,
        "matrix": organism.matrix,
        "log10": round(nominal, 4),
        "log10_p5": round(slow * organism.d_s / organism.d_upper_s, 4),
        "log10_p95": round(nominal * organism.d_s / organism.d_lower_s, 4),
        "d_value_s": organism.d_s,
        "at_c": organism.at_c,
        "z_c": organism.z_c,
        "source": organism.source,
    }
