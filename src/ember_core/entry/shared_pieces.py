"""Other pieces in the same medium as a plan's own, all laid in together: one plan with ``also``, and the plan of each of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from copy import deepcopy
from typing import Any

from ember_core.entry.compiling import main_stage
from ember_core.errors import FormatError
from ember_core.heat.physics.stores import kinds
from ember_core.plan.kinds import HEAT_KINDS
from ember_core.wording.message import say

MOST = 8  # as the format has it
OF_ANOTHER = ("piece", "target")  # what of another's plan goes along


def shared_stage(document: Mapping[str, Any]) -> int | None:
    """The only stage of heat of a plan, where its medium can have a store and others could lie beside it; None: it has no such."""
    heats = [i for i, s in enumerate(document["stages"]) if s["kind"] in HEAT_KINDS]
    if len(heats) != 1 or main_stage(document["stages"]) != heats[0]:
        return None
    stage = document["stages"][heats[0]]
    takes = any(stage["kind"] in row["of"] for row in kinds().values())
    plain = "faces" not in stage and "portion" not in stage and "load" not in stage
    whole = "mass_g" in document["piece"] and "core_c" in document.get("target", {})
    return heats[0] if takes and plain and whole else None


def other(document: Mapping[str, Any], plan: str = "") -> dict[str, Any]:
    """What of a plan goes beside another's piece; ``plan`` is its id."""
    out = {k: deepcopy(document[k]) for k in OF_ANOTHER}
    out["target"] = {"core_c": document["target"]["core_c"]}
    return out | {"x-title": str(document.get("title", "")), **({"x-plan": plan} if plan else {})}


def lay_beside(document: dict[str, Any], others: Sequence[Mapping[str, Any]]) -> None:
    """Let other pieces lie in the medium of a plan's only heat; a medium that had no store gets a usual one.

    Parameters
    ----------
    document : dict
        Of a plan; changed.
    others : sequence of mapping
        As of :func:`other`.

    Raises
    ------
    FormatError
        A plan that others cannot lie beside.
    """
    if not others:
        return
    at = shared_stage(document)
    if at is None:
        raise FormatError(
            say("Other pieces can share only an oven, bath, pot or fat that is the plan's only heat; take them out, or choose another way."),
            path="/stages/0/also", code="choice",
        )  # fmt: skip
    stage = document["stages"][at]
    if "store" not in stage:
        kind = next(k for k, row in kinds().items() if stage["kind"] in row["of"])
        many = int(document["piece"].get("count", 1))
        stage["store"] = {"kind": kind, "pieces": many}
        if stage["kind"] != "boil":
            stage["store"]["set_c"] = stage["medium_c"]
            for key in ("medium_from_c", "settle_minutes"):
                stage.pop(key, None)
    stage["also"] = [dict(o) for o in others]


def each_piece(document: Mapping[str, Any]) -> list[dict[str, Any]]:
    """A plan whose pieces lie together as the plan of each: its own first, and for every other one the plan in which that one is the own.

    Only pieces that go in together have such plans; of a plan without others it is the only one.
    """
    out = [dict(document)]
    at = next((i for i, s in enumerate(document["stages"]) if "also" in s), None)
    if at is None or any(o.get("in_s") or o.get("out_s") is not None for o in document["stages"][at]["also"]):
        return out
    others = document["stages"][at]["also"]
    rests = any(s["kind"] not in HEAT_KINDS for s in document["stages"][at + 1 :])
    for k, one in enumerate(others):
        turned = deepcopy(dict(document))
        stage = turned["stages"][at]
        stage["also"] = [other(document), *(dict(o) for j, o in enumerate(others) if j != k)]
        stage["until"] = {"peak_core_c" if rests else "core_c": one["target"]["core_c"]}
        stage["store"]["pieces"] = int(one["piece"].get("count", 1))
        turned |= {"piece": deepcopy(one["piece"]), "target": dict(one["target"]), "title": one.get("x-title", "")}
        for key in ("way", "x-heat-c", "x-minutes"):
            turned.pop(key, None)
        out.append(turned)
    return out
