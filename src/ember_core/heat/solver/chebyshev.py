"""Runge–Kutta–Chebyshev steps: explicit, with a stability range that grows with the square of their inner stages. Compiled.

Of second order, with their own error estimate (Sommeijer, Shampine & Verwer 1998, *J. Comput. Appl. Math.* 88:315): no
matrix, so boxes, cylinders, ellipsoids and eggs run through one kernel.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ember_core.heat.arrays import Array
from ember_core.heat.solver.compiled import kernel, leaf

MOST_STAGES = 200


class Formula(NamedTuple):
    """Coefficients by inner stage, from 1 on."""

    mu: Array
    nu: Array
    mu_f: Array  # mu with a tilde in the paper
    gamma: Array  # gamma with a tilde
    c: Array  # moment of the stage, as a share of the step


@kernel
def new_formula() -> Formula:
    """Room for the largest number of stages."""
    rows = np.zeros((5, MOST_STAGES + 1))
    return Formula(rows[0], rows[1], rows[2], rows[3], rows[4])


@leaf
def stages_for(step: float, fastest: float) -> int:
    """How many inner stages keep a step (s) stable, with rates up to ``fastest`` (1/s)."""
    return min(max(int(np.sqrt(1.0 + 1.54 * step * fastest)) + 1, 2), MOST_STAGES)


@leaf
def longest_stable(share: float, fastest: float) -> float:
    """Longest step, s, that the largest number of stages keeps stable, times a ``share`` about 0.65 at most."""
    return share * MOST_STAGES * MOST_STAGES / fastest


@leaf
def find_formula(s: int, to: Formula) -> None:
    """Coefficients of the ``s``-stage formula, for ``s`` of 2 and more."""
    w0 = 1.0 + 2.0 / 13.0 / (s * s)
    root = np.sqrt(w0 * w0 - 1.0)
    arg = s * np.log(w0 + root)
    w1 = np.sinh(arg) * (w0 * w0 - 1.0) / (np.cosh(arg) * s * root - w0 * np.sinh(arg))
    b1 = 1.0 / (4.0 * w0 * w0)
    b_old = b1
    t1, t2 = w0, 1.0
    d1, d2 = 1.0, 0.0
    e1, e2 = 0.0, 0.0
    to.mu_f[1] = w1 * b1
    to.c[1] = to.mu_f[1]
    c1, c2 = to.mu_f[1], 0.0
    for j in range(2, s + 1):
        t = 2.0 * w0 * t1 - t2
        d = 2.0 * w0 * d1 - d2 + 2.0 * t1
        e = 2.0 * w0 * e1 - e2 + 4.0 * d1
        b = e / (d * d)
        a1 = 1.0 - t1 * b1
        mu = 2.0 * w0 * b / b1
        nu = -b / b_old
        to.mu[j] = mu
        to.nu[j] = nu
        to.mu_f[j] = mu * w1 / w0
        to.gamma[j] = -a1 * to.mu_f[j]
        c = mu * c1 + nu * c2 + to.mu_f[j] + to.gamma[j]
        to.c[j] = c
        b_old, b1 = b1, b
        t2, t1 = t1, t
        d2, d1 = d1, d
        e2, e1 = e1, e
        c2, c1 = c1, c
