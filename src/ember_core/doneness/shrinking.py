"""A piece that draws together as it loses its juice: the same cook with thickness and area that follow the mass. Advisory.

What is promised and what a rule is judged by keep to the raw size, on the cautious side (docs/decisions, 20); this says how much sooner it may be.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from ember_core.doneness.outside import Juice, shares_of, size_left
from ember_core.heat.arrays import Array
from ember_core.heat.cook import Cook
from ember_core.heat.resized import Passed, run_resized
from ember_core.heat.setup import Setup
from ember_core.plan.plan import Plan

NEAR_K, MOST_TRIES = 0.03, 6  # a core's peak is met so nearly, in so many cooks
FIRST_BY = 0.97  # the second try at a pull is at this share of the first
LEAST_SLOPE = 1e-6  # K/s
MOST_LOST = 0.9  # no piece loses more of its mass: it has that much water at the most


@dataclass(frozen=True, eq=False)
class Shrunk:
    """A cook of a piece that draws together.

    Attributes
    ----------
    cook : Cook
        Its places are as in the raw piece.
    size : ndarray (times,)
        What is left of each of its lengths at the cook's times, 0 to 1.
    """

    cook: Cook
    size: Array

    def beside(self, cook: Cook) -> dict[str, float]:
        """What a result says of it beside the nominal ``cook``: how much sooner its heat ends, s, its peak, °C, and what is left of its lengths."""
        sooner = 0.0 if cook.pull_s is None or self.cook.pull_s is None else cook.pull_s - self.cook.pull_s
        return {
            "sooner_s": round(max(sooner, 0.0), 1),
            "peak_c": round(self.cook.peak_core_c, 4),
            "size": round(float(self.size[-1]), 4),
        }


def as_it_shrinks(plan: Plan, s: Setup, cook: Cook) -> Shrunk:
    """The cook of a piece whose lengths all follow the cube root of its mass, juice and vapour taken off.

    Stages that wait for a temperature wait for it; a pull is found anew so that the core peaks as asked.

    Parameters
    ----------
    plan, s : Plan, Setup
        Of meat, poultry or fish that is not cut into portions.
    cook : Cook
        The nominal one, of the raw size.

    Raises
    ------
    ComputationError
        As of :func:`ember_core.heat.cook.run`.
    """
    raw = Juice.of(plan, shares_of(cook.depth, cook.closed, plan.shape["kind"]))
    lengths = [x.took for x in cook.stages]

    def cooked(pulled_s: float | None = None) -> Shrunk:
        juice = raw

        def size_after(passed: Passed) -> float:
            nonlocal juice
            juice = juice.after(passed.t, passed.field)
            return size_left(min(max(juice.gone, passed.evaporated), MOST_LOST))

        own = [pulled_s if i == pull and pulled_s is not None else x for i, x in enumerate(lengths)]
        return Shrunk(*run_resized(plan, s, own, size_after))

    pull = next((i for i, x in enumerate(plan.stages) if x.until == "peak_core_c"), None)
    if pull is None or cook.stages[pull].ended_by == "minutes":
        return cooked()
    wanted = float(plan.stages[pull].until_value)
    was = lengths[pull]
    found = cooked(was)
    off_was, now = found.cook.peak_core_c - wanted, FIRST_BY * was
    for _ in range(MOST_TRIES):
        if abs(off_was) < NEAR_K or now == was:
            break
        found = cooked(now)
        off = found.cook.peak_core_c - wanted
        slope = max((off - off_was) / (now - was), LEAST_SLOPE)
        was, off_was = now, off
        now = min(max(now - off / slope, 0.0), lengths[pull])
    told = tuple(replace(x, ended_by="peak_core_c") if i == pull else x for i, x in enumerate(found.cook.stages))
    return Shrunk(replace(found.cook, stages=told), found.size)
