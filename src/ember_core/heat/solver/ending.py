"""How a stage ends, the same for both steppers. Compiled."""

from __future__ import annotations

import numpy as np

from ember_core.heat.solver.compiled import inlined, leaf, least
from ember_core.heat.solver.stepping import hermite_root, time_to_met
from ember_core.heat.solver.types import Criterion, State

UNTIL_TIME, UNTIL_CORE, UNTIL_SURFACE, UNTIL_MEAN, UNTIL_LOG10, UNTIL_RULE, UNTIL_PEAK, UNTIL_TURN = range(8)
UNTIL_SURFACE_B = 8
UNTIL_YOLK_EDGE, UNTIL_YOLK = (
    9,
    10,
)  # of an egg: the solver goes by the time that is found for them, see heat/egg_time.py
FAILED, SPENT = -1, -2  # a stage whose step size underflowed; one that used up what may be spent on its plan
GOES_ON = -3
NEAR_K = 2e-4  # a temperature waited for is met so nearly
MOST_TRIES = 12  # to meet it within one step
SHARE_OF_LOG10 = 0.8  # from here on steps are short, so that the end is met


@leaf
def needs_clocks(until: int, crit: Criterion) -> bool:
    """Whether a stage keeps each place's lethality and its rule's clocks: it waits for them, or they are asked for."""
    return until == UNTIL_LOG10 or until == UNTIL_RULE or crit.row_c.size > 0 or crit.d_ref > 0.0


@leaf
def watches(until: int) -> bool:
    """Whether a stage waits for a temperature."""
    return until == UNTIL_CORE or until == UNTIL_SURFACE or until == UNTIL_SURFACE_B or until == UNTIL_MEAN


@leaf
def watched_face(until: int) -> int:
    """The face whose temperature a stage waits for: 0 for a, 1 for b."""
    return 1 if until == UNTIL_SURFACE_B else 0


@inlined
def already(until: int, value: float, wanted: float, state: State) -> bool:
    """Whether a stage ends as it begins; ``wanted`` (°C) is the temperature that is waited for."""
    if until == UNTIL_RULE:
        return least(state.met) >= 1.0
    if until == UNTIL_LOG10:
        return least(state.lethality) >= value
    return watches(until) and wanted == value


@leaf
def stepped_over(until: int, value: float, below: bool, wanted: float) -> bool:
    """Whether a step has gone past the temperature that is waited for (°C); ``below``: it began below it."""
    return watches(until) and (wanted < value) != below and abs(wanted - value) > NEAR_K


@leaf
def aim(
    until: int, value: float, tries: int, step: float, wanted: float, rate: float, wanted1: float, rate1: float
) -> float:
    """Length (s) of the step that should end at the wanted temperature.

    Parameters
    ----------
    until, value : int, float
        What is waited for, °C.
    tries : int
        How often this was tried for this step.
    step : float
        Length of the step that went past it, s.
    wanted, rate, wanted1, rate1 : float
        The temperature and, of the core, its rate (K/s) at both ends.
    """
    if until == UNTIL_CORE and tries == 1:
        length = hermite_root(wanted, rate, wanted1, rate1, step, value)
    else:
        length = step * (value - wanted) / (wanted1 - wanted)
    return min(max(length, 1e-6 * step), 0.999999 * step)


@inlined
def end_of(
    until: int, value: float, below: bool, wanted: float, rate: float, since: float, state: State, crit: Criterion
) -> tuple[int, float]:
    """What ends a stage after a step, or ``GOES_ON``; and how long the next step may be for it, s.

    Parameters
    ----------
    until, value : int, float
        What is waited for: °C, or log10.
    below : bool
        Whether the stage began below it.
    wanted, rate : float
        The temperature that is waited for, °C; the core's rate, K/s.
    since : float
        Into the stage, s.
    state, crit : State, Criterion
    """
    short = max(5.0, 0.005 * since)
    if watches(until):
        if (wanted < value) != below or abs(wanted - value) <= NEAR_K:
            return until, np.inf
    elif until == UNTIL_TURN:
        if rate < 0.0:
            return UNTIL_TIME, np.inf
    elif until == UNTIL_RULE:
        if least(state.met) >= 1.0:
            return until, np.inf
        return GOES_ON, max(1.0, min(time_to_met(state, crit), short))
    elif until == UNTIL_LOG10:
        have = least(state.lethality)
        if have >= value:
            return until, np.inf
        if have > SHARE_OF_LOG10 * value:
            return GOES_ON, short
    return GOES_ON, np.inf
