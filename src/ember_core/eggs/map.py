"""The map of an egg: how white and yolk come out by time and by the temperature of the water.

Between freezing and boiling an egg is nearly linear: its mesh, two materials at one temperature's properties, is taken apart into
its own modes once, and then every course in water of a constant temperature is a sum of them.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import lru_cache, partial

import numpy as np

from ember_core.data.loader import read_toml
from ember_core.eggs.asking import BATH, BOIL, IN_BATH, EggQuestion
from ember_core.formats.plan import parse
from ember_core.heat.arrays import Array
from ember_core.heat.egg_states import white_word, yolk_word
from ember_core.heat.geometry.mesh import Mesh
from ember_core.heat.physics.properties import ThermalTable
from ember_core.heat.physics.setting import white_rate, yolk_rate
from ember_core.heat.setup import setup

AT_C = 60.0  # properties are those at this temperature
STEPS = 120  # of a course; twice as many moments as the map has
COAST_S = (0.0, 15.0, 35.0, 60.0, 90.0, 130.0, 180.0, 260.0, 360.0)  # moments of the coast that are looked at


RATES: tuple[Callable[[Array], Array], ...] = (yolk_rate, partial(white_rate, "first"), partial(white_rate, "main"))


@dataclass(frozen=True, eq=False)
class Modes:
    """An egg taken apart: rates of its modes, 1/s, their shapes, and what excites them.

    ``shape`` (nodes × modes) and ``weight`` (modes × nodes): a field is ``shape @ amplitudes``, amplitudes ``weight @ field``.
    """

    rate: Array
    shape: Array
    weight: Array

    def after(self, field: Array, t_s: Array | float) -> Array:
        """What is left of a difference to the water, fields × nodes (or one), after so long; times × nodes for one field."""
        amplitude = field @ self.weight.T
        decay = np.exp(-np.multiply.outer(np.asarray(t_s, dtype=float), self.rate))
        return np.asarray((decay * amplitude) @ self.shape.T)


def modes_of(mesh: Mesh, outer: ThermalTable, inner: ThermalTable, h: float) -> Modes:
    """Take an egg apart.

    Parameters
    ----------
    mesh : Mesh
    outer, inner : ThermalTable
        Of white and yolk.
    h : float
        All round, W/(m² K), > 0.
    """
    k_of, c_of = [], []
    for table in (outer, inner):
        k_of.append(float(np.interp(AT_C, table.temperature, table.conductivity)))
        c_of.append((float(table.enthalpy(AT_C + 5.0)) - float(table.enthalpy(AT_C - 5.0))) / 10.0)
    k = np.where(mesh.inner, k_of[1], k_of[0])
    capacity = np.where(mesh.inner, c_of[1], c_of[0]) * mesh.volume
    first, second = np.asarray(mesh.first, dtype=np.int64), np.asarray(mesh.second, dtype=np.int64)
    along = (mesh.reach[:, 0] + mesh.reach[:, 1]) / (mesh.reach[:, 0] / k[first] + mesh.reach[:, 1] / k[second])
    flow = mesh.conduct * along
    matrix = np.zeros((mesh.n, mesh.n))
    np.add.at(matrix, (first, first), flow)
    np.add.at(matrix, (second, second), flow)
    np.add.at(matrix, (first, second), -flow)
    np.add.at(matrix, (second, first), -flow)
    skin = np.asarray(mesh.s_node, dtype=np.int64)
    np.add.at(matrix, (skin, skin), h * mesh.s_area)
    root = np.sqrt(capacity)
    rate, vectors = np.linalg.eigh(matrix / np.outer(root, root))
    return Modes(rate, vectors / root[:, None], vectors.T * root)


@dataclass(frozen=True, eq=False)
class EggMap:
    """How an egg comes out.

    Attributes
    ----------
    minutes, water_c : ndarray (times,), (waters,)
    yolk, firm, white, main : ndarray (waters, times)
        Means as of :class:`ember_core.heat.egg_states.EggState`.
    """

    minutes: Array
    water_c: Array
    yolk: Array
    firm: Array
    white: Array
    main: Array

    def yolk_words(self) -> list[list[str]]:
        """Words of the yolk, waters × times."""
        return [[yolk_word(float(s), float(f)) for s, f in zip(a, b, strict=True)] for a, b in zip(self.yolk, self.firm, strict=True)]  # fmt: skip

    def white_words(self) -> list[list[str]]:
        """Words of the white, waters × times."""
        return [[white_word(float(s), float(m)) for s, m in zip(a, b, strict=True)] for a, b in zip(self.white, self.main, strict=True)]  # fmt: skip


@lru_cache(maxsize=16)
def _taken_apart(species: str, mass_g: float, water_h: float, ice_h: float) -> tuple[Mesh, Modes, Modes]:
    """The mesh of an egg, and its modes in hot water and in ice; ``h`` in W/(m² K)."""
    plan = parse(EggQuestion(species=species, mass_g=mass_g, minutes=1.0).document())
    s = setup(plan)
    assert isinstance(s.grid, Mesh)  # an egg's is one
    inner = s.inner or s.table
    return s.grid, modes_of(s.grid, s.table, inner, water_h), modes_of(s.grid, s.table, inner, ice_h)


def egg_map(question: EggQuestion, minutes: Array, water_c: Array) -> EggMap:
    """The map of a question's egg: laid into water that keeps its temperature, stopped in ice or left on the plate.

    Parameters
    ----------
    question : EggQuestion
        Its egg, start and stop count.
    minutes : ndarray (times,)
        Rising, > 0.
    water_c : ndarray (waters,)
        °C, 40 to 100.
    """
    plain = EggQuestion(question.species, question.mass_g, question.start_c, minutes=1.0, stop=question.stop)
    own = replace(plain, water=BATH if question.water in IN_BATH else BOIL)
    faces = setup(parse(own.document())).schedule.faces
    hot_h, stop_h, stop_c = float(faces["h"][0, 0]), float(faces["h"][1, 0]), float(faces["medium_c"][1, 0])
    if question.stop != "ice":
        stop_h += 5.5  # radiation of a warm egg, made linear
    mesh, hot, stop = _taken_apart(question.species, round(question.mass_g, 1), round(hot_h, 1), round(stop_h, 1))
    ones = np.ones(mesh.n)
    t = np.unique(np.concatenate([np.linspace(0.0, 60.0 * minutes[-1], STEPS), 60.0 * minutes]))
    left = hot.after(ones, t)  # times × nodes: of a difference of 1 K to the water
    pick = np.searchsorted(t, 60.0 * minutes)
    yolk = mesh.inner
    weight_y, weight_w = mesh.mean[yolk] / mesh.mean[yolk].sum(), mesh.mean[~yolk] / mesh.mean[~yolk].sum()
    decay = np.exp(-np.multiply.outer(np.array(COAST_S), stop.rate))
    firm_at = float(read_toml("eggs.toml")["yolk"]["firm"])
    out = np.empty((4, water_c.size, minutes.size))
    for i, water in enumerate(water_c):
        field = water + (question.start_c - water) * left
        begun = (field[pick] - stop_c) @ stop.weight.T
        coast = stop_c + (begun[:, None, :] * decay[None]) @ stop.shape.T
        for k, (rate, where) in enumerate(zip(RATES, (yolk, ~yolk, ~yolk), strict=True)):
            dose = _until(t, rate(field[:, where]))[pick] + _along(np.array(COAST_S), rate(coast[:, :, where]))
            if k == 0:
                out[0, i], out[1, i] = (1.0 - np.exp(-dose)) @ weight_y, (1.0 - np.exp(-dose / firm_at)) @ weight_y
            else:
                out[k + 1, i] = (1.0 - np.exp(-dose)) @ weight_w
    return EggMap(minutes, water_c, *out)


def _until(t_s: Array, rate: Array) -> Array:
    """Integrals to each moment by the trapezium rule, times × places."""
    steps = 0.5 * (rate[1:] + rate[:-1]) * np.diff(t_s)[:, None]
    return np.concatenate([np.zeros_like(rate[:1]), np.cumsum(steps, axis=0)])


def _along(t_s: Array, rate: Array) -> Array:
    """Integrals over the second axis by the trapezium rule."""
    return np.asarray((0.5 * (rate[:, 1:] + rate[:, :-1]) * np.diff(t_s)[None, :, None]).sum(axis=1))
