"""Pieces in a pan: how many lie flat with gaps, in how many batches, and where each lies in the ring."""

from __future__ import annotations

import math
from dataclasses import dataclass

from ember_core.book.book import Row
from ember_core.plan.plan import Plan

# Radius of the smallest circle around n equal circles, by theirs (Graham, Lubachevsky, Nurmela and Östergård 1998, Discrete
# Mathematics 181:139; from memory).
AROUND = (
    1.0, 2.0, 2.1547, 2.4142, 2.7013, 3.0, 3.0, 3.3048, 3.6131, 3.8130, 3.9238, 4.0296, 4.2361, 4.3284, 4.5214, 4.6154, 4.7920, 4.8637,
    4.8637, 5.1223,
)  # fmt: skip
FLAT = 0.85  # of a pan's width at the rim is flat bottom; common practice
GAP_MM = 10.0  # between pieces, for vapour to leave; common practice
USUAL_PAN_MM = 280.0
LAY_S = 8.0  # a cook needs to lay one in; common practice
MOST_BESIDE = 7  # rows and columns looked at
CENTRE_FROM = 6  # from so many on one lies in the middle


@dataclass(frozen=True)
class Place:
    """Where a piece lies: its middle, mm from the pan's, and how far it is turned, °; ``order`` from 1."""

    order: int
    x_mm: float
    y_mm: float
    turned: float


@dataclass(frozen=True)
class InPan:
    """Pieces of one plan in a pan.

    Attributes
    ----------
    pan_mm : float
        Its width at the rim.
    fits : int
        How many lie in it at once.
    batches : tuple of int
        How many in each batch, as even as can be.
    places : tuple of Place
        Of the largest batch, in the order in which they are laid in, turned and lifted.
    length_mm, width_mm : float
        Of one piece.
    """

    pan_mm: float
    fits: int
    batches: tuple[int, ...]
    places: tuple[Place, ...]
    length_mm: float
    width_mm: float


def that_fit(pan_mm: float, length_mm: float, width_mm: float) -> int:
    """How many pieces lie flat in a pan with gaps, at least 1: in a ring, each taken as a circle of its own area, or side by side.

    Parameters
    ----------
    pan_mm : float
        Width at the rim, > 0.
    length_mm, width_mm : float
        Of a piece lying flat, > 0.
    """
    flat = FLAT * pan_mm / 2.0
    piece = math.sqrt(length_mm * width_mm / math.pi) + GAP_MM / 2.0
    ringed = sum(1 for needed in AROUND if needed * piece <= flat + GAP_MM / 2.0)
    beside = 0
    for across in range(1, MOST_BESIDE):
        for down in range(1, MOST_BESIDE):
            half_across = (across * width_mm + (across - 1) * GAP_MM) / 2.0
            half_down = (down * length_mm + (down - 1) * GAP_MM) / 2.0
            if math.hypot(half_across, half_down) <= flat:
                beside = max(beside, across * down)
    return max(ringed, beside, 1)


def in_pan(plan: Plan, cut: Row | None, pan_mm: float = USUAL_PAN_MM, places: int | None = None) -> InPan | None:
    """The pieces of a plan that begins in a pan; None for one piece, another heat, or a cut whose lengths are not known.

    Parameters
    ----------
    plan : Plan
    cut : mapping or None
        For its length and width, mm.
    pan_mm : float
        The pan's width at the rim.
    places : int, optional
        How many the kitchen says the pan takes, in place of what is computed.
    """
    count = plan.document["piece"].get("count", 1)
    first = next((s.kind for s in plan.stages if s.kind not in {"rest", "dry"}), "")
    if count < 2 or first != "pan" or cut is None or "length_mm" not in cut or "width_mm" not in cut:
        return None
    length, width = float(cut["length_mm"]), float(cut["width_mm"])
    fits = places or that_fit(pan_mm, length, width)
    many = -(-count // fits)
    batches = tuple(count // many + (i < count % many) for i in range(many))
    return InPan(pan_mm, fits, batches, _ring(batches[0], FLAT * pan_mm / 2.0, width), length, width)


def _ring(count: int, radius: float, width: float) -> tuple[Place, ...]:
    """Around the rim from the top, clockwise, across the radius; one in the middle where there are many."""
    middle = 1 if count >= CENTRE_FROM or count == 1 else 0
    around = count - middle
    out = []
    for i in range(around):
        angle = 2.0 * math.pi * i / around
        far = radius - width / 2.0
        out.append(Place(i + 1, far * math.sin(angle), -far * math.cos(angle), math.degrees(angle)))
    return (*out, *((Place(count, 0.0, 0.0, 0.0),) if middle else ()))
