"""Names that tell nothing stay out: modules, functions and classes are called by what they are, constants by quantity and unit."""

from __future__ import annotations

import ast
from pathlib import Path

import pytest

SRC = Path(__file__).resolve().parents[2] / "src"
MODULES = {
    "stays",
    "together",
    "leg",
    "puddle",
    "beside",
    "taking",
    "hands",
    "second",
    "warm",
    "truth",
    "asking",
    "helpers",
    "utils",
    "misc",
}
FUNCTIONS = {
    "told", "said", "as_told", "joined", "settled", "another", "also", "thing", "before", "warm", "second", "hands", "truth", "stays",
    "together", "leg", "puddle", "taking", "asking", "do", "handle_it", "process", "data", "stuff",
}  # fmt: skip
CLASSES = {
    "Stay",
    "Leg",
    "Puddle",
    "Together",
    "Desk",
    "Teller",
    "Beside",
    "Lying",
    "Thing",
    "Manager",
    "Helper",
    "Stretch",
}


def modules():
    """Every module of ours but migrations."""
    return [p for p in sorted(SRC.rglob("*.py")) if "migrations" not in p.parts and "vendor" not in p.parts]


def test_no_module_is_called_by_a_word_that_tells_nothing():
    """Its name says what is in it."""
    assert [p for p in modules() if p.stem in MODULES] == []


@pytest.mark.parametrize("part", ["ember_core", "ember_web", "ember_sim", "ember_launch", "ember_cli"])
def test_no_function_or_class_is(part):
    """Top-level functions, methods and classes; what lives within a function is read with it."""
    wrong = []
    for path in modules():
        if path.relative_to(SRC).parts[0] != part:
            continue
        tree = ast.parse(path.read_text())
        bodies = [tree.body, *(n.body for n in tree.body if isinstance(n, ast.ClassDef))]
        for node in (n for body in bodies for n in body):
            function = isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef)) and node.name in FUNCTIONS
            a_class = isinstance(node, ast.ClassDef) and node.name in CLASSES
            tag = function and any("register" in ast.unparse(d) for d in node.decorator_list)  # a word of the templates
            if (function or a_class) and not tag:
                wrong.append(f"{path.relative_to(SRC)}:{node.lineno} {node.name}")
    assert wrong == []
