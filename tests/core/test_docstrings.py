"""What public functions of the core say of themselves."""

from __future__ import annotations

import ast
from pathlib import Path

import pytest

CORE = Path(__file__).resolve().parents[2] / "src" / "ember_core"
MANY = 5  # arguments: so many are explained one by one


def functions():
    """Every public function and method: its file, name, docstring and number of arguments."""
    for path in sorted(CORE.rglob("*.py")):
        module = ast.parse(path.read_text())
        classes = [n for n in module.body if isinstance(n, ast.ClassDef) and not n.name.startswith("_")]
        for node in [n for holder in (module, *classes) for n in holder.body]:
            if isinstance(node, ast.FunctionDef) and not node.name.startswith("_"):
                names = [a.arg for a in [*node.args.posonlyargs, *node.args.args, *node.args.kwonlyargs]]
                own = [n for n in names if n not in {"self", "cls"}]
                yield str(path.relative_to(CORE)), node.name, ast.get_docstring(node) or "", own


ALL = list(functions())


def test_every_public_function_says_what_it_does():
    """In a sentence at least; functions within others are their own matter."""
    assert [f"{path}: {name}" for path, name, said, _ in ALL if not said] == []


@pytest.mark.parametrize(
    ("path", "name", "said"),
    [(p, n, s) for p, n, s, a in ALL if len(a) >= MANY],
    ids=lambda x: x if len(x) < 40 else "",
)
def test_many_arguments_are_explained(path, name, said):
    """Shapes and units of each, in a section of their own."""
    assert "Parameters\n----------" in said or "Parameters and what is returned are those of" in said
