"""The balance of heat and vapour at one face. Compiled."""

from __future__ import annotations

from typing import Any

import numpy as np

from ember_core.constants import CELSIUS_ZERO, LATENT_BOILING, LATENT_BY_DEGREE, LEWIS_AIR, SIGMA, VAPOUR_GAS_CONSTANT
from ember_core.heat.arrays import Array
from ember_core.heat.solver.compiled import inlined, leaf
from ember_core.heat.solver.humid_air import latent_heat, saturated_vapour

UNDER_BOILING_K = 5.0  # so far under the boiling point a crusted face evaporates freely again
FILM = 0.1  # kg/m² of condensed water that a face holds before it runs off, 0.1 mm; an estimate
MOST_MOVE_K = 40.0  # of one iteration of the balance
SETTLED_K = 0.03  # after such a move the next one would be its square by some hundredths


@inlined
def medium_at(face: Any, t: float) -> float:
    """Temperature (°C) of what a face meets, ``t`` s into the stage."""
    medium = face.medium_c
    if face.off_k != 0.0:
        medium += face.off_k * np.exp(-t / face.settle_s)
    return float(medium)


@inlined
def medium_of(face: Any, t: float, stored: float) -> float:
    """Temperature (°C) of what a face meets, ``t`` s into the stage: ``stored`` where the medium has a store."""
    return stored if face.capacity > 0.0 else medium_at(face, t)


@inlined
def vapour_around(face: Any, share: float, medium: float) -> float:
    """Vapour in a face's medium (°C), kg/m³; ``share`` is that of an oven whose vapour is computed."""
    pressure = share * face.pressure_pa if face.leak > 0.0 else face.vapour_pa
    return float(pressure / (VAPOUR_GAS_CONSTANT * (medium + CELSIUS_ZERO)))


@inlined
def radiating(face: Any, t_c: float) -> float:
    """What radiation of a face or its medium changes by a degree at ``t_c`` °C, W/(m² K)."""
    return float(4.0 * face.emissivity * SIGMA * (t_c + CELSIUS_ZERO) ** 3)


@inlined
def boiling_face(
    face: Any, medium: float, boil_c: float, k_l: float, weights: Array, t1: float, t2: float, out: Any
) -> None:
    """The balance at a wet face that stands at the boiling point, into ``out``.

    Parameters
    ----------
    face, boil_c, k_l, weights, t1, t2, out
        As of :func:`surface_balance`.
    medium : float
        °C, that it meets now.
    """
    a, b, c = weights[0], weights[1], weights[2]
    q = k_l * (a * boil_c - b * t1 + c * t2)
    outside = face.h * (medium - boil_c)
    if face.emissivity > 0.0:
        outside += face.emissivity * SIGMA * ((medium + CELSIUS_ZERO) ** 4 - (boil_c + CELSIUS_ZERO) ** 4)
    out.t_c, out.flux, out.by_near, out.by_next = boil_c, q, -k_l * b, k_l * c
    out.evaporation, out.steam, out.transfer = 0.0, max(outside - q, 0.0) / LATENT_BOILING, 0.0
    out.drawn, out.drawn_slope = 0.0, 0.0
    if face.capacity > 0.0:
        out.taken, out.taken_by_medium = outside, face.h + radiating(face, medium)
        out.taken_by_near, out.taken_by_next, out.by_medium = 0.0, 0.0, 0.0


@inlined
def taken_from_store(face: Any, medium: float, ts: float, k_l: float, weights: Array, total: float, out: Any) -> None:
    """What a face takes from a medium with a store, W/m², and by what it changes, into ``out``.

    Parameters
    ----------
    face, k_l, weights, out
        As of :func:`surface_balance`.
    medium, ts : float
        °C, of the medium and of the face.
    total : float
        By how much what it takes falls with its own temperature, evaporation included, W/(m² K).
    """
    a, b, c = weights[0], weights[1], weights[2]
    giving, losing, whole = face.h + radiating(face, medium), face.h + radiating(face, ts), total + k_l * a
    out.taken = face.h * (medium - ts)
    if face.emissivity > 0.0:
        out.taken += face.emissivity * SIGMA * ((medium + CELSIUS_ZERO) ** 4 - (ts + CELSIUS_ZERO) ** 4)
    out.taken_by_medium = giving - losing * giving / whole
    out.taken_by_near, out.taken_by_next = -losing * k_l * b / whole, losing * k_l * c / whole
    out.by_medium = k_l * a * giving / whole


@leaf
def surface_balance(
    face: Any,
    t: float,
    shed: float,
    dry: bool,
    boil_c: float,
    m0: float,
    k_l: float,
    weights: Array,
    t1: float,
    t2: float,
    wet_c: float,
    share: float,
    stored: float,
    out: Any,
) -> None:
    """Solve the balance at one face into ``out``, a row of ``SKIN``, whose temperature it begins from.

    Parameters
    ----------
    face : row of FACE
        What it meets.
    t : float
        Into the stage, s.
    shed : float
        What the face has lost, kg/m².
    dry : bool
        Whether the nearest cell has lost all its water.
    boil_c, m0 : float
        Of its body: the boiling point, °C, and the drying scale, kg/m².
    k_l : float
        Conductivity of the nearest cell by the grid's unit of length, W/(m² K).
    weights : ndarray (3,)
        Surface gradient weights of the grid, of Ts, T1, T2.
    t1, t2, wet_c : float
        Of the two nearest cells and of where water stands, °C.
    share : float
        The vapour's in the air of an oven that fills.
    stored : float
        °C, of a medium with a store.
    """
    h = face.h
    medium = medium_of(face, t, stored)
    a, b, c = weights[0], weights[1], weights[2]
    ts = (h * medium + k_l * (b * t1 - c * t2)) / (h + k_l * a)
    total = h
    evaporation, transfer = 0.0, 0.0
    drawn, drawn_slope = 0.0, 0.0
    rises, rise = False, 0.0
    if face.emissivity > 0.0 or face.wet > 0.0:
        radiant = (medium + CELSIUS_ZERO) ** 4
        around = vapour_around(face, share, medium)
        ts = out.t_c
        for _ in range(30):
            ka = ts + CELSIUS_ZERO
            q = h * (medium - ts) + face.emissivity * SIGMA * (radiant - ka**4)
            total = h + 4.0 * face.emissivity * SIGMA * ka**3
            if face.wet > 0.0:
                # under a crust the water stands where the cells are still wet; while they boil, that is counted there
                tw = min(max(wet_c if dry else ts, 0.0), boil_c)
                free = min((boil_c - tw) / UNDER_BOILING_K, 1.0) if dry else 1.0
                vapour, rise = saturated_vapour(tw)
                transfer = free * face.wet * h * LEWIS_AIR / (1.0 + max(shed, 0.0) / m0)
                evaporation = transfer * (vapour - around)
                if evaporation < 0.0:  # colder than the dew point: vapour condenses on the outside, wet or dry
                    tw = min(max(ts, 0.0), boil_c)
                    vapour, rise = saturated_vapour(tw)
                    transfer = face.wet * h * LEWIS_AIR
                    evaporation = min(transfer * (vapour - around), 0.0)
                latent = latent_heat(tw)
                rises = not dry or evaporation < 0.0
                if dry and evaporation >= 0.0:
                    drawn = latent * evaporation
                    drawn_slope = latent * (
                        transfer * rise - (evaporation / (free * UNDER_BOILING_K) if 0.0 < free < 1.0 else 0.0)
                    )
                else:
                    drawn, drawn_slope = 0.0, 0.0
                    q -= latent * evaporation
                    total += latent * transfer * rise + LATENT_BY_DEGREE * evaporation
            move = (q - k_l * (a * ts - b * t1 + c * t2)) / (total + k_l * a)
            if abs(move) > MOST_MOVE_K:
                move = MOST_MOVE_K if move > 0.0 else -MOST_MOVE_K
            ts += move
            if abs(move) < SETTLED_K:
                if rises:
                    evaporation += transfer * rise * move
                break
    if ts > boil_c and not dry:
        boiling_face(face, medium, boil_c, k_l, weights, t1, t2, out)
        return
    part = total / (total + k_l * a)
    if face.capacity > 0.0:
        taken_from_store(face, medium, ts, k_l, weights, total, out)
    out.t_c, out.flux = ts, k_l * (a * ts - b * t1 + c * t2)
    out.by_near, out.by_next = -k_l * b * part, k_l * c * part
    out.evaporation, out.steam, out.transfer = evaporation, 0.0, transfer
    out.drawn, out.drawn_slope = drawn, drawn_slope
