"""Off the heat: until when a piece is at its best, and until when it is under control by the kitchen's rules."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from ember_core.data.loader import read_toml
from ember_core.errors import EmberError
from ember_core.formats.plan import parse
from ember_core.heat.arrays import Array
from ember_core.heat.cook import Cook, run
from ember_core.heat.setup import setup
from ember_core.plan.kinds import BROWNING_KINDS, HEAT_KINDS, WAITING_KINDS
from ember_core.running.history import Running
from ember_core.safety.check import rows_of
from ember_core.wording.message import Message, say

COVERED = frozenset({"tented", "wrapped", "cloth"})


@dataclass(frozen=True)
class Until:
    """A moment, s since the cook began, and why."""

    at_s: float
    why: Message


@dataclass(frozen=True)
class After:
    """Until when it is at its best, and under control; None: nothing there ends within what is looked ahead, or no rule is known."""

    best: Until | None
    control: Until | None

    def as_dict(self) -> dict[str, Any]:
        """As the open format has it."""
        return {
            name: None if one is None else {"at_s": round(one.at_s, 1), "why": one.why}
            for name, one in (("best", self.best), ("control", self.control))
        }


def after(running: Running, crust_mm: float) -> After | None:
    """What waits for a piece that lies off the heat for good; None: it is on heat, goes back into some, or is being chilled.

    Parameters
    ----------
    running : Running
    crust_mm : float
        The thickest crust it has, mm.
    """
    at = running.current
    if at is None:
        return None
    kinds = [s.kind for s in running.plan.stages]
    if not set(kinds[at:]) <= WAITING_KINDS or not set(kinds[:at]) & HEAT_KINDS:
        return None
    cook = _waiting(running, at)
    if cook is None:
        return None
    egg = running.plan.shape["kind"] == "egg"
    best = None if egg else min((u for u in (_crisp(running, cook, at, crust_mm), _warm(cook, running.now_s)) if u), key=lambda u: u.at_s, default=None)  # fmt: skip
    return After(best, _control(running, cook))


def _waiting(running: Running, at: int) -> Cook | None:
    """The cook as it goes on lying where it lies."""
    document = running.plan.document
    lies = {k: v for k, v in document["stages"][at].items() if k != "until"}
    lies["minutes"] = 60.0 * read_toml("after.toml")["look"]["hours"]
    made = {k: v for k, v in document.items() if k not in {"report_at_s", "target"}}
    try:
        plan = parse({**made, "stages": [*document["stages"][:at], lies]})
        return run(plan, setup(plan))
    except EmberError:
        return None


def _crisp(running: Running, cook: Cook, at: int, crust_mm: float) -> Until | None:
    """Its crust softens, from the moment that it left the heat."""
    row = read_toml("after.toml")["crisp"]
    if crust_mm < row["least_mm"]:
        return None
    stages = running.plan.stages
    off_heat = max(i for i in range(at) if stages[i].kind in HEAT_KINDS)
    last = running.plan.document["stages"][off_heat]
    if last["kind"] not in BROWNING_KINDS or last.get("cover") in COVERED:
        return None
    minutes = row["covered_min"] if running.plan.document["stages"][at].get("cover") in COVERED else row["bare_min"]
    return Until(cook.stages[off_heat].end_s + 60.0 * minutes, say(row["words"]))


def _warm(cook: Cook, now_s: float) -> Until | None:
    """It is no longer hot to eat."""
    row = read_toml("after.toml")["warm"]
    limit = min(row["below_c"], float(cook.mean.max()) - row["under_peak_k"])
    return _falls(cook, cook.mean, limit, say(row["words"]))


def _falls(cook: Cook, values: Array, limit: float, why: Message) -> Until | None:
    """When a temperature is below a limit for good."""
    over = np.flatnonzero(values >= limit)
    if not over.size or over[-1] + 1 >= values.size:
        return None
    i = int(over[-1])
    part = (values[i] - limit) / (values[i] - values[i + 1])
    return Until(float(cook.t[i] + part * (cook.t[i + 1] - cook.t[i])), why)


def _control(running: Running, cook: Cook) -> Until | None:
    """The time between cold and hot holding, in all, is used up by the profile's rule for time as a control."""
    profile = running.plan.kept_by
    if not profile:  # the plan names no rules
        return None
    rules, held = rows_of("time_control", profile), rows_of("holding", profile)
    if not rules or not held:
        return None
    cold, hot = float(held[0]["cold_c"]), float(held[0]["hot_c"])
    coldest = cook.field.min(axis=1)  # what cools first decides
    out = (coldest > cold) & (coldest < hot)
    used = np.concatenate([[0.0], np.cumsum(np.where(out[:-1] | out[1:], np.diff(cook.t), 0.0))])
    limit = float(rules[0]["most_s"])
    if used[-1] <= limit:
        return None
    at = float(np.interp(limit, used, cook.t))
    return Until(at, say("{limit:span} between {cold:degrees} and {hot:temp} are used up ({clause})", limit=limit, cold=cold, hot=hot, clause=rules[0]["clause"]))  # fmt: skip
