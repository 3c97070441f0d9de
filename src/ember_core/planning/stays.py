"""What media with a store do while pieces lie in them, with the steam that a pan makes of their juice."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np

from ember_core.doneness.outside import Juice, shares_of
from ember_core.doneness.puddle import Puddle, puddle
from ember_core.errors import ComputationError
from ember_core.heat.arrays import Array
from ember_core.heat.cook import Cook, run
from ember_core.heat.findings import MOMENTS
from ember_core.heat.physics.boiling import boiling_point
from ember_core.heat.physics.stores import Store, kinds
from ember_core.heat.setup import Setup, setup, store_stated, stored_in, thermal_table
from ember_core.heat.solver.reservoir import store_in
from ember_core.heat.together import ROUGHLY_K, conductance
from ember_core.plan.plan import Plan
from ember_core.plan.requirement import JUICELESS
from ember_core.plan.shapes import volume_mm3
from ember_core.planning.sharing import Shared, shared

QUIET_C = 120.0  # a pan below hisses no more; common practice (butter foams, water leaves slowly)
TOO_LONG_S = 60.0  # so long without a hiss, or with juice standing in it, and what lies in a pan boils; common practice
PUDDLE = 0.01  # of the pieces' mass: so much juice is a film of some tenths of a millimetre under them; an estimate
BACK = 1.0 / 6.0  # of the fall that is no harm yet: a medium this near to where it began is back
SAME_S = 1e-6


class Cooked(NamedTuple):
    """A plan as it cooks; ``sharing`` where its pieces share a medium unalike."""

    plan: Plan
    cook: Cook
    sharing: Shared | None

    @property
    def setup(self) -> Setup:
        """Of the plan; of its first piece alone, where pieces are laid in one after another."""
        return setup(self.plan) if self.sharing is None else self.sharing.setup


class Kitchen(NamedTuple):
    """How plans are cooked again: keywords of :func:`ember_core.heat.setup.setup`, and s of computing for each run."""

    limits: Mapping[str, Any]
    budget_s: float | None

    def cooked(self, plan: Plan) -> Cooked | None:
        """A plan as it cooks; None where that cannot be computed."""
        try:
            sharing = shared(plan, self.limits, self.budget_s, tol=ROUGHLY_K)
            cook = run(plan, setup(plan, **self.limits), budget_s=self.budget_s) if sharing is None else sharing.cook
        except ComputationError:
            return None
        return Cooked(plan, cook, sharing)


class Lying(NamedTuple):
    """Pieces that lie in a medium alike: how they cook, when they are laid in (s from the first), and how many they are."""

    plan: Plan
    cook: Cook
    in_s: float
    many: int
    first: int  # the stages through which they lie in it
    last: int


@dataclass(frozen=True, eq=False)
class Stay:
    """What a medium with a store did while pieces lay in it, through the stages in which it goes on.

    Attributes
    ----------
    plan : Plan
    first, last : int
        These stages.
    stated : mapping
        The store as the plan has it.
    store : Store
        As it begins.
    t, computed : ndarray (moments,)
        s from its begin; °C, as the plan's cook has it.
    puddle : Puddle or None
        Of a pan that begins hot enough to sear: its juice turns to steam, which cools it, and which the cook leaves out.
    pieces_kg : float
        What lies in it.
    """

    plan: Plan
    first: int
    last: int
    stated: Mapping[str, Any]
    store: Store
    t: Array
    computed: Array
    puddle: Puddle | None
    pieces_kg: float

    @property
    def kind(self) -> str:
        """The kind of the store."""
        return str(self.stated["kind"])

    @property
    def no_harm_k(self) -> float:
        """A fall that is no harm yet, K."""
        return float(kinds()[self.kind]["drop_k"])

    @property
    def medium(self) -> Array:
        """Its temperature with what steam takes, °C."""
        return self.computed if self.puddle is None else self.computed - self.puddle.cooler

    @property
    def drop_k(self) -> float:
        """How far it falls, K."""
        return float(self.medium[0] - self.medium.min())

    @property
    def by_steam_k(self) -> float:
        """How much of that is by the steam of their juice, K."""
        return self.drop_k - float(self.computed[0] - self.computed.min())

    @property
    def back_s(self) -> float | None:
        """When it is back, s from its begin; None: not while the pieces lie in it."""
        medium, wanted = self.medium, float(self.medium[0]) - BACK * self.no_harm_k
        lowest = int(medium.argmin())
        back = lowest + np.flatnonzero(medium[lowest:] >= wanted)
        if not back.size:
            return None
        last = max(int(back[0]), 1)
        return float(np.interp(wanted, medium[last - 1 : last + 1], self.t[last - 1 : last + 1]))

    @property
    def quiet_s(self) -> float:
        """How long a pan that began hotter is too cold to hiss, s."""
        if self.kind != "pan" or self.medium[0] < QUIET_C:
            return 0.0
        return float(np.diff(self.t)[self.medium[:-1] < QUIET_C].sum())

    @property
    def in_juice_s(self) -> float:
        """How long they lie in their juice, s."""
        return 0.0 if self.puddle is None else self.puddle.stands_s(PUDDLE * self.pieces_kg)

    @property
    def crowded(self) -> bool:
        """It is too much for the medium."""
        return self.drop_k > self.no_harm_k or max(self.quiet_s, self.in_juice_s) > TOO_LONG_S


def count_in(plan: Plan, stated: Mapping[str, Any]) -> int:
    """How many pieces of a plan lie in a store."""
    return int(stated.get("pieces", plan.document["piece"].get("count", 1)))


def _lying(now: Cooked, first: int, last: int, stated: Mapping[str, Any]) -> list[Lying]:
    """What lies in the store of these stages, the plan's own first piece first."""
    plan, cook, sharing = now
    count = count_in(plan, stated)
    if sharing is None:
        return [Lying(plan, cook, 0.0, count, first, last)]
    if sharing.like:
        apart = float(stated.get("lay_in_every_s", 0.0))
        pieces = [(plan, cook), *sharing.like]
        return [Lying(one, its, k * apart, 1, first, last) for k, (one, its) in enumerate(pieces)]
    begin = cook.stages[first].start_s
    others = [Lying(one, its, in_s - begin, count_in(one, {}), 0, 0) for one, its, in_s in sharing.also]
    return [Lying(plan, cook, 0.0, count, first, first), *others]


def stays_of(plan: Plan) -> list[tuple[int, int, Store]]:
    """The stages through which each medium with a store goes on: first and last, and the store as it begins."""
    boil_c, density = boiling_point(plan.altitude_m), thermal_table(plan).density
    out: list[tuple[int, int, Store]] = []
    for i in range(len(plan.stages)):
        store = stored_in(plan, i, boil_c, density)
        if store.capacity <= 0.0:
            continue
        if store.holds and out and out[-1][1] == i - 1:
            out[-1] = (out[-1][0], i, out[-1][2])
        else:
            out.append((i, i, store))
    return out


def stay_of(now: Cooked, first: int, last: int, store: Store) -> Stay | None:
    """What the medium of these stages did; None where it is not known."""
    stated = store_stated(now.plan.stages[first])
    assert stated is not None
    inside, made = _lying(now, first, last, stated), now.setup
    moments, temperatures, liquids, whole_kg = [], [], [], 0.0
    for one in inside:
        begin, end = one.cook.stages[one.first].start_s, one.cook.stages[one.last].end_s
        at = (one.cook.t >= begin - SAME_S) & (one.cook.t <= end + SAME_S)
        medium, kg = one.cook.medium[at].copy(), mass_kg(one.plan) * one.many
        if one is inside[0]:  # what is recorded as it is laid in is the medium of the stage before, or none
            medium[0] = store_in(made.schedule.faces[first])[0].t_c
        moments.append(one.cook.t[at] - begin + one.in_s)
        temperatures.append(medium)
        liquids.append(kg * _liquid(one)[at])
        whole_kg += kg
    all_of_them = np.concatenate(temperatures)
    t, index = np.unique(np.concatenate(moments).round(6)[np.isfinite(all_of_them)], return_index=True)
    medium = all_of_them[np.isfinite(all_of_them)][index]
    if t.size < MOMENTS:
        return None
    stands, boil_c = None, boiling_point(now.plan.altitude_m)
    if stated["kind"] == "pan" and medium[0] > max(QUIET_C, boil_c):
        liquid = np.sum([np.interp(t, own, kg - kg[0]) for own, kg in zip(moments, liquids, strict=True)], axis=0)
        stands = puddle(t, medium, liquid, store, boil_c, _by_degree(made, inside))
    return Stay(now.plan, first, last, stated, store, t, medium, stands, whole_kg)


def _by_degree(made: Setup, inside: Sequence[Lying]) -> float:
    """What lies in a store takes by degree, W/K; ``made`` is the first one's setup."""
    each = [made, *(setup(one.plan) for one in inside[1:])]
    return sum(conductance(s, one.first) for s, one in zip(each, inside, strict=True))


def mass_kg(plan: Plan) -> float:
    """What one of a plan's pieces weighs, kg."""
    own = plan.document["piece"].get("mass_g")
    return own / 1000.0 if own else volume_mm3(plan.shape)[0] * 1e-9 * float(thermal_table(plan).density)


def _liquid(one: Lying) -> Array:
    """Juice that pieces let go and that has not evaporated off themselves so far, as a share of their mass, by their cook's times."""
    plan, cook = one.plan, one.cook
    if plan.required.form in JUICELESS:
        return np.zeros(cook.t.size)
    shares = shares_of(cook.depth, cook.closed, plan.shape["kind"])
    return np.maximum(Juice.of(plan, shares).along(cook.t, cook.field) - cook.vapour_lost, 0.0)
