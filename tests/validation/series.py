"""Exact series of transient conduction: Incropera & DeWitt ch. 5; Carslaw & Jaeger ch. 3, 7, 9."""

from __future__ import annotations

import numpy as np
from scipy.optimize import brentq
from scipy.special import j0, j1, jn_zeros

TERMS = 60


def eigenvalues(shape: str, biot: float) -> np.ndarray:
    """First roots of the characteristic equation of a slab, cylinder or sphere."""
    out = []
    if shape == "cylinder":
        low, high = np.concatenate([[0.0], jn_zeros(1, TERMS)]), jn_zeros(0, TERMS + 1)
    for i in range(TERMS):
        if shape == "slab":

            def f(z):
                return z * np.sin(z) - biot * np.cos(z)

            a, b = i * np.pi + 1e-9, i * np.pi + np.pi / 2 - 1e-12
        elif shape == "cylinder":

            def f(z):
                return z * j1(z) - biot * j0(z)

            a, b = low[i] + 1e-9, high[i]
        else:

            def f(z):
                return (1 - biot) * np.sin(z) - z * np.cos(z)

            a, b = i * np.pi + 1e-9, (i + 1) * np.pi - 1e-9
        out.append(brentq(f, a, b, xtol=1e-14))
    return np.array(out)


def unaccomplished(shape: str, biot: float, fourier: float) -> tuple[float, float, float]:
    """Remaining share of the temperature difference at the core, at the surface and in the mean."""
    z = eigenvalues(shape, biot)
    if shape == "slab":
        c, s, m = 4 * np.sin(z) / (2 * z + np.sin(2 * z)), np.cos(z), np.sin(z) / z
    elif shape == "cylinder":
        c, s, m = 2 / z * j1(z) / (j0(z) ** 2 + j1(z) ** 2), j0(z), 2 * j1(z) / z
    else:
        c, s, m = (
            4 * (np.sin(z) - z * np.cos(z)) / (2 * z - np.sin(2 * z)),
            np.sin(z) / z,
            3 * (np.sin(z) - z * np.cos(z)) / z**3,
        )
    e = c * np.exp(-(z**2) * fourier)
    return float(e.sum()), float((e * s).sum()), float((e * m).sum())
