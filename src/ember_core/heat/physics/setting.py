"""How fast white and yolk of an egg set: rates by temperature, and what a history makes of them.

Set is kinetics: time and temperature both count. Coefficients and their sources: ``data/eggs.toml``.
"""

from __future__ import annotations

import numpy as np

from ember_core.constants import CELSIUS_ZERO, GAS_CONSTANT
from ember_core.data.loader import read_toml
from ember_core.heat.arrays import Array

FLAT = 1e-6  # below this logarithm of their ratio two rates are alike
MOST_C = 110.0  # nothing in an egg is hotter for long; keeps the exponentials in range


def white_rate(protein: str, t_c: Array | float) -> Array:
    """Rate at which a protein of the white sets, 1/s.

    Parameters
    ----------
    protein : str
        ``first`` or ``main``.
    t_c : ndarray or float
        °C, 0 to 110.
    """
    row = read_toml("eggs.toml")["white"][protein]
    peak_k = row["peak_c"] + CELSIUS_ZERO
    at_peak = row["ea_j_mol"] * row["scan_k_min"] / 60.0 / (GAS_CONSTANT * peak_k**2)
    kelvin = np.minimum(np.asarray(t_c, dtype=float), MOST_C) + CELSIUS_ZERO
    return np.asarray(at_peak * np.exp(-row["ea_j_mol"] / GAS_CONSTANT * (1.0 / kelvin - 1.0 / peak_k)))


def yolk_rate(t_c: Array | float) -> Array:
    """Rate at which a yolk thickens, 1/s: one over the time in which it is thick; ``t_c`` °C, 0 to 110."""
    row = read_toml("eggs.toml")["yolk"]
    t = np.minimum(np.asarray(t_c, dtype=float), MOST_C)
    return np.asarray(np.exp(np.log(10.0) / row["z_k"] * (t - row["at_c"])) / (60.0 * row["minutes"]))


def dose(t_s: Array, rate: Array) -> Array:
    """Integral of a rate over time by the trapezium rule in its logarithm, exact where the rate runs exponentially.

    Takes and gives what :func:`doses` does, whose last row it is.
    """
    return np.asarray(_steps(t_s, rate).sum(axis=0))


def doses(t_s: Array, rate: Array) -> Array:
    """Integral of a rate from the begin to each moment, see :func:`dose`.

    Parameters
    ----------
    t_s : ndarray (times,)
        s, rising.
    rate : ndarray (times,) or (times, places)
        1/s, > 0.
    """
    out = np.zeros_like(rate)
    np.cumsum(_steps(t_s, rate), axis=0, out=out[1:])
    return out


def _steps(t_s: Array, rate: Array) -> Array:
    """Integrals over each step."""
    a, b = rate[:-1], rate[1:]
    log = np.log(b / a)
    mean = 0.5 * (a + b)
    np.divide(b - a, log, out=mean, where=np.abs(log) > FLAT)
    steps = np.diff(t_s)
    mean *= steps[:, None] if rate.ndim > 1 else steps
    return mean
