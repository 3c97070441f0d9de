"""What the pages of a plan show: a computed plan on the kitchen's clock, in words and drawn."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from django.utils.translation import gettext

from ember_core.book.book import Book
from ember_core.doneness.browning import in_hot_air, skin_of
from ember_core.doneness.eggs import WHITES, YOLKS
from ember_core.formats.sharing import MOST_IN_TURN
from ember_core.heat.cook import Cook
from ember_core.heat.ensemble.sensitivity import sensitivities
from ember_core.plan.finding import Finding, Level
from ember_core.plan.kinds import BROWNING_KINDS, DRY_AIR_KINDS
from ember_core.plan.plan import Plan
from ember_core.plan.probe_places import PART_NAMES
from ember_core.planning.batches import LAY_S, in_pan
from ember_core.planning.compute import Outcome
from ember_core.planning.moves import moves
from ember_core.planning.preparation import After, after, gain_k, moves_before_heat, set_out
from ember_core.planning.several import sizes_apart
from ember_core.safety.rules import profile_of
from ember_core.safety.verdict import Standing, eats, standing
from ember_core.wording.message import N_, Message, say
from ember_web.kitchens.models import Equipment
from ember_web.tenancy.models import Kitchen
from ember_web.tenancy.voice import current, tell
from ember_web.ui.drawing import Picture, draw, ramp_of
from ember_web.ui.templatetags.ember import span

LETTER = 7.2  # mean breadth of a letter under the ribbon
LONG_S = 6 * 3600.0  # a plan that takes longer has a ribbon


@dataclass(frozen=True)
class View:
    """All that the Plan page shows of one computed plan."""

    outcome: Outcome
    moves: list[dict[str, Any]]
    eats: str
    standing: Standing | None
    start_at: datetime
    pull_at: datetime | None
    serve_at: datetime
    late_s: float
    picture: Picture
    coast: dict[str, float] | None
    data: dict[str, Any]
    doneness: str
    shown: list[dict[str, Any]]
    before: list[dict[str, Any]]
    set_out: list[str]
    after: After | None
    gain_k: float | None
    ribbon: list[dict[str, Any]]
    outside: dict[str, Any] | None = None

    @property
    def under(self) -> str:
        """The rule set and its edition."""
        if self.standing is None:
            return ""
        profile = self.standing.profile
        return profile.name if profile.edition in profile.name else f"{profile.name}, {profile.edition}"


def build(outcome: Outcome, kitchen: Kitchen, book: Book, now: datetime, cursor_s: float | None = None) -> View:
    """Place a computed plan on the kitchen's clock and draw it."""
    plan, cook, result = outcome.plan, outcome.cook, outcome.result
    total = cook.stages[-1].end_s
    if plan.serve_at is not None:
        serve = plan.serve_at if plan.serve_at.tzinfo else plan.serve_at.replace(tzinfo=kitchen.tz)
        start = serve - timedelta(seconds=total)
    else:
        start = now
        serve = now + timedelta(seconds=total)
    doneness = book.doneness_reached(plan.food, cook.peak_core_c, plan.document["piece"].get("cut", ""))
    rows: list[dict[str, Any]] = []
    for move in moves(plan, cook):
        at = start + timedelta(seconds=move.offset_s)
        rows.append(move.as_dict() | {"at": at, "elapsed": span(move.offset_s)})
    _days(rows, kitchen)
    early = [m.as_dict() | {"at": start + timedelta(seconds=m.offset_s)} for m in moves_before_heat(plan, cook, book)]
    _days(early, kitchen)
    picture = draw(
        cook,
        ramp=ramp_of(plan),
        target_c=plan.target_c,
        round_=cook.closed,
        ticks=[(m["offset_s"], m["verb"]) for m in rows],
        met_at_s=(result["rule"] or {}).get("met_at_s"),
        cursor_s=cursor_s,
        ribbon=outcome.forecast,
        units=current().units,
    )
    return View(
        outcome=outcome,
        moves=rows,
        eats=eats(doneness, cook.peak_core_c, plan.target_c, cook.coldest[0])
        if result["egg"] is None
        else _egg_eats(result["egg"]),
        standing=None
        if result["rule"] is None
        else standing(
            result["rule"],
            plan.required,
            plan.guests,
            profile_of(plan.rules or "", plan.house),
            outcome.findings,
        ),
        start_at=start,
        pull_at=None if cook.pull_s is None else start + timedelta(seconds=cook.pull_s),
        serve_at=serve,
        late_s=max((now - start).total_seconds(), 0.0) if plan.serve_at is not None else 0.0,
        picture=picture,
        coast=result["coast"],
        data=picture.data,
        doneness=doneness,
        shown=_together(rows),
        before=early,
        set_out=set_out(plan, book),
        after=after(plan, cook),
        gain_k=gain_k(plan, cook),
        ribbon=_ribbon_of(rows, cook, kitchen, start) if total > LONG_S else [],
        outside=_outside(plan, result),
    )


def _egg_eats(egg: Mapping[str, Any]) -> Message:
    """How an egg in its shell will eat."""
    yolk, white = YOLKS[egg["yolk"]["word"]], WHITES[egg["white"]["word"]]
    return say(
        "yolk {yolk}, white {white}, middle {peak_c:temp1}", yolk=say(yolk), white=say(white), peak_c=egg["yolk_core_c"]
    )


FACES = {1: (N_("all round"),), 2: (N_("first side"), N_("other side"))}


BY_EYE = N_("judge it by eye")
HOT_AIR_C, HOT_AIR_S = 150.0, 1200.0  # in air so hot, for so long, skin and fat brown that the model keeps wet


def _browned_in_air(plan: Plan, result: Mapping[str, Any]) -> bool:
    """Whether hot air had long enough to brown an outside whose colour the model does not give: it has no skin that hangs in the air."""
    skin = skin_of(plan) is not None
    return any(
        not (skin and hangs)
        and s.kind in DRY_AIR_KINDS & BROWNING_KINDS
        and (s.face_a.medium_c or 0.0) >= HOT_AIR_C
        and done["end_s"] - done["start_s"] >= HOT_AIR_S
        for s, done, hangs in zip(plan.stages, result["stages"], in_hot_air(plan, 0), strict=True)
    )


def _outside(plan: Plan, result: Mapping[str, Any]) -> dict[str, Any] | None:
    """Colour, crust and loss of a result in words; None where they say nothing."""
    found = result.get("outside")
    if found is None:
        return None
    unsure = _browned_in_air(plan, result)
    sides = (
        found["faces"][:1] if plan.shape["kind"] == "bird" else found["faces"]
    )  # a part of a bird is alike all round
    faces = [
        {**f, "name": n, "colour": BY_EYE if unsure and f["colour"] == "pale" else COLOURS[f["colour"]]}
        for f, n in zip(sides, FACES[len(sides)], strict=True)
    ]
    mass = plan.document["piece"].get("mass_g")
    lost = say(
        "It loses about {loss:.0f} % ({drip:.0f} % as juice, {evaporated:.0f} % into the air)",
        loss=100.0 * (1.0 - found["yield"]),
        drip=100.0 * found["drip"],
        evaporated=100.0 * found["evaporated"],
    )
    words = say("{lost}.", lost=lost)
    if mass is not None:
        words = say("{lost}: {left:mass} of {mass:mass}.", lost=lost, left=round(mass * found["yield"]), mass=mass)
    by_eye = any(f["colour"] == BY_EYE for f in faces)
    return {"faces": faces, "words": words, "long": _long(plan, result), "by_eye": by_eye}


def drawing_together(result: Mapping[str, Any]) -> Message | None:
    """How much sooner a piece that draws together may be ready, or how much hotter it ends; None where that is little."""
    found = result.get("outside", {}).get("shrinking")
    if found is None:
        return None
    values = {"loss": 100.0 * (1.0 - found["size"] ** 3), "size": 100.0 * found["size"]}
    hotter = found["peak_c"] - result["peak"]["core_c"]
    if hotter >= LEAST_HOTTER_K:
        return say(
            "Losing {loss:.0f} % it draws together to {size:.0f} % each way and may end {hotter:rise1} hotter. Plan and rule keep to the raw size.",
            hotter=hotter,
            **values,
        )
    if found["sooner_s"] >= LEAST_SOONER_S:
        return say(
            "Losing {loss:.0f} % it draws together to {size:.0f} % each way and may be ready {sooner:span} sooner. Plan and rule keep to the raw size.",
            sooner=found["sooner_s"],
            **values,
        )
    return None


def _long(plan: Plan, result: Mapping[str, Any]) -> list[Message]:
    """What a long cook does: how far a tough cut softens, and how long it is warm enough for growth; nothing of a short one."""
    total = result["stages"][-1]["end_s"]
    out = []
    low, middle, high = sorted(result["outside"]["tender_h"])
    if total > LONG_S and middle > LEAST_TENDER_H:
        words = say(
            "It softens a tough cut as {middle:.1f} h at 70 °C would ({low:.1f} to {high:.1f}).",
            middle=middle,
            low=low,
            high=high,
        )
        out.append(words)
    grown = result.get("growth")
    if grown is not None and grown["range_s"] > LONG_WARM_S:
        words = say(
            "Coldest point spends {hours:.1f} h between 10 and 54 °C; C. perfringens could grow {many:.1f}-fold there (a model).",
            hours=grown["range_s"] / 3600.0,
            many=10.0 ** grown["log10"],
        )
        out.append(words)
    return out


LEAST_TENDER_H = 0.3
LEAST_SOONER_S, LEAST_HOTTER_K = 60.0, 0.5  # less is not worth a word
LONG_WARM_S = 3600.0


APART_S = (5, 10, 20)  # how far apart pieces are laid in, on offer


def turns_of(view: View | None) -> list[tuple[str, str]]:
    """How far apart the pieces may be laid in, as values and words; nothing where their number or their medium leaves no choice."""
    stages = [] if view is None else view.outcome.plan.document["stages"]
    many = max((s["store"].get("pieces", 1) for s in stages if "store" in s), default=1)
    stated = view is not None and "store" in view.outcome.plan.document.get("x-gear", {})
    if not stated or not 1 < many <= MOST_IN_TURN:
        return []
    first = ("", gettext("all at once"))
    return [first, *((str(s), tell("every {seconds} s", seconds=s)) for s in APART_S)]


COLOURS = {"pale": N_("pale"), "golden": N_("golden"), "brown": N_("brown"), "dark": N_("dark")}


def pans_for_the_oven(outcome: Outcome, kitchen: Kitchen, book: Book) -> list[Finding]:
    """Which of the kitchen's pans may go where the way puts one, or that none may; nothing where it has none on its list."""
    way = outcome.plan.document.get("way", {})
    row = book.way(way.get("id", ""), way.get("version")) or {}
    pans = list(Equipment.objects.filter(kitchen=kitchen, kind=Equipment.Kind.PAN))
    if "pan-ovenproof" not in row.get("gear", ()) or not pans:
        return []
    fit = [p.name for p in pans if p.into_oven]
    if fit:
        words = say("Into the oven may go: {names}.", names=fit)
        return [Finding("pan-for-the-oven", Level.NOTE, words, "the kitchen's gear")]
    words = say(
        "No pan on this kitchen's list may go into the oven: a handle or a coating burns. Turn it onto a hot tray."
    )
    return [Finding("pan-for-the-oven", Level.CARE, words, "the kitchen's gear")]


def _days(rows: list[dict[str, Any]], kitchen: Kitchen) -> None:
    """Mark the rows that begin another day than the one before, where there is more than one."""
    days = [kitchen.local(r["at"]).date() for r in rows]
    for i, (row, day) in enumerate(zip(rows, days, strict=True)):
        row["day"] = day if len(set(days)) > 1 and (i == 0 or days[i - 1] != day) else None


def _together(rows: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Moves that say the same one after another as one, with how often it comes again and until when."""
    out: list[dict[str, Any]] = []
    for row in rows:
        last = out[-1] if out else None
        if last is not None and (last["verb"], last["cue"]) == (row["verb"], row["cue"]):
            last["again"] += 1
            last["until"] = row["at"]
        else:
            out.append({**row, "again": 0, "until": None})
    return out


def _ribbon_of(rows: list[dict[str, Any]], cook: Cook, kitchen: Kitchen, start: datetime) -> list[dict[str, Any]]:
    """The stages of a long plan from cure to plate: each as wide as the square root of its time, so that minutes show beside days."""
    out = []
    for row, stage in zip(rows, cook.stages, strict=False):
        took = stage.end_s - stage.start_s
        begins = kitchen.local(start + timedelta(seconds=stage.start_s))
        out.append(
            {
                "verb": row["verb"],
                "kind": stage.kind,
                "took": took,
                "at": begins,
                "wide": round(max(took, 60.0) ** 0.5, 1),
                "day": row["day"],
            }
        )
    whole = sum(part["wide"] for part in out)
    left = 0.0
    for part in out:
        fits = int(1216.0 * part["wide"] / whole / LETTER) - 1
        words = current().say(part["verb"])
        part["words"] = words if len(words) <= fits else f"{words[: fits - 1].rstrip(' ,')}…" if fits > 4 else ""
        part["x"], part["w"] = round(left, 2), round(1216.0 * part["wide"] / whole, 2)
        left += part["w"]
    return out


def ring_of(outcome: Outcome, book: Book, kitchen: Kitchen) -> dict[str, Any] | None:
    """The pieces in the pan: batches and where each lies, in a drawing of 200 by 200; None where there is no ring.

    A pan of the kitchen's own that says how many it holds is believed; another is taken as the usual one.
    """
    piece = outcome.plan.document["piece"]
    gear = outcome.plan.document.get("x-gear") or {}
    own = Equipment.objects.filter(kitchen=kitchen, kind="pan", name=gear.get("name", "")).first()
    cut = book.cut(piece.get("cut", ""), piece.get("x-cut-version"))
    found = in_pan(outcome.plan, cut, places=own.places if own else None)
    if found is None:
        return None
    scale = 192.0 / found.pan_mm
    size = {"w": found.length_mm * scale * 0.9, "h": found.width_mm * scale * 0.9}
    return {
        "pan": found,
        "own": own.name if own else "",
        "many": len(found.batches) > 1,
        "rest": " + ".join(str(b) for b in found.batches),
        "lay_s": float(outcome.plan.document.get("x-apart-s", LAY_S)) * (found.batches[0] - 1),
        "size": size,
        "places": [
            {"order": p.order, "x": 100 + p.x_mm * scale, "y": 100 + p.y_mm * scale, "turned": p.turned}
            for p in found.places
        ],
    }


def sizes_of(outcome: Outcome, kitchen: Kitchen) -> list[dict[str, Any]]:
    """Pieces of different sizes with their own clock times, the first to go in first; empty when they are alike."""
    found = sizes_apart(outcome.plan)
    if not found:
        return []
    serve = outcome.plan.serve_at
    if serve is None:
        start = kitchen.now()
    else:
        start = (serve if serve.tzinfo else serve.replace(tzinfo=kitchen.tz)) - timedelta(seconds=found[0].ready_s)

    def at(seconds: float | None) -> datetime | None:
        return None if seconds is None else start + timedelta(seconds=seconds)

    return [
        {"own": own, "goes_in": at(own.in_s), "turn": at(own.turn_s), "pull": at(own.pull_s), "ready": at(own.ready_s)}
        for own in found
    ]


def parts_of(outcome: Outcome) -> list[dict[str, Any]]:
    """The parts of a whole bird, the one that leads first; empty of what is no bird."""
    found = outcome.result.get("parts") or {}
    rows = [{"name": PART_NAMES[part], **told} for part, told in found.items()]
    return sorted(rows, key=lambda r: not r["leads"])


def findings_of(view: View | None, more: Sequence[Finding] = ()) -> list[Finding]:
    """Findings of the computed plan, and more that go with it, the gravest first."""
    return (
        []
        if view is None
        else sorted([*view.outcome.findings, *more], key=lambda f: (*Level,).index(Level(f.level)), reverse=True)
    )


def shifts(view: View) -> list[str]:
    """What one change does to the pull, in words."""
    out = []
    for s in sensitivities(view.outcome.plan, view.outcome.cook):
        if s.pull_later_s is not None:
            template = N_("{change}: {by_s:span} later") if s.pull_later_s > 0 else N_("{change}: {by_s:span} sooner")
            out.append(tell(template, change=s.change, by_s=abs(s.pull_later_s)))
    return out
