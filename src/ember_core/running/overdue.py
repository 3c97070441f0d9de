"""A stage that has reached what it waits for, and goes on because nobody has done the next move: it is due now, not when it comes back there."""

from __future__ import annotations

from dataclasses import replace

from ember_core.heat.cook import Cook
from ember_core.running.history import LEAST_REST_S, Running, made_of

WATCHED = {"core_c": "core", "mean_c": "mean", "surface_c": "surface_a", "surface_b_c": "surface_b"}
"""Of what a stage may wait for, the course that is watched; it ends where that crosses the value."""


def fell_due_s(running: Running, cook: Cook) -> float | None:
    """When what the stage under way waits for was reached, s: its course crossed the value since the stage began; None: not yet.

    Parameters
    ----------
    running : Running
    cook : Cook
        Its computed history.
    """
    current = running.current
    if current is None:
        return None
    stage = running.plan.stages[current]
    if stage.until not in WATCHED:
        return None
    first = current
    while first and running.index[first - 1] == running.index[current] >= 0:
        first -= 1
    if first == current:
        return None
    begun = cook.stages[first - 1].end_s if first else 0.0
    part = slice(cook.at(begun), cook.at(running.now_s) + 1)
    t, course = cook.t[part], getattr(cook, WATCHED[stage.until])[part] - stage.until_value
    over = (course < 0.0) != (course[0] < 0.0)
    if not over[-1]:
        return None
    i = int(over.argmax())
    return float(t[i - 1] + (t[i] - t[i - 1]) * course[i - 1] / (course[i - 1] - course[i]))


def ends_now(running: Running, fell_due_s: float) -> Running:
    """The same cook with its stage under way at its end since it fell due: what follows begins as soon as it is done."""
    current = running.current
    assert current is not None
    document = dict(running.plan.document)
    stages = [dict(s) for s in document["stages"]]
    stages[current].pop("until", None)
    stages[current]["minutes"] = LEAST_REST_S / 60.0
    return replace(running, plan=made_of(document | {"stages": stages}), due_s=fell_due_s)
