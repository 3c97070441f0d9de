"""Compiled kernels: enthalpy conduction in one dimension with a boundary on each face.

The unknown is the volumetric enthalpy H (J/m³) of each finite-volume cell; temperature is read from
a table T(H), so freezing, boiling and a varying heat capacity are one mechanism and energy is
conserved to the tolerance of the Newton iteration. Space: finite volumes with a quadratic surface
reconstruction. Time: TR-BDF2 (Bank et al. 1985; Hosea & Shampine 1996, *Appl. Numer. Math.* 20:21),
L-stable and of second order, with its third-order error estimate steering the step.

Every function is serial and releases the interpreter lock; nothing here uses fastmath, because a
not-a-number must stay visible.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from ember_core.heat.boiling import iapws_saturation_pressure

Array = NDArray[np.float64]

GAMMA = 2.0 - np.sqrt(2.0)
D_ = GAMMA / 2.0
W_ = np.sqrt(2.0) / 4.0
SIGMA = 5.670374419e-8  # W/(m² K⁴), CODATA 2018, exact by definition of the SI
LEWIS_AIR = 1.0 / (1.06 * 1007.0 * 0.9)  # 1/(rho cp Le^(2/3)) of humid air near 60 °C, m³ K/J
LATENT_BOILING = 2.257e6  # J/kg at 100 °C (steam tables, from memory)
LATENT_AT_0C, LATENT_BY_DEGREE = 2.501e6, -2361.0  # J/kg and J/(kg K), see latent_heat
VAPOUR_GAS_CONSTANT = 461.5  # J/(kg K)
UNDER_BOILING_K = 5.0  # so far under the boiling point a crusted face evaporates freely again
FILM = 0.1  # kg/m² of condensed water that a face holds before it runs off, 0.1 mm; an estimate

# A function that makes no array of its own is compiled without numba's reference counting: counting every
# array of a Grid or a Body in and out of each call costs several times what the arithmetic does.
_UNCOUNTED: dict[str, Any] = {"_nrt": False}
leaf = njit(cache=True, nogil=True, **_UNCOUNTED)

# columns of a face's parameters: coefficient W/(m² K), emissivity, medium °C, how far it starts off K and its time
# constant s, wet share, vapour Pa (of an oven: of the air that comes in), pressure of the air Pa; of an oven that fills
# with vapour how often its air is changed 1/s, m³ of food to its air's m³, and whether the stage before it had that
# air; of a bath that cold pieces cool: by how much of what they lack, and how many seconds it needs to rise by a kelvin
(
    F_H, F_EPS, F_TINF, F_TDELTA, F_TAU, F_WET, F_PV, F_PRESSURE, F_LEAK, F_FOOD, F_CARRY, F_COLD, F_RISE,
) = range(13)  # fmt: skip
N_FACE = 13
# columns of what a face does: see surface_balance; the last is the cell that evaporation under a crust draws on
S_T, S_Q, S_NEAR, S_NEXT, S_EVAPORATION, S_STEAM, S_DRAWN, S_DRAWN_SLOPE, S_TRANSFER, S_AT = range(10)
N_SKIN = 10
# the air of an oven: share of vapour, its value at a step's begin as a formula has it, air changes 1/s, the share that
# comes in, what boiling adds 1/s, food to air m³/m³, and the face by which all this is known
A_SHARE, A_BASE, A_LEAK, A_FRESH, A_STEAM, A_FOOD, A_FACE = range(7)
N_AIR = 7
AIR_K = 60.0  # K: so much does a wet surface follow the share of vapour, at most
AIR_WEIGHT_K = (
    400.0  # what errors of the share weigh in a step: they stay, as a closed oven forgets little; by measuring
)


class Grid(NamedTuple):
    """A unit grid (length 1 between the faces, or unit radius); see :mod:`ember_core.heat.grid`."""

    n: int
    closed_a: bool  # the lower end is a centre or a plane of symmetry
    mirrored: bool  # the upper half of a slab whose other half is its image
    area: Array  # face areas, n + 1
    volume: Array  # cell volumes, n
    spacing: Array  # distance between the cells on either side of each inner face, n + 1
    surface_a: Array  # surface gradient weights (of Ts, T1, T2) at face a
    surface_b: Array
    core: Array  # weights that read the core from the cell means, n
    mean: Array  # volume fractions, n
    core_lo: int
    core_hi: int


class Body(NamedTuple):
    """One piece: size, thermal table and its scale factors (members of an ensemble share tables)."""

    length: float  # m, full thickness or radius
    h0: float  # J/m³, enthalpy of the first table row
    dh: float  # J/m³ between rows
    per_dh: float  # 1/dh
    temperature: Array  # °C by row
    conductivity: Array  # W/(m K) by row
    k_scale: float
    boil_c: float  # local boiling point; above 1e8: no boiling
    boil_h: float  # J/m³, enthalpy at the boiling point
    water: float  # kg/m³ of water that can boil off
    k_dry: float  # W/(m K) of a cell that has lost its water
    c_dry: float  # J/(m³ K) of a cell that has lost its water
    c_wet: float  # J/(m³ K) of a cell with its water, about
    m0: float  # kg/m², the drying scale of a wet surface
    linear: bool  # constant properties: one Newton step is exact


class Criterion(NamedTuple):
    """What is accumulated along the cook: lethality and the clocks of a rule's rows, per cell."""

    d_ref: float  # s
    t_ref: float  # °C
    z: float  # K
    row_c: Array  # °C, rows of a rule ([] when not needed)
    row_s: Array  # s


class Record(NamedTuple):
    """Buffers for the accepted steps; ``filled`` holds rows filled, rows lost, coasts run, steps tried, work done and allowed."""

    filled: NDArray[np.int64]
    t: Array
    core: Array
    mean: Array
    surface_a: Array
    surface_b: Array
    field: Array


_AT = np.linspace(0.0, 130.0, 1301)
_DENSITY = np.array([iapws_saturation_pressure(t) for t in _AT]) / (VAPOUR_GAS_CONSTANT * (_AT + 273.15))
# a polynomial needs no look-up, so that the compiler can make vectors of it; in 1/65 of °C above 65 °C
VAPOUR = tuple(float(c) for c in np.polynomial.Polynomial.fit(_AT, _DENSITY, 7, w=1.0 / _DENSITY).coef)


@njit(cache=True, nogil=True, inline="always")
def saturated_vapour(t_c: float) -> tuple[float, float]:
    """Density of saturated vapour (kg/m³) and its slope by degree, 0–130 °C, by a polynomial (to 4e-5 of itself)."""
    x = min(max(t_c, 0.0), 130.0) * (1.0 / 65.0) - 1.0
    high = VAPOUR[4] + x * (VAPOUR[5] + x * (VAPOUR[6] + x * VAPOUR[7]))
    low = VAPOUR[0] + x * (VAPOUR[1] + x * (VAPOUR[2] + x * VAPOUR[3]))
    high_slope = VAPOUR[5] + x * (2.0 * VAPOUR[6] + x * 3.0 * VAPOUR[7])
    low_slope = VAPOUR[1] + x * (2.0 * VAPOUR[2] + x * 3.0 * VAPOUR[3])
    x4 = (x * x) * (x * x)
    slope = low_slope + x4 * high_slope + 4.0 * (x * x) * x * high
    return low + x4 * high, slope * (1.0 / 65.0)


@njit(cache=True, nogil=True, inline="always")
def latent_heat(t_c: float) -> float:
    """Heat of evaporation of water at ``t_c`` °C, J/kg, for 0–100 °C: the usual straight line (from memory)."""
    return LATENT_AT_0C + LATENT_BY_DEGREE * t_c


@njit(cache=True, nogil=True, inline="always")
def capacity_left(w: float, body: Body) -> float:
    """Heat capacity of a cell with ``w`` kg/m³ of its water left, as a share of what it was."""
    return 1.0 - (1.0 - body.c_dry / body.c_wet) * (1.0 - w / body.water) if w < body.water else 1.0


@leaf
def mean_temperature(temp: Array, w: Array, fractions: Array, body: Body) -> float:
    """Mean of the cells' temperatures by volume ``fractions`` and the heat capacity left: where they would even out, °C."""
    total, weights = 0.0, 0.0
    for i in range(temp.size):
        weight = fractions[i] * capacity_left(w[i], body)
        total += weight * temp[i]
        weights += weight
    return total / weights


@leaf
def temperature_at(h: float, w: float, body: Body) -> tuple[float, float, float]:
    """Temperature, dT/dH and conductivity of a cell with enthalpy ``h`` and ``w`` kg/m³ of water left."""
    if h > body.boil_h:
        excess = h - body.boil_h
        latent = w * LATENT_BOILING
        fraction = w / body.water if body.water > 0.0 else 0.0
        top = body.conductivity.size - 1
        row = int((body.boil_h - body.h0) * body.per_dh)
        wet_k = body.conductivity[min(max(row, 0), top)]
        k = body.k_scale * (body.k_dry + (wet_k - body.k_dry) * fraction)
        if excess <= latent:
            return body.boil_c, 0.0, k
        return body.boil_c + (excess - latent) / body.c_dry, 1.0 / body.c_dry, k
    share = 1.0
    if w < body.water:
        share = capacity_left(w, body)
        h = body.boil_h + (h - body.boil_h) / share
    position = (h - body.h0) * body.per_dh
    i = int(position)  # towards zero; below the table it is clipped all the same
    last = body.temperature.size - 2
    if i < 0:
        i = 0
    elif i > last:
        i = last
    slope = body.temperature[i + 1] - body.temperature[i]
    part = position - i
    k = body.conductivity[i] + min(max(part, 0.0), 1.0) * (body.conductivity[i + 1] - body.conductivity[i])
    if w < body.water:
        k = body.k_dry + (k - body.k_dry) * w / body.water
    return body.temperature[i] + part * slope, slope * body.per_dh / share, k * body.k_scale


@njit(cache=True, nogil=True, inline="always")
def read_cells(y: Array, w: Array, body: Body, temp: Array, slope: Array, kappa: Array) -> None:
    """:func:`temperature_at` for every cell; its body stands in the loop, which is several times faster."""
    table, conductivity = body.temperature, body.conductivity
    h0, per_dh, k_scale = body.h0, body.per_dh, body.k_scale
    boil_h, water, k_dry = body.boil_h, body.water, body.k_dry
    last = table.size - 2
    lost = 1.0 - body.c_dry / body.c_wet
    for i in range(y.size):
        h = y[i]
        if h > boil_h:
            temp[i], slope[i], kappa[i] = temperature_at(h, w[i], body)
            continue
        share = 1.0
        if w[i] < water:
            share = 1.0 - lost * (1.0 - w[i] / water)
            h = boil_h + (h - boil_h) / share
        position = (h - h0) * per_dh
        row = min(max(int(position), 0), last)
        rise = table[row + 1] - table[row]
        part = position - row
        k = conductivity[row] + min(max(part, 0.0), 1.0) * (conductivity[row + 1] - conductivity[row])
        if w[i] < water:
            k = k_dry + (k - k_dry) * w[i] / water
        temp[i] = table[row] + part * rise
        slope[i] = rise * per_dh / share
        kappa[i] = k * k_scale


@njit(cache=True, nogil=True, inline="always")
def medium_at(face: Array, t: float) -> float:
    """Temperature (°C) of what a face meets, ``t`` s into the stage."""
    medium = face[F_TINF]
    if face[F_TDELTA] != 0.0:
        medium += face[F_TDELTA] * np.exp(-t / face[F_TAU])
    return float(medium)


@njit(cache=True, nogil=True, inline="always")
def vapour_around(face: Array, share: float, medium: float) -> float:
    """Vapour in a face's medium (°C), kg/m³; ``share`` is that of an oven whose vapour is computed."""
    pressure = share * face[F_PRESSURE] if face[F_LEAK] > 0.0 else face[F_PV]
    return float(pressure / (VAPOUR_GAS_CONSTANT * (medium + 273.15)))


@leaf
def surface_balance(
    face: Array,
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
    guess: float,
    share: float,
) -> tuple[float, float, float, float, float, float, float, float, float]:
    """Solve the balance at one face; ``wet_c`` (°C) is where its water stands, ``guess`` where its iteration begins.

    ``share`` is the vapour's in the air of an oven that fills. Returns surface temperature (°C), flux into the piece
    (W/m²), its derivatives by the two nearest cells, the evaporation (kg/(m² s), negative where vapour condenses), the
    steam driven off at the boiling point (kg/(m² s)), the heat that evaporation draws from under a crust (W/m²) with
    its derivative by ``wet_c``, and the evaporation by difference in vapour (m/s).
    """
    h = face[F_H]
    medium = medium_at(face, t)
    a, b, c = weights[0], weights[1], weights[2]
    ts = (h * medium + k_l * (b * t1 - c * t2)) / (h + k_l * a)
    total = h
    evaporation, transfer = 0.0, 0.0
    drawn, drawn_slope = 0.0, 0.0
    if face[F_EPS] > 0.0 or face[F_WET] > 0.0:
        radiant = (medium + 273.15) ** 4
        around = vapour_around(face, share, medium)
        ts = guess
        for _ in range(30):
            ka = ts + 273.15
            q = h * (medium - ts) + face[F_EPS] * SIGMA * (radiant - ka**4)
            total = h + 4.0 * face[F_EPS] * SIGMA * ka**3
            if face[F_WET] > 0.0:
                # under a crust the water stands where the cells are still wet; while they boil, that is counted there
                tw = min(max(wet_c if dry else ts, 0.0), boil_c)
                free = min((boil_c - tw) / UNDER_BOILING_K, 1.0) if dry else 1.0
                vapour, rise = saturated_vapour(tw)
                transfer = free * face[F_WET] * h * LEWIS_AIR / (1.0 + max(shed, 0.0) / m0)
                evaporation = transfer * (vapour - around)
                if evaporation < 0.0:  # colder than the dew point: vapour condenses on the outside, wet or dry
                    tw = min(max(ts, 0.0), boil_c)
                    vapour, rise = saturated_vapour(tw)
                    transfer = face[F_WET] * h * LEWIS_AIR
                    evaporation = min(transfer * (vapour - around), 0.0)
                latent = latent_heat(tw)
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
            if abs(move) > 40.0:
                move = 40.0 if move > 0.0 else -40.0
            ts += move
            if abs(move) < 1e-3:  # the next move would be its square
                break
    if ts > boil_c and not dry:
        ts = boil_c
        q = k_l * (a * ts - b * t1 + c * t2)
        outside = h * (medium - ts)
        if face[F_EPS] > 0.0:
            outside += face[F_EPS] * SIGMA * ((medium + 273.15) ** 4 - (ts + 273.15) ** 4)
        return ts, q, -k_l * b, k_l * c, 0.0, max(outside - q, 0.0) / LATENT_BOILING, 0.0, 0.0, 0.0
    q = k_l * (a * ts - b * t1 + c * t2)
    part = total / (total + k_l * a)
    return ts, q, -k_l * b * part, k_l * c * part, evaporation, 0.0, drawn, drawn_slope, transfer


@njit(cache=True, nogil=True)
def measures(grid: Grid, length: float) -> Array:
    """Rows: area over distance of each inner face (at the cell before it), and 1/volume; for a piece's size."""
    out = np.zeros((2, grid.n))
    for i in range(grid.n):
        out[1, i] = 1.0 / (grid.volume[i] * length)
        if i + 1 < grid.n:
            out[0, i] = 0.5 * grid.area[i + 1] / (grid.spacing[i + 1] * length)
    return out


@njit(cache=True, nogil=True, inline="always")
def conduction(temp: Array, kappa: Array, measure: Array, f: Array, lo: Array, di: Array, up: Array) -> None:
    """Rate of change ``f`` (W/m³) by conduction between the cells, and the tridiagonal d f/dT."""
    n = temp.size
    g_before, q_before = 0.0, 0.0
    for i in range(n):
        g, q = 0.0, 0.0
        if i + 1 < n:
            g = (kappa[i] + kappa[i + 1]) * measure[0, i]
            q = g * (temp[i] - temp[i + 1])
        per = measure[1, i]
        f[i] = (q_before - q) * per
        lo[i] = g_before * per
        di[i] = -(g_before + g) * per
        up[i] = g * per
        g_before, q_before = g, q


@njit(cache=True, nogil=True, inline="always")
def under_crust(w: Array, outermost: int, inwards: int) -> int:
    """The outermost cell under a face that has water left; the next to outermost if none has."""
    i = outermost
    while 0 <= i < w.size and w[i] <= 0.0:
        i += inwards
    return i if 0 <= i < w.size else outermost + inwards


@njit(cache=True, nogil=True, inline="always")
def both_faces(
    w: Array,
    shed_a: float,
    shed_b: float,
    t: float,
    faces: Array,
    grid: Grid,
    body: Body,
    temp: Array,
    kappa: Array,
    skin: Array,
    share: float,
) -> None:
    """Balance both faces into the rows of ``skin``: what :func:`surface_balance` returns; it begins from what is there."""
    n = grid.n
    for side in range(1 if grid.closed_a else 0, 2):
        near, inwards = (n - 1, -1) if side == 1 else (0, 1)
        dry = body.water > 0.0 and w[near] <= 0.0
        at = under_crust(w, near, inwards) if dry else near
        row = skin[side]
        row[S_AT] = at
        row[0], row[1], row[2], row[3], row[4], row[5], row[6], row[7], row[8] = surface_balance(
            faces[side],
            t,
            shed_b if side == 1 else shed_a,
            dry,
            body.boil_c,
            body.m0,
            kappa[near] / body.length,
            grid.surface_b if side == 1 else grid.surface_a,
            temp[near],
            temp[near + inwards],
            temp[at],
            row[0],
            share,
        )
    if grid.closed_a:
        for k in range(N_SKIN):
            skin[0, k] = skin[1, k]


@njit(cache=True, nogil=True, inline="always")
def add_faces(grid: Grid, measure: Array, skin: Array, f: Array, lo: Array, di: Array, up: Array) -> float:
    """Add the faces' fluxes to ``f`` and its derivatives; returns the heat coming in, W per unit grid area."""
    n = grid.n
    heat = 0.0
    for side in range(1 if grid.closed_a else 0, 2):
        near = n - 1 if side == 1 else 0
        area = grid.area[n] if side == 1 else grid.area[0]
        next_to = lo if side == 1 else up
        row = skin[side]
        share = area * measure[1, near]
        f[near] += row[S_Q] * share
        di[near] += row[S_NEAR] * share
        next_to[near] += row[S_NEXT] * share
        heat += row[S_Q] * area
        if row[S_DRAWN] > 0.0:
            at = int(row[S_AT])
            f[at] -= row[S_DRAWN] * area * measure[1, at]
            di[at] -= row[S_DRAWN_SLOPE] * area * measure[1, at]
            heat -= row[S_DRAWN] * area
    return heat


@leaf
def rates(
    y: Array,
    w: Array,
    shed_a: float,
    shed_b: float,
    t: float,
    faces: Array,
    grid: Grid,
    body: Body,
    measure: Array,
    cells: Array,
    band: Array,
    f: Array,
    skin: Array,
    share: float,
) -> float:
    """Rate of change ``f`` (W/m³) of the enthalpies ``y``; returns the heat coming in, W per unit grid area.

    ``cells`` receives temperature, dT/dH and conductivity by row, ``band`` the tridiagonal d f/dT,
    ``skin`` what the faces do; ``share`` is the vapour's in the oven's air.
    """
    read_cells(y, w, body, cells[0], cells[1], cells[2])
    both_faces(w, shed_a, shed_b, t, faces, grid, body, cells[0], cells[2], skin, share)
    conduction(cells[0], cells[2], measure, f, band[0], band[1], band[2])
    return add_faces(grid, measure, skin, f, band[0], band[1], band[2])


@njit(cache=True, nogil=True, inline="always")
def factor(beta: float, band: Array, slope: Array, low: Array, high: Array, link: Array, pivot: Array) -> None:
    """Factor I − beta·J, where J = d f/dT · diag(slope), from both ends to the middle.

    Two short chains instead of one long one: the divisions of one hide behind those of the other.
    """
    lo, di, up = band[0], band[1], band[2]
    n = slope.size
    middle = n // 2
    for i in range(n):
        pivot[i] = 1.0 - beta * di[i] * slope[i]
    for i in range(1, n):
        low[i] = -beta * lo[i] * slope[i - 1]
        high[i - 1] = -beta * up[i - 1] * slope[i]
    pivot[0] = 1.0 / pivot[0]
    pivot[n - 1] = 1.0 / pivot[n - 1]
    for k in range(1, middle):
        link[k] = low[k] * pivot[k - 1]
        pivot[k] = 1.0 / (pivot[k] - link[k] * high[k - 1])
        j = n - 1 - k
        if j > middle:
            link[j] = high[j] * pivot[j + 1]
            pivot[j] = 1.0 / (pivot[j] - link[j] * low[j + 1])
    left = low[middle] * pivot[middle - 1]
    right = high[middle] * pivot[middle + 1]
    link[middle] = left
    pivot[middle] = 1.0 / (pivot[middle] - left * high[middle - 1] - right * low[middle + 1])


@njit(cache=True, nogil=True, inline="always")
def solve(rhs: Array, low: Array, high: Array, link: Array, pivot: Array, x: Array) -> None:
    """Solve with the factors of :func:`factor`."""
    n = rhs.size
    middle = n // 2
    x[0] = rhs[0]
    x[n - 1] = rhs[n - 1]
    for k in range(1, middle):
        x[k] = rhs[k] - link[k] * x[k - 1]
        j = n - 1 - k
        if j > middle:
            x[j] = rhs[j] - link[j] * x[j + 1]
    right = high[middle] * pivot[middle + 1]
    x[middle] = (rhs[middle] - link[middle] * x[middle - 1] - right * x[middle + 1]) * pivot[middle]
    for k in range(1, n - middle):
        j = middle + k
        x[j] = (x[j] - low[j] * x[j - 1]) * pivot[j]
        i = middle - k
        if i >= 0:
            x[i] = (x[i] - high[i] * x[i + 1]) * pivot[i]
    if 2 * middle == n:
        x[0] = (x[0] - high[0] * x[1]) * pivot[0]
