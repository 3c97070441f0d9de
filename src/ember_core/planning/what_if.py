"""What if: the same sentence for neighbouring sizes, starts, heats and targets; and how thick it may be to be ready in time."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from ember_core.entry.sentence import Sentence
from ember_core.errors import EmberError
from ember_core.formats.plan import parse
from ember_core.heat.cook import Cook
from ember_core.heat.ensemble.coarse import compared_cook

STEPS = {"size_mm": 0.15, "start_c": 8.0, "heat_c": 20.0, "target_c": 4.0}
"""How far the neighbours lie: a share of the size; °C of the others."""
LEAST = {"size_mm": 1.0, "start_c": -40.0, "heat_c": -20.0, "target_c": 0.0}
MOST = {"size_mm": 400.0, "start_c": 60.0, "heat_c": 400.0, "target_c": 98.0}
BISECTIONS = 10


SMALLEST_MM = {"bird": 16.0}  # of its breast; a quail's


@dataclass(frozen=True, eq=False)
class Cell:
    """One neighbour: its two values, and its cook; None when it cannot be computed."""

    across: float
    down: float
    sentence: Sentence
    cook: Cook | None

    @property
    def total_s(self) -> float | None:
        """From first to last, s."""
        return None if self.cook is None else self.cook.stages[-1].end_s


def cooked(sentence: Sentence) -> Cook | None:
    """A sentence's cook; None when it cannot be computed."""
    try:
        return compared_cook(parse(sentence.document()))
    except EmberError:
        return None


def values(name: str, middle: float, sentence: Sentence) -> tuple[float, float, float]:
    """A value with its lower and higher neighbour, within what may be asked."""
    step = STEPS[name] * middle if name == "size_mm" else STEPS[name]
    digits = 1 if name == "size_mm" else 0
    least = 0.0 if name == "start_c" and middle >= 0.0 else LEAST[name]  # what is not frozen is compared unfrozen
    low, high = (min(max(v, least), MOST[name]) for v in (middle - step, middle + step))
    return round(low, digits), middle, round(high, digits)


def grid(sentence: Sentence, across: str, down: str, heat_c: float | None = None) -> list[list[Cell]]:
    """Three by three neighbours of a sentence.

    Parameters
    ----------
    sentence : Sentence
    across, down : str
        ``size_mm``, ``start_c``, ``heat_c`` or ``target_c``; two different ones.
    heat_c : float, optional
        The way's heat, where it is varied and the sentence states none.
    """

    def at(name: str) -> tuple[float, float, float]:
        own = getattr(sentence, name)
        return values(name, float(own if own is not None else heat_c or 0.0), sentence)

    def changed(name: str, value: float, of: Sentence) -> Sentence:
        if name == "size_mm":
            return replace(of, size_mm=value, mass_g=None, sizes_mm=())
        if name == "heat_c" and sentence.heat_c is None and value == heat_c:
            return of
        only: dict[str, Any] = {name: value}
        return replace(of, **only)

    out = []
    for low in at(down):
        row = []
        for high in at(across):
            made = changed(across, high, changed(down, low, sentence))
            row.append(Cell(high, low, made, cooked(made)))
        out.append(row)
    return out


def thickest(sentence: Sentence, within_s: float) -> float | None:
    """The largest size, mm, that is ready within so many seconds; None when none is.

    Longer for larger is taken for granted; ways that wait for a clock alone are ready at any size, and the largest is answered.
    """

    def ready(size: float) -> bool:
        cook = cooked(replace(sentence, size_mm=size, mass_g=None, sizes_mm=()))
        return cook is not None and cook.stages[-1].end_s <= within_s

    cut = sentence.book.cuts.get(sentence.cut)
    low, high = SMALLEST_MM.get(cut["shape"] if cut else "", 2.0), MOST["size_mm"]
    if not ready(low):
        return None
    if ready(high):
        return high
    for _ in range(BISECTIONS):
        middle = (low * high) ** 0.5
        low, high = (middle, high) if ready(middle) else (low, middle)
    return float(int(low * 2.0)) / 2.0
