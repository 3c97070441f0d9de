"""What media with a store do while pieces lie in them, with the steam that a pan makes of their juice."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ember_core.constants import LATENT_BOILING
from ember_core.doneness.outside import Juice, shares_of
from ember_core.doneness.pan_juice import PanJuice, cooled_by, juice_in_pan
from ember_core.errors import ComputationError
from ember_core.heat.arrays import Array
from ember_core.heat.cook import Cook, run
from ember_core.heat.findings import MOMENTS
from ember_core.heat.physics.boiling import boiling_point
from ember_core.heat.physics.stores import Store, kinds
from ember_core.heat.setup import Setup, setup, store_stated, stored_in, thermal_table
from ember_core.heat.shared_medium import ROUGHLY_K, HeatTaken, and_taken, conductance
from ember_core.heat.solver.reservoir import store_in
from ember_core.plan.plan import Plan
from ember_core.plan.requirement import JUICELESS
from ember_core.plan.shapes import volume_mm3
from ember_core.planning.sharing import Shared, doors_of, shared

QUIET_C = 120.0  # a pan below hisses no more; common practice (butter foams, water leaves slowly)
TOO_LONG_S = 60.0  # so long without a hiss, or with juice standing in it, and what lies in a pan boils; common practice
PUDDLE = 0.01  # of the pieces' mass: so much juice is a film of some tenths of a millimetre under them; an estimate
WORTH_A_WORD = 1.0 / 3.0  # of the fall that is no harm yet: a smaller one is not told
BACK = 1.0 / 6.0  # of the fall that is no harm yet: a medium this near to where it began is back
SAME_S = 1e-6
STEAM_STEP_S, EVEN_S = 5.0, 20.0  # so close together is what steam takes told to the solver
STEAM_TURNS = 2  # most that a pan is computed with it
MOST_ROWS = 120  # of a cook are enough to follow juice by: it comes out within minutes
ADVICE_RUNS = 20  # as many does an advice take, or somewhat more
LITTLE_K = 2.0  # less by steam is left out, and so nearly turns agree


class CookedPlan(NamedTuple):
    """A plan as it cooks, and by which setup its first piece does; ``sharing`` where its pieces share a medium unalike."""

    plan: Plan
    cook: Cook
    setup: Setup
    sharing: Shared | None


class ComputeContext(NamedTuple):
    """How plans are cooked again: keywords of :func:`ember_core.heat.setup.setup`, s of computing for each run, and whether for advice too."""

    limits: Mapping[str, Any]
    budget_s: float | None
    advises: bool = True

    def for_advice(self) -> ComputeContext:
        """The same for one of the many runs of an advice: together they may cost no more than the plan."""
        return self if self.budget_s is None else self._replace(budget_s=self.budget_s / ADVICE_RUNS)

    def cooked(self, plan: Plan, taken: Sequence[HeatTaken] = ()) -> CookedPlan | None:
        """A plan as it cooks; None where that cannot be computed.

        Parameters
        ----------
        plan : Plan
        taken : sequence of HeatTaken
            What the medium that its pieces share loses besides, by the clock of its stage.
        """
        try:
            sharing = shared(plan, self.limits, self.budget_s, tol=ROUGHLY_K, taken=taken)
            if sharing is not None:
                return CookedPlan(plan, sharing.cook, sharing.setup, sharing)
            own = setup(plan, **self.limits)
            return CookedPlan(plan, run(plan, own, budget_s=self.budget_s), own, None)
        except ComputationError:
            return None

    def steamed(self, now: CookedPlan, stays: Sequence[MediumUse]) -> CookedPlan | None:
        """A plan as it cooks in pans that the steam of juice cools; None where there is none, or it cannot be computed."""
        told = [(s.first, steam_of(s.puddle)) for s in stays if s.puddle is not None]
        if not told:
            return None
        together = [] if now.sharing is None else [one for first, one in told if first == now.sharing.first]
        # pieces that share a medium see what it loses all together; another is the first piece's own
        found = self.cooked(now.plan, together) if together else now
        own = [(first, one) for first, one in told if now.sharing is None or first != now.sharing.first]
        if found is None or not own:
            return found
        taken = [replace(one, t=one.t + now.cook.stages[first].start_s) for first, one in own]
        made = replace(found.setup, others=and_taken(found.setup.others, taken))
        opened, doors = doors_of(now.plan) or (0, [])
        stops = [now.cook.stages[opened].start_s + v for door in doors for v in (door.t[0], door.t[-1])]
        try:
            return found._replace(cook=run(now.plan, made, budget_s=self.budget_s, stops=stops), setup=made)
        except ComputationError:
            return None


class PieceInMedium(NamedTuple):
    """Pieces that lie in a medium alike: how they cook, when they are laid in (s from the first), and how many they are."""

    plan: Plan
    cook: Cook
    in_s: float
    many: int
    first: int  # the stages through which they lie in it
    last: int


@dataclass(frozen=True, eq=False)
class MediumUse:
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
    t, computed, medium : ndarray (moments,)
        s from its begin; °C, as the plan's cook has it, which leaves the steam of juice out; °C with that steam.
    puddle : PanJuice or None
        Of a pan that begins hot enough to sear.
    pieces_kg : float
        What lies in it.
    follows : float
        By so much of what its h and area say does what lies in it take less of a colder pan, 0 to 1.
    """

    plan: Plan
    first: int
    last: int
    stated: Mapping[str, Any]
    store: Store
    t: Array
    computed: Array
    medium: Array
    puddle: PanJuice | None
    pieces_kg: float
    follows: float = 1.0

    @property
    def kind(self) -> str:
        """The kind of the store."""
        return str(self.stated["kind"])

    @property
    def no_harm_k(self) -> float:
        """A fall that is no harm yet, K."""
        return float(kinds()[self.kind]["drop_k"])

    @property
    def drop_k(self) -> float:
        """How far it falls, K."""
        return _fall(self.medium)

    @property
    def by_steam_k(self) -> float:
        """How much of that is by the steam of their juice, K."""
        return self.drop_k - _fall(self.computed)

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
        return not self.holds(1.0)

    def holds(self, share: float) -> bool:
        """Whether it falls no further, and is no longer too cold, than that share of what is no harm yet."""
        return self.drop_k <= share * self.no_harm_k and max(self.quiet_s, self.in_juice_s) <= share * TOO_LONG_S


def count_in(plan: Plan, stated: Mapping[str, Any]) -> int:
    """How many pieces of a plan lie in a store."""
    return int(stated.get("pieces", plan.document["piece"].get("count", 1)))


def _stated(plan: Plan, first: int) -> Mapping[str, Any]:
    """The store of a stage that has one."""
    return store_stated(plan.stages[first]) or {}


def _lying(now: CookedPlan, first: int, last: int) -> list[PieceInMedium]:
    """What lies in the store of these stages, the plan's own first piece first."""
    plan, cook, sharing = now.plan, now.cook, now.sharing
    stated = _stated(plan, first)
    count = count_in(plan, stated)
    if sharing is None or sharing.first != first:
        return [PieceInMedium(plan, cook, 0.0, count, first, last)]
    if sharing.like:
        apart = float(stated.get("lay_in_every_s", 0.0))
        pieces = [(plan, cook), *sharing.like]
        return [PieceInMedium(one, its, k * apart, 1, first, last) for k, (one, its) in enumerate(pieces)]
    begin = cook.stages[first].start_s
    others = [PieceInMedium(one, its, in_s - begin, count_in(one, {}), 0, 0) for one, its, in_s in sharing.also]
    return [PieceInMedium(plan, cook, 0.0, count, first, first), *others]


def medium_uses_of(plan: Plan) -> list[tuple[int, int, Store]]:
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


class _Seen(NamedTuple):
    """What a cook shows of a stay."""

    t: Array  # s from its begin
    medium: Array  # °C
    liquid: Array  # juice that has run out, kg
    pieces_kg: float
    by_degree: float  # what all take by degree by their h and area, W/K
    taken: Array  # W, by the pieces that lie in it first
    taken_by_degree: float  # of these, W/K


def _seen(now: CookedPlan, first: int, last: int) -> _Seen | None:
    """What a cook shows of these stages; None where next to nothing is recorded of them."""
    inside, made = _lying(now, first, last), now.setup
    moments, temperatures, liquids, whole_kg = [], [], [], 0.0
    for one in inside:
        begin, end = one.cook.stages[one.first].start_s, one.cook.stages[one.last].end_s
        at = (one.cook.t >= begin - SAME_S) & (one.cook.t <= end + SAME_S)
        medium, kg = one.cook.medium[at].copy(), mass_kg(one.plan) * one.many
        if one is inside[0]:  # what is recorded as it is laid in is the medium of the stage before, or none
            medium[0] = store_in(made.schedule.faces[first])[0].t_c
            first_at = at
        moments.append(one.cook.t[at] - begin + one.in_s)
        temperatures.append(medium)
        # a place that dries lets go all its water at once, which then evaporates: only what is never less again has run out
        liquids.append(kg * np.minimum.accumulate(_liquid(one)[at][::-1])[::-1])
        whole_kg += kg
    medium = np.concatenate(temperatures)
    known = np.isfinite(medium)
    t, index = np.unique(np.concatenate(moments).round(6)[known], return_index=True)
    if t.size < MOMENTS:
        return None
    medium = medium[known][index]
    some = np.union1d(thinned(t), [int(medium.argmin())])
    t, medium = t[some], medium[some]
    liquid = np.sum([np.interp(t, own, kg - kg[0]) for own, kg in zip(moments, liquids, strict=True)], axis=0)
    each = [made, *(setup(one.plan) for one in inside[1:])]
    by_degree = [conductance(s, one.first) for s, one in zip(each, inside, strict=True)]
    return _Seen(
        t, medium, liquid, whole_kg, float(sum(by_degree)), np.interp(t, moments[0], inside[0].cook.taken[first_at]), by_degree[0],
    )  # fmt: skip


def medium_use_of(
    now: CookedPlan, first: int, last: int, store: Store, kitchen: ComputeContext, follows: float | None = None
) -> MediumUse | None:
    """What the medium of these stages did; None where it is not known.

    A hot pan is computed with the steam of the juice in turns: what the steam takes is put among what lies in it, the piece cooks
    again, and what the pan can turn to steam is found anew.

    Parameters
    ----------
    now : CookedPlan
    first, last : int
    store : Store
        As of :func:`medium_uses_of`.
    kitchen : ComputeContext
    follows : float, optional
        That of a stay like it, which stands for the turns.
    """
    seen, boil_c = _seen(now, first, last), boiling_point(now.plan.altitude_m)
    if seen is None:
        return None
    stated = _stated(now.plan, first)
    stay = MediumUse(now.plan, first, last, stated, store, seen.t, seen.medium, seen.medium, None, seen.pieces_kg)
    if stated["kind"] != "pan" or seen.medium[0] <= max(QUIET_C, boil_c):
        return stay
    share = 1.0 if follows is None else follows
    stands = juice_in_pan(seen.t, seen.medium, seen.liquid, store, boil_c, share * seen.by_degree)
    stay = replace(stay, medium=stands.medium, puddle=stands, follows=share)
    if follows is not None:
        return stay
    worst = juice_in_pan(
        seen.t, seen.medium, seen.liquid, store, boil_c, 0.0
    )  # what lies in it takes no less of a colder pan
    if _fall(worst.medium) < WORTH_A_WORD * stay.no_harm_k:
        return stay
    turns = STEAM_TURNS if now.sharing is None else 1  # one of pieces that share a medium costs tens of runs
    for _ in range(turns):
        again = kitchen.steamed(now, [stay])
        then = None if again is None else _seen(again, first, last)
        if then is None:
            break
        share, was = _follows(seen, then), stay.medium
        computed, steam = (np.interp(then.t, stay.t, x) for x in (stay.computed, stands.steam))
        by_degree = share * then.by_degree
        off = then.medium - computed + cooled_by(then.t, computed, steam, store, by_degree)
        stands = juice_in_pan(then.t, computed, then.liquid, store, boil_c, by_degree, off)
        close = np.abs(stands.medium - np.interp(then.t, stay.t, was)).max() < LITTLE_K
        stay = replace(stay, t=then.t, computed=computed, medium=stands.medium, puddle=stands, follows=share)
        if close:
            break
    return stay


def _follows(seen: _Seen, then: _Seen) -> float:
    """By how much of its h and area what lies in a pan took less of it when it was colder, 0 to 1."""
    less = seen.taken - np.interp(seen.t, then.t, then.taken)
    colder = seen.medium - np.interp(seen.t, then.t, then.medium)
    whole = float(np.trapezoid(colder, seen.t)) * seen.taken_by_degree
    return float(np.clip(np.trapezoid(less, seen.t) / whole, 0.0, 1.0)) if whole > 0.0 else 1.0


def _fall(medium: Array) -> float:
    """How far a medium falls, K."""
    return float(medium[0] - medium.min())


def steam_of(stands: PanJuice) -> HeatTaken:
    """What a pan gives to the steam of what stands in it, by the clock of its stay, evened out over :data:`EVEN_S`."""
    end = float(stands.t[-1])
    t = np.linspace(0.0, end, max(int(end / STEAM_STEP_S), 2))
    early, late = np.maximum(t - 0.5 * EVEN_S, 0.0), np.minimum(t + 0.5 * EVEN_S, end)
    steam = np.interp(late, stands.t, stands.steam) - np.interp(early, stands.t, stands.steam)
    return HeatTaken(t, 0.0, -LATENT_BOILING * steam / (late - early))


def mass_kg(plan: Plan) -> float:
    """What one of a plan's pieces weighs, kg."""
    own = plan.document["piece"].get("mass_g")
    return own / 1000.0 if own else volume_mm3(plan.shape)[0] * 1e-9 * float(thermal_table(plan).density)


def _liquid(one: PieceInMedium) -> Array:
    """Juice that pieces let go and that has not evaporated off themselves so far, as a share of their mass, by their cook's times."""
    plan, cook = one.plan, one.cook
    if plan.required.form in JUICELESS:
        return np.zeros(cook.t.size)
    some = thinned(cook.t)
    shares = shares_of(cook.depth, cook.closed, plan.shape["kind"])
    gone = Juice.of(plan, shares).along(cook.t[some], cook.field[some]) - cook.vapour_lost[some]
    return np.interp(cook.t, cook.t[some], np.maximum(gone, 0.0))


def thinned(t: Array) -> NDArray[np.intp]:
    """Which of rising moments are enough to follow juice by: the first, the last, and about :data:`MOST_ROWS` between."""
    apart = (t[-1] - t[0]) / MOST_ROWS
    return np.unique(np.append(np.searchsorted(t, np.arange(t[0], t[-1], max(apart, SAME_S))), t.size - 1))
