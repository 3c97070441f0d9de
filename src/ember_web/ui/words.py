"""The scripts' part of the catalogue, served as a script."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.http import Http404, HttpRequest, HttpResponse
from django.utils import translation
from django.views.i18n import JavaScriptCatalog


class Words(JavaScriptCatalog):
    """What scripts say in one language; English stands in them."""

    packages = ["ember_web.ui"]

    def get(self, request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponse:
        """The catalogue of the language in the address."""
        language = str(kwargs.pop("language"))
        if language not in dict(settings.LANGUAGES):
            raise Http404
        with translation.override(language):
            return super().get(request, *args, **kwargs)
