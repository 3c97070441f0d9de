"""Other pieces in the same medium: from sentence to plan and back, and the plan of each."""

from __future__ import annotations

import pytest

from ember_core.entry.sentence import Sentence, from_document
from ember_core.entry.shared_pieces import each_piece, lay_beside, other, shared_stage
from ember_core.errors import FormatError
from ember_core.formats.plan import parse
from ember_core.planning.compute import compute

HAKE = Sentence.for_cut("hake-loin", count=4, title="hake").document()
SHOULDER = Sentence.for_cut("hogget-shoulder", target_c=61.0, title="shoulder")


def together(**more):
    """A shoulder with hake beside it in the oven, as a plan document."""
    from dataclasses import replace

    return replace(SHOULDER, beside=(other(HAKE, "p-hake"),), **more).document()


@pytest.mark.parametrize(("cut", "more", "can"), [
    ("hogget-shoulder", {}, True), ("hake-loin", {}, True), ("guinea-fowl-supreme", {}, True), ("bavette", {}, False),
    ("guinea-fowl-supreme", {"way": "bath-then-skin"}, False), ("hake-loin", {"way": "skin-crisp-then-oven"}, False),
])  # fmt: skip
def test_where_others_can_lie(cut, more, can):
    """Only where one medium is all the heat there is."""
    assert (shared_stage(Sentence.for_cut(cut, **more).document()) is not None) is can


def test_the_plan_says_who_lies_there_and_reads_back():
    document = together()
    stage = document["stages"][0]
    assert stage["store"]["kind"] == "oven"
    assert stage["store"]["set_c"] == stage["medium_c"]
    assert [o["x-title"] for o in stage["also"]] == ["hake"]
    parse(document)
    back = from_document(document, 0.0, 22.0)
    assert back.way == SHOULDER.way
    assert back.document() == document


def test_what_cannot_share_is_refused_by_name():
    document = Sentence.for_cut("bavette").document()
    with pytest.raises(FormatError) as caught:
        lay_beside(document, [other(HAKE)])
    assert "choose another way" in caught.value.message
    before = dict(document)
    lay_beside(document, [])
    assert document == before


def test_each_is_the_same_run_from_its_own_side():
    """However the plan is turned, each piece is pulled at the same moment: they lie in one oven."""
    document = together()
    found = [compute(parse(d), with_forecast=False).result for d in each_piece(document)]
    assert len(found) == 2
    own, turned = found
    assert own["coast"]["pull_s"] == pytest.approx(turned["also"][0]["coast"]["pull_s"], abs=2.0)
    assert turned["coast"]["pull_s"] == pytest.approx(own["also"][0]["coast"]["pull_s"], abs=2.0)
    assert each_piece(document)[1]["title"] == "hake"
    alone = compute(parse(SHOULDER.document()), with_forecast=False).result["coast"]["pull_s"]
    assert own["coast"]["pull_s"] > alone  # what lies beside it takes its heat


def test_pieces_by_the_clock_have_no_plan_of_their_own():
    document = together()
    document["stages"][0]["also"][0]["in_s"] = 600
    assert each_piece(document) == [document]
    assert each_piece(HAKE) == [HAKE]
