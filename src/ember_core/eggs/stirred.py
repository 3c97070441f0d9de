"""Egg that is stirred in a pan: a balance of two lumps, egg and pan, and what stops it.

``m c dT/dt = h A (T_pan - T) - u A (T - T_air)`` and ``C dT_pan/dt = P - loss (T_pan - T_air) - h A (T_pan - T)``, where u is what leaves
the open top, evaporation made straight: two linear equations, solved exactly between the moment the egg goes in, the moment the pan leaves the heat, and the moment something cold is stirred in.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from math import pi

import numpy as np
from scipy.linalg import expm

from ember_core.data.loader import read_toml
from ember_core.errors import ValueRangeError
from ember_core.heat.arrays import Array
from ember_core.heat.physics.stores import capacity_of, kinds
from ember_core.wording.message import say

STEP_S = 1.0
LONGEST_S = 1800.0
MOST_KG = 20.0
DENSITY = 1030.0  # of egg out of its shell, kg/m³; about that of its composition


@dataclass(frozen=True)
class Pan:
    """A pan on a burner.

    Attributes
    ----------
    diameter_mm, mass_kg : float
    material : str
        As of ``data/stores.toml``.
    power_w : float
        What reaches it.
    begin_c : float
        As the egg goes in, °C.
    """

    diameter_mm: float = 240.0
    mass_kg: float = 1.2
    material: str = "steel"
    power_w: float = 500.0
    begin_c: float = 100.0

    @property
    def capacity(self) -> float:
        """J/K."""
        return capacity_of({"kind": "pan", "mass_kg": self.mass_kg, "material": self.material})

    @property
    def area(self) -> float:
        """Of its bottom, m²."""
        return pi / 4.0 * (self.diameter_mm / 1000.0) ** 2


@dataclass(frozen=True)
class Scramble:
    """What is asked: grams of egg (out of the shell), how cold, in which pan, stirred how, and to what, °C."""

    egg_g: float
    start_c: float = 6.0
    pan: Pan = Pan()
    stirring: str = "slow"
    target_c: float = 71.0
    air_c: float = 22.0


@dataclass(frozen=True, eq=False)
class Scrambled:
    """How it goes.

    Attributes
    ----------
    begins_s, window_s : float
        When curds begin; how long it is between soft and dry if it stays on the heat.
    off_s, off_c : float
        When the pan leaves the heat so that egg and pan land at the target, and how warm the egg is then.
    pan_c : float
        The pan then.
    over_c : float
        Where it lands if it leaves the heat only at the target and stays in the pan.
    stop_g : dict
        Grams of each that stop it there, stirred in at the target, off the heat: ``egg``, ``cream``, ``butter``.
    t, egg_c : ndarray
        The course to the target and its landing, s and °C.
    """

    begins_s: float
    window_s: float
    off_s: float
    off_c: float
    pan_c: float
    over_c: float
    stop_g: dict[str, float]
    t: Array
    egg_c: Array


def _system(m: Scramble, power: float) -> tuple[Array, Array]:
    """The matrix and the source of the two lumps (egg, pan): rates are ``a @ x + b``."""
    heat = read_toml("eggs_open.toml")
    mc = m.egg_g / 1000.0 * heat["contents"]["heat_j_kgk"]
    ha = heat["stirred"][m.stirring] * m.pan.area
    loss, top = float(kinds()["pan"]["loss_w_k"]), heat["open_top"]["w_m2k"] * m.pan.area
    a = np.array([[-(ha + top) / mc, ha / mc], [ha / m.pan.capacity, -(ha + loss) / m.pan.capacity]])
    return a, np.array([top * m.air_c / mc, (power + loss * m.air_c) / m.pan.capacity])


def _advance(a: Array, b: Array, x: Array, seconds: float) -> Array:
    """A state so many seconds later."""
    return _stepper(a, b, seconds)(x)


def _landing(m: Scramble, x: Array) -> float:
    """The highest the egg gets, off the heat in its pan, °C."""
    a, b = _system(m, 0.0)
    top = float(x[0])
    step = _stepper(a, b, 2.0)
    for _ in range(120):
        x = step(x)
        if x[0] <= top:
            break
        top = float(x[0])
    return top


def _stepper(a: Array, b: Array, seconds: float) -> Callable[[Array], Array]:
    """What moves a state on by so many seconds, exactly."""
    whole = np.zeros((3, 3))
    whole[:2, :2], whole[:2, 2] = a, b
    move = expm(whole * seconds)

    def step(x: Array) -> Array:
        return np.asarray((move @ np.append(x, 1.0))[:2])

    return step


def scramble(m: Scramble) -> Scrambled:
    """When it sets, when it leaves the heat, and what stops it.

    Parameters
    ----------
    m : Scramble

    Raises
    ------
    ValueRangeError
        What never gets there on this heat, or is no egg in a pan.
    """
    if not 10.0 <= m.egg_g <= 1000.0 * MOST_KG:
        raise ValueRangeError(say("Give from 10 g to {most:g} kg of egg.", most=MOST_KG), path="egg_g")
    curds = read_toml("eggs_open.toml")["curds"]
    a, b = _system(m, m.pan.power_w)
    step = _stepper(a, b, STEP_S)
    x = np.array([m.start_c, m.pan.begin_c])
    states = [x]
    while states[-1][0] < curds["weeps_c"] and len(states) * STEP_S < LONGEST_S:
        states.append(step(states[-1]))
    course = np.array(states)
    t: Array = np.arange(course.shape[0], dtype=float) * STEP_S

    def when(level: float) -> float:
        return float(np.interp(level, course[:, 0], t)) if course[-1, 0] >= level else np.inf

    if not np.isfinite(when(m.target_c)):
        raise ValueRangeError(
            say(
                "On this heat {egg_g:g} g of egg come to {most_c:temp0} and no further. Give more heat, or less egg.",
                egg_g=m.egg_g,
                most_c=float(course[:, 0].max()),
            ),
            path="power_w",
        )
    low, high = 0, int(np.searchsorted(course[:, 0], m.target_c))
    over = _landing(m, _advance(a, b, course[high - 1], when(m.target_c) - t[high - 1]))
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (middle, high) if _landing(m, course[middle]) < m.target_c else (low, middle)
    off = float(t[low])
    fine = course[low]
    for _ in range(12):  # within the second
        later = _advance(a, b, fine, STEP_S / 12)
        if _landing(m, later) >= m.target_c:
            break
        fine, off = later, off + STEP_S / 12
    target = _advance(a, b, course[0], when(m.target_c))
    return Scrambled(
        begins_s=when(curds["begin_c"]),
        window_s=when(curds["firm_c"]) - when(curds["soft_c"]),
        off_s=off,
        off_c=float(fine[0]),
        pan_c=float(fine[1]),
        over_c=over,
        stop_g={name: stopping_g(m, float(target[1]), name) for name in ("egg", "cream", "butter")},
        t=t,
        egg_c=course[:, 0],
    )


def stopping_g(m: Scramble, pan_c: float, what: str, from_c: float = 5.0) -> float:
    """Grams of something cold that take up what the pan still holds, so that all lands at the target: a balance of heat.

    Parameters
    ----------
    m : Scramble
        The egg is at its target.
    pan_c, from_c : float
        Of the pan, and of what is stirred in, °C.
    what : str
        ``egg``, ``cream``, ``butter``.
    """
    row = read_toml("eggs_open.toml")["stops"][what]
    gives = m.pan.capacity * max(pan_c - m.target_c, 0.0)
    takes = row["heat"] * (m.target_c - from_c) + row.get("melts", 0.0)
    return float(1000.0 * gives / takes)


def omelette_mm(egg_g: float, diameter_mm: float) -> float:
    """How thick egg lies in a pan, mm: by its volume."""
    return egg_g * 1e6 / DENSITY / (pi / 4.0 * diameter_mm**2)
