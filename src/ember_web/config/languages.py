"""Which languages there are: English, and what lies beside it."""

from __future__ import annotations

from pathlib import Path

from django.conf.locale import LANG_INFO


def languages(folder: Path) -> list[tuple[str, str]]:
    """Codes and own names of the languages with a compiled catalogue in a folder, English first."""
    out = [("en", "English")]
    for catalogue in sorted(folder.glob("*/LC_MESSAGES/django.mo")):
        code = catalogue.parts[-3].replace("_", "-").lower()
        out.append((code, str(LANG_INFO.get(code, {}).get("name_local", code))))
    return out
