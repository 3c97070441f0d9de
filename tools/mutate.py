"""Mutation testing of what safety hangs on: one wrong change at a time, and whether the quick tests notice.

    PYTHONPATH=src:. python tools/mutate.py [--only PART] [--sample N] [--seed N] [--jobs 2] [--report FILE]

Code: every comparison, logical and arithmetic operator, number, truth value, finding level, and call for effect in
``safety/``, of planning, running and the formats what a verdict goes through, the eggs' rules and ``line/fold.py``. Rounding slack (numbers below 0.001) is left
alone. Data: every number of the safety tables, and every word in their
lists of forms and species. Each change runs in a forked process with the heavy libraries already loaded; the tests of its
part run until the first failure. Survivors are printed; those listed in ``tools/equivalent.toml`` change nothing that can
be seen, with the reason. Run by hand: it takes tens of minutes.
"""

from __future__ import annotations

import argparse
import ast
import copy
import importlib.abc
import importlib.util
import os
import random
import re
import signal
import sys
import time
import tomllib
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
CORE = ROOT / "src" / "ember_core"
VERDICTS = [
    "tests/core/safety/test_words.py",
    "tests/core/safety/test_verdicts.py",
    "tests/core/safety/test_courses.py",
]
KEEPING = [
    "tests/core/safety/test_keeping_words.py",
    "tests/core/safety/test_keeping.py",
    "-k",
    "not plan_is_told and not whole_roasts",
]
LOGS = [
    "tests/core/safety/test_weigh.py",
    "tests/core/safety/test_evidence.py",
    "tests/core/formats/test_formats.py",
    "-k",
    "not long_logs and not malformed and not command and not light",
]
PLANS, READ, COOKS = (
    f"tests/core/register/test_register.py::test_nothing_in_the_register_has_moved[{name}]"
    for name in ("plans", "logs", "running")
)
ROWS = ["tests/validation/test_published_rows.py"]
PREMISES = ["tests/core/safety/test_premises.py", "tests/core/safety/test_attempts.py"]
TESTS = {
    "safety/advice.py": ["tests/core/safety/test_advice_bounds.py", *VERDICTS, PLANS],
    "safety/clocks.py": ["tests/core/safety/test_clocks.py"],
    "safety/conditions.py": [*VERDICTS, PLANS],
    "safety/evidence.py": [*LOGS, READ],
    "safety/forms.py": [*ROWS, PLANS],
    "safety/keeping.py": KEEPING,
    "safety/lethality.py": ["tests/core/safety/test_lethality.py", *ROWS, "tests/core/safety/test_rule_clocks.py", "tests/validation/test_tables.py"],
    "safety/readings_by_hand.py": ["tests/core/safety/test_by_hand.py", "tests/core/running/test_judging.py", COOKS],
    "safety/measured.py": ["tests/core/safety/test_by_hand.py", "tests/core/safety/test_measured_course.py", *LOGS, "tests/core/running/test_judging.py", READ, COOKS],
    "safety/notes.py": [*VERDICTS, PLANS],
    "safety/rules.py": [*ROWS, *VERDICTS, "tests/core/safety/test_house.py"],
    "safety/statement.py": [*VERDICTS, PLANS],
    "safety/verdict.py": VERDICTS,
    "safety/premise.py": ["tests/core/safety/test_claims.py", *PREMISES, READ, PLANS],
    "safety/claims_of_plan.py": ["tests/core/safety/test_claims.py", *PREMISES, *VERDICTS, PLANS],
    "safety/shared_claims.py": ["tests/core/safety/test_claims.py", "tests/core/safety/test_claims_of_log.py", *PREMISES, PLANS, READ],
    "safety/claims_of_log.py": ["tests/core/safety/test_claims_of_log.py", *PREMISES, "tests/core/safety/test_evidence.py", READ],
    "safety/history.py": [*VERDICTS, PLANS],
    "safety/whole_plan.py": ["tests/core/safety/test_whole_plan.py", *PREMISES, "tests/core/planning/test_traps.py", "tests/core/planning/test_birds.py", PLANS],
    "safety/growth.py": ["tests/core/safety/test_growth.py", *PREMISES, PLANS, READ],
    "running/judging.py": ["tests/core/running/test_judging.py", COOKS],
    "running/history.py": ["tests/core/running/test_history.py"],
    "running/off_heat.py": ["tests/core/running/test_after.py"],
    "planning/compute.py": [PLANS, *PREMISES, "tests/core/planning/test_traps.py", "tests/core/formats/test_formats.py"],
    "planning/routes.py": ["tests/core/planning/test_asking.py"],
    "formats/result.py": ["tests/core/formats/test_formats.py", "tests/core/planning/test_traps.py"],
    "eggs/ruled.py": ["tests/core/eggs"],
    "entry/coldest.py": ["tests/core/entry/test_coldest.py"],
    "book/doneness.py": ["tests/core/book/test_doneness.py"],
    "plan/kinds.py": ["tests/core/plan/test_kinds.py"],
    "formats/log.py": ["tests/core/formats/test_log.py", *LOGS],
    "line/fold.py": ["tests/core/line/test_fold.py"],
    **{f"data/{name}": ROWS for name in ("rules.toml", "keeping.toml", "organisms.toml", "forms.toml", "fsis_appendix_a_beef.csv")},
    **{f"data/{name}": PREMISES for name in ("storage.toml", "growth.toml")},
}  # fmt: skip
SWAPS: dict[type, tuple[type, ...]] = {
    ast.Lt: (ast.LtE, ast.Gt), ast.LtE: (ast.Lt, ast.Gt), ast.Gt: (ast.GtE, ast.Lt), ast.GtE: (ast.Gt, ast.Lt),
    ast.Eq: (ast.NotEq,), ast.NotEq: (ast.Eq,), ast.Is: (ast.IsNot,), ast.IsNot: (ast.Is,), ast.In: (ast.NotIn,), ast.NotIn: (ast.In,),
    ast.And: (ast.Or,), ast.Or: (ast.And,), ast.Add: (ast.Sub,), ast.Sub: (ast.Add,), ast.Mult: (ast.Div,), ast.Div: (ast.Mult,),
    ast.BitOr: (ast.BitAnd,), ast.BitAnd: (ast.BitOr,),
}  # fmt: skip
ORDERS = {ast.Lt, ast.LtE, ast.Gt, ast.GtE}
SLACK = 1e-3  # smaller numbers are rounding slack
NAMES = {
    "min": "max",
    "max": "min",
    "any": "all",
    "all": "any",
    "argmax": "argmin",
    "argmin": "argmax",
    "minimum": "maximum",
    "maximum": "minimum",
}
LEVELS = {"stop": "note", "care": "note", "note": "stop"}
PURGE = (
    "ember_core.safety", "ember_core.formats", "ember_core.line", "ember_core.data", "ember_core.book", "ember_core.entry",
    "ember_core.planning", "ember_core.running", "ember_core.eggs", "ember_core.plan", "tests",
)  # fmt: skip


@dataclass(frozen=True)
class Mutant:
    """One wrong change: its file (below the core), line, what it does, and the file's text with it."""

    part: str
    line: int
    what: str
    text: str

    @property
    def source(self) -> str:
        """The line as it stands."""
        return (CORE / self.part).read_text(encoding="utf-8").splitlines()[self.line - 1].strip()


def _children(node: ast.AST, skip_words: bool = True) -> Iterator[tuple[ast.AST, str, int | None]]:
    """Where code can be changed: parent, field and place of every node that is no type, docstring or wording."""
    for field, value in ast.iter_fields(node):
        if field in {"annotation", "returns", "decorator_list", "type_params"}:
            continue
        if isinstance(node, ast.FormattedValue) and field == "format_spec":
            continue
        items = enumerate(value) if isinstance(value, list) else [(None, value)]
        for place, child in items:
            if not isinstance(child, ast.AST) or isinstance(child, (ast.JoinedStr, ast.Raise)):
                continue
            if isinstance(child, ast.Expr) and isinstance(child.value, ast.Constant):
                continue  # a docstring
            yield node, field, place
            yield from _children(child)


def _slack(node: ast.AST) -> bool:
    """Whether an expression holds a rounding slack (1e-6 and the like): moving it by a hair cannot be seen."""
    return any(
        isinstance(n, ast.Constant) and isinstance(n.value, float) and 0 < abs(n.value) < SLACK for n in ast.walk(node)
    )


def _changed(node: ast.AST) -> list[tuple[str, ast.AST]]:
    """The wrong versions of one node, with a word for each."""
    out: list[tuple[str, ast.AST]] = []

    def put(word: str, **fields: object) -> None:
        made = copy.deepcopy(node)
        for name, value in fields.items():
            setattr(made, name, value)
        out.append((word, made))

    if isinstance(node, ast.Compare):
        for i, op in enumerate(node.ops):
            for other in SWAPS.get(type(op), ())[1 if _slack(node) and type(op) in ORDERS else 0 :]:
                put(f"{type(op).__name__} → {other.__name__}", ops=[*node.ops[:i], other(), *node.ops[i + 1 :]])
    elif isinstance(node, ast.BinOp) and _slack(node) and isinstance(node.op, (ast.Add, ast.Sub)):
        pass
    elif isinstance(node, (ast.BoolOp, ast.BinOp, ast.AugAssign)):
        for other in SWAPS.get(type(node.op), ()):
            put(f"{type(node.op).__name__} → {other.__name__}", op=other())
    elif isinstance(node, ast.UnaryOp) and isinstance(node.op, (ast.Not, ast.Invert)):
        out.append(("not x → x", node.operand))
    elif isinstance(node, ast.Constant) and isinstance(node.value, bool):
        put(f"{node.value} → {not node.value}", value=not node.value)
    elif isinstance(node, ast.Constant) and isinstance(node.value, (int, float)):
        value = node.value
        if isinstance(value, float) and 0 < abs(value) < SLACK:
            return []
        put(f"{value} → {value + 1}", value=value + 1)
        if isinstance(value, float) and value:
            put(f"{value} → {value * 0.9:g}", value=value * 0.9)
    elif isinstance(node, ast.Constant) and node.value in LEVELS:
        put(f"{node.value} → {LEVELS[node.value]}", value=LEVELS[node.value])
    elif isinstance(node, ast.Name) and node.id in NAMES:
        put(f"{node.id} → {NAMES[node.id]}", id=NAMES[node.id])
    elif isinstance(node, ast.Attribute) and node.attr in NAMES:
        put(f"{node.attr} → {NAMES[node.attr]}", attr=NAMES[node.attr])
    elif isinstance(node, ast.Expr) and isinstance(node.value, ast.Call):
        out.append(("call left out", ast.copy_location(ast.Pass(), node)))
    elif isinstance(node, ast.Continue):
        out.append(("continue → pass", ast.copy_location(ast.Pass(), node)))
    return out


def of_code(part: str) -> list[Mutant]:
    """All mutants of a module."""
    text = (CORE / part).read_text(encoding="utf-8")
    tree = ast.parse(text)
    out = []
    for parent, field, place in list(_children(tree)):
        slot = getattr(parent, field)
        node = slot if place is None else slot[place]
        for what, made in _changed(node):
            _put(parent, field, place, made)
            out.append(Mutant(part, node.lineno, what, ast.unparse(ast.fix_missing_locations(tree))))
            _put(parent, field, place, node)
    return out


def _put(parent: ast.AST, field: str, place: int | None, node: ast.AST) -> None:
    if place is None:
        setattr(parent, field, node)
    else:
        getattr(parent, field)[place] = node


def of_data(part: str) -> list[Mutant]:
    """Every number of a table a tenth smaller and a tenth larger, every word of its lists left out, every truth turned."""
    lines = (CORE / part).read_text(encoding="utf-8").splitlines()
    out = []
    for i, line in enumerate(lines):
        if line.lstrip().startswith("#") or re.match(
            r"(confidence|id|name|authority|edition|clause|source|note|guidance|remedy|needs|exempt|susceptible|advisory = \"|come_up = \"|continuity|cooling = \"|matrix)\b(?! = \[)",
            line,
        ):
            continue
        bare = re.sub(r'"[^"]*"', lambda m: "§" * len(m[0]), line)
        for m in re.finditer(r"(?<![\w§])\d+(?:\.\d+)?", bare):
            value = float(m[0])
            for factor in (0.9, 1.1):
                made = f"{value * factor:g}" if value else "1"
                out.append(
                    Mutant(part, i + 1, f"{m[0]} → {made}", _line(lines, i, line[: m.start()] + made + line[m.end() :]))
                )
                if not value:
                    break
        if part.endswith(".toml") and "[" in bare:
            for m in re.finditer(r'"[^"]*"(, )?', line):
                out.append(
                    Mutant(part, i + 1, f"{m[0]} left out", _line(lines, i, line[: m.start()] + line[m.end() :]))
                )
        for m in re.finditer(r"\b(true|false)\b", bare):
            other = "false" if m[0] == "true" else "true"
            out.append(
                Mutant(part, i + 1, f"{m[0]} → {other}", _line(lines, i, line[: m.start()] + other + line[m.end() :]))
            )
    return out


def _line(lines: list[str], i: int, text: str) -> str:
    return "\n".join([*lines[:i], text, *lines[i + 1 :]]) + "\n"


class Changed(importlib.abc.MetaPathFinder, importlib.abc.Loader):
    """Imports one module of the core with another text."""

    def __init__(self, mutant: Mutant) -> None:
        self.mutant = mutant
        self.name = "ember_core." + mutant.part.removesuffix(".py").replace("/", ".")

    def find_spec(self, name: str, path: object = None, target: object = None) -> object:
        """A spec for the changed module only."""
        return (
            importlib.util.spec_from_loader(name, self, origin=str(CORE / self.mutant.part))
            if name == self.name
            else None
        )

    def exec_module(self, module: object) -> None:
        """Run the changed text in place of the file's."""
        exec(compile(self.mutant.text, str(CORE / self.mutant.part), "exec"), module.__dict__)  # noqa: S102 - our own source, changed


def run(mutant: Mutant | None, part: str) -> int:
    """Exit code of the part's tests with a mutant, in this process: 0 when nothing noticed."""
    import pytest
    from hypothesis import Phase, settings

    settings.register_profile("mutants", phases=(Phase.explicit, Phase.generate), database=None)  # found is enough
    settings.load_profile("mutants")
    for name in [n for n in sys.modules if n.startswith(PURGE)]:
        del sys.modules[name]
    if mutant is not None and part.startswith("data/"):
        from ember_core.data import loader

        plain, changed = loader.read_text, Path(part).name
        loader.read_text = lambda name: mutant.text if name == changed else plain(name)  # type: ignore[assignment]
    elif mutant is not None:
        sys.meta_path.insert(0, Changed(mutant))
    quiet = [
        "-q",
        "-x",
        "-p",
        "no:cacheprovider",
        "-p",
        "no:django",
        "--no-header",
        "--hypothesis-seed=1",
        "-c",
        os.devnull,
        "--rootdir",
        str(ROOT),
    ]
    return int(pytest.main([*quiet, *TESTS[part]]))


def forked(mutant: Mutant | None, part: str, seconds: float = 300.0) -> bool:
    """Whether the tests of a part noticed a mutant; a run that is out of time has noticed nothing."""
    child = os.fork()
    if child == 0:
        null = os.open(os.devnull, os.O_WRONLY)
        os.dup2(null, 1)
        os.dup2(null, 2)
        try:
            os._exit(1 if run(mutant, part) else 0)
        except BaseException:  # a mutant that cannot even be imported is noticed
            os._exit(1)
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        done, status = os.waitpid(child, os.WNOHANG)
        if done:
            return status != 0
        time.sleep(0.01)
    os.kill(child, signal.SIGKILL)
    os.waitpid(child, 0)
    return mutant is None  # without any change it is a failure of its own


def equivalents() -> dict[tuple[str, str, str], str]:
    """Mutants that change nothing that can be seen, by file, source line and change, with the reason."""
    rows = tomllib.loads((ROOT / "tools" / "equivalent.toml").read_text(encoding="utf-8")).get("mutant", [])
    return {(r["part"], r["source"], r["what"]): r["why"] for r in rows}


def main() -> int:
    """Try the mutants and say which were not noticed."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--only", default="", help="only parts whose name holds this")
    parser.add_argument("--sample", type=int, default=0, help="so many mutants a part, drawn at random; 0: all")
    parser.add_argument("--seed", type=int, default=1, help="of the draw: another one tries other changes")
    parser.add_argument("--jobs", type=int, default=2)
    parser.add_argument("--report", default="")
    options = parser.parse_args()
    os.chdir(ROOT)
    import hypothesis  # noqa: F401 - loaded once, for all children
    import jsonschema  # noqa: F401
    import numba  # noqa: F401
    import pytest  # noqa: F401

    import ember_core.heat.ensemble.forecast
    import ember_core.heat.ensemble.learning  # noqa: F401

    rows = []
    known = equivalents()
    for part in [p for p in TESTS if options.only in p]:
        mutants = of_data(part) if part.startswith("data/") else of_code(part)
        if options.sample and len(mutants) > options.sample:
            mutants = random.Random(options.seed).sample(mutants, options.sample)  # noqa: S311 - a sample, not a secret
        if forked(None, part):
            print(f"{part}: its tests fail without any change", flush=True)
            return 1
        survived = _all(mutants, part, options.jobs)
        left = [m for m in survived if (m.part, m.source, m.what) not in known]
        killed = len(mutants) - len(survived)
        rows.append((part, len(mutants), killed, len(survived) - len(left), len(left)))
        print(
            f"{part}: {len(mutants)} changes, {killed} noticed, {len(survived) - len(left)} equivalent, {len(left)} not noticed",
            flush=True,
        )
        for m in left:
            print(f"    {m.part}:{m.line}  {m.what}   |  {m.source}", flush=True)
    total = [sum(r[i] for r in rows) for i in range(1, 5)]
    share = total[1] / max(total[0] - total[2], 1)
    print(
        f"all: {total[0]} changes, {total[1]} noticed, {total[2]} equivalent, {total[3]} not noticed: {share:.1%} of those that can be seen"
    )
    if options.report:
        _report(Path(options.report), rows, total, share)
    return 0


def _all(mutants: list[Mutant], part: str, jobs: int) -> list[Mutant]:
    """The mutants that were not noticed; ``jobs`` helpers take every so-manieth each."""
    readers = []
    for k in range(jobs):
        read, write = os.pipe()
        if os.fork() == 0:
            os.close(read)
            with os.fdopen(write, "w") as out:
                for i in range(k, len(mutants), jobs):
                    if not forked(mutants[i], part):
                        out.write(f"{i}\n")
            os._exit(0)
        os.close(write)
        readers.append(read)
    left = []
    for read in readers:
        with os.fdopen(read) as source:
            left += [mutants[int(line)] for line in source.read().split()]
    for _ in readers:
        os.wait()
    return sorted(left, key=lambda m: m.line)


def _report(path: Path, rows: list[tuple[str, int, int, int, int]], total: list[int], share: float) -> None:
    """The table for docs/method, with the equivalent changes and their reasons."""
    lines = ["# Wrong changes tried on purpose", "", "Generated by `tools/mutate.py`. *Noticed*: a quick test failed. *Equivalent*: nothing that can be seen", "changes, for the reason below.", "",
             "| part | changes | noticed | equivalent | not noticed |", "|---|---|---|---|---|"]  # fmt: skip
    lines += ["| " + " | ".join(map(str, r)) + " |" for r in rows]
    lines += [
        f"| all | {' | '.join(map(str, total))} |",
        "",
        f"{share:.1%} of the changes that can be seen are noticed.",
        "",
        "## Equivalent",
        "",
    ]
    lines += [f"- `{part}`, `{source}`: {what}. {why}" for (part, source, what), why in equivalents().items()]
    path.write_text("\n".join(lines) + "\n", encoding="utf-8")


if __name__ == "__main__":
    sys.exit(main())
