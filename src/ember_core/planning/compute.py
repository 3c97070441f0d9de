"""Computes a plan: heat, pull, rule, model and, when the plan asks, the forecast."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from typing import Any

from ember_core.book.book import SPREADS, Book, shipped
from ember_core.doneness.eggs import egg_findings
from ember_core.doneness.outside import outside
from ember_core.doneness.shrinking import as_it_shrinks
from ember_core.errors import ComputationError
from ember_core.formats.result import PlanResult, document
from ember_core.heat.cook import Cook, run
from ember_core.heat.egg_states import is_egg, state_of
from ember_core.heat.ensemble.forecast import CAUTIOUS, MEMBER_CELLS, MEMBER_REFINE, Forecast, forecast, ranked_cooks
from ember_core.heat.setup import Setup, setup
from ember_core.heat.stage_run import BUDGET_S
from ember_core.plan.finding import Finding
from ember_core.plan.plan import Plan
from ember_core.plan.requirement import JUICELESS
from ember_core.planning.birds import other_parts
from ember_core.planning.crowding import Crowd, crowding
from ember_core.planning.medium_use import ComputeContext, CookedPlan
from ember_core.planning.remedies import remedies
from ember_core.planning.several import other_sizes
from ember_core.planning.sharing import Shared, in_turn, shared
from ember_core.safety.conditions import in_force
from ember_core.safety.growth import GROWS_LITTLE, growth_findings, growth_of
from ember_core.safety.lethality import organisms
from ember_core.safety.statement import Piece, state_rule
from ember_core.safety.whole_plan import Computed, decide
from ember_core.wording.message import say

SHRINKS = 0.985  # a piece that keeps more of its thickness is not computed as it draws together


@dataclass(frozen=True, eq=False)
class Outcome:
    """A plan computed: the nominal cook, the forecast if asked for, and the result document."""

    judged: PlanResult
    result: dict[str, Any]

    @property
    def plan(self) -> Plan:
        """What was asked."""
        return self.judged.plan

    @property
    def cook(self) -> Cook:
        """The nominal cook."""
        return self.judged.cook

    @property
    def forecast(self) -> Forecast | None:
        """The forecast, if it was asked for."""
        return self.judged.ahead

    @property
    def findings(self) -> tuple[Finding, ...]:
        """The findings of the result."""
        return self.judged.findings


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
    limits = stage_limits(plan)
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
    book = book or shipped()
    likely = LikelyPieces()
    if plan.forecast is not None if with_forecast is None else with_forecast:
        likely = _likely_pieces(plan, cook, others, of, limits, spreads_of(plan.document, book))
    crowd = crowding(CookedPlan(plan, cook, made, sharing), ComputeContext(limits, budget_s, advice), others)
    said = [*crowd.findings, *remedies(plan, cook, limits), *in_turn(plan, cook, like), *newer_versions(plan, book)]
    beside = () if sharing is None else tuple(as_piece(p, c) for p, c, _ in sharing.also)
    medium = "" if sharing is None else plan.stages[sharing.first].kind
    computed = Computed(
        as_piece(plan, cook),
        tuple(as_piece(p, c) for p, c in (*others, *like)),
        tuple(as_piece(p, c) for p, c in crowd.steamed),
        beside,
        likely.cautious,
        likely.share_met,
        medium,
    )
    also = () if sharing is None else _judge_beside(sharing, crowd, computed)
    shrinking = None
    if likely.ahead is not None and sharing is None and plan.cut_at is None:
        shrinking = _shrinking(plan, made, cook)
    found = judged(computed, likely.ahead, said, shrinking, also)
    return Outcome(found, document(found))


def stage_limits(plan: Plan) -> dict[str, Any]:
    """What stages of a plan wait for besides temperatures and minutes: the rule's ``rows`` and an organism's ``lethality``."""
    rows: tuple[tuple[float, float], ...] = ()
    lethality = None
    for stage in plan.stages:
        if stage.until == "rule":
            rows = in_force(plan).rows()
        if stage.until == "log10":
            organism = organisms()[stage.organism]
            lethality = (organism.d_s, organism.at_c, organism.z_c)
    return {"rows": rows, "lethality": lethality}


@dataclass(frozen=True, eq=False)
class LikelyPieces:
    """The likely pieces: their forecast, those at the cautious end, and the share that meets the rule; nothing where it was not asked."""

    ahead: Forecast | None = None
    cautious: tuple[Piece, ...] = ()
    share_met: float | None = None


def _likely_pieces(
    plan: Plan,
    cook: Cook,
    others: Sequence[tuple[Plan, Cook]],
    of: Callable[..., Setup],
    limits: Mapping[str, Any],
    spreads: Mapping[str, float] | None,
) -> LikelyPieces:
    """The forecast of a plan, and what its rule says of the likely pieces, of its own size and of the extreme ones."""
    options = plan.forecast or {}
    drawn: dict[str, Any] = {"members": options.get("members", 256), "seed": options.get("seed", 7), "spreads": spreads}
    small: dict[str, Any] = {"cells": MEMBER_CELLS, "refine": MEMBER_REFINE}
    ahead = forecast(
        of(plan, **small, **limits), plan.face_kinds, end_s=float(cook.t[-1]), pull_stage=cook.pull_stage, nominal_cook=cook, **drawn
    )  # fmt: skip
    cautious: list[Piece] = []
    shares = []
    if plan.rules is not None:
        deadly = organisms()["salmonella"]
        d_value = (deadly.d_s, deadly.at_c, deadly.z_c)
        extremes = others if len(others) < 2 else (others[0], others[-1])
        for one, nominal in ((plan, cook), *extremes):
            worse_than = ranked_cooks(
                one, of(one), of(one, **small, lethality=d_value), one.face_kinds, nominal, **drawn
            )
            cautious.append(as_piece(one, worse_than(CAUTIOUS)))
            shares.append(share_that_meets(one, cautious[-1], worse_than))
    return LikelyPieces(ahead, tuple(cautious), min(shares, default=None))


def _judge_beside(sharing: Shared, crowd: Crowd, computed: Computed) -> tuple[tuple[PlanResult, float], ...]:
    """What is said of each piece that shares the medium, and when it went in, s."""
    steamed = [[one] for one in crowd.beside] or [[]] * len(sharing.also)
    out = []
    for i, ((p, c, in_s), own_steamed) in enumerate(zip(sharing.also, steamed, strict=True)):
        rest = (computed.piece, *computed.beside[:i], *computed.beside[i + 1 :])
        of_them = tuple(as_piece(q, d) for q, d in own_steamed)
        theirs = Computed(as_piece(p, c), (), of_them, rest, shared_medium=computed.shared_medium)
        out.append((judged(theirs, None, []), in_s))
    return tuple(out)


SHARE_STEPS = 4  # so often the share of pieces that meet the rule is halved: to within 3 in 100


def share_that_meets(plan: Plan, cautious: Piece, worse_than: Callable[[float], Cook]) -> float:
    """The share of the likely pieces that meet their rule by the clock alone, 0 to 1; at the cautious end or better it is 0.95 or more.

    Parameters
    ----------
    plan : Plan
    cautious : Piece
        At the cautious end.
    worse_than : callable
        As :func:`ember_core.heat.ensemble.forecast.ranked_cooks` gives it.
    """

    def met(piece: Piece) -> bool:
        rule, _ = state_rule(piece.plan, piece.cook, piece.coloured)
        return rule is not None and rule["met"] is True

    if met(cautious):
        return 1.0 - CAUTIOUS
    if not met(as_piece(plan, worse_than(1.0 - CAUTIOUS))):
        return 0.0
    low, high = CAUTIOUS, 1.0 - CAUTIOUS
    for _ in range(SHARE_STEPS):
        middle = 0.5 * (low + high)
        low, high = (low, middle) if met(as_piece(plan, worse_than(middle))) else (middle, high)
    return 1.0 - high


def as_piece(plan: Plan, cook: Cook) -> Piece:
    """A computed piece with what colour its outsides took, where a clause may rest on that."""
    required = plan.required
    if plan.rules is None or plan.properties is not None or not required.whole or required.form in JUICELESS:
        return Piece(plan, cook)
    return Piece(plan, cook, tuple(face.seared for face in outside(plan, cook).faces))


def judged(
    computed: Computed,
    ahead: Forecast | None,
    said_of_plan: Sequence[Finding],
    shrinking: dict[str, Any] | None = None,
    also: tuple[tuple[PlanResult, float], ...] = (),
) -> PlanResult:
    """Let the rules decide on what was cooked, and say the rest of it.

    Parameters
    ----------
    computed : Computed
    ahead : Forecast or None
    said_of_plan : sequence of Finding
        What is said besides the cook's own findings and the rules'.
    shrinking, also
        As of :class:`ember_core.formats.result.PlanResult`.
    """
    plan, cook = computed.piece.plan, computed.piece.cook
    decision = decide(computed)
    findings = [*cook.findings, *said_of_plan, *decision.findings]
    if plan.rules is None and plan.properties is None and plan.required.species not in GROWS_LITTLE:
        findings += growth_findings(growth_of(cook))
    if ahead is not None and ahead.failed:
        words = say("{failed} members of the forecast gave up and are left out.", failed=ahead.failed)
        findings.append(Finding("members-failed", "care", words, "forecast"))
    egg = state_of(plan, cook) if is_egg(plan) else None
    if egg is not None:
        findings += egg_findings(plan, egg)
    of_outside = None
    if plan.properties is None and plan.required.form not in JUICELESS:
        of_outside = outside(plan, cook)
    return PlanResult(computed, decision, tuple(findings), ahead, egg, of_outside, shrinking, also)


def _shrinking(plan: Plan, s: Setup, cook: Cook) -> dict[str, Any] | None:
    """What a piece does that draws together as it loses its juice, where it loses enough to tell."""
    if (
        plan.properties is not None
        or plan.required.form in JUICELESS
        or outside(plan, cook).as_dict()["thickness"] >= SHRINKS
    ):
        return None
    # it is advice: where a second cook cannot be computed, the first one stands
    with suppress(ComputationError):
        return as_it_shrinks(plan, s, cook).beside(cook)
    return None
