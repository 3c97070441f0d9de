"""What each face of the piece meets: from a stage's words to the numbers of the surface balance."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ember_core.constants import CELSIUS_ZERO, SIGMA
from ember_core.data.loader import read_toml
from ember_core.heat.physics.boiling import iapws_saturation_pressure
from ember_core.heat.physics.stores import NONE, Store
from ember_core.plan.kinds import stage_kind

PRESSED = 3.0  # so much better does a cover conduct where the piece's weight presses it flat; an estimate

MOST_HUMID = 0.8  # relative, of a chamber's air of which nothing is said
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
    pressure_pa: float = 101325.0  # of the air
    leak: float = 0.0  # 1/s, how often an oven's air is changed; 0: its vapour stands
    food_m3: float = 0.0  # of moist food by m³ of the oven's air
    carries: bool = False  # the oven's air is that of the stage before
    store: Store = NONE  # of a medium that what lies in it cools


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
    row = read_toml("surroundings.toml")[kind][variant or stage_kind(kind).default]
    vapour_pa = kitchen_vapour(air_c)
    if "vapour_pa" in row:  # the chamber's own, no more than its air can hold
        vapour_pa = min(row["vapour_pa"], MOST_HUMID * iapws_saturation_pressure(min(max(medium_c, 0.02), 370.0)))
    return Surface(
        medium_c=medium_c,
        h=row["h"],
        emissivity=row.get("emissivity", 0.0),
        wet=row.get("wet", 0.0),
        vapour_pa=vapour_pa,
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
    half_way = 0.5 * (bare.medium_c + 60.0) + CELSIUS_ZERO
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


def on_support(bare: Surface, support: str | None, cover: str | None = None) -> Surface:
    """The surroundings of an oven's lower face that lies on a tray (``[support]`` in the data).

    The sheet takes up heat by convection and radiation on more surface than the face has, and passes it on by contact
    or through a gap: two resistances in series. Radiation is made linear half way between the oven and 60 °C. The
    sheet's own heat is left out: it follows within a minute.

    Parameters
    ----------
    bare : Surface
        What the face would meet without it and without a cover.
    support : str or None
        ``tray``, ``tray-round``; None changes nothing but for the cover.
    cover : str or None
        What lies close around the piece lies between it and the sheet as well, pressed flat by its weight.
    """
    if support is None:
        return under_cover(bare, cover)
    table = read_toml("surroundings.toml")
    row = table["support"][support]
    contact = row["contact"]
    if cover in {"wrapped", "cloth", "bag"}:
        contact = 1.0 / (1.0 / contact + 1.0 / (PRESSED * table["cover"][cover]["gap"]))
    half_way = 0.5 * (bare.medium_c + 60.0) + CELSIUS_ZERO
    collected = row["collects"] * (bare.h + 4.0 * SIGMA * min(row["emissivity"], bare.emissivity) * half_way**3)
    return replace(
        bare,
        h=collected * contact / (contact + collected),
        emissivity=0.0,
        wet=bare.wet * row["wet"],
        h_spread=float(np.hypot(bare.h_spread, row["spread"])),
        source=f"{bare.source}; on a support: {row['source']}",
    )


def in_vapour(
    face: Surface,
    vent: str,
    food_kg: float | None,
    litres: float | None,
    food_density: float,
    pressure_pa: float,
    carries: bool,
) -> Surface:
    """The surroundings of a face in an oven that fills with vapour.

    Parameters
    ----------
    face : Surface
        With the vapour of the air that comes in.
    vent : str
        ``open`` or ``closed``.
    food_kg, litres : float or None
        Moist food in the oven and the oven's size; None takes the usual oven's.
    food_density, pressure_pa : float
        kg/m³; Pa, of the air.
    carries : bool
        Whether the stage before was in the same oven.
    """
    table = read_toml("surroundings.toml")
    usual = table["usual_oven"]
    food = (usual["kg"] if food_kg is None else food_kg) / food_density
    room = (usual["litres"] if litres is None else litres) / 1000.0
    return replace(
        face,
        leak=table["vent"][vent]["leak"],
        food_m3=food / max(room - food, 0.1 * room),
        pressure_pa=pressure_pa,
        carries=carries,
    )
