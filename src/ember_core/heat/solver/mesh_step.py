"""One time step of a piece on a mesh: how its nodes are coupled, the step, its error, the water that boils off. Compiled."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ember_core.constants import LATENT_BOILING
from ember_core.heat.arrays import Array
from ember_core.heat.geometry.mesh import Mesh
from ember_core.heat.solver.cells import temperature_at
from ember_core.heat.solver.chebyshev import Formula, find_formula, new_formula, stages_for
from ember_core.heat.solver.compiled import greatest, kernel, leaf, least
from ember_core.heat.solver.mesh_bounds import spectral_radius
from ember_core.heat.solver.mesh_coupling import (
    Coupling,
    Solid,
    couple,
    fastest_dried,
    find_dried,
    see_crusts,
    slow_down,
)
from ember_core.heat.solver.mesh_rates import Rates, boil_off, mesh_rates, new_rates, see_nodes, weigh
from ember_core.heat.solver.oven_air import AIR_K, air_of, air_rate, fastest_air, room
from ember_core.heat.solver.reservoir import fastest_store, reservoir_of, see_others, warming
from ember_core.heat.solver.stepping import LOOKED_UP_NS, NODE_NS, STAGE_NS
from ember_core.heat.solver.surface import FILM
from ember_core.heat.solver.types import Others, Rows, State, _fields

AHEAD = 0.6  # of a step: where in it the conductivities are taken; by measuring
STIFF = 0.25  # per step and rate: how much too large a fast node's error is taken to be (after Shampine); by measuring
AT_ONE_NODE = 25.0  # times the whole piece's tolerance (root mean square): what one node may be off; by measuring
LAST_WATER_K = 20.0  # by no more is a place overheated in the step in which it loses its last water
STORE_WEIGHT = 1.0  # of the error of a store's temperature; by measuring
RISES_K = 40.0  # so much hotter than its stage says may a burner make a medium with a store, for the bound of the rates
OVERHEAD_STAGES = 8  # what a step costs besides its inner stages
NO_NUMBER = 1e15  # J/m³: an enthalpy beyond is none

# what a step leaves behind besides arrays
STEP = _fields(
    "heat given "  # taken up in the step, J; heat that vapour carried off in it, J
    "share filling0 filling "  # of vapour in the oven's air at the end; its rates at begin and end, 1/s
    "stored warming0 warming "  # a medium's store at the end, °C; its rates at begin and end, K/s
    "taking taken "  # W from it by all pieces at the end; J in the step
    "fastest quickest "  # bounds of the fastest rate: of the stage, and in this step, 1/s
    "too_hot "  # J/m³, by no more is a place overheated in the step in which it loses its last water
    "last",  # length of the step before, s; 0: none
    "stages boils boiled",  # inner stages of the formula at hand; whether water boils, and boiled in the step before
)


class Room(NamedTuple):
    """Room for the steps of one stage; arrays are per node, those of patches say so."""

    step: Rows  # one row of STEP
    begin: Rates
    end: Rates
    inner: Rates
    ahead: Array  # J/m³, what the step before changed
    older: Array  # enthalpies within a step, J/m³
    old: Array
    new: Array
    reached: Array  # at its end
    temp: Array  # °C, dT/dH and conductivity where the step is looked at, see AHEAD
    slope: Array
    kappa: Array
    weight: Array  # in the mean
    kept_water: Array
    before: Array  # temperatures at the begin of the step that was accepted, °C
    skin: Array  # of the patches, °C
    kept_shed: Array  # of the patches
    formula: Formula
    air: Rows
    store: Rows  # one row of RESERVOIR


@kernel
def new_room(mesh: Mesh, faces: Rows, share: float, stored: float) -> Room:
    """Room for a mesh; an oven's air begins with the ``share`` of vapour, a medium's store at ``stored`` °C."""
    n, patches = mesh.n, mesh.s_node.size
    row, skin = np.zeros((11, n)), np.empty((2, patches))
    return Room(
        np.zeros(1, STEP), new_rates(n, patches), new_rates(n, patches), new_rates(n, patches), row[0], row[1], row[2],
        row[3], row[4], row[5], row[6], row[7], row[8], row[9], row[10], skin[0], skin[1], new_formula(),
        air_of(faces, share), reservoir_of(faces, stored),
    )  # fmt: skip


@leaf
def begin_stage(state: State, faces: Rows, solid: Solid, coupling: Coupling, room_: Room, others: Others) -> None:
    """Look at the state as a stage begins: temperatures, rates, weights and the bound of the fastest rate.

    Parameters
    ----------
    state, faces, solid : State, rows of FACE, Solid
        As the stage finds them.
    coupling, room_ : Coupling, Room
        Receive what is found.
    others : Others
        What else lies in a medium with a store.
    """
    mesh, body, step = solid.mesh, solid.layers.outer, room_.step
    h, w, temp = state.enthalpy, state.water, room_.begin.temperature
    find_dried(w, solid, coupling)
    alike = see_nodes(h, w, room_.ahead, 0.0, solid, temp, room_.slope, room_.kappa, coupling)
    couple(w, room_.kappa, alike, solid, coupling)
    for p in range(mesh.s_node.size):
        room_.skin[p] = temp[mesh.s_node[p]]
        room_.end.evaporation[p] = 0.0
    see_crusts(faces, mesh, room_.skin, coupling)
    slow_down(state.shed, room_.end.evaporation, 1.0, body.m0, coupling)
    mesh_rates(h, w, 0.0, 0.0, faces, solid, coupling, room_.begin, room_.skin, state.vapour[0], state.medium[0])
    low, high, drift = np.inf, -np.inf, 0.0
    for side in range(faces.shape[0]):
        hottest = faces[side].medium_c
        if faces[side].capacity > 0.0:
            hottest = max(hottest, state.medium[0], faces[side].set_c) + RISES_K
        low, high = min(low, faces[side].medium_c), max(high, hottest)
        drift = max(drift, abs(faces[side].off_k))
    step[0].too_hot = body.c_dry * min(LAST_WATER_K, max(high + drift - body.boil_c, 1.0))
    temp = room_.begin.temperature
    step[0].fastest = spectral_radius(
        min(least(temp), low - drift), max(greatest(temp), high + drift), faces, solid, room_.inner.f
    ) + fastest_air(room_.air, faces, mesh.s_from, solid.area, solid.whole)
    step[0].fastest += fastest_store(room_.store, faces, mesh.s_from, solid.area, high, solid.whole, others)
    step[0].quickest = step[0].fastest
    weigh(w, mesh, body, room_.weight)


@leaf
def prepare(state: State, step: float, faces: Rows, solid: Solid, coupling: Coupling, room_: Room) -> None:
    """Find how the nodes are coupled during a step (s), and the formula that keeps it stable.

    Parameters
    ----------
    state : State
        Left as it is.
    step : float
        s.
    faces, solid, coupling, room_
        What is met; the piece; receives how its nodes are coupled; room, with the step before.
    """
    h, w, body, at = state.enthalpy, state.water, solid.layers.outer, room_.step
    onward = AHEAD * min(step / at[0].last, 2.0) if at[0].last > 0.0 else 0.0
    alike = see_nodes(h, w, room_.ahead, onward, solid, room_.temp, room_.slope, room_.kappa, coupling)
    couple(w, room_.kappa, alike, solid, coupling)
    at[0].quickest = at[0].fastest
    if coupling.found[0].dried > 0:
        see_crusts(faces, solid.mesh, room_.skin, coupling)
        at[0].quickest = max(at[0].fastest, fastest_dried(w, faces, room_.temp, solid, coupling))
    stages = stages_for(step, at[0].quickest)
    if stages != at[0].stages:
        find_formula(stages, room_.formula)
        at[0].stages = stages
    slow_down(state.shed, room_.begin.evaporation, step, body.m0, coupling)


@leaf
def work_of(exact: int, nodes: int, stages: int) -> int:
    """What a step costs, in counted ns."""
    return (stages + OVERHEAD_STAGES) * (STAGE_NS + NODE_NS * nodes + LOOKED_UP_NS * exact)


@leaf
def filled(given: float, share: float, clock: float, faces: Rows, whole: float, air: Rows) -> float:
    """How fast an oven's air fills, 1/s, when the piece (``whole`` m³) gives off ``given`` kg/s, ``clock`` s into the stage.

    Parameters
    ----------
    given : float
        kg/s.
    share : float
        Of vapour in the air now.
    clock : float
        Into the stage, s.
    faces, whole, air
        What is met; the piece's volume, m³; the oven's air.
    """
    return float(air_rate(air, share, given * room(air, clock, faces) / whole)) if air[0].leak > 0.0 else 0.0


@leaf
def take_step(
    state: State, clock: float, step: float, faces: Rows, solid: Solid, coupling: Coupling, room_: Room, others: Others,
    t0: float,
) -> None:  # fmt: skip
    """Try a step from the state into ``room_.reached``; parameters as of :func:`prepare`, ``clock`` s into the stage.

    Parameters
    ----------
    state : State
        Left as it is.
    clock, step : float
        Into the stage, and the step's length, s.
    faces, solid, coupling, room_
        What is met; the piece; how its nodes are coupled; receives the step.
    others, t0 : Others, float
        What else lies in a medium with a store; the stage's begin, s.
    """
    h, w, air, at, formula = state.enthalpy, state.water, room_.air, room_.step, room_.formula
    begin, inner, end = room_.begin, room_.inner, room_.end
    older, old, new = room_.older, room_.old, room_.new
    share = state.vapour[0]
    fills = air[0].leak > 0.0
    for i in range(h.size):
        begin.steam[i] = 0.0
    store, stored = room_.store, state.medium[0]
    many = store[0].pieces_m3 / solid.whole
    heat0, given, taken = mesh_rates(h, w, 0.0, clock, faces, solid, coupling, begin, room_.skin, share, stored)
    filling0 = filled(given, share, clock, faces, solid.whole, air)
    see_others(store, others, t0 + clock)
    taking0, warming0 = many * taken, warming(store, stored, many * taken)
    share_older, share_old = share, share + formula.mu_f[1] * step * filling0
    stored_older, stored_old = stored, stored + formula.mu_f[1] * step * warming0
    taken_older, taken_old = 0.0, formula.mu_f[1] * step * taking0
    for i in range(h.size):
        older[i] = h[i]
        old[i] = h[i] + formula.mu_f[1] * step * begin.f[i]
    # the heat coming in goes through the same formula, so that the books balance to rounding
    heat_older, heat_old = 0.0, formula.mu_f[1] * step * heat0
    for j in range(2, at[0].stages + 1):
        since = formula.c[j - 1] * step
        heat_in, given, taken = mesh_rates(
            old, w, since, clock + since, faces, solid, coupling, inner, room_.skin, share_old, stored_old
        )
        mu, nu, mu_f, gamma = formula.mu[j], formula.nu[j], formula.mu_f[j] * step, formula.gamma[j] * step
        for i in range(h.size):
            new[i] = (1.0 - mu - nu) * h[i] + mu * old[i] + nu * older[i] + mu_f * inner.f[i] + gamma * begin.f[i]
        heat_older, heat_old = heat_old, mu * heat_old + nu * heat_older + mu_f * heat_in + gamma * heat0
        older, old, new = old, new, older
        if store[0].capacity > 0.0:
            see_others(store, others, t0 + clock + since)
            rate = warming(store, stored_old, many * taken)
            stored_new = (1.0 - mu - nu) * stored + mu * stored_old + nu * stored_older + mu_f * rate + gamma * warming0
            stored_older, stored_old = stored_old, stored_new
            taken_new = mu * taken_old + nu * taken_older + mu_f * many * taken + gamma * taking0
            taken_older, taken_old = taken_old, taken_new
        if fills:
            filling = filled(given, share_old, clock + since, faces, solid.whole, air)
            share_new = (1.0 - mu - nu) * share + mu * share_old + nu * share_older + mu_f * filling + gamma * filling0
            share_older, share_old = share_old, min(max(share_new, 0.0), 1.0)
    for i in range(h.size):
        room_.reached[i] = old[i]
        end.steam[i] = 0.0
    _, given, taken = mesh_rates(
        room_.reached, w, step, clock + step, faces, solid, coupling, end, room_.skin, share_old, stored_old
    )
    see_others(store, others, t0 + clock + step)
    at[0].stored, at[0].taken, at[0].taking = stored_old, taken_old, many * taken
    at[0].warming0, at[0].warming = warming0, warming(store, stored_old, many * taken)
    at[0].heat, at[0].share = heat_old, share_old
    at[0].filling0, at[0].filling = filling0, filled(given, share_old, clock + step, faces, solid.whole, air)


@leaf
def error_of(state: State, step: float, solid: Solid, coupling: Coupling, room_: Room) -> float:
    """Error of the step just taken (s long), K; not-a-number when an enthalpy is none. Says in the room whether water boils.

    It is the root mean square of all nodes, of one node a share (:data:`AT_ONE_NODE`), or what the oven's air is off by.

    Parameters
    ----------
    state : State
        As the step began.
    step : float
        s.
    solid, coupling, room_
        The piece; how fast its dried nodes are; the step.
    """
    h, w, body, at = state.enthalpy, state.water, solid.layers.outer, room_.step
    reached, weight = room_.reached, room_.weight
    f0, f1, steam0, steam1 = room_.begin.f, room_.end.f, room_.begin.steam, room_.end.steam
    dried = coupling.found[0].dried > 0
    n = h.size
    size, square, finite, boils = 0.0, 0.0, True, False
    for i in range(n):
        error = (0.8 * (h[i] - reached[i]) + 0.4 * step * (f0[i] + f1[i])) * room_.slope[i]
        if not abs(reached[i]) < NO_NUMBER:
            finite = False
        if w[i] > 0.0:
            if reached[i] > body.boil_h:
                error = 0.0  # it boils: its temperature stands
            boils = boils or reached[i] > body.boil_h or steam0[i] + steam1[i] > 0.0
        if dried:
            error /= 1.0 + STIFF * step * coupling.load[i]
        own = error * error
        square += weight[i] * own
        size = max(size, own * min(n * weight[i], 1.0))
    at[0].boils = 1 if boils else 0
    if not finite:
        return np.nan
    size = max(np.sqrt(size) / AT_ONE_NODE, np.sqrt(square))
    if room_.air[0].leak > 0.0:
        off = 0.8 * (state.vapour[0] - at[0].share) + 0.4 * step * (at[0].filling0 + at[0].filling)
        size = max(size, AIR_K * abs(off))
    if room_.store[0].capacity > 0.0:
        off = 0.8 * (state.medium[0] - at[0].stored) + 0.4 * step * (at[0].warming0 + at[0].warming)
        size = max(size, STORE_WEIGHT * abs(off))
    return float(size)


@leaf
def boil(state: State, step: float, solid: Solid, coupling: Coupling, room_: Room) -> bool:
    """Take out what boiled in the step (s); False, and nothing changed, when that leaves a place too hot.

    Parameters
    ----------
    state : State
        Its water is changed.
    step : float
        s.
    solid, coupling, room_
        The piece; the lists of what has dried; the step, whose enthalpies are changed.
    """
    at, body, w = room_.step, solid.layers.outer, state.water
    at[0].given = 0.0
    if at[0].boils == 0 or body.water <= 0.0:
        return True
    steam, kept = room_.inner.steam, room_.new
    for i in range(w.size):
        steam[i] = 0.5 * step * (room_.begin.steam[i] + room_.end.steam[i])
        kept[i], room_.kept_water[i] = room_.reached[i], w[i]
    for p in range(room_.skin.size):
        room_.kept_shed[p] = state.shed[p]
    taken, news, left = boil_off(room_.reached, state, steam, solid)
    if left > at[0].too_hot and step > 1e-6:
        for i in range(w.size):
            room_.reached[i], w[i] = kept[i], room_.kept_water[i]
        for p in range(room_.skin.size):
            state.shed[p] = room_.kept_shed[p]
        return False
    at[0].given = taken
    if news:
        find_dried(w, solid, coupling)
    return True


@leaf
def accept(state: State, clock: float, step: float, faces: Rows, solid: Solid, room_: Room) -> None:
    """Make the step just taken the state, from ``clock`` s into the stage; temperatures before and after stay in the room.

    Parameters
    ----------
    state : State
        Receives it; its water is as :func:`boil` left it.
    clock, step : float
        Into the stage at the step's begin, and its length, s.
    faces, solid, room_
        What is met; the piece; the step.
    """
    h, w, at, air, body = state.enthalpy, state.water, room_.step, room_.air, solid.layers.outer
    begin, end = room_.begin, room_.end
    for p in range(room_.skin.size):
        state.shed[p] = max(state.shed[p] + 0.5 * step * (begin.evaporation[p] + end.evaporation[p]), -FILM)
        begin.evaporation[p] = end.evaporation[p]
    state.heat[0] += at[0].heat
    state.heat[1] += at[0].given
    at[0].last, at[0].boiled = step, 1 if at[0].given > 0.0 else 0
    if air[0].leak > 0.0:  # what boils is taken in over the next step
        state.vapour[0] = at[0].share
        air[0].steam = room(air, clock + step, faces) * at[0].given / LATENT_BOILING / solid.whole / step
    if room_.store[0].capacity > 0.0:
        state.medium[0] = at[0].stored
        state.heat[2] += at[0].taken
    for i in range(h.size):
        room_.ahead[i] = room_.reached[i] - h[i]
        h[i] = room_.reached[i]
        room_.before[i] = begin.temperature[i]
        begin.temperature[i] = end.temperature[i]
    if at[0].boiled:
        weigh(w, solid.mesh, body, room_.weight)
        for i in range(h.size):
            if w[i] < body.water and not solid.mesh.inner[i]:
                begin.temperature[i], _, _ = temperature_at(h[i], w[i], body)
