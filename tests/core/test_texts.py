"""Every text of the data tables is declared: shown to readers, the name of a source, or a code; and what is shown is in the catalogue."""

from __future__ import annotations

import tomllib
from collections import Counter

import pytest
from tools.catalogue import TABLES, TEXTS, leaves

KINDS = ("shown", "sources", "codes")
FILES = sorted(p.name for p in TABLES.glob("*.toml") if p.name != "texts.toml")


def keys_of(name):
    """The keys under which a table has texts."""
    return {key for key, _text in leaves(tomllib.loads((TABLES / name).read_text()))}


@pytest.mark.parametrize("name", FILES)
def test_every_text_is_declared_once(name):
    """A new key is shown, a source or a code, and says which; a key that is gone is not left behind."""
    declared = Counter(key for kind in KINDS for key in TEXTS.get(name, {}).get(kind, ()))
    assert set(declared) == keys_of(name)
    assert set(declared.values()) <= {1}


@pytest.mark.parametrize("name", FILES)
def test_codes_are_codes(name):
    """What is declared a code is a word, an expression or a name in lower case; sentences are shown, or name a source."""
    table = tomllib.loads((TABLES / name).read_text())
    codes = set(TEXTS.get(name, {}).get("codes", ()))
    spoken = [text for key, text in leaves(table) if key in codes and (text.endswith(".") or text.count(" ") > 4)]
    assert spoken == []
