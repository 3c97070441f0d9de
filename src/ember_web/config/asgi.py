"""ASGI entry point: requests are let in a few at a time, and the kernels are loaded beside the first ones.

Every request may use a database connection, of which there are not many; so no more than
:data:`AT_ONCE` run together and the others wait their turn. Streams are not counted: they give their
connection back before they begin.
"""

import asyncio
import os
import threading
from typing import Any

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "ember_web.config.settings")

from django.core.asgi import get_asgi_application

from ember_core.warm import warm

AT_ONCE = 24
MOST_WAITING = 400
BUSY = b"Too much is asked at once; try again in a moment.\n"


class Gate:
    """Lets ``at_once`` requests through together; beyond ``most_waiting`` waiting ones it answers 503 at once."""

    def __init__(self, application: Any, at_once: int = AT_ONCE, most_waiting: int = MOST_WAITING) -> None:
        self.application = application
        self.places = asyncio.Semaphore(at_once)
        self.most_waiting = most_waiting
        self.waiting = 0

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        """Answer one request."""
        if scope["type"] != "http" or scope["path"] == "/healthz" or scope["path"].endswith("/line/stream/"):
            await self.application(scope, receive, send)
            return
        if self.waiting >= self.most_waiting:
            headers = [(b"content-type", b"text/plain"), (b"retry-after", b"2")]
            await send({"type": "http.response.start", "status": 503, "headers": headers})
            await send({"type": "http.response.body", "body": BUSY})
            return
        self.waiting += 1
        try:
            await self.places.acquire()
        finally:
            self.waiting -= 1
        try:
            await self.application(scope, receive, send)
        finally:
            self.places.release()


# a cook's marks need no solver: they are taken while it is still loading
threading.Thread(target=warm, name="warm", daemon=True).start()
application = Gate(get_asgi_application())
