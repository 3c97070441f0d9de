"""What a plan wants of its eggs, and whether they come out so."""

from __future__ import annotations

from ember_core.heat.egg_states import EggState
from ember_core.plan.finding import Finding, Level
from ember_core.plan.plan import Plan
from ember_core.wording.message import N_, say

YOLKS = {
    "runny": N_("runny"), "syrupy": N_("syrupy"), "jammy": N_("jammy"), "fudgy": N_("fudgy"), "dry": N_("dry"),
}  # fmt: skip
WHITES = {"unset": N_("unset"), "barely-set": N_("barely set"), "tender": N_("tender"), "firm": N_("firm")}
SOURCE = "kinetics of setting, see data/eggs.toml"


def egg_findings(plan: Plan, egg: EggState) -> list[Finding]:
    """Where an egg is eaten otherwise than its plan wants, and where its white is not set: as findings."""
    target = plan.document.get("target", {})
    out = []
    for key, known, found in (("yolk", YOLKS, egg.yolk_word), ("white", WHITES, egg.white_word)):
        wanted = target.get(key)
        if wanted is not None and wanted != found:
            words = say(
                "The {part} comes out {found}, not {wanted}.",
                part=say(key),
                found=say(known[found]),
                wanted=say(known[wanted]),
            )
            out.append(Finding(f"{key}-not-as-wanted", Level.CARE, words, SOURCE))
    if egg.white_word == "unset" and "white" not in target:
        words = say("Part of the white is still unset when it is eaten.")
        out.append(Finding("white-unset", Level.CARE, words, SOURCE))
    return out
