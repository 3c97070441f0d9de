"""What a board is told of one cook: the part of the state document that only changes with its events and readings."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ember_core.line.fold import CookState
from ember_core.planning.moves import MoveKind
from ember_web.line.media import Track
from ember_web.line.models import Cook

READINGS_SHOWN = 240


def cook_state(
    cook: Cook,
    state: CookState,
    track: Track,
    learned: dict[str, Any] | None,
    truth: dict[str, Any] | None = None,
    *,
    altered: bool = False,
) -> dict[str, Any]:
    """What of a cook the page needs and only changes with its events and readings; times in ms since 1970.

    Parameters
    ----------
    cook, state, track
    learned : dict or None
        The pull by the probe.
    truth : dict or None
        What is really happening to it, see :func:`ember_web.line.replaying.state_words`.
    altered : bool
        Its heat was changed: what comes next is due when the replay says so.
    """
    times, cores = track.times, track.values
    step = 1  # doubled, so that what a board has stays as it is for long: the newest are added to it
    while len(times) > step * READINGS_SHOWN:
        step *= 2
    start = state.started or cook.created_at.timestamp()
    document = cook.document
    dues = dues_of(cook, state, learned, truth if altered else None)
    return {
        "id": cook.public_id,
        "title": cook.title,
        "station": cook.station,
        "count": document["piece"].get("count", 1),
        "started": round(start * 1000),
        "finished": None if state.finished is None else round(state.finished * 1000),
        "probe": None if cook.probe is None else str(cook.probe),
        "next": state.next,
        "lastEvent": state.last_event,
        "target": document.get("target", {}).get("core_c"),
        "pullCore": (cook.result.get("coast") or {}).get("pull_core_c"),
        "trace": cook.trace,
        "learned": learned,
        "truth": truth,
        "readings": [[round(times[i] - start, 1), round(cores[i], 2)] for i in range(0, len(times), step)],
        "lastReading": None if not times else [round(times[-1] * 1000), round(cores[-1], 2)],
        "moves": [
            {
                "id": m.id,
                "kind": raw["kind"],
                "verb": raw["verb"],
                "cue": raw["cue"],
                "why": raw["why"],
                "caution": raw["caution"],
                "core": raw["core_c"],
                "offset": m.offset_s,
                "due": dues[m.id],
                "done": None if m.done is None else round(m.done * 1000),
            }
            for m, raw in zip(state.moves, cook.moves, strict=True)
        ],
    }


def dues_of(
    cook: Cook, state: CookState, learned: Mapping[str, Any] | None, truth: Mapping[str, Any] | None
) -> dict[str, int]:
    """When each move is due, ms since 1970: one answer for all that a board shows.

    The next one by the replay where what happened differs from the plan, else a pull by its probe, else by the plan; what comes after
    moves along with it.

    Parameters
    ----------
    cook, state
    learned : mapping or None
        The pull by the probe.
    truth : mapping or None
        The replay, where what happened differs from the plan.
    """
    found = {m.id: round(m.due * 1000) for m in state.moves}
    if state.next is None:
        return found
    move, raw = state.moves[state.next], cook.moves[state.next]
    at = None
    coming = None if truth is None else truth["next"]
    if coming is not None and raw["id"] == coming["move"]:
        at = int(coming["at"])
    elif truth is None and learned is not None and raw["kind"] == MoveKind.PULL and not learned["note"]:
        at = int(learned["likely"])
    if at is None:
        return found
    shift = at - found[move.id]
    return {m.id: found[m.id] if m.done is not None else found[m.id] + shift for m in state.moves}
