"""Moves: one action at one moment, with how you know, why, and what to take care of."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from enum import StrEnum

from ember_core.heat.cook import Cook
from ember_core.plan.plan import Plan
from ember_core.plan.stages import HEAT_KINDS, SHORT_DIP_S, StageSpec


class MoveKind(StrEnum):
    """What a move does; behaviour hangs on it, never on the verb, which is words."""

    BEGIN = "begin"  # the piece first meets heat, or whatever comes first
    NEXT = "next"  # another stage begins
    TURN = "turn"
    PULL = "pull"  # off the heat
    SERVE = "serve"
    STORE = "store"


@dataclass(frozen=True)
class Move:
    """One action: ``offset_s`` from the moment the piece first meets heat; ``stage`` it begins, or None."""

    id: str
    verb: str
    offset_s: float
    cue: str
    why: str = ""
    caution: str = ""
    stage: int | None = None
    core_c: float | None = None
    kind: MoveKind = MoveKind.NEXT

    def as_dict(self) -> dict[str, object]:
        """For a record or a page."""
        return asdict(self)


START = {
    "pan": (
        "Lay in",
        "Fat shimmers, first thin wisp of smoke; it must hiss at once",
        "A dry surface browns, a wet one boils",
        "Hot fat: lay it in away from you",
    ),
    "bath": (
        "Lower in",
        "Pouch flat, under water, not touching its neighbours",
        "Water must pass on every side",
        "Pouch without air: chill and label it if it is not served now",
    ),
    "oven": (
        "Put in",
        "Oven at temperature, tray warm, probe in the thickest part",
        "A cold oven lengthens the come-up",
        "Hot rack and handles: dry cloth",
    ),
    "boil": (
        "Lower in",
        "Rolling boil before it goes in",
        "The boil stops when cold food goes in",
        "Steam: lift the lid away from you",
    ),
    "simmer": (
        "Lower in",
        "Surface barely moves, no bubbles break",
        "A boil toughens the outside",
        "Hot water: lower it with a spoon",
    ),
    "steam": ("Put in", "Full steam before it goes in", "Steam gives its heat at once", "Steam: open away from you"),
    "grill": ("Lay on", "Bars hot, wiped with fat", "Cold bars stick", "Flare-ups: keep fat off the fire"),
    "fry": ("Lower in", "Fat at temperature, piece dry", "Water makes fat foam", "Hot fat and water: dry it first"),
    "rest": ("Set down", "Warm place, on a tray", "", ""),
    "chill": (
        "Chill",
        "Ice still floating, water round every side",
        "Slow cooling lets spores grow",
        "Time the cooling; label with date",
    ),
    "hold": ("Hold", "Cabinet at temperature", "", "Below the holding limit the clock runs"),
    "thaw": ("Thaw", "In the cold, on a tray", "", "Keep drip away from ready food"),
    "baste": ("Baste", "Foaming fat over the upper face", "", "Hot fat"),
}


CARVED = frozenset({"steak", "roast", "tenderised", "injected", "stuffed", "poultry", "game-farmed", "game-wild"})


def _turned(a: StageSpec, b: StageSpec) -> bool:
    return a.kind == b.kind == "pan" and (a.face_a.kind == "pan") != (b.face_a.kind == "pan")


def moves(plan: Plan, cook: Cook) -> tuple[Move, ...]:
    """The moves of a computed plan, in order of time."""
    out = []
    pull = cook.pull_stage
    for i, (spec, done) in enumerate(zip(plan.stages, cook.stages, strict=True)):
        verb, cue, why, caution = START[spec.kind]
        kind = MoveKind.NEXT if i else MoveKind.BEGIN
        previous = plan.stages[i - 1] if i else None
        core = None if i == 0 else cook.stages[i - 1].core_c
        if previous is not None and _turned(previous, spec):
            basted = "baste" in {spec.face_a.kind, spec.face_b.kind}
            kind, verb = MoveKind.TURN, "Turn and baste" if basted else "Turn"
            cue = "First face brown and loose from the pan" + ("; fat foams, spoon it over" if basted else "")
            why, caution = "Heat now enters from the other face", "Hot fat spits: turn it away from you"
        elif spec.kind not in HEAT_KINDS and pull is not None and i == pull + 1:
            kind, verb = MoveKind.PULL, "Pull"
            cue = f"Probe in the middle of the thickest part: {done_core(cook, pull):.1f} °C"
            if plan.shape["kind"] == "egg":
                cue = f"By the clock, a probe breaks the shell; the middle is at {done_core(cook, pull):.1f} °C"
            dip = spec.kind == "chill" and done.end_s - done.start_s < SHORT_DIP_S
            why = "The core has arrived"
            if spec.kind == "rest":
                why = f"It coasts to {cook.peak_core_c:.1f} °C while it rests"
            elif dip:
                why = f"Ice water stops the outside; the middle still goes to {cook.peak_core_c:.1f} °C"
            caution = "" if spec.kind == "rest" or dip else START[spec.kind][3]
            if spec.kind == "rest":
                caution = "Handles and tray are hot"
        out.append(Move(f"m{i}", verb, done.start_s, cue, why, caution, i, core, kind))
    last = plan.stages[-1]
    short = last.kind == "chill" and cook.stages[-1].end_s - cook.stages[-1].start_s < SHORT_DIP_S
    if last.kind in {"rest", "hold"} or last.kind in HEAT_KINDS or short:
        carved = last.kind == "rest" and plan.form in CARVED
        kind, verb, cue = (
            MoveKind.SERVE,
            "Serve",
            "Carve across the grain with a long sharp stroke" if carved else "Straight to the plate",
        )
    else:
        kind, verb, cue = (
            MoveKind.STORE,
            "Label and store",
            f"Core at {cook.stages[-1].core_c:.1f} °C; name, date, time",
        )
    out.append(
        Move(f"m{len(plan.stages)}", verb, cook.stages[-1].end_s, cue, "", "", None, cook.stages[-1].core_c, kind)
    )
    return tuple(out)


def done_core(cook: Cook, stage: int) -> float:
    """Core at the end of a stage, °C."""
    return cook.stages[stage].core_c
