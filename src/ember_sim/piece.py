"""The simulated truth: a piece that differs from the plan, on its own, finer and different model.

Explicit finite differences in temperature on 120 layers (the application's solver is implicit, in
enthalpy, on its own grid), with hidden differences drawn from the cook's id: thickness, diffusivity,
start, how well heat passes at the surface, how hot the medium really is, and where the probe sits.
"""

from __future__ import annotations

import hashlib
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

LAYERS = 120
H_BY_KIND = {
    "bath": 110.0,
    "boil": 900.0,
    "simmer": 550.0,
    "steam": 900.0,
    "oven": 18.0,
    "pan": 420.0,
    "grill": 32.0,
    "fry": 430.0,
    "baste": 240.0,
    "rest": 8.5,
    "hold": 9.0,
    "chill": 12.0,
    "thaw": 10.0,
}
CONVECTION = {"oven": 11.0, "grill": 24.0, "rest": 4.5}  # the part of h that also carries vapour away
WATER_LATENT = 2.26e6  # J/kg
PSYCHROMETRIC = 0.0164  # K/Pa: latent flux over convective flux a pascal, by the Lewis relation near 60 °C


@dataclass(frozen=True)
class Hidden:
    """What the plan does not know."""

    thickness: float
    diffusivity: float  # m²/s
    start_c: float
    transfer: float
    medium_c: float
    depth: float  # where the probe sits, 0.5 is the middle

    @classmethod
    def drawn(cls, key: str) -> Hidden:
        """The hidden differences of one cook; the same id gives the same piece."""
        rng = np.random.default_rng(int.from_bytes(hashlib.sha256(key.encode()).digest()[:8], "big"))
        return cls(
            thickness=float(rng.normal(1.0, 0.03)),
            diffusivity=float(1.33e-7 * math.exp(rng.normal(0, 0.04))),
            start_c=float(rng.normal(0.0, 0.6)),
            transfer=float(math.exp(rng.normal(0, 0.12))),
            medium_c=float(rng.normal(0.0, 1.0)),
            depth=float(np.clip(rng.normal(0.5, 0.03), 0.4, 0.6)),
        )


class Piece:
    """A piece on heat. ``advance`` moves it through time; ``core_c`` is what the probe's tip feels."""

    def __init__(self, plan: Mapping[str, Any], key: str) -> None:
        self.hidden = Hidden.drawn(key)
        self.plan = plan
        shape = plan["piece"]["shape"]
        kitchen = plan.get("kitchen", {})
        self.air_c = float(kitchen.get("air_c", 22.0))
        self.boil_c = 100.0 - 0.00335 * float(kitchen.get("altitude_m", 0.0))
        self.exponent = {"slab": 0, "box": 0, "cylinder": 1}.get(shape["kind"], 2)
        egg_mm = 25.4 * (shape.get("mass_g", 58.0) / 58.0) ** (1 / 3) * 1.7  # its breadth
        size = shape.get("thickness_mm", shape.get("diameter_mm", egg_mm)) / 1000.0 * self.hidden.thickness
        self.size = size if self.exponent == 0 else size / 2.0
        self.temperature = np.full(LAYERS, float(plan["piece"]["start_c"]) + self.hidden.start_c)
        self.dx = self.size / LAYERS
        edges = np.linspace(0.0, 1.0, LAYERS + 1)
        self.area = edges**self.exponent
        self.volume = np.diff(edges ** (self.exponent + 1)) / (self.exponent + 1) * LAYERS
        self.k, self.rho_c = 0.49, 0.49 / self.hidden.diffusivity
        self.water = np.full(LAYERS, 720.0)  # kg/m³
        self.shed = [0.0, 0.0]  # kg/m² evaporated from faces a and b

    def faces(self, stage: int | None) -> list[tuple[float, float, float]]:
        """(h, medium, h that carries vapour) of faces a and b; after the last stage the piece lies in the air."""
        lying = (H_BY_KIND["rest"], self.air_c, CONVECTION["rest"])
        if stage is None:
            return [lying] * 2
        raw = self.plan["stages"][stage]
        out = []
        for name in ("a", "b"):
            face = raw.get("faces", {}).get(name if self.exponent == 0 else "a")
            if "faces" in raw and face is None and "medium_c" not in raw:
                out.append(lying)
                continue
            merged = {**raw, **(face or {})}
            kind = merged["kind"]
            medium = merged.get("medium_c", self.boil_c if kind in {"boil", "simmer", "steam"} else self.air_c)
            spread = {"pan": 6.0, "oven": 3.0, "grill": 8.0, "baste": 5.0}.get(kind, 0.2)
            h = H_BY_KIND[kind] * (self.hidden.transfer if kind != "rest" else 1.0)
            if kind == "oven" and merged.get("variant") == "fan":
                h *= 1.7
            if kind in {"chill"} and merged.get("variant") == "ice-water":
                h = 110.0
            vapour = CONVECTION.get(kind, 0.0) * (2.1 if merged.get("variant") == "fan" else 1.0)
            if merged.get("cover") in {"tented", "wrapped"}:
                h, vapour = 0.5 * h, 0.1 * vapour
            out.append((h, medium + (spread * self.hidden.medium_c if kind != "rest" else 0.0), vapour))
        return out

    def advance(self, seconds: float, stage: int | None) -> None:
        """Go on for ``seconds`` in a stage."""
        (ha, ta, va), (hb, tb, vb) = self.faces(stage)
        limit = 0.4 * self.dx**2 / self.hidden.diffusivity
        steps = max(1, math.ceil(seconds / limit))
        dt = seconds / steps
        x, conduct = self.temperature, self.k / self.dx
        scale = dt / (self.rho_c * self.dx * self.volume)
        for _ in range(steps):
            flux = conduct * np.diff(x) * self.area[1:-1]
            change = np.zeros(LAYERS)
            change[:-1] += flux
            change[1:] -= flux
            if self.exponent == 0:
                change[0] += (ta - x[0]) / (1.0 / ha + 0.5 / conduct) - self.drying(0, float(x[0]), va, dt)
            change[-1] += (tb - x[-1]) / (1.0 / hb + 0.5 / conduct) - self.drying(1, float(x[-1]), vb, dt)
            x = x + change * scale
            over = np.flatnonzero((x > self.boil_c) & (self.water > 0.0))
            if over.size:
                gone = np.minimum((x[over] - self.boil_c) * self.rho_c / WATER_LATENT, self.water[over])
                self.water[over] -= gone
                x[over] -= gone * WATER_LATENT / self.rho_c
        self.temperature = x

    def drying(self, face: int, t_c: float, h: float, dt: float) -> float:
        """Latent heat leaving a wet face, W/m²; the face dries as water leaves it."""
        if h <= 0.0:
            return 0.0
        pressure = 610.94 * math.exp(17.625 * t_c / (t_c + 243.04))
        flux = max(h * PSYCHROMETRIC * (pressure - 1500.0), 0.0) * math.exp(-self.shed[face] / 1.2)
        self.shed[face] += flux * dt / WATER_LATENT
        return flux

    @property
    def core_c(self) -> float:
        """Temperature at the probe's tip, °C."""
        at = self.hidden.depth if self.exponent == 0 else abs(self.hidden.depth - 0.5) * 2.0
        return float(np.interp(at * LAYERS, np.arange(LAYERS) + 0.5, self.temperature))


def stage_at(moves: Sequence[Mapping[str, Any]], now: float) -> list[tuple[float, int | None]]:
    """The stages really entered up to ``now``: (since when, stage), None after the last move."""
    out: list[tuple[float, int | None]] = []
    for move in moves:
        if move["done"] is not None and move["done"] <= now:
            out.append((float(move["done"]), move["stage"]))
    return sorted(out, key=lambda e: e[0])
