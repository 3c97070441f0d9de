"""The tridiagonal systems of the implicit steps. Compiled."""

from __future__ import annotations

from ember_core.heat.arrays import Array
from ember_core.heat.solver.compiled import inlined
from ember_core.heat.solver.line_rates import Cells


@inlined
def factor(beta: float, cells: Cells, factors: Array) -> None:
    """Factor I − beta·J, where J = d f/dT · diag(dT/dH), from both ends to the middle; ``beta`` in s.

    Two short chains instead of one long one: the divisions of one hide behind those of the other.
    """
    lo, di, up, slope = cells.low, cells.middle, cells.high, cells.slope
    low, high, link, pivot = factors[0], factors[1], factors[2], factors[3]
    n = slope.size
    middle = n // 2
    for i in range(n):
        pivot[i] = 1.0 - beta * di[i] * slope[i]
    for i in range(1, n):
        low[i] = -beta * lo[i] * slope[i - 1]
        high[i - 1] = -beta * up[i - 1] * slope[i]
    pivot[0] = 1.0 / pivot[0]
    pivot[n - 1] = 1.0 / pivot[n - 1]
    for k in range(1, middle):
        link[k] = low[k] * pivot[k - 1]
        pivot[k] = 1.0 / (pivot[k] - link[k] * high[k - 1])
        j = n - 1 - k
        if j > middle:
            link[j] = high[j] * pivot[j + 1]
            pivot[j] = 1.0 / (pivot[j] - link[j] * low[j + 1])
    left = low[middle] * pivot[middle - 1]
    right = high[middle] * pivot[middle + 1]
    link[middle] = left
    pivot[middle] = 1.0 / (pivot[middle] - left * high[middle - 1] - right * low[middle + 1])


@inlined
def solve(rhs: Array, factors: Array, x: Array) -> None:
    """Solve with the factors of :func:`factor`."""
    low, high, link, pivot = factors[0], factors[1], factors[2], factors[3]
    n = rhs.size
    middle = n // 2
    x[0] = rhs[0]
    x[n - 1] = rhs[n - 1]
    for k in range(1, middle):
        x[k] = rhs[k] - link[k] * x[k - 1]
        j = n - 1 - k
        if j > middle:
            x[j] = rhs[j] - link[j] * x[j + 1]
    right = high[middle] * pivot[middle + 1]
    x[middle] = (rhs[middle] - link[middle] * x[middle - 1] - right * x[middle + 1]) * pivot[middle]
    for k in range(1, n - middle):
        j = middle + k
        x[j] = (x[j] - low[j] * x[j - 1]) * pivot[j]
        i = middle - k
        if i >= 0:
            x[i] = (x[i] - high[i] * x[i + 1]) * pivot[i]
    if 2 * middle == n:
        x[0] = (x[0] - high[0] * x[1]) * pivot[0]
