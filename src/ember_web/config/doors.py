"""Where a request goes: a page to the threads, a stream to the event loop, and how many may wait."""

from __future__ import annotations

from typing import Any

AT_ONCE = 8
MOST_WAITING = 400
BUSY = b"Too much is asked at once; try again in a moment.\n"
STREAM, ALIVE = "/line/stream/", "/healthz"


async def say(send: Any, status: int, body: bytes, *headers: tuple[bytes, bytes]) -> None:
    """A short plain answer."""
    start = {"type": "http.response.start", "status": status, "headers": [(b"content-type", b"text/plain"), *headers]}
    await send(start)
    await send({"type": "http.response.body", "body": body})


class Doors:
    """Sends streams and pages their ways; when too many pages wait, answers 503 at once."""

    def __init__(self, pages: Any, streams: Any, most: int = AT_ONCE + MOST_WAITING) -> None:
        self.pages, self.streams = pages, streams
        self.most = most
        self.inside = 0

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        """Answer one request."""
        if scope["type"] != "http" or scope["path"].endswith(STREAM):
            await self.streams(scope, receive, send)
            return
        if scope["path"] == ALIVE:  # also when every thread is taken
            await say(send, 200, b"ok\n")
            return
        if self.inside >= self.most:
            await say(send, 503, BUSY, (b"retry-after", b"2"))
            return
        self.inside += 1
        try:
            await self.pages(scope, receive, send)
        finally:
            self.inside -= 1
