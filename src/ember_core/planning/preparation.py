"""Before heat and after: what is done by hand with its clock counted back, what is set out, how long it keeps."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from ember_core.book.book import Book
from ember_core.data.loader import read_toml
from ember_core.heat.cook import Cook
from ember_core.plan.kinds import BROWNING_KINDS, COOLING_KINDS, HEAT_KINDS
from ember_core.plan.plan import Plan
from ember_core.plan.stages import SHORT_DIP_S
from ember_core.planning.moves import Move, MoveKind
from ember_core.safety.keeping import shelf_life
from ember_core.wording.message import join_sentences, say

TRIM_S, DRY_S, POUCH_S, ICE_S, PLATES_S = (
    300.0,
    240.0,
    600.0,
    300.0,
    600.0,
)  # so long before; common practice, no source
ICE_BY_MASS = 2.0  # kg of ice for a kg of food
MIN_S = 60.0


@dataclass(frozen=True)
class After:
    """How long what a plan ends with keeps.

    Attributes
    ----------
    days : int or None
        None: the profile has no number.
    at_c : float
        Where it is kept.
    words : str
        The clause with what it needs.
    """

    days: int | None
    at_c: float
    words: str


def _texts(name: str) -> Mapping[str, str]:
    found: Mapping[str, str] = read_toml("moves.toml")["before"][name]
    return found


def _move(name: str, offset_s: float, cue: str, **texts: str) -> Move:
    own = {**_texts(name), **texts}
    why, caution = (say(own[k]) if own.get(k) else "" for k in ("why", "caution"))
    return Move(f"before-{name}", say(own["verb"]), offset_s, cue, why, caution, None, None, MoveKind.PREPARE)


def _firsts(plan: Plan, cook: Cook) -> dict[str, float]:
    """When each kind of stage first begins, s."""
    out: dict[str, float] = {}
    for stage, done in zip(plan.stages, cook.stages, strict=True):
        out.setdefault(stage.kind, done.start_s)
    return out


def _first_heat(plan: Plan, cook: Cook) -> tuple[str, float]:
    heats = ((s.kind, d.start_s) for s, d in zip(plan.stages, cook.stages, strict=True) if s.kind in HEAT_KINDS)
    return next(heats, ("", 0.0))


def moves_before_heat(plan: Plan, cook: Cook, book: Book) -> tuple[Move, ...]:
    """What is done before heat, in order; offsets are s from the first stage's begin, negative before it.

    Of a plan without a cut of the book only what its stages need.

    Parameters
    ----------
    plan : Plan
    cook : Cook
        Its nominal cook, whose stages say when which gear must be hot.
    book : Book
    """
    piece = plan.document["piece"]
    cut = book.cut(piece.get("cut", ""), piece.get("x-cut-version"))
    way = plan.document.get("way", {})
    gear = (book.way(way.get("id", ""), way.get("version")) or {}).get("gear", ())
    firsts = _firsts(plan, cook)
    kind, heat_s = _first_heat(plan, cook)
    out = [*_by_gear(gear, firsts), *_ready(plan, firsts, cook)]
    if cut is not None:
        out += _by_cut(cut, piece, plan, kind, heat_s)
    return tuple(sorted(out, key=lambda m: m.offset_s))


def _by_cut(cut: Mapping[str, Any], piece: Mapping[str, Any], plan: Plan, kind: str, heat_s: float) -> list[Move]:
    out = []
    lead_s = MIN_S * cut.get("salt_lead_min", 0)
    cured = any(s.kind in {"cure", "brine"} for s in plan.stages)
    drying, trimming = cut.get("drying", ()), cut.get("prep", ())
    frozen = plan.start_c < -2.0
    if frozen:
        return [_move("thaw", heat_s - TRIM_S, say(_texts("thaw")["cue"]))]
    if trimming:
        cue = join_sentences([say(p) for p in trimming], "; ")
        out.append(_move("trim", min(heat_s - lead_s - TRIM_S, -TRIM_S), cue))
    mass, count = piece.get("mass_g"), piece.get("count", 1)
    if cut.get("salt_g_kg") and lead_s and mass and not cured:
        grams = round(cut["salt_g_kg"] * mass / 1000.0, 1)
        text = _texts("salt")["cue_all" if count > 1 else "cue"]
        values = {"salt_g": grams, "when": say(cut["salt_when"]), "all_g": round(grams * count, 1)}
        out.append(_move("salt", heat_s - lead_s, say(text, **{k: v for k, v in values.items() if k in text})))
    if drying and kind in BROWNING_KINDS:
        out.append(_move("dry", heat_s - DRY_S, join_sentences([say(p) for p in drying], "; ")))
    return out


def _by_gear(gear: Any, firsts: Mapping[str, float]) -> list[Move]:
    """Heat that must be ready when its first stage begins."""
    table, out, seen = read_toml("gear.toml"), [], set()
    for name in gear:
        row = table[name]
        starts = [firsts[k] for k in row.get("heats", ()) if k in firsts]
        if not starts or row["heat_say"] in seen:
            continue
        seen.add(row["heat_say"])
        out.append(
            Move(
                f"before-{name}",
                say(row["heat_say"]),
                min(starts) - MIN_S * row["heat_min"],
                say(row["heat_cue"]),
                kind=MoveKind.PREPARE,
            )
        )
    return out


def _ready(plan: Plan, firsts: Mapping[str, float], cook: Cook) -> list[Move]:
    out = []
    if "bath" in firsts and plan.shape["kind"] != "egg":
        out.append(_move("pouch", firsts["bath"] - POUCH_S, say(_texts("pouch")["cue"])))
    iced = [
        d.start_s
        for s, d in zip(plan.stages, cook.stages, strict=True)
        if any(f.variant == "ice-water" for f in s.all_faces)
    ]
    if iced:
        kg = ice_kg(plan)
        text = _texts("ice")
        cue = say(text["cue_unknown"]) if kg is None else say(text["cue"], ice_kg=kg)
        out.append(_move("ice", iced[0] - ICE_S, cue))
    if plan.stages[-1].kind in {"rest", "dry"} or plan.stages[-1].kind in HEAT_KINDS:
        out.append(_move("plates", cook.stages[-1].end_s - PLATES_S, say(_texts("plates")["cue"])))
    return out


def ice_kg(plan: Plan) -> float | None:
    """Ice for a bath that cools the pieces, kg; None when their mass is not stated."""
    piece = plan.document["piece"]
    if "mass_g" not in piece:
        return None
    return float(round(ICE_BY_MASS * piece["mass_g"] * piece.get("count", 1) / 1000.0, 1))


def set_out(plan: Plan, book: Book) -> list[str]:
    """What stands ready before heat, to tick off: the way's gear, and string for what is tied."""
    way = plan.document.get("way", {})
    row = book.way(way.get("id", ""), way.get("version")) or {}
    table = read_toml("gear.toml")
    out = [say(table[g]["set_out"]) for g in row.get("gear", ())]
    cut = book.cut(plan.document["piece"].get("cut", ""))
    binding = read_toml("moves.toml")["bind"]
    out += [say(binding[code]["set_out"]) for code in (cut or {}).get("bind", ())]
    if any(s.kind == "rest" for s in plan.stages[1:]) and "tray" not in row.get("gear", ()):
        out.append(say(table["tray"]["set_out"]))
    return list(dict.fromkeys(out))


def after(plan: Plan, cook: Cook) -> After | None:
    """How long what ends in the cold keeps by the plan's profile; None for what is served, or without rules."""
    last, done = plan.stages[-1], cook.stages[-1]
    dips = done.end_s - done.start_s < SHORT_DIP_S
    if last.kind not in COOLING_KINDS or dips or plan.rules is None:
        return None
    at_c = float(last.face_a.medium_c or 0.0)
    cold = max(at_c, 3.0)  # out of ice water it goes into a cold room
    pouched = any(s.kind == "bath" for s in plan.stages)
    days, words = shelf_life(plan.kept_by, "pouch" if pouched else "ready-to-eat", cold)
    return After(None if days is None else int(days), cold, words)


def gain_k(plan: Plan, cook: Cook) -> float | None:
    """What the core gains while it stands out of the cold, K; None when it does not."""
    return cook.stages[0].core_c - plan.start_c if plan.stages[0].said == "temper" else None
