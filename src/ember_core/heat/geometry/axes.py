"""Nodes along one direction of a finite shape."""

from __future__ import annotations

import numpy as np

from ember_core.heat.arrays import Array

SHORTEST_M = 1e-4  # no cell is shorter: what is so thin has one temperature through it


def half_axis(length: float, cells: int, first: float) -> Array:
    """Nodes from 0 (centre) to ``length`` (surface) whose outermost cell is about ``first`` long, in one unit of length."""
    lo, hi = 1.0, 3.0
    if first * cells >= length:
        return np.linspace(0.0, length, cells + 1)
    for _ in range(60):
        ratio = 0.5 * (lo + hi)
        if first * (ratio**cells - 1.0) / (ratio - 1.0) < length:
            lo = ratio
        else:
            hi = ratio
    widths = lo ** np.arange(cells)[::-1]
    return np.asarray(np.concatenate([[0.0], np.cumsum(widths)]) * length / widths.sum())


def cells_for(length: float, cells: int) -> int:
    """How many of ``cells`` a length (m) has: they are no shorter than :data:`SHORTEST_M`, and two at least."""
    return max(min(cells, int(length / SHORTEST_M)), 2)


def dual(x: Array) -> tuple[Array, Array]:
    """Lower and upper ends of the dual cells of nodes ``x``, in their unit."""
    middle = 0.5 * (x[1:] + x[:-1])
    return np.concatenate([x[:1], middle]), np.concatenate([middle, x[-1:]])
