"""Ways to get a wrong answer from what is right: another size, another gear, another kitchen's rows."""

import pytest

from ember_core.book.book import shipped
from ember_core.entry.sentence import Sentence
from ember_core.errors import FormatError
from ember_core.formats.plan import parse
from ember_core.plan.log import Log
from ember_core.planning.compute import compute
from ember_core.planning.ready_in import is_known, minutes_of
from ember_core.planning.schools import school
from ember_core.safety.measured import judge_log, of_one_piece

BOOK = shipped()


def outcome(cut, with_forecast=False, **known):
    """A computed sentence."""
    return compute(parse(Sentence.for_cut(cut, **known).document()), with_forecast=with_forecast)


BREAST = {"way": "bath", "target_c": 63.0, "minutes": 110.0, "rules": "us-fsis-appendix-a"}


def bath(size_mm, sizes_mm=()):
    """The rule on chicken breasts in a bath of 63.5 °C for 110 min, with sizes of their own."""
    return outcome("chicken-breast", size_mm=size_mm, sizes_mm=sizes_mm, **BREAST).result["rule"]


def test_the_rule_is_met_when_it_is_met_of_every_size():
    """The mean piece alone meets it; the thick one beside it does not, and says so with its size and time."""
    alone, thick = bath(24.0), bath(40.0)
    assert alone["met"] is True
    assert thick["met"] is False
    mixed = bath(24.0, (18.0, 24.0, 40.0))
    assert mixed["met"] is False
    assert mixed["remaining_s"] == thick["remaining_s"]
    assert "40 mm" in mixed["needs"]
    assert bath(24.0, (20.0, 24.0))["met"] is True


def test_a_stated_size_that_is_not_the_shapes_is_judged_too():
    """Sizes that are all alike, but not what the plan is computed for."""
    document = Sentence.for_cut("chicken-breast", size_mm=24.0, **BREAST).document()
    document["piece"]["x-sizes-mm"] = [40.0, 40.0]
    assert compute(parse(document), with_forecast=False).result["rule"]["met"] is False


def test_the_cautious_end_is_that_of_every_size():
    """Met of all, but of the thick one so barely that its cautious end is short."""
    barely = max(s for s in range(24, 40) if bath(float(s))["met"])

    def told(**known):
        document = Sentence.for_cut("chicken-breast", **BREAST, **known).document()
        found = compute(parse(document | {"forecast": {"members": 64, "seed": 7}}))
        assert found.result["rule"]["met"] is True
        said = [f.level for f in found.findings if f.code == "rule-at-the-cautious-end"]
        assert bool(said) is not found.result["rule"]["at_cautious_end"]
        return said

    assert told(size_mm=18.0) == []
    assert told(size_mm=18.0, sizes_mm=(18.0, float(barely))) == ["care"]


def test_an_egg_has_no_sizes_in_millimetres():
    """Refused by name."""
    document = Sentence.for_cut("soft-egg").document()
    document["piece"]["x-sizes-mm"] = [40.0, 44.0]
    with pytest.raises(FormatError) as error:
        parse(document)
    assert error.value.path == "/piece/x-sizes-mm"


@pytest.mark.parametrize(("cut", "way"), [("bavette", "bath"), ("bavette", "hot-pan")])
def test_gear_goes_with_another_way_only_where_it_gives_the_main_heat(cut, way):
    """A pan's offset is not the bath's or the oven's."""
    true = {"name": "the old one", "offset_c": -8.0}
    start = Sentence.for_cut(cut, way="hot-pan", gear=true, size_mm=24.0)
    found = school(start, BOOK.way(way), BOOK).outcome.plan.document
    plain = school(Sentence.for_cut(cut, way="hot-pan", size_mm=24.0), BOOK.way(way), BOOK).outcome.plan.document
    assert (found["stages"] != plain["stages"]) == (found.get("x-gear") == true) == (way == "hot-pan")


def test_what_one_kitchen_computed_is_not_anothers():
    """Rows of the same name and version, but not the same: two kitchens' own."""
    cut, way = BOOK.cut("bavette"), BOOK.way("hot-pan")
    thicker = {**cut, "size_mm": 2.0 * cut["size_mm"], "version": 2}
    thinner = {**cut, "size_mm": 0.5 * cut["size_mm"], "version": 2}
    took = [minutes_of(BOOK.with_rows(cut=[row]), row, way, 40.0, 22.0) for row in (thicker, thinner)]
    assert took[0] > 1.5 * took[1]
    assert is_known(BOOK.with_rows(cut=[thinner]), thinner, way, 40.0, 22.0)
    assert not is_known(BOOK, {**thinner, "size_mm": 33.0}, way, 40.0, 22.0)


def test_a_log_of_one_piece_says_that_others_were_not_measured():
    """Only where they differ in size."""
    for sizes, said in (((18.0, 24.0), True), ((), False)):
        plan = parse(Sentence.for_cut("chicken-breast", size_mm=24.0, sizes_mm=sizes, **BREAST).document())
        log = Log(tuple(60.0 * i for i in range(121)), tuple(63.3 - 58.3 * 0.95**i for i in range(121)))
        judged = judge_log(log, rules=plan.rules, food=plan.food, form=plan.form, plan=plan)
        assert ("one-size-measured" in {f["code"] for f in judged["findings"]}) == said
        assert judged["rule"]["met"] is (None if said else True)
        for planned, met in (({"met": True}, True), ({"met": False}, None), ({"met": None}, None), (None, None)):
            answer = of_one_piece(judged["rule"], planned, plan)
            assert answer["met"] is (met if said else True)
