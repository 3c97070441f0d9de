"""Answers at the address before the application does: a page that says how far the start has come."""

from __future__ import annotations

import json
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from http import HTTPStatus
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

from ember_launch.progress import Progress

PAGE = (Path(__file__).parent / "waiting.html").read_bytes()
STATE = "/getting-ready.json"


class _Waiting(BaseHTTPRequestHandler):
    """The page at every address, and the state as JSON; both say that the application is not there yet."""

    progress: Progress

    def do_GET(self) -> None:
        if self.path == STATE:
            body, kind = json.dumps(self.progress.state()).encode(), "application/json"
        else:
            body, kind = PAGE, "text/html; charset=utf-8"
        self.send_response(HTTPStatus.OK if self.path == STATE else HTTPStatus.SERVICE_UNAVAILABLE)
        for name, value in (
            ("Content-Type", kind),
            ("Content-Length", str(len(body))),
            ("Cache-Control", "no-store"),
            ("Retry-After", "5"),
            ("Connection", "close"),
        ):
            self.send_header(name, value)
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, *_: object) -> None:
        """Nothing is logged."""


@contextmanager
def waiting_page(port: int, progress: Progress) -> Iterator[None]:
    """Serve the page on loopback while what is inside runs; a port that cannot be had is no reason to stop."""
    server = None
    with suppress(OSError):
        server = ThreadingHTTPServer(("127.0.0.1", port), type("Waiting", (_Waiting,), {"progress": progress}))
        threading.Thread(target=server.serve_forever, args=(0.1,), name="waiting", daemon=True).start()
    try:
        yield
    finally:
        if server is not None:
            server.shutdown()
            server.server_close()
