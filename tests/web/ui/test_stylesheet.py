"""The shipped part of the vendored stylesheet: what the pages use, and no less."""

from __future__ import annotations

import re

import pytest
import tinycss2
from tools.stylesheet import (
    CLASS,
    USED,
    WHOLE,
    own_styles,
    selectors,
    used_part,
    without_unused_properties,
    words,
)

SHIPPED = USED.read_text(encoding="utf-8")


def test_the_shipped_file_is_what_the_pages_use_now():
    """A class that came new to a template: ``python -m tools.stylesheet`` writes it anew."""
    assert used_part() == SHIPPED


def test_it_is_well_formed_and_every_property_that_is_asked_for_is_there():
    rules = tinycss2.parse_stylesheet(SHIPPED, skip_comments=True, skip_whitespace=True)
    assert not [r.message for r in rules if r.type == "error"]
    whole = WHOLE.read_text(encoding="utf-8")
    for name in re.findall(r"var\((--bs-[\w-]+)\)", SHIPPED + own_styles()):  # of one with a fallback it is enough
        if re.search(rf"[{{;]{name}:", whole):
            assert re.search(rf"[{{;]{name}:", SHIPPED), name


def test_no_rule_of_a_class_in_use_is_lost():
    """Of every class that stands in a template each selector of the whole, with no other class, is in the part."""
    used = words()

    def all_of(text):
        found = set()
        for rule in tinycss2.parse_rule_list(text, skip_comments=True, skip_whitespace=True):
            if rule.type == "qualified-rule" and tinycss2.serialize(rule.content).strip():
                found.update(selectors(rule.prelude))
        return found

    lost = {
        s
        for s in all_of(WHOLE.read_text(encoding="utf-8")) - all_of(SHIPPED)
        if all(c in used for c in CLASS.findall(s))
    }
    assert {s for s in lost if not s.startswith("@")} <= {":root"}


@pytest.mark.parametrize(
    ("text", "others", "kept"),
    [
        ("a{--bs-x:1;color:var(--bs-x)}", "", "a{--bs-x:1;color:var(--bs-x)}"), ("a{--bs-x:1;color:red}", "", "a{color:red}"),
        ("a{--bs-x:var(--bs-y);--bs-y:2}", "", ""), ("a{--bs-x:1}", "b{color:var(--bs-x)}", "a{--bs-x:1}"),
        ("@keyframes turn{to{top:0}}a{color:red}", "", "a{color:red}"), ("@keyframes turn{to{top:0}}a{animation:turn 1s}", "", "@keyframes turn{to{top:0}}a{animation:turn 1s}"),
    ],
)  # fmt: skip
def test_what_nothing_asks_for_goes(text, others, kept):
    assert without_unused_properties(text, others) == kept
