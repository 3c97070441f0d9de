"""Where a request goes: its body is read first, then it waits for a place in its lane; a stream stays on the event loop.

Marks, readings and the state of a line have threads and database connections of their own, and so have sign-ins, whose
password hashing takes a processor for some tenths of a second. Other pages share theirs, a few for each person.
"""

from __future__ import annotations

import asyncio
import re
from collections.abc import Callable, Hashable
from contextlib import suppress
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from ember_web.config.body import BodyReader, BodyRefused, ClientGone, replay
from ember_web.config.lanes import Lane, LaneFull

BUSY = "Too much is asked at once; try again in a moment."
OWN_BUSY = "You have asked for too much at once; wait until some of it has been answered."
STREAM, ALIVE = "/line/stream/", "/healthz"


class LaneName(StrEnum):
    """The lanes."""

    QUICK = "quick"
    PAGES = "pages"
    SIGN_IN = "sign-in"


LANES: dict[LaneName, Callable[[], Lane]] = {
    LaneName.QUICK: lambda: Lane(places=4, each=3),
    LaneName.PAGES: lambda: Lane(places=4, each=2),
    # one at a time: hashing leaves the other processors to the boards
    LaneName.SIGN_IN: lambda: Lane(places=1, each=1, waiting=200, waiting_each=40),
}
QUICK = re.compile(r"/static/|/words/|/readyz$|/api/v1/|/k/[^/]+/line/(?:state|events|[^/]+/do)/$")
SIGN_IN = re.compile(r"/sign-in/$|/password/|/k/[^/]+/(?:preferences/password|kitchen/people)/$")


def lane_of(method: str, path: str) -> LaneName:
    """The lane of a request."""
    if QUICK.match(path):
        return LaneName.QUICK
    return LaneName.SIGN_IN if method == "POST" and SIGN_IN.match(path) else LaneName.PAGES


async def say(send: Any, status: int, text: str, *headers: tuple[bytes, bytes]) -> None:
    """A short plain answer; after a refusal the connection is closed, for the rest of the request is not read."""
    head = [(b"content-type", b"text/plain; charset=utf-8"), (b"cache-control", b"no-store"), *headers]
    await send({"type": "http.response.start", "status": status, "headers": head})
    await send({"type": "http.response.body", "body": text.encode() + b"\n"})


@dataclass
class Served:
    """A lane and what answers in it."""

    lane: Lane
    pages: Any


class Doors:
    """Sends streams and pages their ways.

    Parameters
    ----------
    pages : function
        Gives the application for a number of threads; called once for each lane.
    streams : application
    sender : function
        Who a request comes from, of its scope.
    body : BodyReader, optional
    """

    def __init__(
        self,
        pages: Callable[[int], Any],
        streams: Any,
        sender: Callable[[Any], Hashable],
        body: BodyReader | None = None,
        lanes: dict[LaneName, Callable[[], Lane]] | None = None,
    ) -> None:
        self.streams, self.sender = streams, sender
        self.body = body or BodyReader()
        made = {name: make() for name, make in (lanes or LANES).items()}
        self.served = {name: Served(lane, pages(lane.places)) for name, lane in made.items()}

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        """Answer one request."""
        if scope["type"] != "http":
            await self.streams(scope, receive, send)
            return
        if scope["path"] == ALIVE:  # also when every thread is taken
            await say(send, 200, "ok")
            return
        try:
            body = await self.body.read(scope, receive)
        except ClientGone:
            return
        except BodyRefused as refused:
            await say(send, refused.status, refused.reason, (b"connection", b"close"))
            return
        if scope["path"].endswith(STREAM):
            await self.streams(scope, replay(body, receive), send)
            return
        await self._in_lane(scope, body, receive, send)

    async def _in_lane(self, scope: Any, body: bytes, receive: Any, send: Any) -> None:
        """Wait for a place; who only wanted to look and went away meanwhile is not answered."""
        served = self.served[lane_of(scope["method"], scope["path"])]
        looks = scope["method"] in {"GET", "HEAD"}
        gone = asyncio.ensure_future(receive()) if looks else None
        try:
            async with served.lane.place(self.sender(scope), gone) as there:
                if there:
                    after = receive if gone is None else (lambda: asyncio.shield(gone))
                    await served.pages(scope, replay(body, after), send)
        except LaneFull as full:
            status, text = (429, OWN_BUSY) if full.own else (503, BUSY)
            await say(send, status, text, (b"retry-after", b"2"))
        finally:
            if gone is not None:
                gone.cancel()
                with suppress(asyncio.CancelledError):
                    await gone
