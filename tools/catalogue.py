"""The catalogue of words: what is said anywhere, collected from the source; new languages begun, brought up to date, compiled.

    python -m tools.catalogue update fr     # src/ember_web/locale/fr/LC_MESSAGES/*.po, new words empty
    python -m tools.catalogue compile       # the .mo files that the application reads

Collected are the templates of the pages, the first argument of what speaks in Python and in the scripts, and the words of
the data files that are shown as they stand.
"""

from __future__ import annotations

import ast
import csv
import io
import json
import re
import sys
import tomllib
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import django
from babel.messages.catalog import Catalog
from babel.messages.extract import extract_python
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po
from django.conf import settings

SOURCE = Path(__file__).resolve().parents[1] / "src"
LOCALE = SOURCE / "ember_web" / "locale"
SPEAK = {"say", "Message", "tell", "N_", "_", "gettext", "gettext_lazy", "finding", "translate"}
SAID_IN_SCRIPTS = re.compile(r"""(?<![\w.])(?:t|marked)\(\s*("(?:[^"\\]|\\.)*")""")
DOMAINS = ("django", "djangojs")

TABLES = SOURCE / "ember_core" / "data"
TEXTS: dict[str, dict[str, list[str]]] = tomllib.loads((TABLES / "texts.toml").read_text())
"""Of each table, the keys of its texts that are shown, that name sources, and that are codes."""


def _literal(node: ast.expr) -> str | None:
    return node.value if isinstance(node, ast.Constant) and isinstance(node.value, str) else None


def of_python(path: Path) -> Iterator[tuple[int, str]]:
    """Line and text of what a module says."""
    for node in ast.walk(ast.parse(path.read_text())):
        if not (isinstance(node, ast.Call) and node.args):
            continue
        name = node.func.id if isinstance(node.func, ast.Name) else getattr(node.func, "attr", "")
        if name not in SPEAK:
            continue
        first = node.args[0]
        for option in (first.body, first.orelse) if isinstance(first, ast.IfExp) else (first,):
            text = _literal(option)
            if text:
                yield node.lineno, text


def of_template(path: Path) -> Iterator[tuple[int, str]]:
    """Line and text of what a page says."""
    from django.utils.translation.template import templatize

    lines = (line.strip() for line in templatize(path.read_text()).splitlines())  # as code it has no indents
    source = io.BytesIO("\n".join(lines).encode())
    for line, _name, found, _comments in extract_python(source, {"gettext": None, "_": None}, [], {}):
        text = found if isinstance(found, str) else found[0]
        if text:
            yield line, text


def of_script(path: Path) -> Iterator[tuple[int, str]]:
    """Line and text of what a script says: sentences stand in ``t("…")`` or ``marked("…")``, also within a template's braces."""
    source = path.read_text()
    for found in SAID_IN_SCRIPTS.finditer(source):
        yield source.count("\n", 0, found.start()) + 1, json.loads(found[1])


def leaves(node: Any, key: str = "") -> Iterator[tuple[str, str]]:
    """Every text of a table, with the key that it stands under."""
    if isinstance(node, dict):
        for name, value in node.items():
            yield from leaves(value, name)
    elif isinstance(node, list):
        for value in node:
            yield from leaves(value, key)
    elif isinstance(node, str):
        yield key, node


def of_data(path: Path) -> Iterator[str]:
    """What a table holds that is shown; of the forms their names, which are keys."""
    table = tomllib.loads(path.read_text())
    if path.name == "forms.toml":
        yield from table["forms"]
    shown = set(TEXTS[path.name].get("shown", ()))
    yield from (text for key, text in leaves(table) if key in shown)


def collected() -> dict[str, Catalog]:
    """Every text by domain: ``django`` for pages, core and data, ``djangojs`` for the scripts."""
    from ember_web.book.models import PARTS

    out = {name: Catalog(project="Open Ember", charset="utf-8") for name in DOMAINS}
    pages = out["django"]

    def add(catalog: Catalog, path: Path, found: Iterator[tuple[int, str]]) -> None:
        for line, text in found:
            catalog.add(text, locations=[(str(path.relative_to(SOURCE)), line)])

    for path in sorted(SOURCE.rglob("*.py")):
        if "migrations" not in path.parts:
            add(pages, path, of_python(path))
    for path in sorted((SOURCE / "ember_web").rglob("*.html")):
        add(pages, path, of_template(path))
    for path in sorted((SOURCE / "ember_web").rglob("static/*/*.js")):
        if "vendor" not in path.parts:
            add(out["djangojs"], path, of_script(path))
    for name in TEXTS:
        for text in of_data(TABLES / name):
            pages.add(text, locations=[(f"ember_core/data/{name}", 1)])
    rows = csv.DictReader(line for line in (TABLES / "foods.csv").read_text().splitlines() if not line.startswith("#"))
    for row in rows:
        for text in (row["name"], row["species"]):
            pages.add(text, locations=[("ember_core/data/foods.csv", 1)])
    for part in PARTS:
        pages.add(part, locations=[("ember_web/book/models.py", 1)])
    return out


def write(folder: Path, language: str, translate: Callable[[str], str]) -> None:
    """Compiled catalogues of a language whose every text is made by a function; for tests."""
    place = folder / language / "LC_MESSAGES"
    place.mkdir(parents=True, exist_ok=True)
    for domain, found in collected().items():
        made = Catalog(locale="en", charset="utf-8")
        for message in found:
            if message.id:
                made.add(message.id, translate(str(message.id)))
        with (place / f"{domain}.mo").open("wb") as file:
            write_mo(file, made)


def update(language: str) -> None:
    """Begin a language, or bring it up to date: what is no longer said is set aside, what is new is empty."""
    place = LOCALE / language / "LC_MESSAGES"
    place.mkdir(parents=True, exist_ok=True)
    for domain, found in collected().items():
        path = place / f"{domain}.po"
        known = Catalog(locale=language, charset="utf-8")
        if path.exists():
            with path.open("rb") as file:
                known = read_po(file, locale=language)
        known.update(found)
        with path.open("wb") as file:
            write_po(file, known, width=118)
        empty = sum(1 for m in known if m.id and not m.string)
        print(f"{path.relative_to(SOURCE.parent)}: {len(known)} texts, {empty} still in English")


def compile_all() -> None:
    """Make the .mo files of every language."""
    for path in sorted(LOCALE.glob("*/LC_MESSAGES/*.po")):
        with path.open("rb") as file:
            known = read_po(file, locale=path.parts[-3])
        with path.with_suffix(".mo").open("wb") as file:
            write_mo(file, known)
        print(path.with_suffix(".mo").relative_to(SOURCE.parent))


def main(words: list[str]) -> int:
    """Update or compile."""
    match words:
        case ["update", language]:
            update(language)
        case ["compile"]:
            compile_all()
        case _:
            print(__doc__)
            return 2
    return 0


if __name__ == "__main__":
    if not settings.configured:
        import os

        os.environ.setdefault("DJANGO_SETTINGS_MODULE", "ember_web.config.settings")
    django.setup()
    sys.exit(main(sys.argv[1:]))
