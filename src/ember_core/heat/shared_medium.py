"""Several pieces in one medium with a store: laid in one after another, or different ones; each cooks, all cool it.

Every piece is run by itself with the medium as its own unknown, while what the others take from it is known from the turn
before as a straight line of its temperature: ``G T - A`` with G their conductance. Turn by turn (waveform relaxation, Lelarasmee
1982, from memory) all runs come to see one and the same medium; because the others' taking follows the temperature, a few
turns are enough.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ember_core.errors import ComputationError
from ember_core.heat.arrays import Array
from ember_core.heat.cook import Cook, run
from ember_core.heat.geometry.grid import Grid
from ember_core.heat.setup import Setup
from ember_core.heat.solver.reservoir import course, store_in
from ember_core.heat.solver.types import Others
from ember_core.plan.plan import Plan
from ember_core.wording.message import say

MOST_TURNS = 12
AGREE_K, AGREE_S = 0.05, 0.2  # the runs see the same medium, root mean square, and end their stages alike within this
AGREE_SHARE = (
    5e-4  # or, where that is more, within so much of the time: a long pull wanders by 0.3 s in 1,500, by measuring
)
SAME_K = 0.01  # or each saw what all together make of it, so nearly
ROUGHLY_K = 0.3  # tolerance of the runs from which the first turn begins
# and of a slab's with a crust afterwards: with 0.05 its pulls wander from turn to turn, and 20 of 150 random pans came to no end; with this none
CRUST_K = 2e-2
INSTANT_S = 1e-6  # a piece is in the medium from so long after it is laid in
MOST_MOMENTS = 4000  # of the medium's own course
SHORTEST_S = 0.5


@dataclass(frozen=True, eq=False)
class Sharer:
    """A piece among those that share a medium.

    Attributes
    ----------
    plan, setup : Plan, Setup
        Its own, from when it is laid in; its store holds this piece alone.
    first, last : int
        The stages in which it lies in the medium.
    in_s : float
        When it is laid in, s from the first one.
    """

    plan: Plan
    setup: Setup
    first: int
    last: int
    in_s: float


@dataclass(frozen=True, eq=False)
class SharedCook:
    """What became of pieces that share a medium: their cooks, each on its own clock, and the setups that give them again.

    ``t`` and ``medium`` are the medium's course: s from the first piece, °C.
    """

    cooks: tuple[Cook, ...]
    setups: tuple[Setup, ...]
    t: Array
    medium: Array


@dataclass(frozen=True, eq=False)
class HeatTaken:
    """What one piece, or an open door, takes: ``by_degree`` T - ``at``, from ``t[0]`` to ``t[-1]`` of the first piece's clock; W/K and W."""

    t: Array
    by_degree: float
    at: Array

    def of(self, moments: Array) -> tuple[Array, Array]:
        """At other moments; nothing before it is laid in and after it is taken out."""
        within = (moments >= self.t[0]) & (moments <= self.t[-1])
        return np.where(within, self.by_degree, 0.0), np.where(within, np.interp(moments, self.t, self.at), 0.0)


def conductance(s: Setup, i: int) -> float:
    """What all pieces of a setup take by degree of their medium at the most, W/K: h times the faces that lie in it.

    Parameters
    ----------
    s : Setup
    i : int
        The stage.
    """
    faces = s.schedule.faces[i]
    stored = faces["capacity"] > 0.0
    if not stored.any():
        return 0.0
    volume = float(faces["pieces_m3"][stored].max())
    return float(faces["h"][stored].max() * volume / max(s.size, 1e-4) * stored[:2].sum().clip(1))


def _stay(sharer: Sharer, cook: Cook) -> tuple[float, NDArray[np.bool_]]:
    """When a piece is laid in, s on its own clock, and which of its recorded moments lie in the medium."""
    begin, end = cook.stages[sharer.first].start_s, cook.stages[sharer.last].end_s
    return begin, (cook.t >= begin - 1e-9) & (cook.t <= end + 1e-9) & np.isfinite(cook.medium)


def _taking(sharer: Sharer, cook: Cook) -> HeatTaken:
    """What a piece took along its cook."""
    begin, within = _stay(sharer, cook)
    t, medium, taken = cook.t[within], cook.medium[within], cook.taken[within].copy()
    if t.size > 1:
        taken[0] = taken[1]  # as a piece is laid in nothing has been recorded yet
    by_degree = conductance(sharer.setup, sharer.first)
    return HeatTaken(t - begin + sharer.in_s + INSTANT_S, by_degree, by_degree * medium - taken)


def _others(all_of_them: Sequence[HeatTaken], own: int, from_s: float) -> Others:
    """What all but one take, on that one's clock, which begins at ``from_s``."""
    found = taken_by([x for i, x in enumerate(all_of_them) if i != own])
    return found._replace(t=found.t - from_s)


def taken_by(takings: Sequence[HeatTaken]) -> Others:
    """What several take together, by the clock of their own times."""
    rest = [x for x in takings if x.t.size > 1]
    if not rest:
        return Others(np.empty(0), np.empty(0), np.empty(0))
    edges = [v for x in rest for v in (x.t[0] - INSTANT_S, x.t[0], x.t[-1], x.t[-1] + INSTANT_S)]
    moments = np.unique(np.concatenate([*(x.t for x in rest), edges]))
    told = [x.of(moments) for x in rest]
    return Others(moments, np.sum([g for g, _ in told], axis=0), np.sum([a for _, a in told], axis=0))


def and_taken(others: Others, takings: Sequence[HeatTaken]) -> Others:
    """What else lies in a piece's media, and what more they lose, by the piece's clock."""
    more = taken_by(takings)
    if not others.t.size or not more.t.size:
        return others if others.t.size else more
    moments = np.union1d(others.t, more.t)
    by_degree, at = (
        sum(np.interp(moments, x.t, column) for x, column in pairs)
        for pairs in (((others, others.by_degree), (more, more.by_degree)), ((others, others.at), (more, more.at)))
    )
    return Others(moments, np.asarray(by_degree), np.asarray(at))


def _course(
    sharers: Sequence[Sharer], pieces: Sequence[HeatTaken], begin_c: float, doors: Sequence[HeatTaken]
) -> tuple[Array, Array]:
    """The medium's own course by what all take: times, s, and °C (its energy balance)."""
    end = max(float(x.t[-1]) for x in pieces)
    takings = [*pieces, *doors]
    edges = [v for x in takings for v in (x.t[0] - INSTANT_S, x.t[0], x.t[-1], x.t[-1] + INSTANT_S)]
    even = np.linspace(0.0, end, int(np.clip(end / SHORTEST_S, 2, MOST_MOMENTS)))
    t = np.unique(np.concatenate([even, [v for v in edges if 0.0 <= v <= end]]))
    by_degree, at = (np.sum(x, axis=0) for x in zip(*(x.of(t) for x in takings), strict=True))
    store = store_in(sharers[0].setup.schedule.faces[sharers[0].first])
    medium = np.full(t.size, begin_c)
    course(store, t, by_degree, at, medium)
    return t, medium


def cook_together(
    sharers: Sequence[Sharer],
    *,
    doors: Sequence[HeatTaken] = (),
    tol: float | None = None,
    budget_s: float | None = None,
) -> SharedCook:
    """Cook pieces that share a medium with a store.

    Parameters
    ----------
    sharers : sequence of Sharer
        The first one's clock counts; it is in the medium from its begin.
    doors : sequence of HeatTaken
        What the medium loses while its door stands open, or to steam; no run steps over the moments when that begins and ends.
    tol, budget_s : float
        As of :func:`ember_core.heat.cook.run`, for each run.

    Raises
    ------
    ComputationError
        Of a piece that cannot be computed, or when the runs do not come to agree.
    """
    begin = float(store_in(sharers[0].setup.schedule.faces[sharers[0].first])[0].t_c)
    setups = [s.setup for s in sharers]
    tols = [CRUST_K if tol is None and s.setup.crusts and isinstance(s.setup.grid, Grid) else tol for s in sharers]
    cooks = [run(s.plan, s.setup, tol=ROUGHLY_K if tol is None else tol, budget_s=budget_s) for s in sharers]
    takings = [_taking(s, c) for s, c in zip(sharers, cooks, strict=True)]
    t, medium = _course(sharers, takings, begin, doors)
    ends = _ends(cooks)
    close = AGREE_K if tol is None else max(AGREE_K, 0.5 * tol)  # steps that coarse know the medium no better
    for _ in range(MOST_TURNS):
        for i, s in enumerate(sharers):
            since = s.in_s - cooks[i].stages[s.first].start_s
            others = _others([*takings, *doors], i, since)
            setups[i] = replace(_begun_at(s, float(np.interp(s.in_s, t, medium))), others=others)
            stops = [v - since for door in doors for v in (door.t[0], door.t[-1])]
            cooks[i] = run(s.plan, setups[i], tol=tols[i], budget_s=budget_s, stops=[v for v in stops if v > 0.0])
            takings[i] = _taking(s, cooks[i])
        before = medium
        t_now, now = _course(sharers, takings, begin, doors)
        off = float(np.sqrt(np.mean((np.interp(t, t_now, now) - before) ** 2)))
        ends, were = _ends(cooks), ends
        t, medium = t_now, now
        steady = bool((np.abs(ends - were) < np.maximum(AGREE_S, AGREE_SHARE * ends)).all())
        if (off < close and steady) or _apart(sharers, cooks, t, medium) < SAME_K:
            return SharedCook(tuple(cooks), tuple(setups), t, medium)
    raise ComputationError(
        say(
            "Stage {value} ({kind}): the pieces and what they share do not come to agree. Give a heavier medium, or fewer pieces.",
            value=sharers[0].first + 1,
            kind=sharers[0].plan.stages[sharers[0].first].kind,
        ),
        path=f"/stages/{sharers[0].first}/store",
    )


def _apart(sharers: Sequence[Sharer], cooks: Sequence[Cook], t: Array, medium: Array) -> float:
    """By how much any run's own medium is off from the common one, root mean square over its stay, K."""
    worst = 0.0
    for s, cook in zip(sharers, cooks, strict=True):
        begin, within = _stay(s, cook)
        off = np.interp(cook.t[within] - begin + s.in_s, t, medium) - cook.medium[within]
        worst = max(worst, float(np.sqrt(np.mean(off**2))) if off.size else 0.0)
    return worst


def _ends(cooks: Sequence[Cook]) -> Array:
    """When all stages end, s."""
    return np.array([stage.end_s for c in cooks for stage in c.stages])


def _begun_at(sharer: Sharer, medium_c: float) -> Setup:
    """A piece's setup with the medium as it finds it."""
    s = sharer.setup
    faces = s.schedule.faces.copy()
    stored = faces["capacity"][sharer.first] > 0.0
    faces["medium_c"][sharer.first, stored] = medium_c
    return replace(s, schedule=s.schedule._replace(faces=faces))
