"""The log format at its bounds, and its two ways of reading a file, which say the same."""

from __future__ import annotations

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from ember_core.errors import InputError
from ember_core.formats import log as log_format
from ember_core.formats.log import LONGEST_S, loads
from ember_core.plan.log import Log

YEAR = LONGEST_S


def read(text, long, monkeypatch):
    """A log, or the code and path of its refusal."""
    monkeypatch.setattr(log_format, "LONG", 0 if long else 10**9)
    try:
        return loads(text)
    except InputError as error:
        return error.code, error.path


PLAIN = [
    # header, lines → read at once or not, and what comes of it by either way
    ("t_s,core_c", ["0,5", "1,6"], True, Log((0.0, 1.0), (5.0, 6.0))),
    ("t_s;core_c", ["0;5", "1;6"], True, Log((0.0, 1.0), (5.0, 6.0))),
    ("t_s,core_c,surface_c,medium_c", ["0,5,7,9", "1,6,8,10"], True, Log((0.0, 1.0), (5.0, 6.0), (7.0, 8.0), (9.0, 10.0))),
    ("t_s,core_c,medium_c", ["0,5,9", "1,6,10"], True, Log((0.0, 1.0), (5.0, 6.0), (), (9.0, 10.0))),
    ("t_s,core_c,medium_c", ["0,5,", "1,6,10"], False, Log((0.0, 1.0), (5.0, 6.0), (), (None, 10.0))),
    ("t_s,core_c,medium_c", ["0,5,", "1,6,"], False, Log((0.0, 1.0), (5.0, 6.0))),
    ("core_c,t_s", ["5,0", "6,1"], False, Log((0.0, 1.0), (5.0, 6.0))),
    ("t_s,core_c,x-own", ["0,5,a", "1,6,b"], False, Log((0.0, 1.0), (5.0, 6.0))),
    ("t_s,core_c,note", ["0,5,in", "1,6,"], False, Log((0.0, 1.0), (5.0, 6.0), (), (), ("in", ""))),
    ("t_s,core_c", ['"0",5', "1,6"], False, Log((0.0, 1.0), (5.0, 6.0))),
    ("time,core_c", ["2026-12-05T19:00:00,5", " 2026-12-05T19:00:01 ,6"], False, Log((0.0, 1.0), (5.0, 6.0))),
    ("t_s,core_c", ["0,5", "", ",", "1,6"], False, Log((0.0, 1.0), (5.0, 6.0))),
    ("t_s,core_c", ["-1e11,-60", "-99999999999,400"], True, Log((-1e11, -99999999999.0), (-60.0, 400.0))),
    ("t_s,core_c", ["99999999999,5", "1e11,6"], True, Log((99999999999.0, 1e11), (5.0, 6.0))),
    ("t_s,core_c", ["0,5", f"{YEAR:.0f},6"], True, Log((0.0, YEAR), (5.0, 6.0))),
    ("t_s,core_c", [f"{YEAR:.0f},5", f"{YEAR + 10:.0f},6"], True, Log((YEAR, YEAR + 10), (5.0, 6.0))),
    ("t_s,core_c", ["0,5"], False, ("empty", "")), ("t_s,core_c", ["0,5", "1"], False, ("format", "/3")), ("t_s,core_c", ["0,5", "1,6,7"], False, ("format", "/3")),
    ("t_s,core_c", ["0,5,6", "1,6,7"], False, ("format", "/2")), ("t_s,core_c", ["0,nan", "1,6"], False, ("range", "/2/core_c")),
    ("t_s,core_c", ["0,5", "1,inf"], False, ("range", "/3/core_c")), ("t_s,core_c", ["0,5", "0,6"], False, ("order", "/3/t_s")),
    ("t_s,core_c", ["0,5", "1,6", "1,7", "0,8"], False, ("order", "/4/t_s")), ("t_s,core_c", ["-100000000001,5", "0,6"], False, ("range", "/2/t_s")),
    ("t_s,core_c", ["1e11,5", "100000000001,6"], False, ("range", "/3/t_s")), ("t_s,core_c", ["0,5", f"{YEAR + 1:.0f},6"], False, ("range", "/3/t_s")),
    ("t_s,core_c", ["0,5", "1,nan"], False, ("range", "/3/core_c")), ("t_s,core_c", ["0,-60", "1,-61"], False, ("range", "/3/core_c")),
    ("t_s,core_c", ["0,400", "1,401"], False, ("range", "/3/core_c")), ("t_s,core_c", ["0,5", ",", "1,6"], False, Log((0.0, 1.0), (5.0, 6.0))),
    ("t_s,core_c", ["0,-60.1", "1,6"], False, ("range", "/2/core_c")), ("t_s,core_c", ["0,5", "1,400.1"], False, ("range", "/3/core_c")),
    ("t_s,core_c,medium_c", ["0,5,6", "1,6,-61"], False, ("range", "/3/medium_c")), ("t_s,core_c", ["0,5", "", "1,x"], False, ("type", "/4/core_c")),
    ("t_s,core_c", ["0,5", "y,6"], False, ("type", "/3/t_s")), ("time,core_c", ["2026-12-05,5", "later,6"], False, ("format", "/3/time")),
    ("time,core_c", ["2026-12-05T19:00Z,5", "2026-12-05T20:00,6"], False, ("format", "/3/time")), ("t_s,core_c,t_s", ["0,5,1"], False, ("format", "/1")),
]  # fmt: skip


@pytest.mark.parametrize(("header", "lines", "at_once", "expected"), PLAIN)
def test_both_ways_of_reading(header, lines, at_once, expected, monkeypatch):
    """A plain table of numbers is read at once; anything that needs a word is read line by line; the answer is the same."""
    text = "\n".join([header, *lines]) + "\n"
    for long in (False, True):
        got = read(text, long, monkeypatch)
        if isinstance(expected, Log) and "note" not in header and isinstance(got, Log):
            assert not any(got.note)
            assert Log(got.t_s, got.core_c, got.surface_c, got.medium_c) == expected
        else:
            assert got == expected
    delimiter = ";" if ";" in header else ","
    assert (log_format._plain(text, header.split(delimiter), delimiter) is not None) is at_once


cells = st.one_of(
    st.integers(-70, 410).map(str),
    st.floats(-70, 410).map(lambda x: f"{x:.2f}"),
    st.sampled_from(["", " ", "nan", "x", "1e400", "5,"]),
)


@settings(
    max_examples=150, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow]
)
@given(st.lists(st.tuples(st.integers(0, 50), cells), min_size=1, max_size=8))
def test_any_log_is_read_the_same_by_both(monkeypatch, rows):
    """The same log or the same refusal."""
    text = "t_s,core_c\n" + "\n".join(f"{t},{c}" for t, c in rows)
    assert read(text, False, monkeypatch) == read(text, True, monkeypatch)


def test_which_way_and_how_long(monkeypatch):
    """Past 200,000 characters the table is tried first; past the most a file may have it is refused."""
    assert (log_format.LONG, log_format.MAX_BYTES) == (200_000, 40_000_000)
    seen = []
    monkeypatch.setattr(log_format, "_plain", lambda *_: seen.append(1))
    text = "t_s,core_c\n0,5\n1,6\n"
    for length, tried in ((len(text), 0), (len(text) - 1, 1)):
        monkeypatch.setattr(log_format, "LONG", length)
        seen.clear()
        loads(text)
        assert len(seen) == tried
    for most, fine in ((len(text), True), (len(text) - 1, False)):
        monkeypatch.setattr(log_format, "MAX_BYTES", most)
        assert isinstance(read(text, False, monkeypatch), Log) is fine
    assert (log_format.PLAUSIBLE_C, log_format.MOST_T_S, YEAR / 86400) == ((-60.0, 400.0), 1e11, 366)


def test_words_of_a_log_that_is_too_long():
    """Days, rounded."""
    with pytest.raises(InputError, match=r"runs over 368 days; a log may run over 366\."):
        loads("t_s,core_c\n86400,5\n31881600,6\n")
