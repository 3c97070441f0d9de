"""Messages and quantities: exact words, in any language and units."""

from __future__ import annotations

import copy
import json
import math
import pickle
import re
from datetime import time
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ember_core.wording.message import (
    ENGLISH,
    Message,
    Speaker,
    either,
    join_sentences,
    mentions,
    packed,
    say,
    spoken,
    unpacked,
)
from ember_core.wording.quantities import IMPERIAL, INCH_MM, OUNCE_G, POUND_G, QUART_L, SI, Units, clock_span, span

SPANS = json.loads((Path(__file__).parents[1] / "data" / "spans.json").read_text())
FRENCHISH = {"core {c:temp1}": "à cœur {c:temp1}", "{first} or {others}": "{first} ou {others}", "rare": "saignant", "broken": "{missing}"}  # fmt: skip
ABROAD = Speaker(lambda text: FRENCHISH.get(text, text), IMPERIAL)


@pytest.mark.parametrize(
    ("kind", "value", "decimals", "si", "imperial"),
    [
        ("temp", 54.4, None, "54.4 °C", "130 °F"), ("temp", 54.4, 1, "54.4 °C", "129.9 °F"), ("temp", 62.8, None, "62.8 °C", "145 °F"),
        ("temp", -18, None, "-18 °C", "-0.4 °F"), ("temp", 100, 0, "100 °C", "212 °F"), ("rise", 2.5, 1, "2.5 °C", "4.5 °F"),
        ("length", 25.4, None, "25.4 mm", "1 in"), ("length", 28, None, "28 mm", "1.1 in"), ("length", 28, 0, "28 mm", "1 in"),
        ("mass", 310, None, "310 g", "10.9 oz"), ("mass", 1600, None, "1.6 kg", "3.53 lb"), ("mass", 453.59237, None, "453.592 g", "1 lb"),
        ("volume", 12, None, "12 L", "12.7 qt"),
    ],
)  # fmt: skip
def test_quantities(kind, value, decimals, si, imperial):
    """As they are written; rows of the rules that are whole °F are shown whole."""
    assert SI.shown(kind, value, decimals) == si
    assert IMPERIAL.shown(kind, value, decimals) == imperial


def test_factors_are_the_defined_ones():
    """International yard and pound agreement of 1959; US liquid quart = 231/4 cubic inches."""
    assert (INCH_MM, POUND_G) == (25.4, 453.59237)
    assert pytest.approx(POUND_G / 16, rel=1e-15) == OUNCE_G
    assert pytest.approx(231 / 4 * 2.54**3 / 1000, rel=1e-12) == QUART_L


@given(st.sampled_from(["temp", "rise", "length", "mass", "volume"]), st.floats(-50, 5000))
def test_what_is_read_is_what_was_written(kind, value):
    """A number written in full in any unit reads back as itself."""
    for units in (SI, IMPERIAL):
        scale = units.scale(kind)
        assert units.read(kind, f"{scale.factor * value + scale.offset:.12g}") == pytest.approx(value, abs=1e-6)


@pytest.mark.parametrize("text", ["", "abc", "1/2", "nan", "inf", "1e999", "12 mm", "--3"])
def test_what_is_no_number(text):
    """Refused, never guessed."""
    with pytest.raises(ValueError, match=r"^"):
        SI.read("temp", text)


def test_units_by_their_code():
    """Each reads back as itself; anything else is SI."""
    for units in (SI, IMPERIAL, Units("F"), Units(clock="12")):
        assert Units.of(units.code) == units
    for code in ("", "F", "X-mm-g-L-24", "F-in-oz-qt-12-1", "F-in-oz-qt-13"):
        assert Units.of(code) == SI


@pytest.mark.parametrize(
    ("hour", "words"), [(0, "12:05 am"), (11, "11:05 am"), (12, "12:05 pm"), (13, "1:05 pm"), (23, "11:05 pm")]
)
def test_half_days(hour, words):
    """Midnight and noon are twelve."""
    assert IMPERIAL.moment(time(hour, 5)) == words
    assert SI.moment(time(hour, 5)) == f"{hour:02d}:05"


def test_a_message_is_its_english_and_can_be_said_again():
    """Units and words change, nested ones too; what is no message stays as it is."""
    message = say("core {c:temp1}", c=55.0)
    assert (message, message.template, message.values) == ("core 55.0 °C", "core {c:temp1}", {"c": 55.0})
    assert ABROAD.say(message) == "à cœur 131.0 °F"
    whole = say("{eats}; {more}", eats=say("rare"), more=[message, "as typed"])
    assert whole == "rare; core 55.0 °C, as typed"
    assert ABROAD.say(whole) == "saignant; à cœur 131.0 °F, as typed"
    assert ABROAD.say("rare") == "rare"  # plain text has nothing to look up
    assert ABROAD.say(either([say("rare"), say("blue"), say("x")])) == "saignant ou blue ou x"
    assert join_sentences([say("a"), "", say("b")], "; ") == "a; b"
    assert ABROAD.say(say("broken", c=1)) == "broken"  # a translation that asks for what is not there


def test_messages_are_copied_kept_and_read_back():
    """As pickles, copies and JSON."""
    message = say("{who!r}: {c:temp}, {n:,} times, {t:span}", who="x", c=4, n=1234, t=90)
    assert message == "'x': 4 °C, 1,234 times, 90 s"
    for again in (
        pickle.loads(pickle.dumps(message)),  # noqa: S301 - made here
        copy.deepcopy(message),
        unpacked(json.loads(json.dumps(packed({"a": [message]}))))["a"][0],
    ):
        assert isinstance(again, Message)
        assert (again, again.values) == (message, message.values)
    assert spoken({"a": [message]}, ABROAD) == {"a": ["'x': 39.2 °F, 1,234 times, 90 s"]}
    assert json.dumps(spoken({"a": message}, ENGLISH)) == json.dumps({"a": str(message)})


@pytest.mark.parametrize(
    "template",
    ["{a.__class__}", "{a[0]}", "{0}", "{}", "{a:>99999999}", "{a:{b}}", "{b:099999999d}", "{b:.99999999f}", "{"],
)
def test_templates_reach_into_nothing(template):
    """Fields are plain names, and no format asks for a long text; kept documents with such a template stay as they are."""
    with pytest.raises((KeyError, ValueError)):
        Message(template, {"a": "x", "b": 1})
    tree = {"say": template, "with": {"a": "x", "b": 1}}
    assert unpacked(tree) == tree


@pytest.mark.parametrize("case", SPANS, ids=lambda c: str(c["s"]))
def test_spans_in_a_sentence_and_on_a_clock(case):
    """One number is written one way, wherever it stands; the scripts are held to the same cases."""
    assert (span(case["s"]), clock_span(case["s"])) == (case["words"], case["clock"])


@given(st.floats(0.5, 1e6))
def test_no_span_is_shorter_than_it_is(seconds):
    """Rounded up to the minute it says; both ways of writing agree."""
    whole = math.floor(seconds + 0.5)
    hours, minutes, rest = ([*re.findall(rf"(\d+) {unit}\b", span(seconds)), "0"][0] for unit in ("h", "min", "s"))
    told = 3600 * int(hours) + 60 * int(minutes) + int(rest)
    assert 0 <= told - whole < 60
    if whole >= 600:
        assert span(seconds).removesuffix(" min") in {
            clock_span(seconds),
            clock_span(seconds).removesuffix(" min"),
            clock_span(seconds).removesuffix(" 00"),
        }


def test_a_message_is_found_in_another_by_what_it_is_made_of():
    """At any depth, in lists too; the same letters in a text that is no message are not the message."""
    part = say("Hold {c:temp}.", c=60)
    whole = join_sentences([say("{clause}: {needs}", clause="A", needs=part), say("More.")])
    assert mentions(whole, part)
    assert mentions(part, part)
    assert mentions(say("{all}", all=[say("x"), part]), part)
    assert not mentions(say("Hold 60 °C. And so on."), part)
    assert not mentions(part, whole)
