"""The pages of the formats: their tables are those of the schemas, and their examples are run."""

from __future__ import annotations

import json
import re

import pytest
from tools.formats import FORMATS, PAGES, table, unit_of, written

from ember_core.formats.book import read as read_book
from ember_core.formats.log import loads as loads_log
from ember_core.formats.plan import check
from ember_core.formats.plan import loads as loads_plan
from ember_core.planning.compute import compute
from ember_core.running.history import loads as loads_cook
from ember_core.running.state import replay
from ember_core.safety.measured import judge_log

EXAMPLES = PAGES / "examples"


def page(name):
    """A page as it stands."""
    return (PAGES / f"{name}.md").read_text()


@pytest.mark.parametrize("name", FORMATS)
def test_the_table_of_keys_is_the_schemas(name):
    """Renewed by ``python -m tools.formats``; every key of the top level has a row."""
    assert written(page(name), name) == page(name)
    schema = json.loads((PAGES / f"{FORMATS[name]}.schema.json").read_text())
    assert all(f"| `{key}` |" in table(name) for key in schema["properties"])


@pytest.mark.parametrize(
    ("name", "file"), [("plan", "plan.json"), ("cook", "cook.json"), ("book", "book.json"), ("log", "log.csv")]
)
def test_the_example_of_a_page_is_the_file_that_is_run(name, file):
    """Word for word."""
    shown = re.search(r"```(?:json|csv)\n(.*?)```", page(name), re.DOTALL)[1]
    assert shown.strip() == (EXAMPLES / file).read_text().strip()


def test_the_examples_run():
    """The plan is computed and its result fits its schema, the cook replayed, the book read, the log judged and met."""
    plan = loads_plan((EXAMPLES / "plan.json").read_text())
    result = compute(plan).result
    check(json.loads(json.dumps(result)), "result-1")
    assert result["peak"]["core_c"] == pytest.approx(55, abs=0.1)
    state = replay(loads_cook((EXAMPLES / "cook.json").read_text()), members=32).as_dict()
    check(json.loads(json.dumps(state)), "state-1")
    assert state["stage"] == 1
    assert {k: len(v) for k, v in read_book((EXAMPLES / "book.json").read_text()).items() if v} == {
        "doneness": 1,
        "way": 1,
    }
    judged = judge_log(
        loads_log((EXAMPLES / "log.csv").read_text()), rules="us-food-code-2022", food="chicken-breast", form=None
    )
    assert judged["rule"]["met"] is True


@pytest.mark.parametrize(
    ("key", "unit"),
    [
        ("core_c", "°C"),
        ("t_s", "s"),
        ("thickness_mm", "mm"),
        ("mass_g", "g"),
        ("loss_w_k", "W/K"),
        ("minutes", "min"),
        ("altitude_m", "m"),
        ("kind", ""),
    ],
)
def test_a_unit_is_the_keys_ending(key, unit):
    """The longest ending that fits."""
    assert unit_of(key) == unit
