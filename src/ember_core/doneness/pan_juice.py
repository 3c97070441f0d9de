"""The juice that stands in a pan: what pieces let go, less what the pan can turn to steam."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import brentq

from ember_core.constants import LATENT_BOILING
from ember_core.heat.physics.stores import Store

Array = NDArray[np.float64]
# a metal so far above the boiling point boils off what wets it, some 20 to 50 kW/m²; below it does next to nothing (nucleate
# boiling, Rohsenow 1952, order of magnitude from memory)
BOILS_OVER_K = 10.0
BOUND_K = 1e-3  # beyond what a pan without a heater is colder: rounding


@dataclass(frozen=True, eq=False)
class PanJuice:
    """Liquid in a pan.

    Attributes
    ----------
    t : ndarray (times,)
        s.
    kg : ndarray (times,)
        What stands in it.
    steam : ndarray (times,)
        What it has turned to steam so far, kg.
    cooler : ndarray (times,)
        By how much that leaves it colder than without, K.
    medium : ndarray (times,)
        The pan with that, °C.
    """

    t: Array
    kg: Array
    steam: Array
    cooler: Array
    medium: Array

    def stands_s(self, least_kg: float) -> float:
        """For how long there is more than ``least_kg`` in it, s."""
        return float(np.diff(self.t)[self.kg[1:] > least_kg].sum())


def juice_in_pan(
    t: Array, medium: Array, liquid: Array, store: Store, boil_c: float, by_degree: float, off: Array | None = None
) -> PanJuice:
    """What stands in a pan whose course without that steam is known.

    The pan turns liquid to steam as long as it is hotter than its boiling point and :data:`BOILS_OVER_K`; that cools it, so
    that its heater gives more where it is set to a temperature, and what lies in it takes less.

    Parameters
    ----------
    t, medium : ndarray (times,)
        s, rising; °C, of the pan's course without the steam.
    liquid : ndarray (times,)
        Juice that lies outside of the pieces so far, kg: what they let go less what evaporates off themselves.
    store : Store
        The pan.
    boil_c : float
        The local boiling point, °C.
    by_degree : float
        What lies in it takes less for each kelvin that it is colder, W/K, 0 or more.
    off : ndarray (times,), optional
        By how much the pan with steam is known to be hotter than all this makes it, K.
    """
    off = np.zeros(t.size) if off is None else off
    kg, steam, cooler = np.zeros(t.size), np.zeros(t.size), np.zeros(t.size)
    for i in range(1, t.size):
        now = _Step(store, float(t[i] - t[i - 1]), float(medium[i]), float(cooler[i - 1]), by_degree)
        there = max(float(kg[i - 1] + liquid[i] - liquid[i - 1]), 0.0)
        most_k = float(medium[i] + off[i]) - boil_c - BOILS_OVER_K
        boiled = min(max(now.given(most_k) / LATENT_BOILING, 0.0), there) if most_k > 0.0 else 0.0
        kg[i], steam[i], cooler[i] = there - boiled, steam[i - 1] + boiled, now.colder_by(LATENT_BOILING * boiled)
    return PanJuice(t, kg, steam, cooler, medium + off - cooler)


def cooled_by(t: Array, medium: Array, steam: Array, store: Store, by_degree: float) -> Array:
    """By how much steam that is known cools a pan, K at those times.

    Parameters
    ----------
    t, medium, store, by_degree
        As of :func:`juice_in_pan`.
    steam : ndarray (times,)
        What it has turned to steam so far, kg.
    """
    cooler = np.zeros(t.size)
    for i in range(1, t.size):
        now = _Step(store, float(t[i] - t[i - 1]), float(medium[i]), float(cooler[i - 1]), by_degree)
        cooler[i] = now.colder_by(LATENT_BOILING * float(steam[i] - steam[i - 1]))
    return cooler


class _Step(NamedTuple):
    """A step of a pan: its store, s, °C without steam at the end, how much colder it was at the begin, and W/K of what lies in it."""

    store: Store
    seconds: float
    dry_c: float
    was: float
    by_degree: float

    @property
    def by_kelvin(self) -> float:
        """What it has given when it is a kelvin colder, its heater aside, J/K."""
        return self.store.capacity + self.seconds * (self.store.loss_w_k + self.by_degree)

    def given(self, colder: float) -> float:
        """What steam has taken when the pan is so much colder at the end, J: out of it, of its heater, its losses and what lies in it."""
        more = self.store.heat_at(self.dry_c - colder) - self.store.heat_at(self.dry_c)
        return self.by_kelvin * colder - self.store.capacity * self.was + self.seconds * more

    def colder_by(self, heat_j: float) -> float:
        """How much colder it is when steam has taken so much."""
        most = max(heat_j + self.store.capacity * self.was, 0.0) / self.by_kelvin
        if self.store.gain == 0.0 or most == 0.0:
            return most
        return float(brentq(lambda colder: self.given(colder) - heat_j, 0.0, most + BOUND_K, xtol=1e-6))
