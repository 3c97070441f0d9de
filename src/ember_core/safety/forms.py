"""What a piece has to meet by its species and state; the stated form may only ask for more.

Standard library only: a contradiction is refused before the solver is loaded.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from ember_core.data.loader import read_toml
from ember_core.errors import FormatError
from ember_core.plan.finding import Finding, Level
from ember_core.plan.requirement import Requirement
from ember_core.wording.message import Message, say

SOURCE = "species and state; US FDA, Food Code 2022, 3-401.11"


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
    whole = form in {"steak", "roast"} and row["id"] not in data["offal"]["foods"] and not handling
    return Requirement(form, tuple(allowed[form]), str(row["species"]), whole)
