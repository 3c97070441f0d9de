"""A skin as it dries in hot air, over a piece that was solved without it. Compiled."""

from __future__ import annotations

from typing import Any

import numpy as np

from ember_core.constants import CELSIUS_ZERO, LEWIS_AIR, SIGMA, VAPOUR_GAS_CONSTANT
from ember_core.heat.solver.compiled import entry
from ember_core.heat.solver.humid_air import latent_heat, saturated_vapour

STEP_S = 10.0  # of the skin's balance: it follows within half a minute
HOTTEST_WET_C = 130.0  # up to which vapour over a wet skin is known
LEAST_WATER = 1e-3  # of a kilogram of dry lean matter, kg


@entry
def dry_skin(
    t_s: Any, under_c: Any, stage: Any, hangs: Any, air: Any, passes: float, lean: float, water: float, a: float, b: float
) -> Any:  # fmt: skip
    """Skin temperature, °C, and water activity at the times.

    Parameters
    ----------
    t_s, under_c : ndarray (times,)
        s, rising; °C of the flesh under the skin.
    stage : ndarray (times - 1,)
        Of each interval, which stage it lies in.
    hangs : ndarray of bool (stages,)
        Where the skin hangs in hot air; elsewhere it is as the flesh.
    air : ndarray (stages, 5)
        °C, h in W/(m² K), emissivity, wet share, vapour in Pa.
    passes : float
        What the skin lets through, W/(m² K).
    lean, water : float
        Dry lean matter, kg/m², and the water on it at first, kg per kg.
    a, b : float
        Of Oswin's isotherm.
    """
    surface, activity = under_c.copy(), np.ones(t_s.size)
    ts = under_c[0]
    for i in range(t_s.size - 1):
        j = stage[i]
        aw = 1.0 / (1.0 + (a / water) ** (1.0 / b))
        if not hangs[j]:
            ts = under_c[i + 1]
            activity[i + 1] = aw
            continue
        medium, h, emissivity, wet, vapour = air[j, 0], air[j, 1], air[j, 2], air[j, 3], air[j, 4]
        around = vapour / (VAPOUR_GAS_CONSTANT * (medium + CELSIUS_ZERO))
        n = max(int((t_s[i + 1] - t_s[i]) / STEP_S), 1)
        dt = (t_s[i + 1] - t_s[i]) / n
        for _ in range(n):
            aw = 1.0 / (1.0 + (a / water) ** (1.0 / b))
            leaves = 0.0
            for _ in range(8):
                at = min(max(ts, 0.0), HOTTEST_WET_C)
                density, slope = saturated_vapour(at)
                leaves = max(h * wet * LEWIS_AIR * (aw * density - around), 0.0)
                kelvin = ts + CELSIUS_ZERO
                q = h * (medium - ts) + emissivity * SIGMA * ((medium + CELSIUS_ZERO) ** 4 - kelvin**4)
                q += passes * (under_c[i + 1] - ts) - latent_heat(at) * leaves
                by = h + 4.0 * emissivity * SIGMA * kelvin**3 + passes
                by += latent_heat(at) * h * wet * LEWIS_AIR * aw * slope if leaves > 0.0 else 0.0
                ts += q / by
            water = max(water - leaves * dt / lean, LEAST_WATER)
        surface[i + 1], activity[i + 1] = ts, aw
    return surface, activity
