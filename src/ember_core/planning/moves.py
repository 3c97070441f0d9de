"""Moves: one action at one moment, with how you know, why, and what to take care of."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, fields
from enum import StrEnum
from typing import Any

from ember_core.data.loader import read_toml
from ember_core.heat.cook import Cook
from ember_core.heat.course import StageOutcome
from ember_core.plan.kinds import HEAT_KINDS, TURNED_KINDS, WAITING_KINDS
from ember_core.plan.plan import Plan
from ember_core.plan.shapes import thinnest_mm
from ember_core.plan.stages import SHORT_DIP_S, StageSpec
from ember_core.wording.message import say

PARTS = ("verb", "cue", "why", "caution")


class MoveKind(StrEnum):
    """What a move does; behaviour hangs on it, never on the verb, which is words."""

    BEGIN = "begin"  # the piece first meets heat, or whatever comes first
    NEXT = "next"  # another stage begins
    TURN = "turn"
    PULL = "pull"  # off the heat
    SERVE = "serve"
    STORE = "store"
    PREPARE = "prepare"  # by hand, before heat


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
        return {f.name: getattr(self, f.name) for f in fields(self)}


def _turned(a: StageSpec, b: StageSpec) -> bool:
    return a.kind == b.kind and b.kind in TURNED_KINDS and (a.face_a.kind == a.kind) != (b.face_a.kind == b.kind)


AGAIN = frozenset({"turn-again", "baste-cloth"})
COLD_PAN_C = 100.0  # a pan that is cooler when the piece is laid in is said to be cold


def _begins_cold(spec: StageSpec) -> bool:
    """Whether a pan is still to be heated when its piece is laid in."""
    begins = [f.medium_from_c for f in spec.all_faces if f.kind == "pan" and f.medium_from_c is not None]
    return bool(begins) and max(begins) < COLD_PAN_C


def _said(spec: StageSpec, texts: Mapping[str, Any], own: list[str]) -> list[str]:
    """The texts of a stage that names or brings its own, over those of its kind (verb, cue, why, caution)."""
    if spec.said is None:
        return own
    stated = (
        texts["say"][spec.said] if isinstance(spec.said, str) else {**dict(zip(PARTS, own, strict=True)), **spec.said}
    )
    return [stated.get(part, "") for part in PARTS]


def moves(plan: Plan, cook: Cook) -> tuple[Move, ...]:
    """The moves of a computed plan, in order of time; what they say is in ``data/moves.toml``."""
    texts = read_toml("moves.toml")
    out = []
    for i, (spec, done) in enumerate(zip(plan.stages, cook.stages, strict=True)):
        kind = MoveKind.NEXT if i else MoveKind.BEGIN
        own = texts["start"][spec.kind]
        said = [own["verb"], own["cue"], own.get("why", ""), own.get("caution", "")]
        previous = plan.stages[i - 1] if i else None
        core = None if i == 0 else cook.stages[i - 1].core_c
        if previous is not None and _turned(previous, spec):
            basted = "baste" in {spec.face_a.kind, spec.face_b.kind}
            kind, text = MoveKind.TURN, texts["turn-and-baste" if basted else "turn"]
            said = [text[k] for k in PARTS]
        elif spec.kind not in HEAT_KINDS and cook.pull_stage is not None and i == cook.pull_stage + 1:
            kind, said = MoveKind.PULL, _pull(plan, spec, done, texts, said)
        if spec.portion is not None and spec.said is None:
            said[1] = say(
                "Cut into portions of {mm:length} first. {cue}", mm=thinnest_mm(spec.portion), cue=say(said[1])
            )
        if i == 0 and "pan-cold" in texts["start"] and _begins_cold(spec):
            said = [texts["start"]["pan-cold"][k] for k in PARTS]
        if (
            i > 0 or not isinstance(spec.said, str) or spec.said not in AGAIN
        ):  # what is done again and again begins with laying it in
            said = _said(spec, texts, said)
        values = {"core_c": core, "peak_c": cook.peak_core_c}
        verb, cue, why, caution = (_filled(t, values) for t in said)
        out.append(Move(f"m{i}", verb, done.start_s, cue, why, caution, i, core, kind))
    return (*out, _last(plan, cook, texts))


def _filled(text: str, values: Mapping[str, Any]) -> str:
    """A text of the data with the values it names; no text stays none."""
    return say(text, **values) if text else ""


def _pull(plan: Plan, spec: StageSpec, done: StageOutcome, texts: Mapping[str, Any], own: list[str]) -> list[str]:
    """What pulling says: off the heat and to rest, into a short dip that stops the outside, or into what cools it."""
    pull = texts["pull"]
    kind = "opened" if plan.shape.get("opened") else plan.shape["kind"]
    cue = pull[{"egg": "cue_in_the_shell", "opened": "cue_opened", "bird": "cue_of_a_bird"}.get(kind, "cue")]
    if spec.kind == "rest":
        return [pull["verb"], cue, pull["why_to_rest"], pull["caution_to_rest"]]
    if _dips(spec, done):
        return [pull["verb"], cue, pull["why_to_dip"], ""]
    return [pull["verb"], cue, pull["why"], own[3]]


def _dips(spec: StageSpec, done: StageOutcome) -> bool:
    """Whether a stage is a short dip, which stops the cooking and chills nothing."""
    return spec.kind == "chill" and done.end_s - done.start_s < SHORT_DIP_S


def _last(plan: Plan, cook: Cook, texts: Mapping[str, Any]) -> Move:
    """The move that ends a plan: to the plate, or into the cold with a label."""
    last, done = plan.stages[-1], cook.stages[-1]
    kind, text = MoveKind.STORE, texts["store"]
    cue = text["cue"]
    if last.kind in WAITING_KINDS | {"dry"} or last.kind in HEAT_KINDS or _dips(last, done):
        kind, text = MoveKind.SERVE, texts["serve"]
        carved = last.kind == "rest" and plan.form in texts["carved"]["forms"]
        cue = text["cue_of_a_bird" if plan.shape["kind"] == "bird" else "cue_carved" if carved else "cue"]
    core = done.core_c
    return Move(f"m{len(plan.stages)}", say(text["verb"]), done.end_s, say(cue, core_c=core), "", "", None, core, kind)
