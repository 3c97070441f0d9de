"""Writing the record of a finished cook."""

from __future__ import annotations

from typing import Any

from ember_core import __version__
from ember_core.data.loader import data_version
from ember_core.errors import InputError
from ember_core.formats.log import Log, judge_log
from ember_core.safety.rules import profile_of
from ember_core.safety.verdict import standing
from ember_web.line.adapters import moment, state_of
from ember_web.line.models import Cook
from ember_web.line.queries import readings_of
from ember_web.logbook.models import Record


def write_record(cook: Cook) -> Record:
    """Write the record; the verdict comes from the readings, or says that there were none."""
    state = state_of(cook)
    start = state.started or cook.created_at.timestamp()
    end = state.finished or start
    readings: list[list[float]] = []
    for row in readings_of(cook):
        t = round(row.measured_at.timestamp() - start, 3)
        if not readings or t > readings[-1][0]:
            readings.append([t, row.core_c])
    piece = cook.document["piece"]
    judged: dict[str, Any] | None = None
    verdict: dict[str, str] = {
        "state": "none",
        "words": "not measured",
        "detail": "No probe readings: the rule cannot be judged on what was not measured.",
    }
    rules = cook.document.get("rules")
    form = piece.get("form", "steak")
    if len(readings) >= 2 and rules and piece.get("food"):
        try:
            log = Log(
                tuple(r[0] for r in readings),
                tuple(r[1] for r in readings),
                (None,) * len(readings),
                (None,) * len(readings),
                ("",) * len(readings),
            )
            house = cook.document.get("x-house")
            judged = judge_log(log, rules=rules, food=piece["food"], form=form, house=house)
            guests = cook.document.get("guests", "general")
            found = standing(judged["rule"], form, guests, profile_of(rules, house))
            verdict = {"state": found.state, "words": found.words, "detail": found.detail, "under": found.profile.name}
        except InputError as error:
            verdict["detail"] = error.message
    document = {
        "format": "open-ember.record/1",
        "plan": cook.document,
        "result": cook.result,
        "trace": cook.trace,
        "readings": readings,
        "moves": [
            {**raw, "due_s": round(m.due - start, 1), "done_s": None if m.done is None else round(m.done - start, 1)}
            for m, raw in zip(state.moves, cook.moves, strict=True)
        ],
        "notes": state.notes,
        "judged": judged,
        "verdict": verdict,
        "probe": None if cook.probe is None else cook.probe.name,
        "started_at": moment(start).isoformat(),
        "finished_at": moment(end).isoformat(),
        "core_version": __version__,
        "data_version": data_version(),
        "planned_with": {"core_version": cook.core_version, "data_version": cook.data_version},
    }
    return Record.objects.create(
        kitchen=cook.kitchen,
        cook=cook,
        title=cook.title,
        started_at=moment(start),
        finished_at=moment(end),
        peak_core_c=max((r[1] for r in readings), default=None),
        state=verdict["state"],
        document=document,
        note="\n".join(state.notes),
        core_version=__version__,
        data_version=data_version(),
    )
