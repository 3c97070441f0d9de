"""The juice that stands in a pan: what pieces let go, less what the pan can turn to steam."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ember_core.constants import LATENT_BOILING
from ember_core.heat.physics.stores import Store

Array = NDArray[np.float64]
# a metal so far above the boiling point boils off what wets it, some 20 to 50 kW/m²; below it does next to nothing (nucleate
# boiling, Rohsenow 1952, order of magnitude from memory)
BOILS_OVER_K = 10.0


@dataclass(frozen=True, eq=False)
class Puddle:
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
    """

    t: Array
    kg: Array
    steam: Array
    cooler: Array

    def stands_s(self, least_kg: float) -> float:
        """For how long there is more than ``least_kg`` in it, s."""
        return float(np.diff(self.t)[self.kg[1:] > least_kg].sum())


def puddle(t: Array, medium: Array, liquid: Array, store: Store, boil_c: float, by_degree: float) -> Puddle:
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
    """

    def heater(t_c: float) -> float:
        return min(max(store.hold_w + store.gain * (store.set_c - t_c), 0.0), store.heater_w)

    kg, steam, cooler = np.zeros(t.size), np.zeros(t.size), np.zeros(t.size)
    for i in range(1, t.size):
        step, was = float(t[i] - t[i - 1]), float(cooler[i - 1])
        more = heater(float(medium[i - 1]) - was) - heater(float(medium[i - 1]))
        takes = store.capacity + step * (store.loss_w_k + by_degree)  # implicit: J for each kelvin
        now = max((store.capacity * was - step * more) / takes, 0.0)
        there = max(float(kg[i - 1] + liquid[i] - liquid[i - 1]), 0.0)
        spare = takes * (float(medium[i]) - now - boil_c - BOILS_OVER_K)
        boiled = min(max(spare / LATENT_BOILING, 0.0), there)
        kg[i], steam[i], cooler[i] = there - boiled, steam[i - 1] + boiled, now + LATENT_BOILING * boiled / takes
    return Puddle(t, kg, steam, cooler)
