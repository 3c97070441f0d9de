"""How static files are named when the application serves them."""

from __future__ import annotations

from whitenoise.storage import CompressedManifestStaticFilesStorage


class ModulesToo(CompressedManifestStaticFilesStorage):  # type: ignore[misc]  # it carries no types
    """Names carry a hash of the content, in what scripts import as well; browsers may keep them for ever."""

    support_js_module_import_aggregation = True
