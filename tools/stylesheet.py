"""The part of Bootstrap's stylesheet that the pages use: ``python -m tools.stylesheet`` writes it anew.

A selector stays when every class of it stands as a word in a template, a script or a view, and a custom property of the root when a
rule that stays, or a stylesheet of ours, asks for it. A test fails while the shipped file is not what this makes.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

import tinycss2

ROOT = Path(__file__).resolve().parents[1]
WEB = ROOT / "src" / "ember_web"
WHOLE = ROOT / "tools" / "vendor" / "bootstrap" / "bootstrap.min.css"
USED = WEB / "ui" / "static" / "vendor" / "bootstrap" / "bootstrap.used.css"
WORD = re.compile(r"[A-Za-z][\w-]*")
CLASS = re.compile(r"\.(-?[_a-zA-Z][\w-]*)")
ASKED = re.compile(r"var\((--[\w-]+)")
PROPERTY = re.compile(r"(?<=[{;])(--bs-[\w-]+):[^;{}]*;?")
ANIMATION = re.compile(r"animation(?:-name)?:([^;}]*)")
FRAMES = re.compile(r"@(?:-webkit-)?keyframes ([\w-]+)\s*\{(?:[^{}]|\{[^{}]*\})*\}")
EMPTY = re.compile(r"[^{}]+\{\}")
KEYFRAMES = {"keyframes", "-webkit-keyframes"}


def words() -> set[str]:
    """Every word of the templates, scripts and views: a class that is none of them is on no page."""
    found: set[str] = set()
    for pattern in ("*.html", "*.js", "*.py"):
        for path in WEB.rglob(pattern):
            if "vendor" not in path.parts:
                found.update(WORD.findall(path.read_text(encoding="utf-8")))
    return found


def own_styles() -> str:
    """Our own stylesheets."""
    return "".join(p.read_text(encoding="utf-8") for p in sorted(WEB.rglob("*.css")) if "vendor" not in p.parts)


def selectors(prelude: Iterable[Any]) -> list[str]:
    """The selectors of a rule, split at the commas that stand outside brackets."""
    out, now = [], ""
    for token in prelude:
        if token.type == "literal" and token.value == ",":
            out.append(now)
            now = ""
        else:
            now += token.serialize()
    return [s.strip() for s in [*out, now] if s.strip()]


def rules_of(text_or_tokens: Any, used: set[str]) -> Iterator[str]:
    """The rules that stay, as text."""
    for rule in tinycss2.parse_rule_list(text_or_tokens, skip_comments=True, skip_whitespace=True):
        if rule.type == "qualified-rule":
            kept = [s for s in selectors(rule.prelude) if all(c in used for c in CLASS.findall(s))]
            if kept:
                yield f"{','.join(kept)}{{{tinycss2.serialize(rule.content)}}}"
        elif rule.type == "at-rule" and rule.content is not None and rule.lower_at_keyword not in KEYFRAMES:
            inner = "".join(rules_of(rule.content, used))
            if inner:
                yield f"@{rule.at_keyword}{tinycss2.serialize(rule.prelude)}{{{inner}}}"
        elif rule.type == "at-rule" and rule.lower_at_keyword != "charset":
            yield rule.serialize()


def _less(text: str, others: str) -> str:
    asked = set(ASKED.findall(text)) | set(ASKED.findall(others))
    text = PROPERTY.sub(lambda m: m[0] if m[1] in asked else "", text)
    animations = " ".join(ANIMATION.findall(text))
    return FRAMES.sub(lambda m: m[0] if m[1] in animations else "", text)


def without_unused_properties(text: str, others: str) -> str:
    """Without the custom properties that nothing asks for, here or in other stylesheets, and without animations that nothing names."""
    while (less := _less(text, others)) != text:
        text = less
    return EMPTY.sub("", text)


def used_part() -> str:
    """The stylesheet as it is shipped."""
    whole = WHOLE.read_text(encoding="utf-8")
    licence = whole[: whole.index("*/") + 2]
    body = "".join(rules_of(whole, words()))
    return f"{licence}\n{without_unused_properties(body, own_styles())}\n"


if __name__ == "__main__":
    USED.write_text(used_part(), encoding="utf-8")
    print(f"{USED.relative_to(ROOT)}: {USED.stat().st_size} of {WHOLE.stat().st_size} bytes")
