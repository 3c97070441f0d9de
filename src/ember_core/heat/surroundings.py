"""What each face of the piece meets: from a stage's words to the numbers of the surface balance."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ember_core.data.loader import read_toml
from ember_core.heat.boiling import iapws_saturation_pressure
from ember_core.heat.kernel import F_EPS, F_H, F_PV, F_TAU, F_TDELTA, F_TINF, F_WET, N_FACE, SIGMA, Array

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


def under_cover(bare: Surface, cover: str | None) -> Surface:
    """The surroundings of a face that foil, cloth or a bag keeps from its medium (``[cover]`` in the data).

    Heat passes the medium's convection and radiation, then the gap beneath the cover: two resistances in series.
    Radiation is made linear half way between the medium and 60 °C, a cover's usual temperature.

    Parameters
    ----------
    bare : Surface
        What the face would meet without the cover.
    cover : str or None
        ``tented``, ``wrapped``, ``cloth`` or ``bag``; None and ``bare`` change nothing.
    """
    if cover in {None, "bare"}:
        return bare
    row = read_toml("surroundings.toml")["cover"][cover]
    emissivity = min(bare.emissivity, row["emissivity"])
    half_way = 0.5 * (bare.medium_c + 60.0) + 273.15
    outside = bare.h + 4.0 * SIGMA * emissivity * half_way**3
    passed = row["gap"] / (row["gap"] + outside)
    return replace(
        bare,
        h=bare.h * passed,
        emissivity=emissivity * passed,
        wet=bare.wet * row["wet"],
        vapour_pa=bare.vapour_pa if row["wet"] else 0.0,
        h_spread=float(np.hypot(bare.h_spread, row["spread"])),
        source=f"{bare.source}; under a cover: {row['source']}",
    )
