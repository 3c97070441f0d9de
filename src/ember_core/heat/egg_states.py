"""What becomes of an egg in its shell: temperatures at the yolk's edge, and how far white and yolk have set, by a computed cook."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np

from ember_core.data.loader import read_toml
from ember_core.heat.arrays import Array
from ember_core.heat.geometry.egg_outline import FOODS
from ember_core.heat.geometry.mesh import Mesh
from ember_core.heat.geometry.shapes import geometry, yolk_edge_of
from ember_core.heat.physics.setting import dose, white_rate, yolk_rate
from ember_core.plan.plan import Plan


class Ran(Protocol):
    """When a stage ran, s; see :class:`ember_core.heat.cook.StageOutcome`."""

    @property
    def start_s(self) -> float:
        """Start, s."""

    @property
    def end_s(self) -> float:
        """End, s."""


class Cooked(Protocol):
    """What is read of a cook; see :class:`ember_core.heat.cook.Cook`."""

    @property
    def t(self) -> Array:
        """Times, s."""

    @property
    def field(self) -> Array:
        """Temperatures on the line through the core, °C."""

    @property
    def elsewhere(self) -> Array:
        """Those of the other places."""

    @property
    def stages(self) -> Sequence[Ran]:
        """When its stages ran."""


UNSET = "unset"  # a white that is none yet


@dataclass(frozen=True, eq=False)
class EggState:
    """An egg as it is eaten.

    Attributes
    ----------
    edge_c : ndarray (times,)
        Mean over the yolk's surface, °C, at the cook's times.
    yolk, firm : float
        How far the yolk has thickened, and become crumbly: means over it, 0 to 1.
    white, main : float
        How far the first and the main protein of the white have set: means over it, 0 to 1.
    yolk_word, white_word : str
        Their states in words (``data/eggs.toml``).
    nodes : ndarray (nodes,)
        How far each node of the mesh has set: the yolk's thickening there, the main protein elsewhere, 0 to 1.
    first : ndarray (nodes,)
        The first protein, 0 to 1; of the yolk's nodes 1.
    crumbly : ndarray (nodes,)
        How crumbly the yolk is there, 0 to 1; 0 elsewhere.
    """

    edge_c: Array
    yolk: float
    firm: float
    white: float
    main: float
    yolk_word: str
    white_word: str
    nodes: Array
    first: Array
    crumbly: Array

    def as_dict(self, core_c: float) -> dict[str, Any]:
        """As a result has it; ``core_c``: the highest core, °C."""
        return {
            "yolk_edge_c": round(float(self.edge_c.max()), 4),
            "yolk_core_c": round(core_c, 4),
            "yolk": {"word": self.yolk_word, "set": round(self.yolk, 4), "firm": round(self.firm, 4)},
            "white": {"word": self.white_word, "set": round(self.white, 4), "main_set": round(self.main, 4)},
        }


def is_egg(plan: Plan) -> bool:
    """Whether a plan is of an egg in its shell, computed as white and yolk."""
    own = plan.properties is None and plan.composition is None
    return own and plan.shape["kind"] == "egg" and plan.food in FOODS


def yolk_word(set_: float, firm: float) -> str:
    """The word of a yolk by how far it has thickened and become crumbly, 0 to 1."""
    found = ""
    for row in read_toml("eggs.toml")["yolk_word"]:
        if set_ >= row.get("from_set", 0.0) and firm >= row.get("from_firm", 0.0):
            found = str(row["word"])
    return found


def white_word(first: float, main: float) -> str:
    """The word of a white by how far its first and its main protein have set, 0 to 1."""
    row = read_toml("eggs.toml")["white_word"]
    if first < row["set"]:
        return UNSET
    if first < row["throughout"] or main < row["tender"]:
        return "barely-set"
    return "firm" if main >= row["firm"] else "tender"


def mesh_of(plan: Plan) -> Mesh:
    """The mesh on which an egg's plan is computed."""
    mesh = geometry(plan.shape, True, False, 0, 1.0)[0]
    assert isinstance(mesh, Mesh)  # an egg's is one
    return mesh


def field_of(cook: Cooked, mesh: Mesh) -> Array:
    """Temperatures of all nodes, °C, times × nodes."""
    recorded = np.hstack([cook.field, cook.elsewhere])
    field = np.empty_like(recorded)
    field[:, mesh.watch] = recorded
    return field


def edge_of(plan: Plan, cook: Cooked, mesh: Mesh | None = None) -> Array:
    """Mean over the yolk's surface at a cook's times, °C; parameters as of :func:`state_of`."""
    mesh = mesh or mesh_of(plan)
    return np.asarray(field_of(cook, mesh) @ yolk_edge_of(plan.shape, mesh))


def state_of(plan: Plan, cook: Cooked, mesh: Mesh | None = None) -> EggState:
    """The states of an egg at the end of its cook.

    Parameters
    ----------
    plan, cook : Plan, Cook
        Of an egg in its shell (:func:`is_egg`).
    mesh : Mesh, optional
        On which it was cooked; default the usual one.
    """
    mesh = mesh or mesh_of(plan)
    return states(cook.t, field_of(cook, mesh), mesh, yolk_edge_of(plan.shape, mesh))


def states(t_s: Array, field: Array, mesh: Mesh, edge: Array) -> EggState:
    """The states at the end of a history.

    Parameters
    ----------
    t_s : ndarray (times,)
        s, rising.
    field : ndarray (times, nodes)
        °C.
    mesh : Mesh
    edge : ndarray (nodes,)
        Weights of the mean over the yolk's surface.
    """
    firm_at = read_toml("eggs.toml")["yolk"]["firm"]
    yolk, white = mesh.inner, ~mesh.inner
    weight = mesh.mean
    thick = dose(t_s, yolk_rate(field[:, yolk]))
    first = 1.0 - np.exp(-dose(t_s, white_rate("first", field[:, white])))
    main = 1.0 - np.exp(-dose(t_s, white_rate("main", field[:, white])))

    def over(values: Array, where: Any) -> float:
        return float((values * weight[where]).sum() / weight[where].sum())

    thickened = 1.0 - np.exp(-thick)
    nodes, begun, crumbly = np.empty(mesh.n), np.ones(mesh.n), np.zeros(mesh.n)
    nodes[yolk], nodes[white], begun[white] = thickened, main, first
    crumbly[yolk] = 1.0 - np.exp(-thick / firm_at)
    set_, firm = over(thickened, yolk), over(crumbly[yolk], yolk)
    white_set, main_set = over(first, white), over(main, white)
    return EggState(
        field @ edge, set_, firm, white_set, main_set, yolk_word(set_, firm), white_word(white_set, main_set), nodes, begun,
        crumbly,
    )  # fmt: skip
