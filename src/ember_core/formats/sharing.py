"""What shares a medium with a store of heat: how much lies in it, and other pieces beside a plan's own."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from ember_core.errors import FormatError, InputError, ValueRangeError
from ember_core.heat.physics.stores import same_store
from ember_core.plan.kinds import COOLING_KINDS, HEAT_KINDS
from ember_core.plan.plan import Plan
from ember_core.plan.shapes import FOOD_DENSITY, volume_mm3
from ember_core.plan.stages import StageSpec
from ember_core.wording.message import say

MOST_IN_TURN = 12  # pieces laid in one after another are computed one by one

MOST_OF_A_STORE = 0.8  # of a liquid's volume may be pieces: more do not lie in it


def also_of(
    document: Mapping[str, Any], stages: Sequence[StageSpec], parse: Callable[[Any], Plan]
) -> tuple[tuple[Plan, float], ...]:
    """The other pieces that a stage names, each as a plan of its own: that stage, and the rest that follows it.

    Parameters
    ----------
    document, stages : mapping, sequence of StageSpec
        The plan's.
    parse : function
        That checks a plan.

    Raises
    ------
    FormatError, ValueRangeError
        With the place within ``also``.
    """
    out: list[tuple[Plan, float]] = []
    for i, (raw, stage) in enumerate(zip(document["stages"], stages, strict=True)):
        if "also" not in raw:
            continue
        at = f"/stages/{i}/also"
        if stage.store is None:
            raise FormatError(
                say("also names other pieces in the same store of heat; add store, or leave also out."),
                path=at,
                code="missing",
            )
        if out or stage.store.get("lay_in_every_s", 0.0) > 0.0:
            raise FormatError(
                say(
                    "One stage may have other pieces, and its own then go in together; leave also out, or lay_in_every_s."
                ),
                path=at,
                code="choice",
            )
        after = []
        for later in document["stages"][i + 1 :]:
            if later["kind"] in HEAT_KINDS or later["kind"] in COOLING_KINDS or "portion" in later:
                break
            after.append({k: v for k, v in later.items() if k not in {"until", "x-say"}})
        for j, other in enumerate(raw["also"]):
            in_s, out_s = float(other.get("in_s", 0.0)), other.get("out_s")
            core = other.get("target", {}).get("core_c")
            own = {k: v for k, v in raw.items() if k not in {"also", "until", "portion", "minutes", "x-say"}}
            own["store"] = {k: v for k, v in raw["store"].items() if k not in {"pieces", "doors"}}
            if out_s is not None and out_s <= in_s:
                raise ValueRangeError(
                    say("out_s is not after in_s; give the moment it is taken out, or leave out_s out."),
                    path=f"{at}/{j}/out_s",
                )
            if out_s is None and core is None:
                raise FormatError(
                    say("Another piece needs an end: target.core_c, or out_s."), path=f"{at}/{j}/target", code="missing"
                )
            own["minutes"] = raw["minutes"] if out_s is None else (out_s - in_s) / 60.0
            if out_s is None:
                own["until"] = {"peak_core_c" if after else "core_c": core}
            kept = {k: document[k] for k in ("format", "kitchen", "rules", "guests", "x-house") if k in document}
            target = {"target": other["target"]} if "target" in other else {}
            try:
                plan = parse({**kept, **target, "piece": other["piece"], "stages": [own, *after]})
            except InputError as error:
                known = error.path.startswith(("/piece", "/target"))
                error.path = f"{at}/{j}{error.path}" if known else f"{at}/{j}"
                raise
            out.append((plan, in_s))
    return tuple(out)


def check_one_at_a_time(stages: Sequence[StageSpec], also: bool) -> None:
    """A medium whose door is opened, or that others share, is the plan's only one of that sort, and no other store follows it.

    What such a medium gives up is known by the clock of the plan, which another store must not be charged with.

    Raises
    ------
    FormatError
    """
    by_clock = [
        i
        for i, s in enumerate(stages)
        if s.store is not None and (also or s.store.get("doors") or s.store.get("lay_in_every_s", 0.0) > 0.0)
    ]
    if not by_clock:
        return
    first = by_clock[0]
    for i, stage in enumerate(stages[first + 1 :], first + 1):
        if stage.store is None:
            continue
        if not same_store(stage.store, stages[first].store) or stage.store.get("doors"):
            raise FormatError(
                say(
                    "Stage {first} has a medium whose door is opened or that other pieces share; another store of heat after it is "
                    "not computed. Leave store out here, or doors, also and lay_in_every_s there.",
                    first=first + 1,
                ),
                path=f"/stages/{i}/store",
                code="choice",
            )


def check_store(stage: StageSpec, i: int, piece: Mapping[str, Any]) -> None:
    """How large the pieces are is known, and they fit into what they lie in."""
    if stage.store is None:
        return
    if "mass_g" not in piece and (piece["shape"]["kind"] in {"slab"} or volume_mm3(piece["shape"])[1]):
        raise FormatError(
            say("A store needs piece.mass_g: how much heat a piece takes depends on it. Add it, or leave store out."),
            path="/piece/mass_g",
            code="missing",
        )
    many = stage.store.get("pieces", piece.get("count", 1))
    if stage.store.get("lay_in_every_s", 0.0) > 0.0 and many > MOST_IN_TURN:
        raise ValueRangeError(
            say(
                "{many} pieces are laid in one after another; at most {most} are computed so. Give fewer, or leave lay_in_every_s "
                "out.",
                many=many,
                most=MOST_IN_TURN,
            ),
            path=f"/stages/{i}/store/lay_in_every_s",
        )
    litres = stage.store.get("litres")
    if litres is None:
        return
    own = piece["mass_g"] / FOOD_DENSITY if "mass_g" in piece else volume_mm3(piece["shape"])[0] * 1e-6
    if own * many > MOST_OF_A_STORE * litres:
        raise ValueRangeError(
            say(
                "{many} pieces are {volume:.1f} litres and do not lie in {litres:g}. Give at least {least:.1f} litres, or at most "
                "{fit} pieces.",
                many=many,
                volume=own * many,
                litres=litres,
                least=own * many / MOST_OF_A_STORE,
                fit=int(MOST_OF_A_STORE * litres / own),
            ),
            path=f"/stages/{i}/store/litres",
        )
