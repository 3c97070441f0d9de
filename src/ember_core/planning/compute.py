"""Computes a plan: heat, pull, rule, model and, when the plan asks, the forecast."""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass
from typing import Any

from ember_core.book.book import SPREADS, Book, shipped
from ember_core.doneness.shrinking import as_it_shrinks
from ember_core.errors import ComputationError
from ember_core.formats.result import document
from ember_core.heat.cook import Cook, run
from ember_core.heat.ensemble.forecast import MEMBER_CELLS, MEMBER_REFINE, Forecast, cautious_cook, forecast
from ember_core.heat.leg import BUDGET_S
from ember_core.heat.setup import Setup, setup
from ember_core.plan.finding import Finding
from ember_core.plan.plan import Plan
from ember_core.planning.birds import other_parts
from ember_core.planning.crowding import crowding
from ember_core.planning.remedies import remedies
from ember_core.planning.several import other_sizes
from ember_core.planning.sharing import in_turn, shared
from ember_core.planning.stays import Cooked, Kitchen
from ember_core.safety.conditions import in_force
from ember_core.safety.lethality import organisms
from ember_core.wording.message import say

SHRINKS = 0.985  # a piece that keeps more of its thickness is not computed as it draws together


@dataclass(frozen=True, eq=False)
class Outcome:
    """A plan computed: the nominal cook, the forecast if asked for, and the result document."""

    plan: Plan
    cook: Cook
    forecast: Forecast | None
    result: dict[str, Any]

    @property
    def findings(self) -> tuple[Finding, ...]:
        """The findings of the result."""
        return tuple(Finding.of(f) for f in self.result["findings"])


def newer_versions(plan: Plan, book: Book) -> list[Finding]:
    """What the book has in a newer version than the plan was made with, as findings; the plan goes on with its own."""
    out = []
    way, piece = plan.document.get("way", {}), plan.document["piece"]
    made_with = [
        ("way", way.get("id"), way.get("version")),
        ("cut", piece.get("cut"), piece.get("x-cut-version", 1)),
        ("rule", plan.rules, plan.document.get("x-rules-version", 1)),
        ("spread", SPREADS, plan.document.get("x-spreads-version", 1)),
    ]
    for kind, name, version in made_with:
        newest = book.newer(kind, name, version) if isinstance(name, str) and isinstance(version, int) else None
        if newest is not None:
            words = say(
                "The book has version {newest} of the {kind} {name!r}; this plan goes on with version {version}, as it "
                "was made.",
                newest=newest,
                kind=kind,
                name=name,
                version=version,
            )
            out.append(Finding("newer-version", "note", words, "the book"))
    return out


def spreads_of(document: Mapping[str, Any], book: Book) -> dict[str, float] | None:
    """The spreads that a plan document goes by: its own, over those of the book that it was made with; None: the shipped ones.

    Raises
    ------
    FormatError
        A version of them that the book does not have.
    """
    version = document.get("x-spreads-version", 1)
    own = dict((document.get("forecast") or {}).get("spreads") or {})
    if version == 1:
        return own or None
    return book.spreads(version if isinstance(version, int) else -1) | own


def compute(
    plan: Plan,
    *,
    with_forecast: bool | None = None,
    budget_s: float = BUDGET_S,
    book: Book | None = None,
    nominal: Cook | None = None,
    advice: bool = True,
) -> Outcome:
    """Compute a plan: heat, pull, rule, model and, when the plan asks, the forecast.

    Parameters
    ----------
    plan : Plan
    with_forecast : bool, optional
        Whether the forecast is computed; default as the plan says.
    budget_s : float
        What its nominal cook may cost, see :func:`ember_core.heat.cook.run`.
    book : Book, optional
        Looked into for newer versions of what the plan was made with; default the shipped one.
    nominal : Cook, optional
        Its nominal cook, where the same plan was computed just before.
    advice : bool
        Whether it is cooked again for what would do where a medium is crowded, and for one more tray.

    Raises
    ------
    InputError, ComputationError
    """
    rows: tuple[tuple[float, float], ...] = ()
    lethality = None
    for stage in plan.stages:
        if stage.until == "rule":
            rows = in_force(plan).rows()
        if stage.until == "log10":
            organism = organisms()[stage.organism]
            lethality = (organism.d_s, organism.at_c, organism.z_c)
    limits: dict[str, Any] = {"rows": rows, "lethality": lethality}
    sharing = shared(plan, limits, budget_s)  # what others take must be known again, even where the cook is
    made = setup(plan, **limits) if sharing is None else sharing.setup
    own = sharing.cook if sharing is not None else nominal
    cook = own or run(plan, made, budget_s=budget_s)
    others = other_parts(plan, cook, limits)
    like = () if sharing is None else sharing.like

    def of(one: Plan, **keywords: Any) -> Setup:
        return setup(one, **keywords) if sharing is None else sharing.setup_of(one, **keywords)

    if plan.rules is not None:
        others += other_sizes(plan, limits)
    ahead = None
    cautious: list[Cook] = []
    book = book or shipped()
    spreads = spreads_of(plan.document, book)
    asked = plan.forecast is not None if with_forecast is None else with_forecast
    if asked:
        options = plan.forecast or {}
        ahead = forecast(
            of(plan, cells=MEMBER_CELLS, refine=MEMBER_REFINE, **limits),
            plan.face_kinds,
            members=options.get("members", 256),
            seed=options.get("seed", 7),
            spreads=spreads,
            end_s=float(cook.t[-1]),
            pull_stage=cook.pull_stage,
            nominal_cook=cook,
        )
        if plan.rules is not None:
            deadly = organisms()["salmonella"]
            extremes = others if len(others) < 2 else (others[0], others[-1])
            for one, nominal in ((plan, cook), *extremes):
                d_value = (deadly.d_s, deadly.at_c, deadly.z_c)
                found = cautious_cook(
                    one,
                    of(one),
                    of(one, cells=MEMBER_CELLS, refine=MEMBER_REFINE, lethality=d_value),
                    one.face_kinds,
                    nominal,
                    members=options.get("members", 256),
                    seed=options.get("seed", 7),
                    spreads=spreads,
                )
                cautious.append(found)
    crowd = crowding(Cooked(plan, cook, made, sharing), Kitchen(limits, budget_s, advice), others)
    said = [*crowd.findings, *remedies(plan, cook, limits), *in_turn(plan, cook, like), *newer_versions(plan, book)]
    result = document(plan, cook, ahead, cautious, said, (*others, *like), crowd.steamed)
    if ahead is not None and sharing is None and plan.cut_at is None:
        _add_shrinking(plan, made, cook, result)
    if sharing is not None and sharing.also:
        steamed = [[one] for one in crowd.beside] or [[]] * len(sharing.also)
        result["also"] = [
            document(p, c, None, (), [], (), own) | {"x-in-s": round(in_s, 3)}
            for (p, c, in_s), own in zip(sharing.also, steamed, strict=True)
        ]
    return Outcome(plan, cook, ahead, result)


def _add_shrinking(plan: Plan, s: Setup, cook: Cook, result: dict[str, Any]) -> None:
    """Add to a result what a piece does that draws together as it loses its juice, where it loses enough to tell."""
    if result.get("outside", {}).get("thickness", 1.0) < SHRINKS:
        # it is advice: where a second cook cannot be computed, the first one stands
        with suppress(ComputationError):
            result["outside"]["shrinking"] = as_it_shrinks(plan, s, cook).beside(cook)
