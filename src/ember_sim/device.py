"""Simulated devices: a bath, ovens, a hob with its pan, a fryer, a hot cabinet, each a store of heat of its own under its own control.

A device is told what it is turned to. Its thermometer shows late, with noise, and by as much less than the truth as the kitchen
measured once; what controls it sees the same. An oven and a cabinet have walls and air apart; a bath's controller follows in a
band; a pan is minded by a hand at the burner. What lies in it takes heat. Faults are switched on from outside, see :data:`FAULTS`.
"""

from __future__ import annotations

import bisect
import hashlib
import math
import random
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

AIR_C = 22.0
STEP_S = 1.0
FAULTS = ("drift", "door", "load", "weak", "silent", "clock")
WEAK_GIVES = 1.0 / 3.0
SLOW_S = 300.0  # so far behind a hub's clock is
LOAD_START_C = 4.0
LOAD_HEAT = 3600.0  # J/(kg K)
HAND_S = 15.0  # between two looks of whoever minds a pan


@dataclass(frozen=True)
class Kind:
    """What is usual for a kind of device: J/K a litre or kilogram and how many it has unless that is said, W/K lost and lost more when open,
    W, K on either side at which it clicks, s by which its air follows its walls and its thermometer the truth, the thermometer's noise, K;
    what a big cold load is, kg and W/K; and how its thermometer drifts, K a minute and K in all."""

    heat: float
    usual: float
    loses: float
    open_loses: float
    watts: float
    click_k: float
    air_s: float
    lag_s: float
    noise_k: float
    load: tuple[float, float]
    drift: tuple[float, float]


KINDS = {
    "oven": Kind(480.0, 21.0, 6.5, 25.0, 3000.0, 3.0, 40.0, 15.0, 0.5, (6.0, 28.0), (2.0, 35.0)),
    "bath": Kind(4150.0, 12.0, 3.2, 22.0, 1200.0, 0.3, 0.0, 8.0, 0.03, (6.0, 160.0), (0.4, 4.0)),
    "pan": Kind(490.0, 2.1, 2.8, 0.0, 1500.0, 0.0, 0.0, 6.0, 1.5, (0.7, 45.0), (6.0, 70.0)),
    "fryer": Kind(1750.0, 8.0, 4.5, 6.0, 5000.0, 2.0, 0.0, 8.0, 0.4, (1.5, 90.0), (2.0, 25.0)),
    "hot-cabinet": Kind(480.0, 19.0, 3.3, 15.0, 1200.0, 2.0, 60.0, 20.0, 0.3, (5.0, 18.0), (1.0, 15.0)),
    "smoker": Kind(480.0, 24.0, 7.5, 25.0, 2500.0, 6.0, 60.0, 20.0, 1.0, (6.0, 24.0), (2.0, 35.0)),
    "grill": Kind(480.0, 14.0, 9.0, 0.0, 4500.0, 6.0, 0.0, 10.0, 2.0, (1.0, 35.0), (6.0, 70.0)),
}
LIES_IN = {
    "oven": "oven",
    "bath": "bath",
    "pan": "pan",
    "smoke": "smoker",
    "grill": "grill",
    "fry": "fryer",
    "hold": "hot-cabinet",
}  # stages to devices


class Device:
    """One device, in kitchen time, s since 1970."""

    def __init__(self, row: Mapping[str, Any], now: float) -> None:
        self.row, self.name = row, str(row["name"])
        self.kind = KINDS[row["kind"]]
        seed = int.from_bytes(hashlib.sha256(self.name.encode()).digest()[:8], "big")
        self.rng = random.Random(seed)  # noqa: S311 - a device's own ways, not a secret
        amount = (
            row.get("mass_kg")
            if row["kind"] == "pan"
            else row.get("litres")
            if row["kind"] in {"bath", "fryer"}
            else None
        )
        self.holds = self.kind.heat * float(amount or self.kind.usual) * math.exp(self.rng.gauss(0.0, 0.1))
        self.loses = self.kind.loses * math.exp(self.rng.gauss(0.0, 0.1))
        self.watts = float(row.get("watts") or self.kind.watts) * math.exp(self.rng.gauss(0.0, 0.05))
        self.off_k = float(row.get("off_k") or 0.0)
        self.at = now
        self.dial_c: float | None = None
        self.store_c = self.air_c = self.felt_c = (
            AIR_C  # walls or liquid; what lies in it meets; what its thermometer feels
        )
        self.load_c: float | None = None
        self.burning, self.hand = False, 0.0
        self.looked = self.read_at = now
        self.faults: dict[str, float] = {}
        self.past: list[tuple[float, float]] = []

    def turn(self, dial_c: float | None, faults: Iterable[Mapping[str, Any]]) -> None:
        """What it is turned to, as it shows, and what is wrong with it; one that was empty is up to heat when something goes in."""
        if dial_c is not None and self.dial_c is None:
            self.store_c = self.air_c = self.felt_c = dial_c + self.off_k
            self.hand = min(self.loses * (self.store_c - AIR_C) / self.watts, 1.0)
            self.past = [p for p in self.past if p[0] < self.at] + [(self.at, self.air_c)]
        self.dial_c = dial_c
        self.faults = {str(f["kind"]): float(f["since"]) for f in faults}
        if "load" not in self.faults:
            self.load_c = None
        elif self.load_c is None:
            self.load_c = LOAD_START_C

    @property
    def drift_k(self) -> float:
        """By how much its thermometer shows too much now."""
        if "drift" not in self.faults:
            return 0.0
        a_minute, most = self.kind.drift
        return min(a_minute * max(self.at - self.faults["drift"], 0.0) / 60.0, most)

    @property
    def shown_c(self) -> float:
        """What its thermometer shows, °C."""
        return self.felt_c - self.off_k + self.drift_k

    def reading(self) -> float | None:
        """What it reports; None: nothing."""
        return None if "silent" in self.faults else self.shown_c + self.rng.gauss(0.0, self.kind.noise_k)

    @property
    def stamp_s(self) -> float:
        """When its hub believes to be, s since 1970."""
        return self.at - (SLOW_S if "clock" in self.faults else 0.0)

    def true_c(self, moment: float) -> float:
        """What met a piece in it at a time, °C."""
        if not self.past:
            return self.air_c
        i = bisect.bisect_right(self.past, (moment, math.inf))
        if i == 0 or i == len(self.past):
            return self.past[max(i - 1, 0)][1]
        (a, x), (b, y) = self.past[i - 1], self.past[i]
        return x + (y - x) * (moment - a) / (b - a)

    def advance(self, until: float, taken_w: float = 0.0) -> None:
        """Go on to a time while what lies in it takes so much, W."""
        while self.at < until - 1e-6:
            dt = min(STEP_S, until - self.at)
            self.at += dt
            self._step(dt, taken_w)
        self.past.append((self.at, self.air_c))
        if len(self.past) > 20000:
            del self.past[:5000]

    def _step(self, dt: float, taken_w: float) -> None:
        is_open = "door" in self.faults and self.kind.open_loses > 0.0
        lost = (self.loses + (self.kind.open_loses if is_open else 0.0)) * (self.store_c - AIR_C)
        if self.load_c is not None:
            kg, ua = self.kind.load
            flow = ua * (self.air_c - self.load_c)
            self.load_c = min(self.load_c + dt * flow / (kg * LOAD_HEAT), 99.0)
            lost += flow
        self.store_c += dt * (self._heat_w() - lost - taken_w) / self.holds
        if self.kind.air_s:
            meets = 0.5 * self.store_c + 0.5 * AIR_C if is_open else self.store_c
            self.air_c += (meets - self.air_c) * min(1.0, dt / (8.0 if is_open else self.kind.air_s))
        else:
            self.air_c = self.store_c
        self.felt_c += (self.air_c - self.felt_c) * min(1.0, dt / self.kind.lag_s)

    def _heat_w(self) -> float:
        if self.dial_c is None:
            return 0.0
        full = self.watts * (WEAK_GIVES if "weak" in self.faults else 1.0)
        short = self.dial_c - self.shown_c
        if self.kind.click_k:
            self.burning = short > (-self.kind.click_k if self.burning else self.kind.click_k)
            return full if self.burning else 0.0
        if self.at - self.looked >= HAND_S:  # whoever minds it turns it a little, now and then
            self.looked = self.at
            self.hand = min(max(self.hand + 0.006 * short, 0.0), 1.0)
        return full * self.hand
