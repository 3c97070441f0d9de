"""Forms that replace a set of rows: they end with a field that says how many there are, and one without it is refused."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ember_core.errors import InputError
from ember_core.wording.message import say

ROWS = "rows_sent"
"""The last field of such a form; its value the number of rows before it, see ``ui/_rows_sent.html``."""


def ensure_whole(data: Mapping[str, Any], rows: int | None = None) -> None:
    """Refuse a form that lost its end, or some of its rows.

    Parameters
    ----------
    data : mapping
        What was sent.
    rows : int, optional
        How many rows arrived; None where a browser leaves out those that are not chosen.

    Raises
    ------
    InputError
    """
    sent = str(data.get(ROWS, ""))
    if not sent.isdecimal() or (rows is not None and int(sent[:6]) != rows):
        raise InputError(
            say("The form did not arrive whole, so nothing was saved. Send it again."), path=ROWS, code="cut-off"
        )
