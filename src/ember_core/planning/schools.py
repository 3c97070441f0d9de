"""Schools side by side: the same piece by several ways, with what each costs and gains in numbers."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from ember_core.book.book import Book, Row
from ember_core.data.loader import read_toml
from ember_core.doneness.outside import outside
from ember_core.entry.sentence import Sentence
from ember_core.errors import EmberError
from ember_core.formats.plan import parse
from ember_core.heat.cook import Cook
from ember_core.plan.kinds import HEAT_KINDS
from ember_core.plan.plan import Plan
from ember_core.planning.compute import Outcome, compute
from ember_core.planning.moves import moves

GREY_K = 3.0  # past its target by more than this the meat looks another colour; common practice, no published source
A_MOVE_S = 40.0  # somebody is at the piece so long for a move; an estimate, no source
MOST = 3  # schools on one page


@dataclass(frozen=True, eq=False)
class School:
    """One way for a piece.

    Attributes
    ----------
    way : mapping
        The row of the book.
    sentence : Sentence
    outcome : Outcome or None
        None when it cannot be computed; ``error`` says why.
    total_s, hands_s, oven_s : float
        From first to last; that somebody is at it; that an oven is taken.
    grey : float
        Share of the piece that went past the target by :data:`GREY_K`, 0 to 1.
    spread_k : float
        Between the hottest and the coldest place at the end, K.
    loss : float
        Share of the raw mass lost as juice, 0 to 1 (van der Sman 2007); the yield is the rest.
    """

    way: Row
    sentence: Sentence
    outcome: Outcome | None = None
    error: str | None = None
    total_s: float = 0.0
    hands_s: float = 0.0
    oven_s: float = 0.0
    grey: float = 0.0
    spread_k: float = 0.0
    loss: float = 0.0

    @property
    def yield_percent(self) -> int:
        """What is left of the raw mass, %."""
        return round(100.0 * (1.0 - self.loss))


def hands_s(plan: Plan, cook: Cook) -> float:
    """How long somebody is at the piece, s: a share of each stage by its kind, and a while for each move."""
    shares = read_toml("stage_kinds.toml")
    at = sum(
        shares[stage.kind]["hands"] * (done.end_s - done.start_s)
        for stage, done in zip(plan.stages, cook.stages, strict=True)
    )
    return float(at + A_MOVE_S * len(moves(plan, cook)))


def gear_s(plan: Plan, cook: Cook, kind: str) -> float:
    """How long a kind of gear is taken, s."""
    return sum(
        done.end_s - done.start_s for stage, done in zip(plan.stages, cook.stages, strict=True) if stage.kind == kind
    )


def grey_band(cook: Cook, target_c: float | None) -> float:
    """Share of the depth (from face to face, or of the radius) that went past the target by :data:`GREY_K`."""
    if target_c is None:
        return 0.0
    edges = np.gradient(cook.depth) if cook.depth.size > 1 else np.ones(1)
    past = cook.field.max(axis=0) > target_c + GREY_K
    return float(edges[past].sum() / edges.sum())


def school(sentence: Sentence, way: Row, book: Book, *, with_forecast: bool = False) -> School:
    """A piece by one way, in numbers; what cannot be computed says why."""
    own = replace(sentence, book=book).by_way(way)
    if "start_c" in way and sentence.start_c > 0.0:
        own = replace(own, start_c=way["start_c"])
    try:
        document = own.document() | ({"forecast": {"members": 32, "seed": 7}} if with_forecast else {})
        outcome = compute(parse(document), book=book, advice=False)
    except EmberError as error:
        return School(way, own, error=error.message)
    plan, cook = outcome.plan, outcome.cook
    end = cook.field[-1]
    return School(
        way,
        own,
        outcome,
        None,
        cook.stages[-1].end_s,
        hands_s(plan, cook),
        gear_s(plan, cook, "oven"),
        grey_band(cook, plan.target_c),
        float(end.max() - end.min()),
        outside(plan, cook).loss,
    )


def contrast(sentence: Sentence, book: Book, chosen: Sequence[str] = (), most: int = MOST) -> list[Row]:
    """The ways to set side by side: those chosen, else the sentence's own and others by a heat that is not there yet.

    Parameters
    ----------
    sentence : Sentence
    book : Book
    chosen : sequence of str
        Ids of ways; unknown ones, and those for other shapes, are left out.
    most : int
    """
    cut = book.cut(sentence.cut, sentence.cut_version)
    if cut is None:
        return []
    fits = {w["id"]: w for w in book.ways_for(cut, sentence.size_mm, sentence.target_c)}
    own = book.way(sentence.way)
    picked = [w for name in chosen if (w := book.way(name)) is not None and cut["shape"] in w["shapes"]]
    if not picked and own is not None:
        picked = [own]
    rest = [w for w in fits.values() if w["id"] not in {p["id"] for p in picked} and "start_c" not in w]
    while len(picked) < most and rest:
        seen = {g for p in picked for g in heats(p)}
        best = next((w for w in rest if set(heats(w)) - seen), rest[0])  # the book's order puts the common ones first
        picked.append(best)
        rest.remove(best)
    return picked[:most]


def heats(way: Row) -> tuple[str, ...]:
    """The kinds of heat a way goes through, in order."""
    return tuple(dict.fromkeys(s["kind"] for s in way["stage"] if s["kind"] in HEAT_KINDS))
