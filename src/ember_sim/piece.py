"""The simulated truth: a piece that differs from the plan, on its own, finer and different model.

Explicit finite differences in temperature on 120 layers (the application's solver is implicit, in
enthalpy, on its own grid), with hidden differences drawn from the cook's id: thickness, diffusivity,
start, how well heat passes at the surface, how hot the medium really is and how it wanders about
that, how fast a face dries, how draughty its oven is, and where the probe sits. Conductivity rises with temperature and falls
as water goes, as heat capacity does; evaporation follows the vapour's concentration through a dry layer that grows.
An oven keeps what its food gives off, by mass, until the draught takes it; a flat piece lies on a sheet of metal. A medium
with a store of heat is cooled by what lies in it, and its heater clicks on and off.
"""

from __future__ import annotations

import hashlib
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

LAYERS = 120
FRESH = 20  # steps between two looks at the medium
H_BY_KIND = {
    "bath": 110.0,
    "boil": 900.0,
    "simmer": 550.0,
    "steam": 900.0,
    "oven": 11.0,
    "smoke": 13.0,
    "pan": 420.0,
    "grill": 24.0,
    "fry": 430.0,
    "baste": 240.0,
    "rest": 4.5,
    "hold": 5.0,
    "chill": 12.0,
    "thaw": 10.0,
    "dry": 7.0,
    "cure": 7.0,
    "brine": 180.0,
    "press": 11.0,
    "torch": 28.0,
}
FLAME_C = 1250.0
CONVECTION = {"oven": 11.0, "smoke": 13.0, "grill": 24.0, "rest": 4.5}  # the part of h that also carries vapour away
EMISSIVITY = {"oven": 0.85, "smoke": 0.85, "grill": 0.85, "rest": 0.85, "hold": 0.85}
SIGMA = 5.670374419e-8  # W/(m² K⁴)
WATER_LATENT = 2.26e6  # J/kg
PSYCHROMETRIC = 0.0164  # K/Pa: latent flux over convective flux a pascal, by the Lewis relation at 60 °C
LATENT_PER_KELVIN = 0.001  # how much of itself the latent heat loses by degree
AIR_VAPOUR = 1500.0  # Pa
CONDUCTIVITY = 0.49  # W/(m K), moist, at 30 °C
PER_KELVIN = 0.002  # and how much of itself it gains by degree, as water does
DRY_SHARE = 0.3  # of it that a layer without water keeps
DRY_HEAT = 0.2  # of its heat capacity that a layer without water keeps: dry solids hold about half as much a kg
MOIST = 720.0  # kg/m³ of water
FRONT = 0.45  # kg/m² of lost water that doubles a face's resistance to vapour: the moist front draws back
OVEN_M3, OVEN_KG = 0.06, 1.0  # an oven of which nothing is said
STEAM_GAS = 461.5  # J/(kg K)
DRAUGHT_S = {"open": 70.0, "closed": 600.0}  # in which an oven's air is changed once
SHEET_CONTACT, SHEET_SHARE, SHEET_EMISSIVITY = 170.0, 1.0, 0.5  # W/(m² K); of the oven's heat that a sheet passes on
SHEET_WARMS_S = 40.0  # until it is as warm as what heats it
FOOD_DENSITY = 1060.0  # kg/m³
# what a pan, bath, fat or oven with a store of its own holds, J/(kg K) or J/(L K), and loses, W/K; what it begins with unsaid
STORE_HEAT = {
    "steel": 500.0, "cast-iron": 470.0, "aluminium": 890.0, "copper": 385.0, "china": 870.0,
    "bath": 4130.0, "fat": 1750.0, "pot": 4130.0,
}  # fmt: skip
STORE_OF = {
    "pan": ("pan",), "bath": ("bath",), "fat": ("fry",), "oven": ("oven",), "pot": ("boil", "simmer"),
    "cabinet": ("hold",), "plate": ("rest",),
}  # fmt: skip
STORE_LEAVES = {"pan": 2.8, "bath": 3.2, "fat": 4.5, "oven": 6.5, "pot": 4.4, "cabinet": 3.3, "plate": 0.5}
STORE_USUAL = {"pan": 2.1, "bath": 12.0, "fat": 8.0, "oven": 21.0, "pot": 5.0, "cabinet": 19.0, "plate": 0.8}  # kg or L
STORE_WATTS = {
    "pan": 1500.0,
    "bath": 1200.0,
    "fat": 5000.0,
    "oven": 3000.0,
    "pot": 2000.0,
    "cabinet": 1200.0,
    "plate": 0.0,
}
SWITCH_K = {
    "bath": 0.4,
    "fat": 2.0,
    "oven": 4.0,
    "pot": 0.3,
    "cabinet": 2.0,
    "plate": 1.0,
}  # a thermostat clicks so far on either side of what it is set to
LIES_ON = {"plate": 110.0, "board": 12.0, "stacked": 0.8}  # W/(m² K), where a piece rests
LID_LEAVES = 0.4  # share of a pot's loss that a lid leaves
DOOR_LEAVES = 15.0  # W/K more while a door stands open
HAND_K = 15.0  # a hand at the burner turns it full open this far below
WANDER = 0.7  # of the medium's own spread: doors, thermostats and neighbours on the same heat
PERIOD_S = 1800.0  # with which a medium wanders


@dataclass(frozen=True)
class Hidden:
    """What the plan does not know."""

    thickness: float
    diffusivity: float  # m²/s
    start_c: float
    transfer: float
    medium_c: float
    depth: float  # where the probe sits, 0.5 is the middle
    front: float  # kg/m², see FRONT
    wander: float  # how far the medium swings about its own mean, in its spread
    period_s: float
    phase: float
    draught: float = 1.0  # how much more often its oven's air is changed than is usual
    holds: float = (
        1.0  # how much more heat its medium holds, where that has a store, and how much more its heater brings
    )
    brings: float = 1.0

    @classmethod
    def drawn(cls, key: str, wide: float = 1.0) -> Hidden:
        """The hidden differences of one cook; the same id gives the same piece. ``wide`` multiplies the spreads."""
        rng = np.random.default_rng(int.from_bytes(hashlib.sha256(key.encode()).digest()[:8], "big"))
        return cls(
            thickness=float(max(rng.normal(1.0, 0.03 * wide), 0.5)),
            diffusivity=float(1.33e-7 * math.exp(rng.normal(0, 0.04 * wide))),
            start_c=float(rng.normal(0.0, 0.6 * wide)),
            transfer=float(math.exp(rng.normal(0, 0.12 * wide))),
            medium_c=float(rng.normal(0.0, wide)),
            depth=float(np.clip(rng.normal(0.5, 0.03 * wide), 0.4, 0.6)),
            front=float(FRONT * math.exp(rng.normal(0, 0.3 * wide))),
            wander=float(rng.normal(0.0, WANDER * wide)),
            period_s=float(PERIOD_S * math.exp(rng.normal(0, 0.5))),
            phase=float(rng.uniform(0, 2 * math.pi)),
            draught=float(math.exp(rng.normal(0, 0.4 * wide))),
            holds=float(math.exp(rng.normal(0, 0.12 * wide))),
            brings=float(math.exp(rng.normal(0, 0.15 * wide))),
        )


class Pieces:
    """Several pieces of one plan on heat side by side, each with its own hidden differences.

    ``temperature`` is pieces × layers. ``advance`` moves all through time; ``core_c`` is what each
    probe's tip feels, ``middle_c`` the true middle.
    """

    def __init__(self, plan: Mapping[str, Any], hidden: Sequence[Hidden], layers: int = LAYERS) -> None:
        self.hidden = list(hidden)
        self.plan = plan
        self.layers = layers
        shape = plan["piece"]["shape"]
        kitchen = plan.get("kitchen", {})
        self.air_c = float(kitchen.get("air_c", 22.0))
        self.boil_c = 100.0 - 0.00335 * float(kitchen.get("altitude_m", 0.0))
        self.exponent = {"slab": 0, "box": 0, "cylinder": 1}.get(shape["kind"], 2)
        egg_mm = 25.4 * (shape.get("mass_g", 58.0) / 58.0) ** (1 / 3) * 1.7  # its breadth
        size = shape.get("thickness_mm", shape.get("diameter_mm", egg_mm)) / 1000.0 * self._each("thickness")
        self.size = size if self.exponent == 0 else size / 2.0
        self.dx = self.size / layers
        edges = np.linspace(0.0, 1.0, layers + 1)
        self.area = edges**self.exponent
        self.volume = np.diff(edges ** (self.exponent + 1)) / (self.exponent + 1) * layers
        self.rho_c = CONDUCTIVITY / self._each("diffusivity")
        self.temperature = np.repeat((float(plan["piece"]["start_c"]) + self._each("start_c"))[:, None], layers, axis=1)
        self.water = np.full((len(self.hidden), layers), MOIST)
        self.shed = np.zeros((2, len(self.hidden)))  # kg/m² evaporated from faces a and b
        self.now = 0.0
        self.stage: int | None = None
        self.entered = 0.0
        self.vapour_kg = np.zeros(len(self.hidden))  # in each one's oven
        self.given = np.zeros(len(self.hidden))  # kg/s by kg of food, into it
        self.pot = np.zeros(len(self.hidden))  # °C, of a medium with a store
        self.burning = np.ones(len(self.hidden), dtype=bool)
        self.passes = np.zeros((2, len(self.hidden)))  # W/m² into faces a and b, without what evaporates
        self.meets: dict[str, float] = {}  # °C, by kind of stage, of a device that is simulated by itself

    def _each(self, name: str) -> Any:
        return np.array([getattr(h, name) for h in self.hidden])

    def wander(self) -> Any:
        """How far each medium is off its own mean now, in its spread."""
        turn = 2 * np.pi * self.now / self._each("period_s") + self._each("phase")
        return self._each("wander") * np.sin(turn)

    def faces(self, stage: int | None) -> list[tuple[Any, Any, float, Any, bool]]:
        """(h, medium, h that carries vapour, emissivity, in an oven's own air) of both faces; after the last stage the pieces lie in the air."""
        same = np.ones(len(self.hidden))
        lying = (H_BY_KIND["rest"] * same, self.air_c * same, CONVECTION["rest"], EMISSIVITY["rest"] * same, False)
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
            medium = merged.get(
                "medium_c",
                self.boil_c if kind in {"boil", "simmer", "steam"} else FLAME_C if kind == "torch" else self.air_c,
            )
            spread = {"pan": 6.0, "oven": 3.0, "smoke": 6.0, "grill": 8.0, "baste": 5.0}.get(kind, 0.2)
            h = H_BY_KIND[kind] * (self._each("transfer") if kind != "rest" else same)
            if kind == "oven" and merged.get("variant") == "fan":
                h = h * 1.7
            if kind in {"chill"} and merged.get("variant") == "ice-water":
                h = 110.0 * same
            vapour = CONVECTION.get(kind, 0.0) * (2.1 if merged.get("variant") == "fan" else 1.0)
            shine = EMISSIVITY.get(kind, 0.0) * (self._each("transfer") if kind != "rest" else same)
            if merged.get("cover") in {"tented", "wrapped"}:
                h, vapour, shine = 0.5 * h, 0.1 * vapour, 0.3 * shine
            off = self._each("medium_c") + self.wander() if kind != "rest" else 0.0 * same
            surroundings = medium + spread * off
            store = raw.get("store") if kind not in self.meets else None
            if kind in self.meets:
                surroundings = self.meets[kind] * same
            if kind == "rest" and merged.get("variant") in LIES_ON:
                h, vapour, shine = LIES_ON[merged["variant"]] * same, 0.0, 0.0 * same
            if store is not None and self.in_store(store["kind"], merged, kind):
                surroundings = self.pot  # the same array: it moves with every step
            if name == "b" and self.on_sheet(raw):
                kelvin = 0.5 * (surroundings + 273.15 + 330.0)
                taken = SHEET_SHARE * (h + 4.0 * SHEET_EMISSIVITY * SIGMA * kelvin**3)
                h, vapour, shine = 1.0 / (1.0 / taken + 1.0 / SHEET_CONTACT), 0.0, 0.0 * same
                cold = 1.0 if stage == 0 or self.plan["stages"][stage - 1]["kind"] != "oven" else 0.0
                surroundings = surroundings - cold * (surroundings - self.air_c) * math.exp(
                    -(self.now - self.entered) / SHEET_WARMS_S
                )
            own = kind == "oven" and "humidity" not in merged and "surface" not in merged
            out.append((h, surroundings, vapour, shine, own))
        return out

    def on_sheet(self, raw: Mapping[str, Any]) -> bool:
        """Whether the lower face lies on a sheet of metal: a flat piece in an oven does, if nothing else is said."""
        flat = self.exponent == 0 and raw["kind"] == "oven"
        return flat and raw.get("support", "tray") == "tray" and "faces" not in raw and "surface" not in raw

    def enter(self, stage: int | None) -> None:
        """Note when a stage begins; a fresh oven holds the kitchen's air."""
        if stage == self.stage:
            return
        before = self.stage
        self.stage, self.entered = stage, self.now
        store = None if stage is None else self.plan["stages"][stage].get("store")
        kept = None if before is None else self.plan["stages"][before].get("store")
        if stage is not None and store is not None and store != kept:
            spread = {"pan": 6.0, "oven": 3.0}.get(store["kind"], 0.2)
            self.begun = self.set_off(stage) + spread * self._each("medium_c")
            self.pot[:] = self.begun
        if before is None or stage is None or self.plan["stages"][before]["kind"] != "oven":
            self.vapour_kg[:] = AIR_VAPOUR * self.oven_m3(stage) / (STEAM_GAS * 450.0)

    def oven_m3(self, stage: int | None) -> float:
        """The size of a stage's oven, m³."""
        load = {} if stage is None else self.plan["stages"][stage].get("load", {})
        return float(load.get("litres", OVEN_M3 * 1000.0)) / 1000.0

    def fill(self, stage: int, medium: Any, dt: float) -> None:
        """Let an oven's air take up what the food gave off, and the draught take its part."""
        raw = self.plan["stages"][stage]
        piece = self.plan["piece"]
        kg = raw.get("load", {}).get(
            "kg", piece["mass_g"] / 1000.0 * piece.get("count", 1) if "mass_g" in piece else OVEN_KG
        )
        size = self.oven_m3(stage)
        gas = STEAM_GAS * (medium + 273.15)
        made = kg * self.given
        blown = size * self._each("draught") / DRAUGHT_S[raw.get("vent", "open")]
        # what comes in as steam drives as much mixture out
        leaves = (blown + made * gas / 101325.0) * self.vapour_kg / size
        self.vapour_kg = np.maximum(self.vapour_kg + dt * (made + blown * AIR_VAPOUR / gas - leaves), 0.0)

    def around(self, stage: int | None, medium: Any, own: bool) -> Any:
        """Vapour pressure about a face, Pa."""
        if not own:
            return AIR_VAPOUR
        return np.minimum(self.vapour_kg * STEAM_GAS * (medium + 273.15) / self.oven_m3(stage), 101325.0)

    def advance(self, seconds: float, stage: int | None) -> None:
        """Go on for ``seconds`` in a stage."""
        self.enter(stage)
        # a layer that has dried follows its neighbours faster
        share = (
            0.2 if any((f[1] > self.boil_c).any() for f in self.faces(stage)) or (self.water < MOIST).any() else 0.35
        )
        limit = float((share * self.dx**2 * self.rho_c / CONDUCTIVITY).min())
        steps = max(1, math.ceil(seconds / limit))
        dt = seconds / steps
        x = self.temperature
        scale = dt / (self.rho_c * self.dx)[:, None] / self.volume
        holds = self.capacity_left()
        change = np.empty_like(x)
        for step in range(steps):
            if step % FRESH == 0:
                face_a, face_b = self.faces(stage)
            self.now += dt
            self.given[:] = 0.0
            conduct = self.conductivity(x) / self.dx[:, None]
            flux = 0.5 * (conduct[:, 1:] + conduct[:, :-1]) * self.area[1:-1] * np.diff(x, axis=1)
            change[:, -1] = 0.0
            change[:, :-1] = flux
            change[:, 1:] -= flux
            if self.exponent == 0:
                change[:, 0] += self.gain(0, x[:, 0], face_a, conduct[:, 0], dt, stage)
            change[:, -1] += self.gain(1, x[:, -1], face_b, conduct[:, -1], dt, stage)
            x = x + change * (scale / holds)
            if stage is not None and "store" in self.plan["stages"][stage] and not self.in_device(stage):
                self.cool(stage, (face_a, face_b), dt)
            if stage is not None and (face_a[4] or face_b[4]):
                self.fill(stage, face_b[1] if face_b[4] else face_a[1], dt)
            over = (x > self.boil_c) & (self.water > 0.0)
            if over.any():
                per_k = ((self.rho_c / WATER_LATENT)[:, None] * holds)[over]
                gone = np.minimum((x[over] - self.boil_c) * per_k, self.water[over])
                self.water[over] -= gone
                x[over] -= gone / per_k
                holds = self.capacity_left()
                lost = np.zeros_like(x)
                lost[over] = gone
                lost *= self.dx[:, None]
                middle = self.layers // 2 if self.exponent == 0 else 0
                self.shed += np.stack([lost[:, :middle].sum(axis=1), lost[:, middle:].sum(axis=1)])
        self.temperature = x

    def capacity_left(self) -> Any:
        """Heat capacity of every layer as a share of what it was with all its water."""
        return DRY_HEAT + (1.0 - DRY_HEAT) * self.water / MOIST

    def conductivity(self, x: Any) -> Any:
        """Conductivity of every layer, W/(m K): it rises with temperature and falls as the water goes."""
        moist = DRY_SHARE + (1.0 - DRY_SHARE) * self.water / MOIST
        return CONDUCTIVITY * (1.0 + PER_KELVIN * (np.minimum(x, self.boil_c) - 30.0)) * moist

    def gain(
        self, face: int, t_c: Any, meets: tuple[Any, Any, float, Any, bool], conduct: Any, dt: float, stage: int | None
    ) -> Any:
        """Flux into the outer layer of a face, W/m²."""
        h, medium, vapour, shine, own = meets
        radiant = shine * SIGMA * ((medium + 273.15) ** 2 + (t_c + 273.15) ** 2) * (medium + t_c + 546.3)
        self.passes[face] = (medium - t_c) / (1.0 / (h + radiant) + 0.5 / conduct)
        return self.passes[face] - self.drying(face, t_c, medium, vapour, dt, stage, own)

    def in_device(self, stage: int) -> bool:
        """Whether what heats in a stage is simulated by itself."""
        return self.plan["stages"][stage]["kind"] in self.meets

    def surface_m2(self, count: float) -> Any:
        """The area of a face of so many pieces; of a round one, all of it."""
        litres = self.plan["piece"].get("mass_g", 200.0) / 1000.0 * count / FOOD_DENSITY
        shape = self.plan["piece"]["shape"]
        nominal = shape.get("thickness_mm", shape.get("diameter_mm", 40.0)) / 1000.0
        return litres / nominal if self.exponent == 0 else 4.0 * litres / nominal

    def takes_w(self) -> float:
        """What its pieces take from the device they lie in, W."""
        if self.stage is None or not self.in_device(self.stage):
            return 0.0
        raw = self.plan["stages"][self.stage]
        own = [
            n for n, f in raw["faces"].items() if f.get("kind", raw["kind"]) == raw["kind"]
        ] if "faces" in raw else ["a", "b"]  # fmt: skip
        faces = [i for i, n in enumerate("ab") if n in own] if self.exponent == 0 else [1]
        area = self.surface_m2(self.plan["piece"].get("count", 1))
        return float(np.mean(sum(area * self.passes[i] for i in faces)))

    def cool(self, stage: int, faces: Sequence[tuple[Any, ...]], dt: float) -> None:
        """Let a medium with a store lose what its pieces took, and its heater bring what it can."""
        store = self.plan["stages"][stage]["store"]
        kind = store["kind"]
        area = self.surface_m2(store.get("pieces", self.plan["piece"].get("count", 1)))
        taken = sum(area * self.passes[i] for i in (0, 1) if faces[i][1] is self.pot and (i == 1 or self.exponent == 0))
        made_of = "china" if kind == "plate" else "steel"
        amount = store.get("mass_kg", store.get("litres", STORE_USUAL[kind]))
        holds = (
            amount * STORE_HEAT[kind if kind in STORE_HEAT else store.get("material", made_of)] * self._each("holds")
        )
        loses = STORE_LEAVES[kind] * (LID_LEAVES if store.get("lid") else 1.0)
        since = self.now - self.entered
        if any(d["at_s"] <= since < d["at_s"] + d["open_s"] for d in store.get("doors", ())):
            loses += DOOR_LEAVES
        wanted = self.begun + store.get("set_c", 0.0) - self.set_off(stage) if "set_c" in store else self.begun
        if self.plan["stages"][stage]["kind"] == "boil":
            wanted = self.boil_c
        keeps = loses * (self.begun - self.air_c)
        if kind == "pan" and "set_c" not in store:
            brings = store["power_w"] * self._each("brings") if "power_w" in store else keeps * self._each("brings")
        elif kind == "pan":
            full = store.get("power_w", STORE_WATTS[kind]) * self._each("brings")
            brings = np.clip(keeps + (full - keeps) * (wanted - self.pot) / HAND_K, 0.0, full)
        else:
            self.burning = np.where(
                self.burning, self.pot < wanted + SWITCH_K[kind], self.pot < wanted - SWITCH_K[kind]
            )
            brings = np.where(self.burning, store.get("power_w", STORE_WATTS[kind]) * self._each("brings"), 0.0)
        self.pot += dt * (brings - loses * (self.pot - self.air_c) - taken) / holds

    def set_off(self, stage: int) -> float:
        """What a stage says its medium begins at, °C."""
        raw = self.plan["stages"][stage]
        store, own = raw["store"]["kind"], raw.get("faces", {}).values()
        parts = [p for p in ({**raw, **face} for face in (own or [{}])) if self.in_store(store, p, p["kind"])]
        usual = self.air_c if store == "plate" else self.boil_c
        return float(parts[0].get("medium_c", usual))

    @staticmethod
    def in_store(store: str, merged: Mapping[str, Any], kind: str) -> bool:
        """Whether a face of a kind lies in a store."""
        return kind in STORE_OF[store] and (store != "plate" or merged.get("variant") == "plate")

    def drying(self, face: int, t_c: Any, medium: Any, h: float, dt: float, stage: int | None, own: bool) -> Any:
        """Latent heat leaving the wet faces, W/m²; a face dries as water leaves it."""
        if h <= 0.0:
            return 0.0
        pressure = 610.94 * np.exp(17.625 * t_c / (t_c + 243.04))
        at_60 = (pressure / (t_c + 273.15) - self.around(stage, medium, own) / (medium + 273.15)) * 333.15
        drive = h * PSYCHROMETRIC * np.maximum(at_60, 0.0) * (1.0 - LATENT_PER_KELVIN * (t_c - 60.0))
        flux = drive / (1.0 + self.shed[face] / self._each("front"))
        self.shed[face] += flux * dt / WATER_LATENT
        if own:  # by the volume under a m² of this face
            self.given += flux / WATER_LATENT / (FOOD_DENSITY * self.size) * (self.exponent + 1)
        return flux

    def at_depth(self, depth: Any) -> Any:
        """Temperature at a depth, 0 to 1 from face to face, of each piece, °C."""
        at = depth if self.exponent == 0 else np.abs(depth - 0.5) * 2.0
        where = np.clip(np.asarray(at) * self.layers - 0.5, 0.0, self.layers - 1.000001)
        i = where.astype(int)
        rows = np.arange(len(self.hidden))
        return self.temperature[rows, i] + (where - i) * (self.temperature[rows, i + 1] - self.temperature[rows, i])

    @property
    def tips_c(self) -> Any:
        """What each probe's tip feels, °C."""
        return self.at_depth(self._each("depth"))

    @property
    def middle_c(self) -> Any:
        """The true middle of each piece, °C."""
        return self.at_depth(np.full(len(self.hidden), 0.5))


class Piece(Pieces):
    """One piece, its hidden differences drawn from the cook's id."""

    def __init__(self, plan: Mapping[str, Any], key: str) -> None:
        super().__init__(plan, [Hidden.drawn(key)])

    @property
    def core_c(self) -> float:
        """Temperature at the probe's tip, °C."""
        return float(self.tips_c[0])


def stage_at(moves: Sequence[Mapping[str, Any]], now: float) -> list[tuple[float, int | None]]:
    """The stages really entered up to ``now``: (since when, stage), None after the last move."""
    out: list[tuple[float, int | None]] = []
    for move in moves:
        if move["done"] is not None and move["done"] <= now:
            out.append((float(move["done"]), move["stage"]))
    return sorted(out, key=lambda e: e[0])
