"""The sheet of a piece on the line: how it is checked, what happened to it, and what it is now."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse
from django.shortcuts import get_object_or_404, render
from django.utils.translation import gettext as _
from django.views.decorators.http import require_safe

from ember_core.book.foods import food_row
from ember_core.errors import EmberError
from ember_core.line.fold import CHECK, EXTEND, MOVE, PROBE, CookState
from ember_core.line.fold import Event as CoreEvent
from ember_core.plan.kinds import HEAT_KINDS, TURNED_KINDS
from ember_core.plan.probe_places import PART_NAMES, places_to_read
from ember_core.running.checks import THERMOMETER, body_of, checks, checks_for
from ember_core.running.history import CORE, OUT, SECOND, Running, is_out, running
from ember_core.running.intervals import STORED_BY, heated_by
from ember_core.running.state import replay
from ember_core.wording.message import N_
from ember_web.jobs.waiting import Busy, solver
from ember_web.kitchens.models import Equipment
from ember_web.line.adapters import moment, state_of
from ember_web.line.clock import kitchen_time
from ember_web.line.computing import MEMBERS, state_words
from ember_web.line.cut import faces
from ember_web.line.media import OF_MEDIUM, Around, around_of
from ember_web.line.models import Cook
from ember_web.line.queries import readings_of
from ember_web.line.replaying import cook_document
from ember_web.line.second_probe import lead_part, second_part
from ember_web.tenancy.access import KitchenRequest, has_rank, in_kitchen
from ember_web.tenancy.voice import current, tell
from ember_web.ui.drawing import ramp_of

HAPPENINGS = {
    "medium": N_("heat is now"), "off": N_("heat off"), "turn": N_("turned once more"), "baste": N_("basted for"), "door": N_("door open for"),
    "stage": N_("put into"), "probe": N_("the probe is"), "heat": N_("burner is now"),
}  # fmt: skip


PROBES = {"out": N_("out of it"), "back": N_("back in it"), "right": N_("where it belongs")}


def _state(document: dict[str, Any]) -> tuple[Running, dict[str, Any]]:
    asked = running(document)
    return asked, state_words(replay(asked, members=MEMBERS, threads=1), 0.0)


@in_kitchen()
@require_safe
def sheet(request: KitchenRequest, cook: str) -> HttpResponse:
    """Its checks and what can have happened to it, with the verdict of this moment; alone, or as the page of a board without scripts."""
    kitchen = request.kitchen
    found = get_object_or_404(Cook.objects.select_related("probe"), kitchen=kitchen, public_id=cook)
    state = state_of(found)
    now = kitchen_time(kitchen).timestamp()
    start = state.started or found.created_at.timestamp()
    rows = readings_of(found)
    around = around_of(found, state)
    document = cook_document(
        found.document, state, now, [r.measured_at.timestamp() for r in rows], [r.core_c for r in rows], around
    )
    truth: dict[str, Any] | None = None
    why, asked = "", None
    try:
        asked, truth = solver.run(_state, document)
    except EmberError as error:
        why = current().say(error.message)
        if not isinstance(error, Busy):
            why = tell("It goes on by its plan: {why}", why=why)
    family = (
        (food_row(found.document["piece"].get("food")) or {}).get("targets")
        if found.document["piece"].get("food")
        else None
    )
    on = None if asked is None or asked.current is None else asked.plan.stages[asked.current].kind
    known = checks_for(family, on, body_of(found.document["piece"]["shape"]))
    context = {
        "cook": found,
        "truth": truth,
        "why": why,
        "peak": None if truth is None else truth["peak"],
        "next_at": None if truth is None or truth["next"] is None else moment(start + truth["next"]["at"] / 1000.0),
        "past_s": None if truth is None or truth["past"] is None else truth["past"] / 1000.0 - document["now_s"],
        "checks": [
            {"id": c.id, "name": c.name, "how": c.how, "answers": c.answers, "best": truth is not None and truth["ask"] is not None and truth["ask"]["id"] == c.id}
            for c in known.values()
            if c.id != THERMOMETER
        ],
        "cuts": faces(ramp_of(asked.planned)) if asked is not None and "cut" in known else [],
        "thermometer": known.get(THERMOMETER),
        "read_it": truth is not None and truth["ask"] is not None and truth["ask"]["id"] == THERMOMETER,
        "parts": [] if asked is None else places_to_read(asked.planned),
        "probes": list(PROBES.items()) if found.probe_id or found.second_probe_id else [],
        "probes_in": _probes_in(found),
        "medium": _medium(found, around, state),
        "happenings": _can_happen(asked),
        "back": _back(asked),
        "into": INTO if "medium" in _can_happen(asked) else (),
        "history": [_line(found, state, e, start) for e in reversed(state.live) if e.kind in {MOVE, EXTEND, CHECK, *HAPPENINGS}],
        "degrees": current().units.sign("temp"),
        "can_write": has_rank(request, "cook") and not found.finished,
    }  # fmt: skip
    part = request.headers.get("X-Sheet") == "1"
    return render(request, "line/_sheet.html" if part else "line/sheet.html", context)


def _probes_in(cook: Cook) -> list[tuple[str, str]]:
    """Its probes, each by how an event speaks of it, and the part it is in where there are two."""
    part = second_part(cook.result)
    if cook.second_probe_id is None or part is None:
        return [(CORE, "")] if cook.probe_id else []
    first = [(CORE, PART_NAMES[lead_part(cook.result)])] if cook.probe_id else []
    return [*first, (SECOND, PART_NAMES[part])]


def _medium(cook: Cook, around: Around, state: CookState) -> dict[str, Any] | None:
    """The gear it lies in by its thermometer: name, what it reads, and what is asked of it; None: none with a thermometer."""
    if not around.stays or around.stays[-1].gear is None or not around.read[-1][0].size:
        return None
    name = Equipment.objects.filter(kitchen=cook.kitchen, pk=around.stays[-1].gear).values_list("name", flat=True).get()
    doubt, read = around.doubt(state), around.read[-1][1]
    wrong = is_out(around.said, float(around.read[-1][0][-1]))
    return {"name": name, "read": float(read[-1]), "wrong": wrong, "doubt": doubt, "ask": None if doubt is None else doubt.question(name)}  # fmt: skip


def _can_happen(asked: Running | None) -> list[str]:
    """What can be said of the stage under way."""
    if asked is None or asked.current is None:
        return []
    stage = asked.plan.document["stages"][asked.current]
    kind = stage["kind"]
    out = []
    if "medium_c" in stage or any("medium_c" in f for f in stage.get("faces", {}).values()):
        out.append("medium")
    if kind in STORED_BY and kind in HEAT_KINDS and asked.plan.document["piece"].get("mass_g"):
        out.append("off")
    if kind in TURNED_KINDS and stage.get("faces"):
        out.append("turn")
    if kind == "pan" and stage.get("faces"):
        out.append("baste")
    if stage.get("store", {}).get("kind") in {"oven", "cabinet"}:
        out.append("door")
    return out


def _back(asked: Running | None) -> dict[str, Any] | None:
    """The heat that a piece off the heat can go back into: its kind, °C and what it is for, °C; None: it is on heat, or had none."""
    if asked is None or asked.current is None or asked.plan.stages[asked.current].kind in HEAT_KINDS:
        return None
    heats = [
        i
        for i in range(asked.current)
        if asked.plan.stages[i].kind in HEAT_KINDS and asked.plan.stages[i].kind != "torch"
    ]
    if not heats:
        return None
    stage = asked.plan.document["stages"][heats[-1]]
    medium = heated_by(stage).get("medium_c")
    return None if medium is None else {"kind": stage["kind"], "medium_c": medium, "target_c": asked.planned.target_c}


def _line(cook: Cook, state: CookState, event: CoreEvent, start: float) -> dict[str, Any]:
    """An event of the history in words, with the moment it was."""
    known = checks()
    payload = event.payload
    if event.kind == MOVE:
        words = next((current().say(m["verb"]) for m in cook.moves if m["id"] == event.move), event.move)
    elif event.kind == EXTEND:
        words = tell("{minutes:.0f} min more", minutes=event.seconds / 60.0)
    elif event.kind == CHECK:
        kind = known[str(payload["check"])]
        value = (
            current().units.shown("temp", payload["core_c"], 1)
            if "core_c" in payload
            else _(str(payload.get("answer", "")))
        )
        words = f"{current().say(kind.name)}: {value}"
        if "part" in payload:
            words += ", " + _(PART_NAMES[str(payload["part"])])
        if "grey" in payload:
            words += ", " + tell("{share:.0f} % grey", share=100.0 * payload["grey"])
    else:
        words = current().say(HAPPENINGS[event.kind])
        if event.kind == PROBE and payload.get("of") == OF_MEDIUM:
            words = (
                _("the heat's thermometer is off") if payload.get("is") == OUT else _("the heat's thermometer is right")
            )
        elif event.kind == PROBE:
            if payload.get("of") == SECOND:
                words = tell("the probe in {place} is", place=_(PART_NAMES.get(second_part(cook.result) or "", "")))
            words += " " + _(PROBES.get(str(payload.get("is")), ""))
        if "medium_c" in payload:
            words += " " + current().units.shown("temp", payload["medium_c"], 0)
        if "stage" in payload:
            words += " " + _(str(payload["stage"]["kind"]))
    back = tell("Undo: {words}", words=words)
    return {"id": event.id, "words": words, "back": back, "at": moment(event.at), "kind": event.kind}


FRIDGE_C, FRIDGE_MIN, BACK_MIN = 4.0, 60.0, 60.0
HOLD_C = 63.0  # of a hot cabinet; the hottest of the profiles' limits for hot holding
INTO = ("oven", "pan", "bath", "grill")  # other heats that a piece is moved into by hand
PAN_FACE = "b"


def form_event(request: KitchenRequest, cook: Cook) -> dict[str, Any]:
    """What a form of the sheet says of an event, in SI; quantities come in the reader's unit."""
    post = request.POST
    kind = post.get("kind", "")
    out: dict[str, Any] = {}
    if kind == CHECK:
        check, answer, grey, part = [*post.get("said", "").split("|"), "", "", ""][:4]
        out = {"check": check, "answer": answer, "width": post.get("width", "untrained")}
        if grey:
            out["grey"] = _number(grey)
        if part:
            out["part"] = part
    for name in ("core_c", "medium_c"):
        if post.get(name):
            out[name] = _degrees(post[name])
    if kind == PROBE:
        out["is"] = post.get("is", "")
        if post.get("of"):
            out["of"] = post["of"]
    if kind == "medium" and post.get("read"):
        out["read"] = True
    if kind in {"baste", "door"}:
        out["seconds"] = _number(post.get("seconds", ""))
    if kind == "stage":
        out["stage"] = _stage(request, cook)
    return out


def _number(text: str) -> float | str:
    try:
        return float(text.replace(",", "."))
    except ValueError:
        return text


def _degrees(text: str) -> float | str:
    try:
        return float(current().units.read("temp", text))
    except ValueError:
        return text


def _moved(asked: Running, kind: str, medium_c: float | str) -> dict[str, Any]:
    """Another heat than the plan has, until what the plan is for."""
    target = asked.planned.core_goal_c
    stage: dict[str, Any] = {"kind": kind, "minutes": BACK_MIN} | (
        {"until": {"peak_core_c": target}} if target is not None else {}
    )
    flat = asked.plan.shape["kind"] == "slab"
    return stage | ({"faces": {PAN_FACE: {"medium_c": medium_c}}} if kind == "pan" and flat else {"medium_c": medium_c})


def _stage(request: KitchenRequest, cook: Cook) -> dict[str, Any]:
    """The stage that a form's button means: back into its heat until its target, or into the refrigerator."""
    if request.POST.get("cold"):
        return {"kind": "chill", "medium_c": FRIDGE_C, "minutes": FRIDGE_MIN}
    if request.POST.get("hot"):
        return {"kind": "hold", "medium_c": HOLD_C, "minutes": BACK_MIN}
    state = state_of(cook)
    asked = running(cook_document(cook.document, state, kitchen_time(request.kitchen).timestamp()))
    if request.POST.get("into"):
        return _moved(asked, request.POST["into"], _degrees(request.POST.get("medium_c", "")))
    last = [
        s
        for s, spec in zip(asked.plan.document["stages"][: asked.current], asked.plan.stages, strict=False)
        if spec.kind in HEAT_KINDS
    ]
    if not last:
        return {}
    heat = {k: v for k, v in last[-1].items() if k not in {"until", "portion"}} | {"minutes": BACK_MIN}
    target = asked.planned.core_goal_c
    return heat | ({"until": {"peak_core_c": target}} if target is not None else {})
