"""What caches may keep of an answer."""

from __future__ import annotations

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse

STATIC = "/static/"


class PrivatePages:
    """Middleware: what says nothing itself belongs to one person and is asked for anew each time.

    Not ``no-store``: a browser's way back would then empty the form that could not be saved.
    """

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Add the header."""
        reply = self.get_response(request)
        if not request.path.startswith(STATIC) and "Cache-Control" not in reply:
            reply["Cache-Control"] = "private, no-cache"
        return reply
