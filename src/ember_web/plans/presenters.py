"""What the pages of a plan show: a computed plan on the kitchen's clock, in words and drawn."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from ember_core.book.book import Book
from ember_core.book.foods import food_row
from ember_core.heat.ensemble.sensitivity import sensitivities
from ember_core.plan.finding import Finding, Level
from ember_core.planning.compute import Outcome
from ember_core.planning.moves import moves
from ember_core.safety.rules import profile_of
from ember_core.safety.verdict import Standing, eats, standing
from ember_core.wording.message import N_
from ember_web.tenancy.models import Kitchen
from ember_web.tenancy.voice import current, tell
from ember_web.ui.drawing import Picture, draw
from ember_web.ui.templatetags.ember import span


@dataclass(frozen=True)
class View:
    """All that the Plan page shows of one computed plan."""

    outcome: Outcome
    moves: list[dict[str, Any]]
    eats: str
    standing: Standing | None
    start_at: datetime
    pull_at: datetime | None
    serve_at: datetime
    late_s: float
    picture: Picture
    coast: dict[str, float] | None
    data: dict[str, Any]
    doneness: str

    @property
    def under(self) -> str:
        """The rule set and its edition."""
        if self.standing is None:
            return ""
        profile = self.standing.profile
        return profile.name if profile.edition in profile.name else f"{profile.name}, {profile.edition}"


def build(outcome: Outcome, kitchen: Kitchen, book: Book, now: datetime, cursor_s: float | None = None) -> View:
    """Place a computed plan on the kitchen's clock and draw it."""
    plan, cook, result = outcome.plan, outcome.cook, outcome.result
    total = cook.stages[-1].end_s
    if plan.serve_at is not None:
        serve = plan.serve_at if plan.serve_at.tzinfo else plan.serve_at.replace(tzinfo=kitchen.tz)
        start = serve - timedelta(seconds=total)
    else:
        start = now
        serve = now + timedelta(seconds=total)
    doneness = book.doneness_reached(plan.food, cook.peak_core_c)
    rows: list[dict[str, Any]] = []
    for move in moves(plan, cook):
        at = start + timedelta(seconds=move.offset_s)
        rows.append(move.as_dict() | {"at": at, "elapsed": span(move.offset_s)})
    row = food_row(plan.food) if plan.food else None
    picture = draw(
        cook,
        ramp=(row or {}).get("ramp", "meat"),
        target_c=plan.target_c,
        round_=cook.closed,
        ticks=[(m["offset_s"], m["verb"]) for m in rows],
        met_at_s=(result["rule"] or {}).get("met_at_s"),
        cursor_s=cursor_s,
        ribbon=outcome.forecast,
        units=current().units,
    )
    return View(
        outcome=outcome,
        moves=rows,
        eats=eats(doneness, cook.peak_core_c, plan.target_c),
        standing=None
        if result["rule"] is None
        else standing(
            result["rule"],
            plan.required,
            plan.guests,
            profile_of(plan.rules or "", plan.house),
            outcome.findings,
        ),
        start_at=start,
        pull_at=None if cook.pull_s is None else start + timedelta(seconds=cook.pull_s),
        serve_at=serve,
        late_s=max((now - start).total_seconds(), 0.0) if plan.serve_at is not None else 0.0,
        picture=picture,
        coast=result["coast"],
        data=picture.data,
        doneness=doneness,
    )


def findings_of(view: View | None) -> list[Finding]:
    """Findings of the computed plan, the gravest first."""
    return (
        []
        if view is None
        else sorted(view.outcome.findings, key=lambda f: (*Level,).index(Level(f.level)), reverse=True)
    )


def shifts(view: View) -> list[str]:
    """What one change does to the pull, in words."""
    out = []
    for s in sensitivities(view.outcome.plan, view.outcome.cook):
        if s.pull_later_s is not None:
            template = N_("{change}: {by_s:span} later") if s.pull_later_s > 0 else N_("{change}: {by_s:span} sooner")
            out.append(tell(template, change=s.change, by_s=abs(s.pull_later_s)))
    return out
