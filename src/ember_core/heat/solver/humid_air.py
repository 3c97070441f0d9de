"""Vapour and its heat of evaporation, as the compiled solver computes them."""

from __future__ import annotations

import numpy as np

from ember_core.constants import CELSIUS_ZERO, LATENT_AT_0C, LATENT_BY_DEGREE, VAPOUR_GAS_CONSTANT
from ember_core.heat.physics.boiling import iapws_saturation_pressure
from ember_core.heat.solver.compiled import inlined

_AT = np.linspace(0.0, 130.0, 1301)
_DENSITY = np.array([iapws_saturation_pressure(t) for t in _AT]) / (VAPOUR_GAS_CONSTANT * (_AT + CELSIUS_ZERO))
# a polynomial needs no look-up, so that the compiler can make vectors of it; in 1/65 of °C above 65 °C
VAPOUR = tuple(float(c) for c in np.polynomial.Polynomial.fit(_AT, _DENSITY, 7, w=1.0 / _DENSITY).coef)


@inlined
def saturated_vapour(t_c: float) -> tuple[float, float]:
    """Density of saturated vapour (kg/m³) and its slope by degree, 0–130 °C, by a polynomial (to 4e-5 of itself)."""
    x = min(max(t_c, 0.0), 130.0) * (1.0 / 65.0) - 1.0
    high = VAPOUR[4] + x * (VAPOUR[5] + x * (VAPOUR[6] + x * VAPOUR[7]))
    low = VAPOUR[0] + x * (VAPOUR[1] + x * (VAPOUR[2] + x * VAPOUR[3]))
    high_slope = VAPOUR[5] + x * (2.0 * VAPOUR[6] + x * 3.0 * VAPOUR[7])
    low_slope = VAPOUR[1] + x * (2.0 * VAPOUR[2] + x * 3.0 * VAPOUR[3])
    x4 = (x * x) * (x * x)
    slope = low_slope + x4 * high_slope + 4.0 * (x * x) * x * high
    return low + x4 * high, slope * (1.0 / 65.0)


@inlined
def latent_heat(t_c: float) -> float:
    """Heat of evaporation of water at ``t_c`` °C, J/kg, for 0–100 °C: the usual straight line (from memory)."""
    return LATENT_AT_0C + LATENT_BY_DEGREE * t_c
