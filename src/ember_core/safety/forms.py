"""What a piece has to meet by its species and state; the stated form may only ask for more.

Standard library only: a contradiction is refused before the solver is loaded.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import lru_cache
from typing import Any

from ember_core.data.loader import read_toml
from ember_core.errors import FormatError
from ember_core.plan.finding import Finding, Level
from ember_core.plan.requirement import Requirement
from ember_core.wording.message import Message, say

SOURCE = "species and state; US FDA, Food Code 2022, 3-401.11"

OPENS = frozenset({"scored", "marinated", "rolled"})
"""Handling after which a piece is no longer whole and intact; other words of handling say how it was kept."""


def _unknown(words: Message) -> Finding:
    return Finding("species-unknown", Level.CARE, words, SOURCE)


def requirement(
    row: Mapping[str, Any] | None, stated: str | None, handling: Sequence[str] = (), *, path: str = "/piece/form"
) -> Requirement:
    """What a piece is judged as.

    Parameters
    ----------
    row : mapping or None
        Its row of the food table; None for a composition or properties alone.
    stated : str or None
        The form the plan or argument states.
    handling : sequence of str
        What was done to it: ``scored``, ``marinated``, ``rolled``.
    path : str
        Where the form was stated, for the error.

    Raises
    ------
    FormatError
        A form that contradicts the food's species or state, with the forms that do not.
    """
    data = read_toml("forms.toml")
    if row is None:
        words = say(
            "The plan names no food, so its species is unknown: it is judged as strictly as any (as poultry, as "
            "minced and as whole meat at once). Name piece.food, the food it is like; a composition beside it still "
            "counts."
        )
        forms = tuple(dict.fromkeys([*([stated] if stated else []), *data["unknown"]["forms"]]))
        return Requirement(stated or "unknown", forms, None, False, (_unknown(words),))
    own = str(row["form"])
    form = stated or own
    allowed = data["forms"][own]
    if form not in allowed:
        raise FormatError(
            say(
                "{name} is {own} and cannot be judged as {form}, which contradicts its species or asks for less. Choose "
                "one of {choices}, or leave form out; or name the food that it is.",
                name=row["name"],
                own=own,
                form=form,
                choices=", ".join(allowed),
            ),
            path=path,
            code="form-against-food",
        )
    offal = row["id"] in data["offal"]["foods"]
    whole = form in {"steak", "roast"} and not offal and not handling
    forms = tuple("steak" if offal and f == "roast" else f for f in allowed[form])  # no rows for whole roasts
    return Requirement(form, forms, str(row["species"]), whole)


def as_it_is(required: Requirement, row: Mapping[str, Any] | None, document: Mapping[str, Any]) -> Requirement:
    """What a piece is judged as once its shape, its mass and its stages are known: a name alone makes no roast, and no single egg.

    Parameters
    ----------
    required : Requirement
        As of :func:`requirement`.
    row : mapping or None
        Of the food table.
    document : mapping
        The plan.
    """
    if row is None:
        return required
    data, piece = read_toml("forms.toml"), document["piece"]
    if "roast" in required.forms and not _is_a_roast(data, piece):
        forms = tuple("steak" if f == "roast" else f for f in required.forms)
        words = say(
            "A roast is whole muscle, {thickness_mm:length0} thick or more, or heavy: this one is judged as a steak.",
            thickness_mm=data["roast_size"]["thickness_mm"],
        )
        required = replace(
            required, forms=forms, notes=(*required.notes, Finding("no-roast", Level.NOTE, words, SOURCE))
        )
    if required.form == "egg-now" and piece["shape"]["kind"] != "egg" and _is_pooled(data, document):
        words = say("Pooled, held or for susceptible guests: judged as egg that is not for one order at once.")
        note = Finding("pooled-egg", Level.NOTE, words, "US FDA, Food Code 2022, 3-401.11(A)(2), 3-801.11(B)")
        required = replace(required, form="egg-later", forms=("egg-later", "egg-now"), notes=(*required.notes, note))
    if (
        piece.get("cut") in _breasts()
        and not OPENS & set(piece.get("handling", ()))
        and required.form in {"poultry", "game-wild"}
    ):
        required = replace(required, breast=True)
    return required


def _is_a_roast(data: Mapping[str, Any], piece: Mapping[str, Any]) -> bool:
    size, shape = data["roast_size"], piece["shape"]
    across = float(shape.get("thickness_mm") or shape.get("diameter_mm") or 0.0)
    heavy = piece.get("mass_g", 0.0) >= size["mass_g"] and across >= size["heavy_mm"]
    return bool(across >= size["thickness_mm"] or heavy)


def _is_pooled(data: Mapping[str, Any], document: Mapping[str, Any]) -> bool:
    piece = document["piece"]
    mass = piece.get("mass_g", 0.0 if "form" in piece else float("inf")) * piece.get("count", 1)
    kept = any(s.get("kind") in {"hold", "chill", "press"} for s in document["stages"])
    return bool(mass > data["one_order"]["egg_g"] or kept or document.get("guests") == "susceptible")


@lru_cache(maxsize=1)
def _breasts() -> frozenset[str]:
    """Cuts of the shipped book that are breasts of birds."""
    return frozenset(c["id"] for c in read_toml("cuts.toml")["cut"] if c["kind"] == "breast")
