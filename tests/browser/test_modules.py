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


@pytest.mark.parametrize(
    ("seconds", "words"),
    [(0, "0:00"), (59.6, "1:00"), (-7, "−0:07"), (599, "9:59"), (600, "10 min"), (7199, "120 min"), (7200, "2 h 00"), (9000, "2 h 30")],
)  # fmt: skip
def test_durations(page, seconds, words):
    """As the pages of the server write them."""
    from ember_web.ui.templatetags.ember import span

    assert call(page, "ui/said.js", "span", seconds) == words
    assert span(seconds) == words


DRAW = """
const [spec, code, done] = [arguments[0], arguments[1], arguments[arguments.length - 1]];
document.body.dataset.units = code;
import(`/static/ui/chart.js?${code}`).then((m) => {
  const svg = document.createElementNS('http://www.w3.org/2000/svg', 'svg');
  svg.setAttribute('width', 880);
  document.body.append(svg);
  m.draw(svg, spec);
  m.draw(svg, spec);
  done({
    labels: [...svg.querySelectorAll('.chart-axis text')].map((e) => e.textContent),
    paths: [...svg.querySelectorAll('path')].map((e) => [e.getAttribute('class'), e.getAttribute('d')]),
    band: [...svg.querySelector('.band').attributes].map((a) => [a.name, a.value]),
    level: Number(svg.querySelector('.target-line').getAttribute('y1')),
    dots: [...svg.querySelectorAll('.dot')].map((e) => [Number(e.getAttribute('cx')), Number(e.getAttribute('cy'))]),
    moves: svg.querySelectorAll('.move-at').length, groups: svg.querySelectorAll('.chart').length,
  });
});
"""


def test_the_chart_lies_where_its_numbers_say(page):
    """Time across and temperature down, straight between; marks at round values; drawn again it is drawn once."""
    spec = {
        "size": [440, 100, 40, 0, 0], "x": 600, "y": [0, 80], "lines": [{"as": "l-core", "at": [[0, 0], [300, 40], [600, 200]]}],
        "band": [50, 60], "level": 20, "dots": [[150, 60]], "moves": [0, 300], "area": [[0, 10, 20], [600, 30, 40]],
    }  # fmt: skip
    drawn = page.execute_async_script(DRAW, spec, "C-mm-g-L-24")
    assert drawn["labels"][:9] == ["0", "10", "20", "30", "40", "50", "60", "70", "80"]
    assert drawn["labels"][9:] == ["0:00", "2:00", "4:00", "6:00", "8:00", "10 min"]
    assert dict(map(tuple, drawn["paths"]))["l-core"] == "M40,100L240,50L440,0"  # above the frame: at its edge
    assert dict(map(tuple, drawn["paths"]))["ribbon"].startswith("M40,75L440,50")
    assert (drawn["level"], drawn["dots"], drawn["moves"], drawn["groups"]) == (75, [[140, 25]], 2, 1)
    assert dict(map(tuple, drawn["band"])) == {"class": "band", "x": "40", "width": "400", "y": "25", "height": "12.5"}


@pytest.mark.parametrize("case", SPANS, ids=lambda c: str(c["s"]))
def test_a_duration_is_written_as_the_core_writes_it(page, case):
    """On the same cases as ``clock_span``."""
    assert call(page, "ui/said.js", "span", case["s"]) == case["clock"]
