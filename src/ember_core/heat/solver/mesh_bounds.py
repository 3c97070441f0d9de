"""How fast the nodes of a mesh may change, and how far a piece is from rest: what sets the steps. Compiled."""

from __future__ import annotations

import numpy as np

from ember_core.constants import CELSIUS_ZERO, LEWIS_AIR, SIGMA
from ember_core.heat.arrays import Array
from ember_core.heat.geometry.mesh import Mesh
from ember_core.heat.solver.compiled import greatest, leaf
from ember_core.heat.solver.humid_air import saturated_vapour
from ember_core.heat.solver.mesh_coupling import Solid
from ember_core.heat.solver.surface import medium_of
from ember_core.heat.solver.types import Body, Rows

LATENT_ABOUT = 2.4e6  # J/kg, of water that evaporates; a round value for a bound


@leaf
def steepest_slope(body: Body, low: float, high: float) -> float:
    """Largest dT/dH, K m³/J, between two temperatures; 0 outside the table."""
    best = 0.0
    for i in range(body.temperature.size - 1):
        if (body.temperature[i + 1] >= low and body.temperature[i] <= high) or body.linear:
            best = max(best, (body.temperature[i + 1] - body.temperature[i]) * body.per_dh)
    return best


@leaf
def steepest(body: Body, low: float, high: float) -> float:
    """Largest conductivity times dT/dH, m²/s, between two temperatures."""
    best_k = 0.0
    for i in range(body.temperature.size - 1):
        if (body.temperature[i + 1] >= low and body.temperature[i] <= high) or body.linear:
            best_k = max(best_k, max(body.conductivity[i], body.conductivity[i + 1]) * body.k_scale)
    if best_k == 0.0:  # outside the table: its end rows are used
        return float(max(body.conductivity[0], body.conductivity[-1]) * body.k_scale / body.c_wet * 2.0)
    return best_k * steepest_slope(body, low, high)


@leaf
def spectral_radius(low: float, high: float, faces: Rows, solid: Solid, through: Array) -> float:
    """Bound of the fastest rate, 1/s, for temperatures between ``low`` and ``high``.

    Parameters
    ----------
    low, high : float
        °C.
    faces, solid : rows of FACE, Solid
    through : ndarray (nodes,)
        Room.
    """
    mesh, body = solid.mesh, solid.layers.outer
    diffusive = steepest(body, low, high)
    if mesh.within.size > 0:
        diffusive = max(diffusive, steepest(solid.layers.inner, low, high))
    fastest = diffusive * mesh.fastest * max(1.0, body.length**-2)
    slope = steepest_slope(body, low, high)
    slope = max(slope, 1.0 / body.c_wet if not body.linear else 0.0)
    for i in range(through.size):
        through[i] = 0.0  # a node at an edge or a corner has two or three patches
    for side in range(faces.shape[0]):
        face = faces[side]
        hot = max(high, face.medium_c) + CELSIUS_ZERO
        total = face.h + 4.0 * face.emissivity * SIGMA * hot**3
        if face.wet > 0.0:
            tw = min(max(min(high, face.medium_c), 0.0), body.boil_c)
            _, rise = saturated_vapour(tw)
            total += LATENT_ABOUT * face.wet * face.h * LEWIS_AIR * rise
        for p in range(mesh.s_from[side], mesh.s_from[side + 1]):
            i = mesh.s_node[p]
            through[i] += total * solid.area[p] * solid.per_volume[i] * slope
    both = fastest + greatest(through)
    # by Gershgorin's circles: where the skin is quick the inside need not be
    for e in range(mesh.first.size):
        i, j = mesh.first[e], mesh.second[e]
        q = 2.0 * diffusive * solid.conduct[e]
        through[i] += q * solid.per_volume[i]
        through[j] += q * solid.per_volume[j]
    return float(min(both, greatest(through)))


@leaf
def to_go(temp: Array, weight: Array, clock: float, faces: Rows, mesh: Mesh, stored: float) -> float:
    """How far a piece is from being at rest, K: the spread of its temperatures, and how near its mean is to any medium.

    Parameters
    ----------
    temp, weight : ndarray (nodes,)
        °C, and shares in the mean.
    clock : float
        Into the stage, s.
    faces, mesh : rows of FACE, Mesh
    stored : float
        °C, of a medium with a store.
    """
    mean = 0.0
    for i in range(temp.size):
        mean += weight[i] * temp[i]
    spread = 0.0
    for i in range(temp.size):
        spread += weight[i] * (temp[i] - mean) ** 2
    nearest = np.inf
    for side in range(faces.shape[0]):
        if mesh.s_from[side + 1] > mesh.s_from[side]:
            nearest = min(nearest, abs(medium_of(faces[side], clock, stored) - mean))
    return float(np.sqrt(spread) + nearest)


@leaf
def change_to(temp_slope: Array, f: Array, since: float, left: float, faces: Rows) -> float:
    """By how much a place would change to the end of its stage as it goes now, K, a medium that settles included.

    Parameters
    ----------
    temp_slope, f : ndarray (nodes,)
        dT/dH, K m³/J, and the enthalpies' rates, W/m³.
    since, left : float
        Into the stage, and to its end, s.
    faces : rows of FACE
    """
    worst = 0.0
    for i in range(f.size):
        worst = max(worst, abs(temp_slope[i] * f[i]))
    worst *= left
    for side in range(faces.shape[0]):
        face = faces[side]
        worst += abs(face.off_k) * np.exp(-since / face.settle_s) if face.off_k != 0.0 else 0.0
    return float(worst)
