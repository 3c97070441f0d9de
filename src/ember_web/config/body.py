"""The body of a request, read whole on the event loop before a thread is taken, with limits of size, time and pace.

Whoever sends slowly, or stops, costs a socket and what was sent so far; no thread waits for it. What is shorter than was
announced, or whose sender went away, never reaches a page: half a form is no form.
"""

from __future__ import annotations

import asyncio
from dataclasses import dataclass
from typing import Any

MAX_BODY_BYTES = 2_500_000
MAX_BODY_S = 60.0
MAX_SILENCE_S = 10.0
GRACE_S = 10.0  # before the pace is looked at
MIN_PACE_BYTES_S = 2_000.0
SMALL_BYTES = 65_536  # a mark, a form, a batch of readings; what is larger is counted against what all may hold
MAX_HELD_BYTES = 64_000_000


class ClientGone(Exception):
    """The sender closed the connection before the body was whole; there is nobody to answer."""


@dataclass
class BodyRefused(Exception):
    """A body that is not read to its end: the status and what to say."""

    status: int
    reason: str


def announced_bytes(headers: list[tuple[bytes, bytes]]) -> int | None:
    """Content-Length, None where it is not stated.

    Raises
    ------
    BodyRefused
        400 where it is no number, or stated twice with different values.
    """
    stated = {value.strip() for name, value in headers if name == b"content-length"}
    if not stated:
        return None
    if len(stated) > 1 or not (text := stated.pop()).isdigit() or len(text) > 18:
        raise BodyRefused(400, "The length of the request could not be read; send it again.")
    return int(text)


class BodyReader:
    """Reads bodies of a process and bounds what those that are under way may hold together."""

    def __init__(
        self,
        *,
        max_bytes: int = MAX_BODY_BYTES,
        max_s: float = MAX_BODY_S,
        max_silence_s: float = MAX_SILENCE_S,
        grace_s: float = GRACE_S,
        max_held: int = MAX_HELD_BYTES,
    ) -> None:
        self.max_bytes, self.max_s, self.max_silence_s, self.grace_s = max_bytes, max_s, max_silence_s, grace_s
        self.max_held = max_held
        self.held = 0

    async def read(self, scope: Any, receive: Any) -> bytes:
        """The whole body.

        Raises
        ------
        ClientGone
            The connection closed first.
        BodyRefused
            Too large (413), too slow (408), shorter or longer than announced (400), or too much is held already (503).
        """
        announced = announced_bytes(scope["headers"])
        if announced is not None and announced > self.max_bytes:
            raise BodyRefused(413, f"At most {self.max_bytes:,} bytes are taken; send less.")
        clock = asyncio.get_running_loop().time
        begun, parts, size, counted = clock(), [], 0, 0
        try:
            while True:
                left = min(self.max_silence_s, begun + self.max_s - clock())
                try:
                    async with asyncio.timeout(max(left, 0.0)):
                        message = await receive()
                except TimeoutError:
                    raise BodyRefused(408, "The request took too long to arrive; send it again.") from None
                if message["type"] == "http.disconnect":
                    raise ClientGone
                parts.append(message.get("body", b""))
                size += len(parts[-1])
                if size > self.max_bytes:
                    raise BodyRefused(413, f"At most {self.max_bytes:,} bytes are taken; send less.")
                if size > SMALL_BYTES:
                    self.held += size - counted
                    counted = size
                    if self.held > self.max_held:
                        raise BodyRefused(503, "Too much is being sent at once; try again in a moment.")
                if not message.get("more_body", False):
                    break
                elapsed = clock() - begun
                if elapsed > self.grace_s and size < MIN_PACE_BYTES_S * (elapsed - self.grace_s):
                    raise BodyRefused(408, "The request arrived too slowly; send it again.")
        finally:
            self.held -= counted
        if announced is not None and size != announced:
            raise BodyRefused(400, "The request is not whole; nothing was saved. Send it again.")
        return b"".join(parts)


def replay(body: bytes, receive: Any) -> Any:
    """A ``receive`` that hands out a body that has been read, then what comes after it."""
    sent = False

    async def again() -> Any:
        nonlocal sent
        if not sent:
            sent = True
            return {"type": "http.request", "body": body, "more_body": False}
        return await receive()

    return again
