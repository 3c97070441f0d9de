"""What a stage's move says: a name of the data, or texts of the house; anything else is refused by name."""

from __future__ import annotations

import pytest

from ember_core.errors import FormatError
from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.setup import setup
from ember_core.planning.moves import moves
from tests.conftest import plan_document

PAN = {"kind": "pan", "minutes": 3, "faces": {"a": {"medium_c": 200}}}


def said(stated):
    """The first move of a plan whose first stage says something."""
    plan = parse(plan_document(stages=[PAN | {"x-say": stated}, {"kind": "rest", "minutes": 5}]))
    return moves(plan, run(plan, setup(plan)))[0]


def test_a_house_says_it_in_its_own_words():
    """Its texts stand in place of those of the kind; what it leaves out stays."""
    own = said({"verb": "Slap it in", "cue": "When the pan sings"})
    assert (own.verb, own.cue) == ("Slap it in", "When the pan sings")
    assert said("crisp-skin").verb == "Lay in, skin down"


@pytest.mark.parametrize(
    "stated", ["no-such", 3, {}, {"colour": "red"}, {"verb": 3}, {"cue": "{peak_c}"}, {"why": "x" * 301}]
)
def test_what_cannot_be_said_is_refused(stated):
    """By the place, with what may stand there."""
    with pytest.raises(FormatError, match="x-say is a name of a move's texts") as error:
        said(stated)
    assert error.value.path == "/stages/0/x-say"
