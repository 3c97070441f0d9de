"""What the probe's readings say about the pull of a running cook."""

from __future__ import annotations

import json
from collections.abc import Sequence
from functools import lru_cache
from typing import Any

import numpy as np

from ember_core.formats.plan import parse
from ember_core.heat.cook import run, setup
from ember_core.heat.forecast import MEMBER_CELLS, MEMBER_REFINE
from ember_core.heat.learning import Learner
from ember_core.line.fold import CookState
from ember_web.line.models import Cook, Reading

MEMBERS = 96
LEAST_READINGS = 6
LEAST_SPAN_S = 60.0


@lru_cache(maxsize=32)
def _learner(document: str) -> Learner:
    """The prepared ensemble of a plan document; a few tenths of a second the first time."""
    raw = json.loads(document)
    spreads = (raw.pop("forecast", None) or {}).get("spreads")
    plan = parse(raw)
    cook = run(plan, setup(plan))
    return Learner.prepare(
        setup(plan, cells=MEMBER_CELLS, refine=MEMBER_REFINE), plan.face_kinds, cook, members=MEMBERS, spreads=spreads
    )


def learned(cook: Cook, state: CookState, rows: Sequence[Reading], start: float) -> dict[str, Any] | None:
    """The pull by the probe, in ms since the epoch: ``from``, ``likely``, ``to``, and a ``note`` when it is doubtful.

    Only while the pull is the next move and enough has been read. Plan time runs from the last move as
    it was really done, so that a late turn shifts the pull as well.
    """
    if not cook.result.get("coast") or state.next is None:
        return None
    following = cook.moves[state.next]
    done = [(m.done, m.offset_s) for m in state.moves if m.done is not None]
    if following["verb"] != "Pull" or not done or len(rows) < LEAST_READINGS:
        return None
    at, offset = max(done, key=lambda d: d[1])
    times = np.array([r.measured_at.timestamp() for r in rows])
    if times[-1] - times[0] < LEAST_SPAN_S:
        return None
    plan_s = np.where(times >= at, offset + times - at, np.minimum(times - start, offset))
    posterior = _learner(json.dumps(cook.document, sort_keys=True)).update(plan_s, np.array([r.core_c for r in rows]))
    if posterior.used == 0 and not posterior.findings:
        return None
    low, middle, high = (
        round(1000 * (at + float(p) - offset)) for p in np.quantile(posterior.pull_s, [0.05, 0.5, 0.95])
    )
    return {"from": low, "likely": middle, "to": high, "used": posterior.used, "note": " ".join(posterior.findings)}
