"""The fold of a cook's events: what each event does, and what it must not."""

from __future__ import annotations

import json
from itertools import count
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ember_core.line.fold import EXTEND, FINISH, KINDS, MOVE, NOTE, START, UNDO, Event, fold

MOVES = [{"id": "m0", "offset_s": 0}, {"id": "m1", "offset_s": 120}, {"id": "m2", "offset_s": 400}]
AT_1000 = Event("s", START, 1000.0)


def event(key, kind, at, **more):
    """An event of a cook that began at 1,000 s."""
    return Event(key, kind, at, **more)


TABLE = [
    # events → started, due times, done times, next, last event that can be taken back, finished, notes
    ([], (None, [0, 120, 400], [None] * 3, 0, "", None, [])),
    ([AT_1000], (1000, [1000, 1120, 1400], [1000, None, None], 1, "", None, [])),
    ([AT_1000, event("t", START, 1100)], (1000, [1000, 1120, 1400], [1000, None, None], 1, "", None, [])),
    ([event("n", NOTE, 990, text="early"), AT_1000], (1000, [1000, 1120, 1400], [1000, None, None], 1, "", None, ["early"])),
    ([AT_1000, event("a", MOVE, 1150, move="m1")], (1000, [1000, 1150, 1430], [1000, 1150, None], 2, "a", None, [])),
    ([AT_1000, event("a", MOVE, 1150, move="m1"), event("b", MOVE, 1300, move="m1")], (1000, [1000, 1150, 1430], [1000, 1150, None], 2, "b", None, [])),
    ([AT_1000, event("a", MOVE, 1150, move="m9")], (1000, [1000, 1120, 1400], [1000, None, None], 1, "a", None, [])),
    ([AT_1000, event("x", EXTEND, 1010, seconds=60)], (1000, [1000, 1180, 1460], [1000, None, None], 1, "x", None, [])),
    ([AT_1000, event("x", EXTEND, 1010)], (1000, [1000, 1120, 1400], [1000, None, None], 1, "x", None, [])),
    ([AT_1000, event("x", EXTEND, 1010, seconds=60), event("y", EXTEND, 1020, seconds=30)], (1000, [1000, 1210, 1490], [1000, None, None], 1, "y", None, [])),
    ([AT_1000, event("x", EXTEND, 1010, seconds=60), event("a", MOVE, 1150, move="m1")], (1000, [1000, 1150, 1430], [1000, 1150, None], 2, "a", None, [])),
    ([AT_1000, event("a", MOVE, 1150, move="m1"), event("u", UNDO, 1160, supersedes="a")], (1000, [1000, 1120, 1400], [1000, None, None], 1, "", None, [])),
    ([AT_1000, event("f", FINISH, 1500), event("g", FINISH, 1600)], (1000, [1000, 1120, 1400], [1000, None, None], 1, "", 1500, [])),
    ([AT_1000, event("f", FINISH, 1500), event("u", UNDO, 1510, supersedes="f")], (1000, [1000, 1120, 1400], [1000, None, None], 1, "", None, [])),
    ([AT_1000, event("n", NOTE, 1010, text="late"), event("m", NOTE, 1020, text="thick")], (1000, [1000, 1120, 1400], [1000, None, None], 1, "", None, ["late", "thick"])),
    ([AT_1000, event("p", MOVE, 1410, move="m2"), event("q", MOVE, 1400, move="m1")], (1000, [1000, 1400, 1410], [1000, 1400, 1410], None, "p", None, [])),
    ([AT_1000, event("a", MOVE, 1150, move="m1"), event("a", MOVE, 1190, move="m1")], (1000, [1000, 1150, 1430], [1000, 1150, None], 2, "a", None, [])),
]  # fmt: skip


@pytest.mark.parametrize(("events", "state"), TABLE)
@pytest.mark.parametrize("turned", [False, True])
def test_what_events_amount_to(events, state, turned):
    """The same in whatever order they arrive; events of one id count once."""
    ids = [e.id for e in events]
    got = fold(events[::-1] if turned and len(set(ids)) == len(ids) else events, MOVES)
    assert (
        got.started,
        [m.due for m in got.moves],
        [m.done for m in got.moves],
        got.next,
        got.last_event,
        got.finished,
        got.notes,
    ) == state
    assert got.timeline() == [(i, d) for i, d in enumerate(state[2]) if d is not None]
    assert [m.event for m in got.moves] == [
        ("s" if i == 0 else got.moves[i].event) if d is not None else "" for i, d in enumerate(state[2])
    ]


def test_the_first_move_is_done_by_the_start_and_knows_its_event():
    """Each done move names the event that marked it; a cook without moves folds too."""
    got = fold([AT_1000, Event("a", MOVE, 1150.0, move="m1")], MOVES)
    assert [m.event for m in got.moves] == ["s", "a", ""]
    assert fold([AT_1000], []).next is None
    marked = fold([Event("z", MOVE, 1010.0, move="m0"), Event("s", START, 1020.0)], MOVES)
    assert (marked.moves[0].done, marked.moves[0].event) == (1010.0, "z")


def test_fold_undo_and_undo_of_undo():
    """An undo is an event; it can be undone itself."""
    move = Event("a", "move", 1150.0, move="m1")
    undo = Event("u", "undo", 1160.0, supersedes="a")
    assert fold([AT_1000, move, undo], MOVES).next == 1
    assert fold([AT_1000, move, undo, Event("v", "undo", 1170.0, supersedes="u")], MOVES).next == 2


@given(
    st.permutations(
        [
            AT_1000,
            Event("a", "move", 1150.0, move="m1"),
            Event("b", "extend", 1160.0, seconds=30),
            Event("c", "move", 1170.0, move="m2"),
            Event("d", "undo", 1180.0, supersedes="c"),
        ]
    ),
    st.integers(0, 4),
)
def test_fold_does_not_care_for_order_or_repeats(events, again):
    """The same events in any order, one of them twice, fold to the same state."""
    state = fold([*events, events[again]], MOVES)
    assert state == fold(sorted(events, key=lambda e: e.at), MOVES)
    assert state.next == 2


def test_the_kinds_are_a_contract():
    """What tablets and hubs send."""
    assert KINDS[:6] == ("start", "move", "extend", "note", "undo", "finish")


def told(state):
    """A state as the shared cases say it."""
    out = {"due": [m.due for m in state.moves], "done": [m.done for m in state.moves], "next": state.next}
    return out if state.finished is None else out | {"finished": state.finished}


@pytest.mark.parametrize(
    "case", json.loads((Path(__file__).parents[1] / "data" / "fold.json").read_text()), ids=lambda c: c["name"]
)
def test_the_cases_that_the_board_shares(case):
    """Folded here as the board lays its own marks on the server's state (tests/browser/test_modules.py)."""
    moves = [{"id": m["id"], "offset_s": m["offset"]} for m in case["moves"]]
    ids = count()

    def events(raw):
        return [Event(f"e{next(ids)}", **e) for e in raw]

    before = events(case["before"])
    assert told(fold(before, moves)) == case["state"]
    assert told(fold([*before, *events(case["after"])], moves)) == case["expect"]
