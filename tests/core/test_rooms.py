"""What a part of the core brings along when it is loaded, in a fresh process."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest

SRC = Path(__file__).resolve().parents[2] / "src"
HEAVY = {"numba", "scipy", "llvmlite"}
PARTS = {
    # a page that shows a sentence, a file that is refused: before the solver is loaded
    "ember_core.plan.plan": HEAVY | {"numpy"},
    "ember_core.book.book": HEAVY | {"numpy"},
    "ember_core.entry.sentence": HEAVY,
    "ember_core.entry.quick": HEAVY,
    "ember_core.heat.geometry.egg_outline": HEAVY,
    "ember_core.heat.geometry.grid": HEAVY,
    "ember_core.heat.physics.properties": HEAVY,
    "ember_core.formats.plan": HEAVY,
    "ember_core.line.fold": HEAVY | {"numpy"},
}
NEVER = {"django", "ember_web", "ember_launch", "ember_sim", "socket", "urllib.request"}


@pytest.mark.parametrize("part", PARTS)
def test_what_a_part_loads(part):
    """Nothing heavier than it needs, and never the interface or the network."""
    code = f"import sys, {part}; print(' '.join(sys.modules))"
    env = {**os.environ, "PYTHONPATH": str(SRC)}
    loaded = set(
        subprocess.run([sys.executable, "-c", code], env=env, capture_output=True, text=True, check=True).stdout.split()
    )
    assert loaded & (PARTS[part] | NEVER) == set()
