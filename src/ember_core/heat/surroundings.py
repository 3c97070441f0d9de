"""What each face of the piece meets: from a stage's words to the numbers of the surface balance."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from ember_core.data.loader import read_toml
from ember_core.heat.kernel import F_EPS, F_H, F_PV, F_TAU, F_TDELTA, F_TINF, F_WET, N_FACE, Array

HEAT_KINDS = frozenset({"bath", "boil", "simmer", "steam", "oven", "pan", "grill", "fry", "baste"})
SHORT_DIP_S = 1800.0  # a shorter chill stops the cooking, a longer one keeps the food; our reading
WATER_KINDS = frozenset({"bath", "boil", "simmer", "steam"})
DEFAULT_VARIANT = {
    "bath": "stirred",
    "oven": "still",
    "pan": "fair",
    "rest": "bare",
    "chill": "air",
}
KITCHEN_HUMIDITY = 0.5  # relative, of the kitchen's air; an assumption, stated in the method note


@dataclass(frozen=True)
class Surface:
    """One face's surroundings: medium °C, h W/(m² K), emissivity, wet share 0–1, vapour Pa."""

    medium_c: float
    h: float
    emissivity: float = 0.0
    wet: float = 0.0
    vapour_pa: float = 0.0
    h_spread: float = 0.0
    source: str = "stated in the plan"
    off_c: float = 0.0  # how far the medium starts from medium_c
    settle_s: float = 1.0  # time constant with which it gets there

    def row(self) -> Array:
        """The parameters as a row for the kernel."""
        out = np.zeros(N_FACE)
        out[F_H], out[F_EPS], out[F_TINF], out[F_WET], out[F_PV] = (
            self.h,
            self.emissivity,
            self.medium_c,
            self.wet,
            self.vapour_pa,
        )
        out[F_TDELTA], out[F_TAU] = self.off_c, self.settle_s
        return out


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
    return float(22.064e6 * np.exp(647.096 / t * terms))


def kitchen_vapour(air_c: float) -> float:
    """Vapour pressure of the kitchen's air, Pa."""
    return KITCHEN_HUMIDITY * iapws_saturation_pressure(min(max(air_c, 0.02), 60.0))


def variants(kind: str) -> tuple[str, ...]:
    """The named variants a stage kind offers (for example ``still`` and ``fan`` of an oven)."""
    return tuple(read_toml("surroundings.toml")[kind])


def surroundings(kind: str, variant: str | None, medium_c: float, air_c: float) -> Surface:
    """Default surroundings of a stage kind.

    Parameters
    ----------
    kind, variant : str
        Stage kind and one of :func:`variants`; ``None`` takes the documented default.
    medium_c, air_c : float
        Temperature of the medium and of the kitchen's air, °C.
    """
    row = read_toml("surroundings.toml")[kind][variant or DEFAULT_VARIANT.get(kind, "default")]
    return Surface(
        medium_c=medium_c,
        h=row["h"],
        emissivity=row.get("emissivity", 0.0),
        wet=row.get("wet", 0.0),
        vapour_pa=kitchen_vapour(air_c),
        h_spread=row["spread"],
        source=row["source"],
    )
