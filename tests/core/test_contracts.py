"""The import contracts hold something: an import that each of them forbids breaks it."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
import tomllib
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
INJECTED = {
    "The rooms of the core, one above the other": ("ember_core/plan/plan.py", "import ember_core.running.state"),
    "Heat: physics and geometry below the solver, the ensemble above a cook": ("ember_core/heat/setup.py", "import ember_core.heat.cook"),
    "The solver: from what a function is to a whole cook": ("ember_core/heat/solver/types.py", "import ember_core.heat.solver.schedule"),
    "The rooms of the web": ("ember_web/book/public.py", "import ember_web.logbook.models"),
    "Places meet only at their doors": ("ember_web/line/public.py", "from ember_web.plans import forms"),
    "The core knows nothing of the interface, the launcher or the simulated kitchen": ("ember_core/errors.py", "import ember_web"),
    "The simulated kitchen speaks only the public API": ("ember_sim/__init__.py", "import ember_web.ui"),
}  # fmt: skip


def test_a_forbidden_import_breaks_its_contract(tmp_path):
    """One import put into a copy for each contract: the check fails, and says which it found."""
    named = [
        c["name"] for c in tomllib.loads((ROOT / "pyproject.toml").read_text())["tool"]["importlinter"]["contracts"]
    ]
    assert set(named) == set(INJECTED)
    for folder in ("src", "tools"):
        shutil.copytree(
            ROOT / folder, tmp_path / folder, ignore=shutil.ignore_patterns("__pycache__", "vendor", "*.nbi", "*.nbc")
        )
    shutil.copy(ROOT / "pyproject.toml", tmp_path)
    for file, line in INJECTED.values():
        with (tmp_path / "src" / file).open("a") as source:
            source.write(f"\n{line}\n")
    env = {**os.environ, "PYTHONPATH": f"{tmp_path / 'src'}:{tmp_path}", "COLUMNS": "200"}
    told = subprocess.run(
        [Path(sys.executable).parent / "lint-imports", "--no-cache"], cwd=tmp_path, env=env, capture_output=True, text=True
    )  # fmt: skip
    assert told.returncode == 1, told.stdout + told.stderr
    results = dict(re.findall(r"^(.+) (KEPT|BROKEN)$", told.stdout, re.MULTILINE))
    assert {name: results.get(name) for name in INJECTED} == dict.fromkeys(INJECTED, "BROKEN")
    assert "ember_web.line.public -> ember_web.plans.forms" in told.stdout
