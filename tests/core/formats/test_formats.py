"""Plan and log formats: what is refused, how it is said, and that nothing else is."""

from __future__ import annotations

import copy
import json
import math
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from jsonschema import Draft202012Validator

from ember_core.errors import EmberError, InputError
from ember_core.formats import log as log_format
from ember_core.formats.plan import loads, parse, schema
from ember_core.planning.compute import compute
from ember_core.safety.measured import judge_log
from tests.conftest import plan_document

ROOT = Path(__file__).resolve().parents[3]


def changed(path, value):
    """A plan document with one place changed."""
    document = plan_document()
    *head, last = path
    node = document
    for key in head:
        node = node[key]
    node[last] = value
    return document


@pytest.mark.parametrize(
    ("path", "value", "code", "pointer"),
    [
        (("piece", "shape", "thickness_mm"), -3, "range", "/piece/shape/thickness_mm"),
        (("piece", "shape", "thickness_mm"), "28", "type", "/piece/shape/thickness_mm"),
        (("piece", "shape", "thickness_mm"), True, "type", "/piece/shape/thickness_mm"),
        (("piece", "mass_g"), 0, "range", "/piece/mass_g"),
        (("piece", "food"), "unicorn", "choice", "/piece/food"),
        (("piece", "start_c"), None, "type", "/piece/start_c"),
        (("stages", 0, "faces", "a", "medium_c"), 900, "range", "/stages/0/faces/a/medium_c"),
        (("stages", 1, "minutes"), 0, "range", "/stages/1/minutes"),
        (("stages", 1, "until"), {}, "format", "/stages/1/until"),
        (("stages", 1, "until"), {"core_c": 50, "mean_c": 40}, "until", "/stages/1/until"),
        (("stages", 0, "kind"), "microwave", "choice", "/stages/0/kind"),
        (("stages", 0, "variant"), "stirred", "choice", "/stages/0/variant"),
        (("stages",), [], "format", "/stages"),
        (("stages", 0), {"kind": "bath", "minutes": 3}, "missing", "/stages/0/medium_c"),
        (("stages", 0, "until"), {"peak_core_c": 40}, "two-pulls", "/stages/1/until/peak_core_c"),
        (("colour",), "red", "unknown-key", "/colour"),
        (("format",), "open-ember.plan/2", "choice", "/format"),
        (("rules",), "none", "choice", "/rules"),
        (("serve_at",), "tonight", "time", "/serve_at"),
        (("kitchen", "altitude_m"), math.inf, "range", "/kitchen/altitude_m"),
        (("piece", "mass_g"), 10**400, "range", "/piece/mass_g"),
        (("piece", "composition"), {"water": 0.2, "protein": 0.1, "fat": 0.1}, "range", "/piece/composition"),
    ],
)
def test_refusals_name_the_place_and_the_remedy(path, value, code, pointer):
    """Each refusal carries a code, a JSON pointer and words."""
    with pytest.raises(InputError) as caught:
        parse(changed(path, value))
    assert (caught.value.code, caught.value.path) == (code, pointer)
    assert len(caught.value.message) > 15


@pytest.mark.parametrize(
    "text",
    [
        "",
        "{",
        "[]",
        "null",
        "3",
        '{"a": NaN}',
        "[" * 20000,
        "\ud800".encode("utf-8", "surrogatepass").decode("utf-8", "replace"),
        " " * 2_000_001,
    ],
)
def test_not_a_plan(text):
    """Text that is not a plan gives an error of ours."""
    with pytest.raises(InputError):
        loads(text)


def test_own_keys_are_kept():
    """Keys beginning x- pass and stay in the document."""
    document = plan_document() | {"x-note": {"any": [1, None]}}
    assert parse(document).document["x-note"] == {"any": [1, None]}


junk = st.recursive(
    st.none() | st.booleans() | st.integers(-(10**6), 10**6) | st.floats(allow_nan=False) | st.text(max_size=8),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=8), inner, max_size=3),
    max_leaves=6,
)


def spots(node, path=()):
    """All paths of a document."""
    yield path
    items = node.items() if isinstance(node, dict) else enumerate(node) if isinstance(node, list) else ()
    for key, value in items:
        yield from spots(value, (*path, key))


SPOTS = [p for p in spots(plan_document()) if p]


@settings(max_examples=2000, deadline=None)
@given(st.sampled_from(SPOTS), junk)
def test_malformed_plans_give_errors_not_tracebacks(path, value):
    """Junk at any place: refused with an error of ours, or a plan that means something."""
    said = None
    try:
        parse(changed(path, copy.deepcopy(value)))
    except EmberError as error:
        said = json.loads(json.dumps(error.as_dict()))["error"]
    assert said is None or (said["message"] and said["code"])


@pytest.mark.parametrize("name", ["plan-1", "result-1", "cook-1", "state-1"])
def test_published_schemas(name):
    """The schemas are valid, published unchanged in docs/formats, and a result keeps to its own."""
    Draft202012Validator.check_schema(schema(name))
    assert (ROOT / "docs" / "formats" / f"{name}.schema.json").read_text() == (
        ROOT / "src/ember_core/formats" / f"{name}.schema.json"
    ).read_text()
    if name == "result-1":
        for document in (
            plan_document(),
            plan_document(forecast={"members": 8}),
            {k: v for k, v in plan_document().items() if k not in {"rules", "target"}},
        ):
            Draft202012Validator(schema(name)).validate(compute(parse(document)).result)


def test_samples_hold_what_they_promise():
    """Start, every stage end, every report time exactly, and at most 400 besides."""
    result = compute(parse(plan_document(report_at_s=[60.5, 120, 240]))).result
    times = [s["t_s"] for s in result["samples"]]
    assert times == sorted(set(times))
    for wanted in (0, 60.5, 120, 240, *(s["end_s"] for s in result["stages"])):
        assert wanted in times
    assert len(times) <= 400 + 4 + 4
    assert result["coast"]["rise_c"] == pytest.approx(
        result["peak"]["core_c"] - result["coast"]["pull_core_c"], abs=1e-3
    )


HEAD = "t_s,core_c\n"


@pytest.mark.parametrize(
    ("text", "code"),
    [
        ("", "empty"),
        (HEAD, "empty"),
        (HEAD + "0,5\n", "empty"),
        (HEAD + "0,five\n1,5\n", "type"),
        (HEAD + "0,nan\n1,5\n", "range"),
        (HEAD + "0,5\n0,6\n", "order"),
        (HEAD + "5,5\n0,6\n", "order"),
        (HEAD + "0,5\n1,900\n", "range"),
        ("t_s,core_c,odd\n0,5,1\n", "unknown-key"),
        ("time,core_c\nnow,5\nthen,6\n", "format"),
        (HEAD + "0,5,3\n", "format"),
        ("core_c\n5\n", "missing"),
    ],
)
def test_log_refusals(text, code):
    """A log that cannot be used says which line and column."""
    with pytest.raises(InputError) as caught:
        log_format.loads(text)
    assert caught.value.code == code


def test_log_forms():
    """Semicolons, ISO times, a byte-order mark and optional columns."""
    log = log_format.loads("\ufefftime;core_c;note\n2026-12-05T19:00:00+01:00;54.4;in\n2026-12-05T18:01:00Z;54.5;\n")
    assert log.t_s == (0.0, 60.0)
    assert log.note == ("in", "")


def steady(core, seconds, step=60):
    """A log that holds one temperature."""
    return HEAD + "".join(f"{t},{core + 0.01 * (t // step % 2)}\n" for t in range(0, seconds + 1, step))


def test_gap_breaks_the_clock_and_is_said():
    """A hole in the log: the rule's clock starts again after it."""
    text = steady(60.0, 720)
    assert (
        judge_log(log_format.loads(text), rules="us-food-code-2022", food="beef-lean", form="roast")["rule"]["met"]
        is True
    )
    lines = text.splitlines(keepends=True)
    broken = "".join(lines[:4] + lines[11:])
    answer = judge_log(log_format.loads(broken), rules="us-food-code-2022", food="beef-lean", form="roast")
    assert answer["rule"]["met"] is False
    assert [f["code"] for f in answer["findings"]] == ["gap"]


def test_frozen_probe_is_flagged_and_keeps_its_time():
    """A probe that never moves is suspicious, but the log stands."""
    text = HEAD + "".join(f"{t},60.0\n" for t in range(0, 1801, 60))
    answer = judge_log(log_format.loads(text), rules="us-food-code-2022", food="beef-lean", form="roast")
    assert answer["rule"]["met_at_s"] == 720
    assert "frozen-probe" in [f["code"] for f in answer["findings"]]


def test_probe_error_is_subtracted():
    """A stated error of the probe counts against the log."""
    answer = judge_log(
        log_format.loads(steady(54.4, 6720)),
        rules="us-food-code-2022",
        food="beef-lean",
        form="roast",
        probe_error_c=0.5,
    )
    assert answer["rule"]["met"] is False


def cli(*arguments, stdin=""):
    """Run the command line in a fresh process."""
    return subprocess.run(
        [sys.executable, "-m", "ember_cli", *arguments],
        input=stdin,
        capture_output=True,
        text=True,
        cwd=ROOT / "src",
        timeout=300,
    )


def test_command_line_simulate(tmp_path):
    """One plan, JSON Lines with an error among them, and a refusal on standard error with exit code 2."""
    good = json.dumps(plan_document())
    done = cli("simulate", "-", stdin=good)
    assert done.returncode == 0
    assert json.loads(done.stdout)["format"] == "open-ember.result/1"
    lines = cli("simulate", "--lines", "-", stdin=f"{good}\nnot json\n{good}\n")
    answers = [json.loads(line) for line in lines.stdout.splitlines()]
    assert lines.returncode == 1
    assert [("error" in a) for a in answers] == [False, True, False]
    file = tmp_path / "plan.json"
    file.write_text(json.dumps(changed(("piece", "shape", "thickness_mm"), -3)))
    refused = cli("simulate", str(file))
    assert (refused.returncode, refused.stdout) == (2, "")
    assert json.loads(refused.stderr.splitlines()[-1])["error"]["path"] == "/piece/shape/thickness_mm"


def test_command_line_replay():
    """One cook, JSON Lines with a refusal among them, and a refusal with its path: an event that cannot be."""
    cook = {
        "format": "open-ember.cook/1",
        "plan": plan_document(),
        "now_s": 60,
        "events": [{"at_s": 0, "kind": "start"}],
    }
    done = cli("replay", "-", stdin=json.dumps(cook))
    assert json.loads(done.stdout)["format"] == "open-ember.state/1"
    bad = json.dumps(cook | {"events": [{"at_s": 0, "kind": "start"}, {"at_s": 9, "kind": "move", "move": "m9"}]})
    lines = cli("replay", "--lines", "-", stdin=f"{json.dumps(cook)}\n{bad}\n")
    assert lines.returncode == 1
    assert [("error" in json.loads(a)) for a in lines.stdout.splitlines()] == [False, True]
    refused = cli("replay", "-", stdin=bad)
    assert (refused.returncode, refused.stdout) == (2, "")
    assert json.loads(refused.stderr.splitlines()[-1])["error"]["path"] == "/events/1/move"


@pytest.mark.parametrize(
    "arguments",
    [
        ("judge", "-"),
        ("replay", "/no/such/file"),
        ("judge", "-", "--rules", "x", "--food", "beef-lean", "--form", "steak"),
        ("simulate", "/no/such/file"),
        ("fly",),
        (),
    ],
)
def test_command_line_refusals(arguments):
    """Bad arguments: exit 2, nothing on standard output, one error object."""
    done = cli(*arguments)
    assert (done.returncode, done.stdout) == (2, "")
    assert set(json.loads(done.stderr.splitlines()[-1])["error"]) == {"code", "message", "path"}


def test_core_is_pure_and_refusals_are_light():
    """Importing the core loads no interface code; checking a plan loads no solver."""
    code = (
        "import sys, pkgutil, importlib, ember_core\n"
        "from ember_core.formats.plan import loads\n"
        "try: loads('{}')\nexcept Exception: pass\n"
        "assert not {'numba', 'scipy', 'numpy'} & set(sys.modules), 'a refusal loaded the solver'\n"
        "[importlib.import_module(m.name) for m in pkgutil.walk_packages(ember_core.__path__, 'ember_core.')]\n"
        "bad = {m.split('.')[0] for m in sys.modules} & {'django', 'ember_web', 'ember_sim', 'ember_launch', 'httpx', 'psycopg', 'requests'}\n"
        "assert not bad, bad\n"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, cwd=ROOT / "src", timeout=300)
    assert done.returncode == 0, done.stderr
