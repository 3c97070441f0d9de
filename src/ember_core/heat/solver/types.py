"""What the compiled solver passes around: a piece's state and body, faces, an oven's air, what is recorded."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ember_core.heat.arrays import Array
from ember_core.heat.geometry.grid import Grid
from ember_core.heat.geometry.mesh import Mesh
from ember_core.heat.solver.compiled import kernel

Rows = NDArray[Any]  # an array whose elements have named fields, as below


def _fields(reals: str, wholes: str = "") -> np.dtype[Any]:
    """A row of named numbers."""
    named = [(name, np.float64) for name in reals.split()] + [(name, np.int64) for name in wholes.split()]
    return np.dtype((np.record, named))


# what a face meets in a stage
FACE = _fields(
    "h emissivity medium_c "  # W/(m² K), -, °C
    "off_k settle_s "  # how far the medium starts off (K), and the time constant with which it gets there
    "wet vapour_pa pressure_pa "  # wet share; vapour (of an oven: of the air that comes in), and pressure of the air, Pa
    # of an oven that fills with vapour: how often its air is changed (1/s; 0: it does not fill), m³ of food by m³ of its
    # air, and whether the stage before it had that air
    "leak food_m3 carries "
    # of a medium that what lies in it cools: see RESERVOIR; holds: it goes on as the stage before left it
    "capacity heater_w hold_w gain set_c loss_w_k around_c pieces_m3 holds"
)
# what a face does at a moment, see surface_balance
SKIN = _fields(
    "t_c flux "  # surface temperature, °C; heat into the piece, W/m²
    "by_near by_next "  # the flux's derivatives by the temperatures of the two nearest cells, W/(m² K)
    "evaporation steam "  # kg/(m² s), by difference in vapour (negative: it condenses), and driven off at the boiling point
    "drawn drawn_slope "  # W/m² that evaporation draws from under a crust, and its derivative by the temperature there
    "transfer "  # m/s, the evaporation by difference in vapour
    # W/m² that a medium with a store gives, by convection, contact and radiation, with its derivatives by its own temperature
    # and those of the two nearest cells; and the flux's by the medium's
    "taken taken_by_medium taken_by_near taken_by_next by_medium",
    "under",  # the cell that evaporation under a crust draws on
)
# the air of an oven that fills with vapour
AIR = _fields(
    "share base "  # of vapour; and its value at a step's begin as the formula has it
    "leak fresh "  # air changes, 1/s (0: nothing to compute); the share in the air that comes in
    "steam food",  # what boiling adds, 1/s; m³ of food by m³ of air
    "face",  # the face by which all this is known
)
# a medium with a finite store of heat
RESERVOIR = _fields(
    "t_c base "  # its temperature; and that at a step's begin as the formula has it
    "capacity "  # J/K; 0: the medium keeps its temperature
    # its heat comes as hold_w + gain (set_c - t_c), from 0 to heater_w, W; it loses loss_w_k (t_c - around_c), W
    "heater_w hold_w gain set_c loss_w_k around_c "
    "pieces_m3 "  # volume of all pieces in it, each like this one
    "taken "  # W, by all of them
    "others others_at"  # what else lies in it takes others (W/K) times its temperature, less others_at (W)
)
# what a run counts: rows recorded and rows lost, coasts run, steps tried, work done and work allowed
TALLY = _fields("", "rows lost coasts steps work limit")


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


class Layers(NamedTuple):
    """A piece of up to two materials; the inner one is an egg's yolk, otherwise the same."""

    outer: Body
    inner: Body


class Criterion(NamedTuple):
    """What is accumulated along the cook: lethality and the clocks of a rule's rows, per cell."""

    d_ref: float  # s
    t_ref: float  # °C
    z: float  # K
    row_c: Array  # °C, rows of a rule ([] when not needed)
    row_s: Array  # s


class Others(NamedTuple):
    """What else lies in a medium with a store, straight between moments: it takes ``by_degree`` T - ``at``; none: no rows."""

    t: Array  # s from the piece's start, rising
    by_degree: Array  # W/K
    at: Array  # W


class Case(NamedTuple):
    """A piece and how it is computed: the same through all stages."""

    stepper: int  # address of the function that advances it through a stage
    grid: Grid | Mesh
    body: Body | Layers
    criterion: Criterion
    tolerance_k: float
    close_k: float  # so near a solved peak lands; nearer than the tolerance it is tried in the steps that are recorded
    others: Others


class Schedule(NamedTuple):
    """The stages, one row each: longest duration (s), faces (stages × 4), what ends it earlier and its value."""

    duration: Array
    faces: Rows
    until: NDArray[np.int64]
    value: Array

    def upto(self, count: int) -> Schedule:
        """Its first stages, as many as ``count``, in arrays of their own."""
        return self.part(0, count)

    def part(self, first: int, last: int) -> Schedule:
        """Its stages from ``first`` to before ``last``, in arrays of their own."""
        own = slice(first, last)
        return Schedule(
            self.duration[own].copy(), self.faces[own].copy(), self.until[own].copy(), self.value[own].copy()
        )


class Record(NamedTuple):
    """Buffers for the accepted steps, a row each; ``tally`` is one row that counts."""

    tally: Rows
    t: Array  # s
    core: Array  # °C
    mean: Array
    surface_a: Array
    surface_b: Array
    medium: Array  # of one with a store
    taken: Array  # W, from it by all pieces
    shed: Array  # water lost through the skin so far: kg of a piece on a mesh, else kg by the grid's unit of area
    field: Array  # rows × cells, or watched nodes


class State(NamedTuple):
    """A piece at a moment: views into one flat array, so that it is stored and resumed as a whole."""

    enthalpy: Array  # J/m³, per cell or node
    water: Array  # kg/m³ left
    # J taken up, J that vapour from inside has carried off (one-dimensional: per unit grid area); J taken from the medium's store
    heat: Array
    shed: Array  # kg/m² that each face, or each patch of a mesh, has lost
    lethality: Array  # log10
    met: Array  # 1 where the rule is met
    clocks: Array  # s, cells × rows of the rule
    vapour: Array  # one number: its share of an oven's air
    medium: Array  # one number: °C, of a medium with a store


@kernel
def view(y: Array, n: int, patches: int, rows: int) -> State:
    """A flat state as its parts.

    Parameters
    ----------
    y : ndarray
        Of :func:`size_of` numbers.
    n, patches, rows : int
        Cells or nodes; faces (2) or patches; rows of the rule.
    """
    shed = 2 * n + 3
    lethality = shed + patches
    clocks = lethality + 2 * n
    vapour = clocks + n * rows
    return State(
        y[:n],
        y[n : 2 * n],
        y[2 * n : shed],
        y[shed:lethality],
        y[lethality : lethality + n],
        y[lethality + n : clocks],
        y[clocks:vapour].reshape((n, rows)),
        y[vapour : vapour + 1],
        y[vapour + 1 :],
    )


def size_of(n: int, patches: int, rows: int) -> int:
    """How many numbers a flat state has; parameters as of :func:`view`."""
    return 4 * n + 3 + patches + n * rows + 2


def patches_of(grid: Grid | Mesh) -> int:
    """How many faces or patches a state keeps the loss of."""
    return grid.s_node.size if isinstance(grid, Mesh) else 2
