"""No verdict of the register moves without somebody having read how."""

from __future__ import annotations

from itertools import zip_longest

import pytest

from tests.core.register.verdicts import REGISTERS, entries, kept


@pytest.mark.parametrize("name", REGISTERS)
def test_nothing_in_the_register_has_moved(name):
    """The first entry that differs is shown; ``python -m tests.core.register.verdicts`` writes them anew, to be read as a difference."""
    for approved, now in zip_longest(kept(name), entries(name)):
        assert now == approved
