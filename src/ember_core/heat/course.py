"""Stages that a piece, or a portion cut from it, goes through in one shape; and a piece and its portion as one cook."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ember_core.heat.arrays import Array


@dataclass(frozen=True)
class StageOutcome:
    """When a stage ran (s from the start), the state at its end and what ended it."""

    kind: str
    start_s: float
    end_s: float
    core_c: float
    mean_c: float
    ended_by: str

    @property
    def took(self) -> float:
        """How long it ran, s."""
        return self.end_s - self.start_s


@dataclass(frozen=True, eq=False)
class Course:
    """Stages that a piece, or a portion of it, goes through in one shape; times from their begin, s."""

    t: Array
    core: Array
    mean: Array
    surface_a: Array
    surface_b: Array
    field: Array  # °C, times × cells of the line through the core
    depth: Array  # mm
    elsewhere: Array
    stages: tuple[StageOutcome, ...]
    top: tuple[float, float]  # the highest core, °C, and its time, s
    heat: float  # J/m²
    least_log10: float  # of any place
    met: bool  # every place has met the rule
    lost: bool  # steps were not recorded
    closed: bool
    vapour_pa: float | None
    medium: Array  # °C, of one with a store
    taken: Array  # W
    taken_j: float
    evaporated: Array  # share of the raw mass that has left through the skin so far


def _places(depth: Array, closed: bool) -> Array:
    """Where the cells of a line lie, as shares of half its length from the core: -1 to 1, or 0 to 1 from the centre out."""
    half_cell = 0.5 * (depth[-1] - depth[-2]) if depth.size > 1 else depth[-1]
    whole = depth[-1] + half_cell
    return np.asarray(depth / whole if closed else 2.0 * depth / whole - 1.0)


def one_after_other(a: Course, b: Course) -> Course:
    """A piece through stages, and on through others, place by place; what it is told of is as of the first."""
    end = float(a.t[-1])

    def both(x: Array, y: Array) -> Array:
        return np.concatenate([x, y[1:]])

    later = [replace(x, start_s=x.start_s + end, end_s=x.end_s + end) for x in b.stages]
    return replace(
        a,
        t=both(a.t, b.t + end),
        core=both(a.core, b.core),
        mean=both(a.mean, b.mean),
        surface_a=both(a.surface_a, b.surface_a),
        surface_b=both(a.surface_b, b.surface_b),
        field=both(a.field, b.field),
        elsewhere=both(a.elsewhere, b.elsewhere),
        stages=(*a.stages, *later),
        top=a.top if a.top[0] >= b.top[0] else (b.top[0], b.top[1] + end),
        heat=a.heat + b.heat,
        least_log10=b.least_log10,
        met=b.met,
        lost=a.lost or b.lost,
        vapour_pa=b.vapour_pa,
        medium=both(a.medium, b.medium),
        taken=both(a.taken, b.taken),
        taken_j=a.taken_j + b.taken_j,
        evaporated=both(a.evaporated, a.evaporated[-1] + b.evaporated),
    )


def join_courses(a: Course, b: Course) -> Course:
    """A piece and a portion cut from it, as one cook on the piece's own depths.

    The line of the portion is drawn out over the piece's, core on core. What a place of the portion has behind it nobody
    knows: so ``elsewhere`` holds the worst pairs besides, the coldest and the slowest place of the one with every place of
    the other.
    """
    at = _places(a.depth, a.closed)
    there = _places(b.depth, b.closed)
    if b.closed and not a.closed:
        at = np.abs(at)
    line = np.stack([np.interp(at, there, row) for row in b.field])
    ours, theirs = np.hstack([a.field, a.elsewhere]), np.hstack([b.field, b.elsewhere])
    slow, late = _worst(ours, a.t), _worst(theirs, b.t)
    width, own_width = theirs.shape[1], ours.shape[1]
    of_piece = [np.repeat(ours[:, [i]], width, axis=1) for i in slow] + [ours for _ in late]
    of_portion = [theirs for _ in slow] + [np.repeat(theirs[:, [i]], own_width, axis=1) for i in late]
    return one_after_other(
        replace(a, elsewhere=np.hstack(of_piece)), replace(b, field=line, elsewhere=np.hstack(of_portion))
    )


def _worst(field: Array, t: Array) -> list[int]:
    """The places that are killed least, have been least hot, and are warmest at the end, without repetition."""
    killed = np.trapezoid(10.0 ** ((field - 70.0) / 7.0), t, axis=0)
    return sorted({int(killed.argmin()), int(field.max(axis=0).argmin()), int(field[-1].argmax())})
