"""The map of an egg: how white and yolk come out by time and by the temperature of the water.

Between freezing and boiling an egg is nearly linear: its mesh, two materials at one temperature's properties, is taken apart into
its own modes once, and then every course in water of a constant temperature is a sum of them.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import lru_cache, partial
from typing import Any

import numpy as np
from scipy.spatial import cKDTree

from ember_core.data.loader import read_toml
from ember_core.eggs.question import BATH, BOIL, FINISH_MINUTES, ICE, TWO, EggQuestion
from ember_core.formats.plan import parse
from ember_core.heat.arrays import Array
from ember_core.heat.egg_states import white_word, yolk_word
from ember_core.heat.geometry.egg_outline import egg_sizes, room_g, species_of
from ember_core.heat.geometry.mesh import Mesh
from ember_core.heat.geometry.shapes import egg_points
from ember_core.heat.physics.boiling import boiling_point
from ember_core.heat.physics.properties import ThermalTable
from ember_core.heat.physics.setting import white_rate, yolk_rate
from ember_core.heat.setup import setup

AT_C = 60.0  # properties are those at this temperature
STEPS = 120  # of a course; twice as many moments as the map has
FINISH_SHARES = (0.0, 0.12, 0.28, 0.48, 0.72, 1.0)  # moments of the boiling water after a bath
WARM_RADIATES = 5.5  # W/(m² K) of a warm egg in the air, radiation made linear
FILM_M = 0.001
BALL, GOLDEN = 1500, 0.7548776662466927  # points of a ball, and what spreads them evenly (the plastic number's inverse)
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


@lru_cache(maxsize=32)
def _taken_apart(species: str, mass_g: float, h: float) -> tuple[Mesh, Modes]:
    """The mesh of an egg, and its modes with ``h`` all round, W/(m² K)."""
    s = setup(parse(EggQuestion(species=species, mass_g=mass_g, minutes=1.0).document()))
    assert isinstance(s.grid, Mesh)  # an egg's is one
    return s.grid, modes_of(s.grid, s.table, s.inner or s.table, h)


@lru_cache(maxsize=64)
def _weights(species: str, mass_g: float, risen: float) -> tuple[Array, Array]:
    """Weights of the nodes in the means over yolk and white, see :func:`risen_weights`."""
    mesh, _ = _taken_apart(species, mass_g, 1.0)
    yolk = np.where(mesh.inner, mesh.mean, 0.0)
    if risen:
        shape = parse(EggQuestion(species=species, mass_g=mass_g, minutes=1.0).document()).shape
        yolk = risen_weights(shape, mesh, risen) * yolk.sum()
    white = np.maximum(mesh.mean - yolk, 0.0)
    return yolk / yolk.sum(), white / white.sum()


def risen_weights(shape: Mapping[str, Any], mesh: Mesh, share: float) -> Array:
    """Weights of an egg's nodes in the mean over a yolk that has risen sidewards through so much of its room, sum 1.

    The field is that of an egg with its yolk in the middle: white and yolk conduct nearly alike.

    Parameters
    ----------
    shape : mapping
        ``piece.shape`` of a plan.
    mesh : Mesh
    share : float
        0 (in the middle) to 1 (a film of a millimetre is left between it and the shell).
    """
    row = species_of(shape)
    length, breadth = egg_sizes(room_g(shape), shape_index=row["shape"])
    radius = (row["yolk"] * length * breadth**2 / 8.0) ** (1 / 3)
    up = share * max(breadth / 2.0 - radius - FILM_M, 0.0)
    i = np.arange(BALL) + 0.5
    r = radius * (i / BALL) ** (1 / 3)
    across, turn = np.arccos(1.0 - 2.0 * ((i * GOLDEN) % 1.0)), 2.0 * np.pi * ((i * GOLDEN**2) % 1.0)
    x, y, z = r * np.sin(across) * np.cos(turn), r * np.sin(across) * np.sin(turn), r * np.cos(across)
    _, near = cKDTree(egg_points(shape, mesh)).query(np.stack([np.hypot(x + up, y), z], axis=1))
    return np.asarray(np.bincount(near, minlength=mesh.n) / BALL)


@dataclass(frozen=True)
class _Way:
    """What an egg goes through after its water of one temperature, and the transfer in each, W/(m² K)."""

    hot_h: float
    boil_h: float
    boil_c: float
    stop_h: float
    stop_c: float
    finish_s: float


def _way(question: EggQuestion) -> _Way:
    own = question if question.water in {BOIL, BATH, TWO} else replace(question, water=BOIL)
    plain = EggQuestion(
        question.species, question.mass_g, question.start_c, minutes=1.0, water=own.water, stop=question.stop, altitude_m=question.altitude_m
    )  # fmt: skip
    faces = setup(parse(plain.document())).schedule.faces
    h, c = faces["h"][:, 0], faces["medium_c"][:, 0]
    two = own.water == TWO
    radiates = 0.0 if question.stop == ICE else WARM_RADIATES
    return _Way(float(h[0]), float(h[1]), boiling_point(question.altitude_m), float(h[-1]) + radiates, float(c[-1]), 60.0 * FINISH_MINUTES if two else 0.0)  # fmt: skip


def egg_map(question: EggQuestion, minutes: Array, water_c: Array, risen: float = 0.0) -> EggMap:
    """The map of a question's egg: laid into water that keeps its temperature, stopped in ice or left on the plate.

    Of a bath with boiling water after it (``bath-boil``) the axes are the bath's.

    Parameters
    ----------
    question : EggQuestion
        Its egg, start, kind of water, place and stop count.
    minutes : ndarray (times,)
        Rising, > 0.
    water_c : ndarray (waters,)
        °C, 40 to 100.
    risen : float
        How far the yolk has risen, 0 to 1, see :func:`risen_weights`.
    """
    way = _way(question)
    egg = (question.species, round(question.mass_g, 1))
    mesh, hot = _taken_apart(*egg, round(way.hot_h, 1))
    stop = _taken_apart(*egg, round(way.stop_h, 1))[1]
    boil = _taken_apart(*egg, round(way.boil_h, 1))[1]
    t = np.unique(np.concatenate([np.linspace(0.0, 60.0 * minutes[-1], STEPS), 60.0 * minutes]))
    left = hot.after(np.ones(mesh.n), t)  # times × nodes: of a difference of 1 K to the water
    pick = np.searchsorted(t, 60.0 * minutes)
    weight_y, weight_w = _weights(*egg, risen)
    yolk, white = np.flatnonzero(weight_y > 0.0), np.flatnonzero(weight_w > 0.0)
    firm_at = float(read_toml("eggs.toml")["yolk"]["firm"])
    out = np.empty((4, water_c.size, minutes.size))
    for i, water in enumerate(water_c):
        field = water + (question.start_c - water) * left
        ends, later = field[pick], []
        if way.finish_s:
            at = way.finish_s * np.array(FINISH_SHARES)
            course = _onwards(boil, ends, way.boil_c, at)
            later.append((at, course))
            ends = course[:, -1]
        coast = np.array(COAST_S)
        later.append((coast, _onwards(stop, ends, way.stop_c, coast)))
        for k, (rate, where) in enumerate(zip(RATES, (yolk, white, white), strict=True)):
            dose = _until(t, rate(field[:, where]))[pick]
            for at, course in later:
                dose = dose + _along(at, rate(course[:, :, where]))
            if k == 0:
                out[0, i] = (1.0 - np.exp(-dose)) @ weight_y[yolk]
                out[1, i] = (1.0 - np.exp(-dose / firm_at)) @ weight_y[yolk]
            else:
                out[k + 1, i] = (1.0 - np.exp(-dose)) @ weight_w[white]
    return EggMap(minutes, water_c, *out)


def _onwards(modes: Modes, fields: Array, medium_c: float, at_s: Array) -> Array:
    """Fields (fields × nodes) left in a medium, °C, for so long each: fields × moments × nodes."""
    begun = (fields - medium_c) @ modes.weight.T
    decay = np.exp(-np.multiply.outer(at_s, modes.rate))
    return np.asarray(medium_c + (begun[:, None, :] * decay[None]) @ modes.shape.T)


def _until(t_s: Array, rate: Array) -> Array:
    """Integrals to each moment by the trapezium rule, times × places."""
    steps = 0.5 * (rate[1:] + rate[:-1]) * np.diff(t_s)[:, None]
    return np.concatenate([np.zeros_like(rate[:1]), np.cumsum(steps, axis=0)])


def _along(t_s: Array, rate: Array) -> Array:
    """Integrals over the second axis by the trapezium rule."""
    return np.asarray((0.5 * (rate[:, 1:] + rate[:, :-1]) * np.diff(t_s)[None, :, None]).sum(axis=1))
