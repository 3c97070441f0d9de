"""Drawing an ensemble: in what its members differ, and by how much."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import ndtri

from ember_core.data.loader import read_toml
from ember_core.heat.arrays import Array
from ember_core.heat.cook import Cook
from ember_core.heat.physics.stores import kinds as stores
from ember_core.heat.setup import DRYING_SCALE, Setup, start_states
from ember_core.heat.solver.members import Members
from ember_core.heat.solver.types import Rows

DIRECTIONS = 9  # in which members differ


def draw(members: int, seed: int, dimensions: int) -> Array:
    """Standard normal draws, members × dimensions, by Latin hypercube (McKay, Beckman & Conover 1979).

    Each direction is covered evenly; a seed repeats. (A library's sampler would do, but takes a second to load.)
    """
    rng = np.random.default_rng(seed)
    order = rng.permuted(np.tile(np.arange(members), (dimensions, 1)), axis=1).T
    return np.asarray(ndtri((order + rng.random((members, dimensions))) / members))


@dataclass(frozen=True, eq=False)
class Ensemble:
    """Members as arrays, and at what they start, °C; the first is the nominal piece on the members' grid."""

    members: Members
    start_c: Array
    portion: Array | None = None  # m, or the stretch of a mesh: of a portion, where the piece is cut


def draw_ensemble(
    s: Setup,
    kinds: tuple[tuple[str, ...], ...],
    *,
    members: int,
    seed: int,
    spreads: Mapping[str, float] | None,
    stage_s: Sequence[float] | None = None,
) -> Ensemble:
    """Vary a setup; parameters as of :func:`forecast`; ``stage_s`` are the stages' real lengths.

    Parameters
    ----------
    s : Setup
    kinds : tuple of tuple of str
        What each stage's faces meet.
    members, seed : int
        How many, besides the nominal one; the same seed repeats.
    spreads : mapping or None
        In place of the shipped ones, by name.
    stage_s : sequence of float, optional
        The stages' real lengths, s.
    """
    shipped = read_toml("spreads.toml")
    by_kind = shipped["medium_c"]
    own = {} if s.size_spread_mm is None else {"thickness_mm": s.size_spread_mm}
    spread = {**shipped["default"], **own, **{k: v for k, v in (spreads or {}).items() if not k.startswith("x-")}}
    z = np.vstack([np.zeros(DIRECTIONS), draw(members, seed, DIRECTIONS)])
    length = _lengths(s, z[:, 0] * spread["thickness_mm"])
    portion = None if s.portion is None else _lengths(s.portion, z[:, 0] * spread["thickness_mm"])
    start = s.start_c + z[:, 1] * spread["start_c"]
    c_scale = np.exp(z[:, 6] * 0.4 * spread["conductivity_ln"])
    faces = np.repeat(s.schedule.faces[None], members + 1, axis=0)
    for i, row in enumerate(kinds):
        for j, kind in enumerate(row):
            sigma = spread["h_ln"] or s.h_spread[i, j]
            faces["h"][:, i, j] *= np.exp(z[:, 2] * sigma)
            # walls and their colour are as uncertain as the air's flow
            faces["emissivity"][:, i, j] = np.minimum(faces["emissivity"][:, i, j] * np.exp(z[:, 2] * sigma), 1.2)
            faces["leak"][:, i, j] *= np.exp(z[:, 8] * spread["vent_ln"])
            faces["medium_c"][:, i, j] += z[:, 3] * (spread["medium_c"] or by_kind[kind])
            # a medium that runs off its mean, and what the model itself gets wrong in the course of a stage
            if s.schedule.faces["off_k"][i, j] != 0.0:
                continue  # the plan itself says how the medium settles
            faces["off_k"][:, i, j] = z[:, 7] * (
                spread["drift_c"] or spread["drift_share"] * (spread["medium_c"] or by_kind[kind])
            )
            faces["settle_s"][:, i, j] = max(0.5 * (stage_s[i] if stage_s is not None else s.schedule.duration[i]), 1.0)
    if s.schedule.faces["capacity"].any():
        _vary_stores(faces, kinds, np.vstack([np.zeros(2), draw(members, seed + 2, 2)]))
    states = start_states(s, start, c_scale)
    k_scale = np.exp(z[:, 4] * spread["conductivity_ln"])
    m0 = DRYING_SCALE * np.exp(z[:, 5] * spread["drying_ln"])
    return Ensemble(Members(states, length, k_scale, c_scale, m0, faces), start, portion)


def _vary_stores(faces: Rows, kinds: tuple[tuple[str, ...], ...], z: Array) -> None:
    """Vary media with a store: how much heat they hold, and what their heaters bring (see ``data/stores.toml``).

    Parameters
    ----------
    faces : rows of FACE
        Members × stages × faces; changed. Their media at the start are varied already.
    kinds : tuple of tuple of str
        What each stage's faces meet.
    z : ndarray (members, 2)
        Standard normal.
    """
    usual = {of: row for row in stores().values() for of in row["of"]}
    nominal = faces[0].copy()
    for i, row in enumerate(kinds):
        for j, kind in enumerate(row):
            own = faces[:, i, j]
            if nominal["capacity"][i, j] <= 0.0:
                continue
            power = np.exp(z[:, 1] * usual[kind]["power_ln"])
            own["capacity"] *= np.exp(z[:, 0] * usual[kind]["store_ln"])
            own["heater_w"] *= power
            own["gain"] *= power
            own["set_c"] += own["medium_c"] - nominal["medium_c"][i, j]
            if nominal["gain"][i, j] == 0.0:  # a burner that is left as it is
                own["hold_w"] *= power


def _lengths(s: Setup, off_mm: Array) -> Array:
    """Lengths in m, or stretches of a mesh, of pieces whose thickness or diameter is off by so many mm."""
    return np.asarray(s.length * np.maximum(1.0 + off_mm / 1000.0 / s.size, 0.3))


def as_portions(s: Setup, e: Ensemble, mean_c: Array) -> tuple[Setup, Ensemble]:
    """The portions that are cut from an ensemble's pieces, each at its piece's mean temperature.

    Parameters
    ----------
    s, e : Setup, Ensemble
        Of a plan in which the piece is cut.
    mean_c : ndarray (members,)
        °C; not-a-number of a member that gave up.
    """
    assert s.portion is not None  # as the caller has seen
    assert e.portion is not None
    portion = s.portion
    start = np.where(np.isfinite(mean_c), mean_c, s.start_c)
    m = e.members
    states = start_states(portion, start, m.c_scale)
    faces = np.ascontiguousarray(m.faces[:, s.cut_at :])
    return portion, Ensemble(m._replace(states=states, length=e.portion, faces=faces), start)


def stage_lengths(cook: Cook) -> list[float]:
    """How long each stage of a computed cook took, s."""
    return [stage.end_s - stage.start_s for stage in cook.stages]
