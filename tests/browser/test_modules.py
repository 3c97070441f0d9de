"""Scripts that compute what Python computes too, on the same cases, in the browser."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

pytestmark = pytest.mark.browser
CASES = json.loads((Path(__file__).parents[1] / "core" / "data" / "fold.json").read_text())
SPANS = json.loads((Path(__file__).parents[1] / "core" / "data" / "spans.json").read_text())
CALL = """
const [path, name, args, done] = [arguments[0], arguments[1], arguments[2], arguments[3]];
import(path).then((m) => done({ value: m[name](...args) ?? null }), (e) => done({ error: String(e) }));
"""


def call(browser, path, name, *arguments):
    """What a function of a module returns."""
    answer = browser.execute_async_script(CALL, f"/static/{path}", name, list(arguments))
    assert "error" not in answer, answer
    return answer["value"]


@pytest.fixture(scope="module")
def page(site, tmp_path_factory):
    """A page of the application, from which its modules are loaded."""
    from tests.browser.conftest import open_browser

    browser = open_browser(tmp_path_factory.mktemp("modules"))
    browser.get(site.address + "/sign-in/")
    yield browser
    browser.quit()


def cook_of(case):
    """A cook of the state document, times in ms."""
    state = case["state"]
    moves = [
        {"id": m["id"], "offset": m["offset"], "due": 1000 * due, "done": None if done is None else 1000 * done}
        for m, due, done in zip(case["moves"], state["due"], state["done"], strict=True)
    ]
    return {"id": "c", "moves": moves, "next": state["next"], "lastEvent": ""}


@pytest.mark.parametrize("case", CASES, ids=lambda c: c["name"])
def test_the_board_lays_marks_as_the_fold_does(page, case):
    """The state before, with the marks laid on it, is what the server folds of all of them."""
    events = [
        {"id": f"e{i}", "cook": "c", "kind": e["kind"], "move": e.get("move"), "seconds": e.get("seconds"), "occurred_at": 1000 * e["at"]}
        for i, e in enumerate(case["after"])
    ]  # fmt: skip
    (cook,) = call(page, "line/fold.js", "laid", [cook_of(case)], events)
    found = {
        "due": [m["due"] / 1000 for m in cook["moves"]],
        "done": [None if m["done"] is None else m["done"] / 1000 for m in cook["moves"]],
        "next": cook["next"],
    }
    if "finished" in cook:
        found["finished"] = cook["finished"] / 1000
    assert found == case["expect"]


@pytest.mark.parametrize(
    ("done", "now", "at", "core"),
    [
        ([0, None, None], 60, 60, 7.0), ([0, None, None], 500, 120, 10.0), ([0, 130, None], 190, 180, 20.0),
        ([0, 130, 300], 900, 1020, 50.0), ([None, None, None], 900, 0, 4.0),
    ],
)  # fmt: skip
def test_where_the_plan_stands(page, done, now, at, core):
    """Since the last move done; a late move holds it, after the last one it goes on to the end of its trace."""
    moves = [
        {"id": f"m{i}", "offset": o, "due": 0, "done": None if d is None else 1000 * d}
        for i, (o, d) in enumerate(zip((0, 120, 420), done, strict=True))
    ]
    cook = {"moves": moves, "trace": [[0, 4], [120, 10], [240, 30], [420, 50]]}
    assert call(page, "line/fold.js", "planNow", cook, 1000 * now) == at
    assert call(page, "line/fold.js", "planned", cook, 1000 * now) == pytest.approx(core)


@pytest.mark.parametrize("case", SPANS, ids=lambda c: str(c["s"]))
def test_a_duration_is_written_as_the_core_writes_it(page, case):
    """On the same cases as ``clock_span``."""
    assert call(page, "ui/said.js", "span", case["s"]) == case["clock"]
