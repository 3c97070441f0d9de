"""Who a request comes from, as far as that is known before a thread looks: only to give turns, never to admit anybody."""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable
from http.cookies import CookieError, SimpleCookie
from typing import Any

from cachetools import LRUCache
from django.conf import settings
from django.http import HttpRequest, HttpResponse

MAX_KNOWN = 10_000


class Senders:
    """Sessions that were seen signed in, and whose they are. An unknown session counts by its address: made-up ones gain nothing."""

    def __init__(self, most: int = MAX_KNOWN) -> None:
        self.lock = threading.Lock()
        self.people = LRUCache[str, int](most)

    def note(self, session: str, person: int) -> None:
        """A session was seen signed in."""
        with self.lock:
            self.people[session] = person

    def of(self, scope: Any) -> Hashable:
        """Person, or address."""
        for name, value in scope["headers"]:
            if name == b"cookie":
                try:
                    found = SimpleCookie(value.decode("latin-1")).get(settings.SESSION_COOKIE_NAME)
                except CookieError:
                    continue
                with self.lock:
                    person = None if found is None else self.people.get(found.value)
                if person is not None:
                    return person
        client = scope.get("client")
        return "" if client is None else str(client[0])


senders = Senders()


class NoteSender:
    """Middleware: notes who a session belongs to."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """After the answer, from what was looked up for it anyway."""
        reply = self.get_response(request)
        looked_up = getattr(request, "_cached_user", None)
        if looked_up is not None and looked_up.is_authenticated and request.session.session_key:
            senders.note(request.session.session_key, looked_up.pk)
        return reply
