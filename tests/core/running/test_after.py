"""Until when a piece is at its best off the heat, and under control."""

from __future__ import annotations

from types import SimpleNamespace

import numpy as np
import pytest

from ember_core.data.loader import read_toml
from ember_core.entry.sentence import Sentence
from ember_core.formats.plan import parse
from ember_core.planning.compute import compute
from ember_core.running.history import running
from ember_core.running.off_heat import _control, _falls, _waiting, after
from ember_core.running.state import replay
from ember_core.wording.message import say
from tests.conftest import plan_document


def rested(cut, into_s=30.0, stages=None, **more):
    """A piece that lies in its last stage so long, and when it was taken off the heat."""
    document = Sentence.for_cut(cut, altitude_m=1850.0, **more).document()
    if stages is not None:
        document = document | {"stages": stages(document["stages"])}
    found = compute(parse(document), with_forecast=False).result["stages"]
    events = [{"at_s": 0.0, "kind": "start"}]
    events += [{"at_s": s["start_s"], "kind": "move", "move": f"m{i}"} for i, s in enumerate(found[1:], 1)]
    now = found[-1]["start_s"] + into_s
    told = {"format": "open-ember.cook/1", "plan": document, "now_s": now, "events": events}
    return running(told), found[-1]["start_s"]


def bare(cover):
    return lambda stages: [*stages[:-1], stages[-1] | {"cover": cover}]


@pytest.mark.parametrize(("cover", "minutes"), [("bare", 12.0), ("tented", 4.0)])
def test_a_crust_softens_sooner_under_cover(cover, minutes):
    found, off = rested("bavette", stages=bare(cover))
    best = after(found, 1.0).best
    assert best.at_s - off == pytest.approx(60.0 * minutes, abs=2.0)
    assert "crust" in best.why


@pytest.mark.parametrize(("cut", "more"), [("hake-loin", {}), ("brisket-point", {"way": "braise"})])
def test_without_a_crust_it_is_good_as_long_as_it_is_warm(cut, more):
    """What was braised has none left, whatever it was seared to."""
    found, off = rested(cut, **more)
    crust = 0.0 if cut == "hake-loin" else 1.0
    best = after(found, crust).best
    assert "lukewarm" in best.why
    assert best.at_s > off + 600.0


def test_a_cold_room_makes_it_lukewarm_sooner():
    found, _ = rested("hake-loin")
    colder, _ = rested("hake-loin", air_c=8.0)
    assert after(colder, 0.0).best.at_s < after(found, 0.0).best.at_s


@pytest.mark.parametrize(
    ("rules", "hours", "clause"),
    [("us-food-code-2022", 4.0, "3-501.19"), ("uk-fsa", 2.0, "63 °C"), ("anz-fsanz-3.2.2", 4.0, "4 hour")],
)
def test_time_as_a_control_by_the_profile(rules, hours, clause):
    """All the time between cold and hot holding counts, on the way up as well."""
    found, off = rested("bavette", rules=rules)
    control = after(found, 1.0).control
    assert clause in control.why
    assert control.at_s <= 3600.0 * hours + off
    assert control.at_s == pytest.approx(3600.0 * hours, abs=600.0)


def test_a_profile_without_such_a_clause_says_nothing_of_it():
    found, _ = rested("bavette", rules="us-fsis-appendix-a")
    assert after(found, 1.0).control is None


@pytest.mark.parametrize("into", [30.0, 1200.0])
def test_waiting_longer_changes_no_moment(into):
    """It is the same piece: what was said at first still holds."""
    first, _ = rested("bavette")
    later, _ = rested("bavette", into_s=into)
    assert after(later, 1.0).best.at_s == pytest.approx(after(first, 1.0).best.at_s, abs=2.0)
    assert after(later, 1.0).control.at_s == pytest.approx(after(first, 1.0).control.at_s, abs=120.0)


def test_on_heat_chilled_or_an_egg_nothing_waits():
    document = Sentence.for_cut("bavette").document()
    on_heat = running(
        {"format": "open-ember.cook/1", "plan": document, "now_s": 20.0, "events": [{"at_s": 0.0, "kind": "start"}]}
    )
    assert after(on_heat, 1.0) is None
    chilled, _ = rested("soft-egg")
    assert after(chilled, 0.0) is None


def test_it_is_part_of_the_state():
    found, off = rested("bavette")
    told = replay(found, members=32).as_dict()["after"]
    assert told["best"]["at_s"] == pytest.approx(off + 720.0, abs=2.0)
    assert set(told) == {"best", "control"}


def test_without_rules_there_is_no_time_as_a_control():
    """A plan that names none is replayed all the same."""
    plan = plan_document(stages=[{"kind": "bath", "minutes": 60, "medium_c": 60}, {"kind": "rest", "minutes": 600}])
    plan.pop("rules", None)
    document = {"format": "open-ember.cook/1", "plan": plan, "now_s": 30000,
                "events": [{"at_s": 0, "kind": "start"}, {"at_s": 3600, "kind": "move", "move": "m1"}]}  # fmt: skip
    found = replay(running(document), members=16)
    assert (found.rule, found.after.control) == (None, None)


FALLS = [
    # values every 10 s, limit → when it is below for good
    ([50, 40, 30, 20], 35.0, 15.0), ([50, 40, 45, 20], 40.0, 22.0), ([50, 40], 45.0, 5.0), ([50, 40, 30, 20], 20.0, None), ([50, 40], 60.0, None),
    ([20, 50, 30], 40.0, 15.0),
]  # fmt: skip


@pytest.mark.parametrize(("values", "limit", "at"), FALLS)
def test_when_something_is_below_a_limit_for_good(values, limit, at):
    """Between the samples; nothing where it never was above, or still is at the end."""
    cook = SimpleNamespace(t=10.0 * np.arange(len(values)))
    found = _falls(cook, np.array(values, dtype=float), limit, say("x"))
    assert (None if found is None else found.at_s) == (None if at is None else pytest.approx(at))


def hours_at(*parts):
    """A cook that is so many hours at a temperature, one after another, by the minute; a second place is 1 K hotter."""
    c = np.concatenate([np.full(round(60 * h), float(at)) for h, at in parts])
    return SimpleNamespace(t=60.0 * np.arange(c.size), field=np.column_stack([c, c + 1.0]))


CONTROLLED = [
    # hours at °C → when the four hours between cold and hot holding are used up, h
    ([(6, 30)], 4.0), ([(1, 70), (6, 30)], 4.983), ([(1, 2), (6, 30)], 4.983), ([(4 + 1 / 60, 30)], None), ([(4 + 2 / 60, 30)], 4.0),
    ([(2, 30), (1, 70), (6, 30)], 4.983), ([(9, 57.5)], None), ([(9, 4.5)], None), ([(9, 56.5)], 4.0),
]  # fmt: skip


@pytest.mark.parametrize(("parts", "hours"), CONTROLLED)
def test_when_time_as_a_control_is_used_up(parts, hours):
    """All time between 5 and 57 °C of the place that cools first (Food Code 3-501.16 and 3-501.19); a step that enters it counts."""
    found = _control(SimpleNamespace(plan=SimpleNamespace(kept_by="us-food-code-2022")), hours_at(*parts))
    assert (None if found is None else found.at_s / 3600.0) == (
        None if hours is None else pytest.approx(hours, abs=0.001)
    )


def test_the_least_crust_that_is_crisp():
    found, _ = rested("bavette", stages=bare("bare"))
    least = read_toml("after.toml")["crisp"]["least_mm"]
    assert "crust" in after(found, least).best.why
    assert "crust" not in after(found, least - 1e-6).best.why


def test_what_was_never_on_heat_is_off_nothing():
    told = {"format": "open-ember.cook/1", "now_s": 700.0, "events": [{"at_s": 0.0, "kind": "start"}, {"at_s": 600.0, "kind": "move", "move": "m1"}],
            "plan": plan_document(stages=[{"kind": "rest", "minutes": 10}, {"kind": "rest", "minutes": 30, "cover": "tented"}], target={})}  # fmt: skip
    assert after(running(told), 1.0) is None


def test_it_is_looked_ahead_for_so_many_hours():
    found, _ = rested("bavette")
    ahead = _waiting(found, found.current)
    assert ahead.t[-1] == pytest.approx(found.now_s + 3600.0 * read_toml("after.toml")["look"]["hours"], abs=2.0)
