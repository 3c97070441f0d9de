"""A piece that draws together as it loses its juice: the same cook with thickness and area that follow the mass. Advisory.

What is promised and what a rule is judged by keep to the raw size, on the cautious side (docs/decisions, 20); this says how much sooner it may be.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ember_core.data.loader import read_toml
from ember_core.doneness.outside import Array, left_by_salt, salt_of, shares_of, still_held, water_at_first
from ember_core.heat.cook import Cook
from ember_core.heat.physics.boiling import boiling_point
from ember_core.heat.resized import Passed, run_resized
from ember_core.heat.setup import Setup
from ember_core.plan.plan import Plan

NEAR_K, MOST_TRIES = 0.03, 6  # a core's peak is met so nearly, in so many cooks
FIRST_BY = 0.97  # the second try at a pull is at this share of the first
LEAST_SLOPE = 1e-6  # K/s


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


@dataclass
class _Juice:
    """What a piece has lost so far: juice by its hottest places, and what dries."""

    shares: Array
    left: float  # share of the juice that salt lets go
    dries_c: float
    water: Array
    hottest: Array

    def after(self, passed: Passed) -> float:
        """The size of a piece after one more leg, if it shrinks alike in all directions."""
        self.hottest = np.maximum(self.hottest, passed.field.max(axis=0))
        self.water = still_held(self.water, passed.t, passed.field)
        dried = self.hottest > self.dries_c
        first = water_at_first()
        juice = float(((first - self.water) * np.where(dried, 0.0, self.shares)).sum()) * self.left
        gone = juice + first * float(self.shares[dried].sum())
        return float((1.0 - min(max(gone, passed.evaporated), 0.9)) ** (1.0 / 3.0))


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
    shares = shares_of(cook.depth, cook.closed, plan.shape["kind"])
    dries_c = boiling_point(plan.altitude_m) + float(read_toml("long_cooks.toml")["outside"]["dry_above_boiling_k"])
    left = left_by_salt(salt_of(plan))
    lengths = [x.took for x in cook.stages]

    def cooked(seconds: float | None) -> Shrunk:
        juice = _Juice(shares, left, dries_c, np.full(shares.size, water_at_first()), np.full(shares.size, -np.inf))
        own = lengths if seconds is None or pull is None else [*lengths[:pull], seconds, *lengths[pull + 1 :]]
        return Shrunk(*run_resized(plan, s, own, juice.after))

    pull = next((i for i, x in enumerate(plan.stages) if x.until == "peak_core_c"), None)
    if pull is None or cook.stages[pull].ended_by == "minutes":
        return cooked(None)
    wanted = float(plan.stages[pull].until_value)
    was = lengths[pull]
    found = cooked(was)
    off_was, now = found.cook.peak_core_c - wanted, FIRST_BY * was
    for _ in range(MOST_TRIES):
        if abs(off_was) < NEAR_K or now == was:
            break
        found = cooked(now)
        off = found.cook.peak_core_c - wanted
        slope = max((off - off_was) / (now - was) if now != was else 0.0, LEAST_SLOPE)
        was, off_was = now, off
        now = min(max(now - off / slope, 0.0), lengths[pull])
    told = tuple(replace(x, ended_by="peak_core_c") if i == pull else x for i, x in enumerate(found.cook.stages))
    return Shrunk(replace(found.cook, stages=told), found.size)
