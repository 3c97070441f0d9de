"""Reads the package's own data files and fingerprints them."""

from __future__ import annotations

import hashlib
import tomllib
from functools import lru_cache
from importlib.resources import files
from typing import Any


@lru_cache(maxsize=64)
def read_text(name: str) -> str:
    """Text of the data file ``name``."""
    return (files("ember_core.data") / name).read_text(encoding="utf-8")


@lru_cache(maxsize=64)
def read_toml(name: str) -> dict[str, Any]:
    """Parsed TOML data file ``name``."""
    return tomllib.loads(read_text(name))


@lru_cache(maxsize=1)
def data_version() -> str:
    """First 12 hex digits of a SHA-256 over all data files, so that a record can name its data."""
    digest = hashlib.sha256()
    for entry in sorted(files("ember_core.data").iterdir(), key=lambda e: e.name):
        if entry.name.endswith((".toml", ".csv")):
            digest.update(entry.name.encode() + b"\0" + entry.read_bytes())
    return digest.hexdigest()[:12]
