"""What is recorded of a piece on a mesh: between steps, so that what is asked for changes no step. Compiled."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ember_core.heat.arrays import Array
from ember_core.heat.solver.compiled import leaf
from ember_core.heat.solver.mesh_coupling import Solid
from ember_core.heat.solver.recording import keep_row, keep_store
from ember_core.heat.solver.stepping import SAME_S, hermite
from ember_core.heat.solver.types import Record

LEAST_SWING_K = 0.5  # so far may a cubic between two steps swing where they are alike


class Passed(NamedTuple):
    """A step that was taken: what is needed to tell temperatures within it."""

    t: float  # s, its begin
    step: float  # s
    was: Array  # °C, of the nodes at both ends
    now: Array
    f0: Array  # W/m³, rates of the enthalpies at both ends
    f1: Array
    slope: Array  # dT/dH, K m³/J
    skin_was: tuple[float, float]  # °C, of the surface at a and b
    skin_now: tuple[float, float]
    mean_was: float  # °C
    dried: bool  # anything is dry: then the mean runs straight
    capacity: float  # J/K, of the medium's store; 0: none
    store_was: tuple[float, float]  # its temperature, °C, and what is taken from it, W, at both ends
    store_now: tuple[float, float]
    shed_was: float  # water lost through the skin, kg, at both ends
    shed_now: float


@leaf
def between(u: float, v0: float, s0: float, v1: float, s1: float, dt: float) -> float:
    """A value at the share ``u`` of a step: a cubic by values and slopes (per s), held to what cannot overshoot by much.

    Parameters
    ----------
    u : float
        Share of the step, 0 to 1.
    v0, s0, v1, s1 : float
        Values and slopes (per s) at both ends.
    dt : float
        Its length, s.
    """
    change = v1 - v0
    most = 3.0 * abs(change) + LEAST_SWING_K
    if abs(s0) * dt > most or abs(s1) * dt > most:
        return v0 + u * change
    return float(hermite(u, v0, s0, v1, s1, dt))


@leaf
def mean_of(passed: Passed, weight: Array) -> tuple[float, float, float]:
    """The mean at a step's end (°C), and its rates at both ends (K/s), by the nodes' weights."""
    mean, rate0, rate1 = 0.0, 0.0, 0.0
    for i in range(weight.size):
        mean += weight[i] * passed.now[i]
        rate0 += weight[i] * passed.slope[i] * passed.f0[i]
        rate1 += weight[i] * passed.slope[i] * passed.f1[i]
    return mean, rate0, rate1


@leaf
def keep_sample(record: Record, at: float, u: float, mean: float, passed: Passed, water: Array, solid: Solid) -> None:
    """Record the moment ``at`` (s), the share ``u`` of a step, with the mean (°C); ``water`` (nodes,) is in kg/m³.

    Parameters
    ----------
    record : Record
        Receives it.
    at, u, mean : float
        s; share of the step, 0 to 1; °C.
    passed, water, solid
        The step; what the nodes have left, kg/m³; the piece.
    """
    step, was, now, f0, f1, slope = passed.step, passed.was, passed.now, passed.f0, passed.f1, passed.slope
    mesh = solid.mesh
    core = mesh.core
    row = keep_row(
        record,
        at,
        between(u, was[core], slope[core] * f0[core], now[core], slope[core] * f1[core], step),
        mean,
        passed.skin_was[0] + u * (passed.skin_now[0] - passed.skin_was[0]),
        passed.skin_was[1] + u * (passed.skin_now[1] - passed.skin_was[1]),
    )
    if row < 0:
        return
    before, after = passed.store_was, passed.store_now
    keep_store(
        record, row, before[0] + u * (after[0] - before[0]), before[1] + u * (after[1] - before[1]), passed.capacity
    )
    record.shed[row] = passed.shed_was + u * (passed.shed_now - passed.shed_was)
    for k in range(record.field.shape[1]):
        i = mesh.watch[k]
        if water[i] >= solid.layers.outer.water or mesh.inner[i]:
            record.field[row, k] = between(u, was[i], slope[i] * f0[i], now[i], slope[i] * f1[i], step)
        else:
            record.field[row, k] = was[i] + u * (now[i] - was[i])


@leaf
def keep_samples(
    record: Record, passed: Passed, apart: float, stops: Array, stop_i: int, water: Array, weight: Array, solid: Solid
) -> tuple[int, float]:
    """Record a step: its end, the wanted times within, and others between; returns the next stop and the mean at the end.

    Parameters
    ----------
    record, passed : Record, Passed
    apart : float
        Samples are so far apart at most, s.
    stops, stop_i : ndarray, int
        Wanted times, s, and which is next.
    water, weight : ndarray (nodes,)
        Left, kg/m³; shares in the mean.
    solid : Solid
    """
    mean_now, rate0, rate1 = mean_of(passed, weight)
    t, step, mean_was = passed.t, passed.step, passed.mean_was
    parts = max(int(np.ceil(step / apart - SAME_S)), 1)
    part = 1
    end = t + step
    while part <= parts:
        at = end if part == parts else t + step * part / parts
        if stop_i < stops.size and stops[stop_i] < at + SAME_S:
            if stops[stop_i] > at - SAME_S:
                part += 1
            else:
                at = stops[stop_i]
            stop_i += 1
        else:
            part += 1
        while stop_i < stops.size and stops[stop_i] <= at + SAME_S:
            stop_i += 1
        if at <= t + SAME_S:
            continue
        u = 1.0 if end - at < SAME_S else (at - t) / step
        if passed.dried:
            mean = mean_was + u * (mean_now - mean_was)
        else:
            mean = between(u, mean_was, rate0, mean_now, rate1, step)
        keep_sample(record, at, u, mean, passed, water, solid)
    return stop_i, mean_now
