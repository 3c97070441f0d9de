"""How long one cut takes by one way: a table over sizes and targets, every cell solved and judged."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any

import numpy as np

from ember_core.book.book import usual_mass, usual_size
from ember_core.entry.sentence import OWN_WAY, Sentence
from ember_core.errors import EmberError, InputError
from ember_core.formats.plan import parse
from ember_core.plan.kinds import HEAT_KINDS
from ember_core.plan.shapes import BY_MASS
from ember_core.planning.compute import Outcome, compute
from ember_core.planning.routes import stands
from ember_core.wording.message import N_, say

MAX_SIZES, MAX_TARGETS = 12, 5
SIZE_MM, MASS_G, TARGET_C = (1.0, 400.0), (1.0, 200000.0), (0.0, 100.0)  # as a plan may state them
REACHED_K = 1.0  # a core that peaks so far from its target has not reached it, or has passed it
MEMBERS, SEED = 48, 7
USUAL_SHARES = (0.6, 0.7, 0.8, 0.9, 1.0, 1.15, 1.3, 1.5, 1.7)  # of the usual size, for a first proposal
ROUND_TO = {"mm": ((12.0, 1.0), (40.0, 5.0), (np.inf, 10.0)), "g": ((500.0, 50.0), (2000.0, 200.0), (np.inf, 500.0))}


@dataclass(frozen=True)
class Cell:
    """One size to one target.

    Attributes
    ----------
    size, target_c : float
        mm, or g where a piece is told by its mass; °C.
    heat_s, total_s : float or None
        From the first heat to the pull (to the last heat's end where nothing is pulled), and from start to plate, s; None: not computed.
    pull_core_c : float or None
        Core at the pull, °C.
    earliest_s, latest_s : float or None
        5 and 95 in 100 of the likely pieces are pulled by then, s of heat.
    state : str
        Of its verdict, as :func:`ember_core.safety.verdict.standing` has it; empty: no rules.
    error : str
        Why it could not be computed, or that its target is not reached; empty: neither.
    """

    size: float
    target_c: float
    heat_s: float | None = None
    total_s: float | None = None
    pull_core_c: float | None = None
    earliest_s: float | None = None
    latest_s: float | None = None
    state: str = ""
    error: str = ""

    def as_dict(self) -> dict[str, Any]:
        """For a store that keeps JSON."""
        return asdict(self)


def by_mass(sentence: Sentence) -> bool:
    """Whether pieces of the sentence's cut are told by their mass."""
    cut = sentence.book.cut(sentence.cut, sentence.cut_version)
    return cut is not None and cut["shape"] in BY_MASS


def proposed_sizes(sentence: Sentence) -> tuple[float, ...]:
    """Round sizes around the sentence's own, mm, or g of a cut that is told by its mass."""
    unit = "g" if by_mass(sentence) else "mm"
    usual = float(sentence.mass_g or 0.0) if unit == "g" else sentence.size_mm
    step = next(s for most, s in ROUND_TO[unit] if usual <= most)
    return tuple(sorted({max(step, round(usual * share / step) * step) for share in USUAL_SHARES}))


def check_times_table(sentence: Sentence, sizes: Sequence[float], targets: Sequence[float]) -> None:
    """Refuse what makes no table.

    Raises
    ------
    InputError
        Its path names the field: ``way``, ``sizes`` or ``targets``.
    """
    if sentence.way == OWN_WAY or sentence.book.way(sentence.way, sentence.way_version) is None:
        raise InputError(
            say("This plan has its own stages, so other sizes cannot be calculated. Choose a way from the book."),
            path="way",
        )
    for name, label, values, most in (
        ("sizes", N_("Sizes"), sizes, MAX_SIZES),
        ("targets", N_("Targets"), targets, MAX_TARGETS),
    ):
        if not 1 <= len(values) <= most:
            raise InputError(say("{label}: give 1 to {most} of them.", label=say(label), most=most), path=name)
    low, high = MASS_G if by_mass(sentence) else SIZE_MM
    if not all(low <= v <= high for v in sizes):
        words = (
            N_("Sizes: give {low:mass} to {high:mass}.")
            if by_mass(sentence)
            else N_("Sizes: give {low:length0} to {high:length0}.")
        )
        raise InputError(say(words, low=low, high=high), path="sizes")
    if not all(TARGET_C[0] <= v <= TARGET_C[1] for v in targets):
        raise InputError(
            say("Targets: give {low:temp} to {high:temp}.", low=TARGET_C[0], high=TARGET_C[1]), path="targets"
        )


def times_by_size(
    sentence: Sentence,
    sizes: Sequence[float],
    targets: Sequence[float],
    *,
    likely: bool = True,
    report: Callable[[int, int], None] = lambda done, of: None,
) -> list[Cell]:
    """The table, size by size, the targets of each in turn.

    Parameters
    ----------
    sentence : Sentence
        Whose cut, way, start, gear, rules and guests hold for all; its minutes do not: every cell is solved for its target.
    sizes : sequence of float, at most :data:`MAX_SIZES`
        mm, or g where :func:`by_mass`.
    targets : sequence of float, at most :data:`MAX_TARGETS`
        Core at its peak, °C.
    likely : bool
        Whether to compute when the earliest and the latest of the likely pieces are pulled.
    report : function of (done, of)
        Called before each cell and at the end; what it raises ends the work.

    Raises
    ------
    InputError
        As of :func:`check_times_table`.
    """
    check_times_table(sentence, sizes, targets)
    out: list[Cell] = []
    whole = len(sizes) * len(targets)
    for size, target_c in ((s, t) for s in sizes for t in targets):
        report(len(out), whole)
        out.append(_cell(sentence, size, target_c, likely))
    report(whole, whole)
    return out


def resize_sentence(sentence: Sentence, size: float, target_c: float) -> Sentence:
    """The same piece of another size, mm (or g where :func:`by_mass`), to another target, °C; alone, and for no stated minutes."""
    cut = sentence.book.cut(sentence.cut, sentence.cut_version)
    size_mm, mass_g = size, None if cut is None else usual_mass(cut, size)
    if cut is not None and cut["shape"] in BY_MASS:
        size_mm = sentence.size_mm if cut["shape"] == "egg" else usual_size(cut, size) or sentence.size_mm
        mass_g = size
    return replace(sentence, size_mm=size_mm, mass_g=mass_g, target_c=target_c, minutes=None, sizes_mm=(), beside=())


def _cell(sentence: Sentence, size: float, target_c: float, likely: bool) -> Cell:
    resized = resize_sentence(sentence, size, target_c)
    try:
        document = resized.document() | ({"forecast": {"members": MEMBERS, "seed": SEED}} if likely else {})
        outcome = compute(parse(document), book=resized.book, with_forecast=likely, advice=False)
    except EmberError as error:
        return Cell(size, target_c, error=error.message)
    cook, goal_c = outcome.cook, outcome.plan.core_goal_c
    if goal_c is not None and abs(cook.peak_core_c - goal_c) > REACHED_K:
        words = (
            N_("Not reached: the core peaks at {peak:temp1}.")
            if cook.peak_core_c < goal_c
            else N_("Overshot: the core peaks at {peak:temp1}.")
        )
        return Cell(size, target_c, error=say(words, peak=cook.peak_core_c))
    heats = [s for s in cook.stages if s.kind in HEAT_KINDS]
    begin, end = heats[0].start_s, heats[-1].end_s if cook.pull_s is None else cook.pull_s
    earliest, latest = _likely(outcome, begin)
    return Cell(
        size, target_c, end - begin, cook.stages[-1].end_s,
        float(np.interp(end, cook.t, cook.core)), earliest, latest, stands(outcome, sentence.guests),
    )  # fmt: skip


def _likely(outcome: Outcome, begin_s: float) -> tuple[float | None, float | None]:
    """Pull of the earliest and the latest of the likely pieces, s of heat; None where nothing is pulled or asked."""
    pull = (outcome.result["forecast"] or {}).get("pull_s")
    return (None, None) if pull is None else (pull["p5"] - begin_s, pull["p95"] - begin_s)


def rows_of(cells: Sequence[Mapping[str, Any]]) -> Iterator[tuple[float, list[Mapping[str, Any]]]]:
    """Kept cells (:meth:`Cell.as_dict`) by size, in the order in which they were computed."""
    by_size: dict[float, list[Mapping[str, Any]]] = {}
    for cell in cells:
        by_size.setdefault(float(cell["size"]), []).append(cell)
    yield from by_size.items()
