"""Writes the tables of keys in ``docs/formats/*.md`` from the published schemas; what stands around the markers is written by hand."""

from __future__ import annotations

import json
import os
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import django

ROOT = Path(__file__).resolve().parents[1]
SCHEMAS = ROOT / "src" / "ember_core" / "formats"
PAGES = ROOT / "docs" / "formats"
BEGIN, END = "<!-- keys: by tools/formats.py -->", "<!-- end of keys -->"
FORMATS = {"plan": "plan-1", "result": "result-1", "cook": "cook-1", "state": "state-1", "book": "book-1"}
UNITS = {
    "_c": "°C", "_s": "s", "_mm": "mm", "_g": "g", "minutes": "min", "_m": "m", "_k": "K", "_kg": "kg", "_w": "W", "_w_k": "W/K",
    "_w_m2k": "W/(m² K)", "litres": "L", "_g_kg": "g/kg", "_min": "min", "_j_m2": "J/m²", "_h": "h",
}  # fmt: skip
MAX_DEPTH = 6


def unit_of(key: str) -> str:
    """The unit that a key's ending says; the longest ending that fits."""
    fits = sorted((e for e in UNITS if key.endswith(e)), key=len)
    return UNITS[fits[-1]] if fits else ""


def type_of(node: dict[str, Any]) -> str:
    """The type of a value in a few words."""
    if "const" in node:
        return f"`{node['const']}`"
    if "enum" in node:
        return " · ".join(f"`{v}`" for v in node["enum"])
    kind = node.get("type", "any")
    return " or ".join(kind) if isinstance(kind, list) else str(kind)


def range_of(node: dict[str, Any]) -> str:
    """What a value may be, in numbers."""
    low, high = node.get("minimum", node.get("exclusiveMinimum")), node.get("maximum", node.get("exclusiveMaximum"))
    if low is None and high is None:
        sizes = [str(node[k]) for k in ("maxItems", "maxLength") if k in node]
        return f"at most {sizes[0]}" if sizes else ""
    above = "above " if "exclusiveMinimum" in node else "from "
    below = " to below " if "exclusiveMaximum" in node else " to "
    return (
        f"{above}{low}{below}{high}"
        if None not in (low, high)
        else f"{above}{low}"
        if low is not None
        else f"up to {high}"
    )


def rows_of(
    node: dict[str, Any], schema: dict[str, Any], path: str = "", depth: int = 0, seen: tuple[str, ...] = ()
) -> Iterator[list[str]]:
    """A row for each key below a node: key, type, unit, range, default, where it is needed, what it is."""
    if depth > MAX_DEPTH:
        return
    needed = set(node.get("required", ()))
    for key, raw in node.get("properties", {}).items():
        at = f"{path}.{key}" if path else key
        child, named = resolved(raw, schema)
        told = child.get("description", "")
        default = json.dumps(child["default"], ensure_ascii=False) if "default" in child else ""
        if named and named in seen:
            yield [f"`{at}`", f"as `{named}` above", "", "", "", "", told]
            continue
        yield [f"`{at}`", type_of(child), unit_of(key), range_of(child), default, "yes" if key in needed else "", told]
        below = seen + ((named,) if named else ())
        yield from rows_of(child, schema, at, depth + 1, below)
        if "items" in child:
            item, item_name = resolved(child["items"], schema)
            if item_name not in below:
                yield from rows_of(item, schema, f"{at}[]", depth + 1, below + ((item_name,) if item_name else ()))
    for choice in (*node.get("oneOf", ()), *node.get("anyOf", ()), *node.get("allOf", ())):
        one, _ = resolved(choice, schema)
        yield from rows_of(one, schema, path, depth + 1, seen)


def resolved(node: dict[str, Any], schema: dict[str, Any]) -> tuple[dict[str, Any], str]:
    """A node with what it refers to, and the name of that."""
    reference = node.get("$ref", "")
    if not reference.startswith("#/$defs/"):
        return node, ""
    name = reference.removeprefix("#/$defs/")
    found, deeper = resolved(schema["$defs"][name], schema)
    return {**found, **{k: v for k, v in node.items() if k != "$ref"}}, deeper or name


def table(name: str) -> str:
    """The table of a format's keys."""
    schema = json.loads((SCHEMAS / f"{FORMATS[name]}.schema.json").read_text(encoding="utf-8"))
    lines = ["| key | type | unit | range | default | needed | what it is |", "|---|---|---|---|---|---|---|"]
    known: set[str] = set()
    for row in rows_of(schema, schema):
        if row[0] not in known:
            known.add(row[0])
            lines.append("| " + " | ".join(c.replace("|", "\\|").replace("\n", " ") for c in row) + " |")
    return "\n".join(lines)


def written(page: str, name: str) -> str:
    """A page with its table renewed."""
    before, _, rest = page.partition(BEGIN)
    _, _, after = rest.partition(END)
    return f"{before}{BEGIN}\n{table(name)}\n{END}{after}"


def openapi() -> str:
    """The description of the API as the application serves it."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "ember_web.config.settings")
    django.setup()
    from ember_web.api.routes import api

    return json.dumps(api.get_openapi_schema(path_prefix="/api/v1/"), indent=1, ensure_ascii=False, default=str) + "\n"


def main() -> None:
    """Renew every page, and the description of the API."""
    for name in FORMATS:
        path = PAGES / f"{name}.md"
        path.write_text(written(path.read_text(encoding="utf-8"), name), encoding="utf-8")
    (PAGES / "openapi.json").write_text(openapi(), encoding="utf-8")


if __name__ == "__main__":
    main()
