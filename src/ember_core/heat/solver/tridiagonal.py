"""The tridiagonal systems of the implicit steps. Compiled."""

from __future__ import annotations

from ember_core.heat.arrays import Array
from ember_core.heat.solver.compiled import inlined
from ember_core.heat.solver.line_rates import Cells


@inlined
def factor(beta: float, cells: Cells, factors: Array) -> None:
    """Factor I − beta·J, where J = d f/dH, from both ends to the middle; ``beta`` in s.

    Two short chains instead of one long one: the divisions of one hide behind those of the other.
    """
    lo, di, up = cells.low, cells.middle, cells.high
    low, high, link, pivot = factors[0], factors[1], factors[2], factors[3]
    n = di.size
    middle = n // 2
    # what the chains hand on stands in numbers of its own: a number that was just written to an array is slow to read
    first, last = 1.0 / (1.0 - beta * di[0]), 1.0 / (1.0 - beta * di[n - 1])
    pivot[0], pivot[n - 1] = first, last
    for k in range(1, middle):
        above, join = -beta * up[k - 1], -beta * lo[k] * first
        high[k - 1], link[k] = above * first, join
        first = 1.0 / (1.0 - beta * di[k] - join * above)
        pivot[k] = first
        j = n - 1 - k
        if j > middle:
            below, join = -beta * lo[j + 1], -beta * up[j] * last
            low[j + 1], link[j] = below * last, join
            last = 1.0 / (1.0 - beta * di[j] - join * below)
            pivot[j] = last
    above, below = -beta * up[middle - 1], -beta * lo[middle + 1]
    high[middle - 1], low[middle + 1] = above * first, below * last
    left, right = -beta * lo[middle] * first, -beta * up[middle] * last
    link[middle], high[middle] = left, right
    pivot[middle] = 1.0 / (1.0 - beta * di[middle] - left * above - right * below)


@inlined
def solve(rhs: Array, factors: Array, x: Array) -> None:
    """Solve with the factors of :func:`factor`."""
    low, high, link, pivot = factors[0], factors[1], factors[2], factors[3]
    n = rhs.size
    middle = n // 2
    first, last = rhs[0], rhs[n - 1]
    x[0], x[n - 1] = first * pivot[0], last * pivot[n - 1]
    for k in range(1, middle):
        first = rhs[k] - link[k] * first
        x[k] = first * pivot[k]
        j = n - 1 - k
        if j > middle:
            last = rhs[j] - link[j] * last
            x[j] = last * pivot[j]
    first = (rhs[middle] - link[middle] * first - high[middle] * last) * pivot[middle]
    last = first
    x[middle] = first
    for k in range(1, middle + 1):
        i, j = middle - k, middle + k
        first = x[i] - high[i] * first
        x[i] = first
        if j < n:
            last = x[j] - low[j] * last
            x[j] = last
