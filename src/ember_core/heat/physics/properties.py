"""Thermal properties of food from its composition.

Component properties: Choi & Okos (1986) as printed in ASHRAE Handbook: Refrigeration, "Thermal
Properties of Foods"; coefficients in ``data/components.toml``. Valid −40 to 150 °C. Conductivity is
combined by Levy's form of the Maxwell–Eucken equation (Levy 1981), heat capacity by mass, density
by volume. Freezing: ice fraction after Miles (1974) with 0.4 kg of bound water per kg of protein.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.polynomial.polynomial import polyval

from ember_core.constants import LATENT_FUSION
from ember_core.data.loader import read_toml
from ember_core.errors import ValueRangeError
from ember_core.heat.arrays import Array
from ember_core.wording.message import say

COMPONENTS = ("water", "protein", "fat", "carbohydrate", "fibre", "ash")

BOUND_WATER_PER_PROTEIN = 0.4

VALID_C = (-40.0, 150.0)

DRY_CONDUCTIVITY = 0.15  # W/(m K), porous dry crust; 0.1–0.2 in frying studies (from memory)

CRUST_C = 120.0  # °C, where the heat capacity of a crust is read; an estimate of its middle in a pan or fryer

DEFAULT_FREEZING_C = -1.7  # beef, ASHRAE


@dataclass(frozen=True)
class Composition:
    """Mass fractions (kg/kg) that sum to one within 3 %; they are scaled to sum to one.

    Raises
    ------
    ValueRangeError
        A fraction below 0 or above 1, or a sum outside 0.97 to 1.03.
    """

    water: float
    protein: float
    fat: float
    carbohydrate: float = 0.0
    fibre: float = 0.0
    ash: float = 0.0

    def __post_init__(self) -> None:
        for name in COMPONENTS:
            if not 0 <= getattr(self, name) <= 1:
                raise ValueRangeError(
                    say(
                        "{name} is {value}: give each part as a mass fraction from 0 to 1.",
                        name=name,
                        value=getattr(self, name),
                    ),
                    path=f"/piece/composition/{name}",
                )
        total = sum(getattr(self, name) for name in COMPONENTS)
        if not 0.97 <= total <= 1.03:
            raise ValueRangeError(
                say("The parts sum to {total:.3f}; mass fractions must sum to 1 (within 0.03).", total=total),
                path="/piece/composition",
            )
        for name in COMPONENTS:
            object.__setattr__(self, name, getattr(self, name) / total)


@dataclass(frozen=True, eq=False)
class ThermalTable:
    """Temperature and conductivity by volumetric enthalpy, in equal steps of enthalpy.

    Attributes
    ----------
    h0, dh : float
        First enthalpy and step, J/m³ (zero at 0 °C, unfrozen).
    temperature : ndarray
        °C per row.
    conductivity : ndarray
        W/(m K) per row.
    density : float
        kg/m³, kept constant so that mass is conserved.
    water : float
        kg/m³ of water that can freeze or boil; 0 switches boiling off.
    c_ref : float
        J/(m³ K), a representative unfrozen volumetric heat capacity.
    c_dry : float
        J/(m³ K), that of the same volume without its water.
    linear : bool
        True when heat capacity and conductivity are constant.
    """

    h0: float
    dh: float
    temperature: Array
    conductivity: Array
    density: float
    water: float
    c_ref: float
    c_dry: float
    linear: bool

    def enthalpy(self, t_c: float | Array) -> Array:
        """Volumetric enthalpy, J/m³, at ``t_c`` °C (linear beyond the ends of the table)."""
        last = self.temperature.size - 1
        found = np.searchsorted(self.temperature, t_c)
        row: Any = min(max(int(found), 1), last) if isinstance(t_c, float) else found.clip(1, last)
        low, high = self.temperature[row - 1], self.temperature[row]
        return np.asarray(self.h0 + self.dh * (row - 1 + (t_c - low) / (high - low)))


@lru_cache(maxsize=1)
def _coefficients() -> dict[str, dict[str, Array]]:
    rows = read_toml("components.toml")["component"]
    return {r["name"]: {k: np.array(r[k]) for k in ("k", "rho", "c")} for r in rows}


def component(name: str, prop: str, t_c: float | Array) -> Array:
    """Property ``k`` W/(m K), ``rho`` kg/m³ or ``c`` J/(kg K) of one component at ``t_c`` °C."""
    return np.asarray(polyval(np.asarray(t_c, dtype=float), _coefficients()[name][prop]))


def ice_fraction(comp: Composition, t_c: Array, freezing_c: float) -> Array:
    """Mass fraction of ice, kg/kg, after Miles (1974); zero at and above the freezing point."""
    free = max(comp.water - BOUND_WATER_PER_PROTEIN * comp.protein, 0.0)
    t = np.asarray(t_c, dtype=float)
    below = t < freezing_c
    return np.where(below, free * (1.0 - freezing_c / np.where(below, t, freezing_c)), 0.0)


def specific_heat(comp: Composition, t_c: float | Array) -> Array:
    """Sensible specific heat of the unfrozen food, J/(kg K), by mass fractions."""
    return np.asarray(sum(getattr(comp, n) * component(n, "c", t_c) for n in COMPONENTS))


def density(comp: Composition, t_c: float | Array) -> Array:
    """Density, kg/m³, from the volumes of the components (no pores)."""
    return np.asarray(1.0 / sum(getattr(comp, n) / component(n, "rho", t_c) for n in COMPONENTS))


def levy(k1: Array, k2: Array, volume1: Array) -> Array:
    """Conductivity of two phases after Levy (1981); ``volume1`` is phase 1's volume fraction."""
    ratio = k1 / k2
    sigma = (ratio - 1) ** 2 / ((ratio + 1) ** 2 + ratio / 2)
    sigma = np.maximum(sigma, 1e-12)
    part = 2 / sigma - 1 + 2 * volume1
    f = 0.5 * (part - np.sqrt(np.maximum(part**2 - 8 * volume1 / sigma, 0.0)))
    return np.asarray(k2 * ((2 + ratio) + 2 * (ratio - 1) * f) / ((2 + ratio) - (ratio - 1) * f))


def conductivity(comp: Composition, t_c: float | Array, freezing_c: float = DEFAULT_FREEZING_C) -> Array:
    """Conductivity, W/(m K): solids in water by Levy, then ice by Levy."""
    t = np.asarray(t_c, dtype=float)
    ice = ice_fraction(comp, t, freezing_c)
    volumes = {n: getattr(comp, n) / component(n, "rho", t) for n in COMPONENTS if n != "water"}
    solid = sum(volumes.values())
    k_solid = sum(v * component(n, "k", t) for n, v in volumes.items()) / np.maximum(solid, 1e-12)
    liquid = (comp.water - ice) / component("water", "rho", np.maximum(t, 0.0))
    k_water = component("water", "k", t)
    frozen = ice / component("ice", "rho", t)
    wet = solid + liquid
    k_wet = levy(k_water, k_solid, liquid / wet)
    return np.where(frozen > 0, levy(component("ice", "k", t), k_wet, frozen / (wet + frozen)), k_wet)


def constant_table(k: float, rho: float, c: float) -> ThermalTable:
    """A plain conduction problem: constant ``k`` W/(m K), ``rho`` kg/m³, ``c`` J/(kg K)."""
    t = np.array([-200.0, 600.0])
    return ThermalTable(-200.0 * rho * c, 800.0 * rho * c, t, np.array([k, k]), rho, 0.0, rho * c, rho * c, True)


@lru_cache(maxsize=256)
def food_table(comp: Composition, freezing_c: float = DEFAULT_FREEZING_C, rows: int = 2048) -> ThermalTable:
    """Tabulate a food between −45 and 160 °C."""
    t = np.unique(np.concatenate([np.linspace(-45, 160, 8201), freezing_c - np.geomspace(1e-4, 20, 400), [freezing_c]]))
    mid = 0.5 * (t[1:] + t[:-1])
    ice = ice_fraction(comp, mid, freezing_c)
    c_water_cold = component("supercooled water", "c", np.minimum(mid, 0.0))
    c = specific_heat(comp, mid) + comp.water * np.where(mid < 0, c_water_cold - component("water", "c", mid), 0.0)
    c = c + ice * (component("ice", "c", mid) - np.where(mid < 0, c_water_cold, component("water", "c", mid)))
    rho = float(density(comp, 20.0))
    h = np.concatenate([[0.0], np.cumsum(c * np.diff(t))]) - LATENT_FUSION * (
        ice_fraction(comp, t, freezing_c) - ice_fraction(comp, t[:1], freezing_c)
    )
    h = (h - np.interp(0.0, t, h)) * rho
    levels = np.linspace(h[0], h[-1], rows)
    temperature = np.interp(levels, h, t)
    return ThermalTable(
        float(levels[0]),
        float(levels[1] - levels[0]),
        temperature,
        conductivity(comp, temperature, freezing_c),
        rho,
        rho * comp.water,
        rho * float(specific_heat(comp, 30.0)),
        rho * float(specific_heat(comp, CRUST_C) - comp.water * component("water", "c", CRUST_C)),
        False,
    )
