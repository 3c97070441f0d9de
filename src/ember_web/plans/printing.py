"""PDFs are made in a process of their own: setting type is slow, plain Python, and would hold up every page and board."""

from __future__ import annotations

import logging
import os
import threading
import time
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures import TimeoutError as Late
from concurrent.futures.process import BrokenProcessPool
from multiprocessing import get_context
from typing import Any

from ember_core.wording.message import N_, say
from ember_web.jobs.waiting import Busy

log = logging.getLogger(__name__)
PATIENCE_S = 20.0
MOST_WAITING = 6
ATTEMPTS = 2
NICE = 10  # boards come first
LOOK_S = 2.0


def _begin() -> None:
    """In the new process: give way to others, load what sets type, and end with the server however that ends."""
    os.nice(NICE)
    parent = os.getppid()

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(LOOK_S)
        os._exit(0)

    threading.Thread(target=watch, daemon=True).start()
    import weasyprint  # noqa: F401 - half a second, once


def make_pdf(html: str, styles: Sequence[str], font: str) -> bytes:
    """A page as PDF; in the process that prints.

    Parameters
    ----------
    html : str
        With its pictures in it.
    styles : sequence of str
        Style sheets, later ones over earlier ones.
    font : str
        Address of the one file on the disk that may be read.
    """
    from weasyprint import CSS, HTML
    from weasyprint.text.fonts import FontConfiguration
    from weasyprint.urls import URLFetcher

    class ShippedOnly(URLFetcher):  # type: ignore[misc]  # the library has no types
        """Pictures stand in the page itself, and one font on the disk; nothing else is fetched."""

        def fetch(self, url: str, headers: Any = None) -> Any:
            """One of those, or an error."""
            if not url.startswith("data:") and url != font:
                raise ValueError(url)
            return super().fetch(url, headers)

    fetcher, fonts = ShippedOnly(allowed_protocols=["data", "file"]), FontConfiguration()
    sheets = [CSS(string=s, url_fetcher=fetcher, font_config=fonts) for s in styles]
    made: bytes = HTML(string=html, url_fetcher=fetcher, base_url=font).write_pdf(stylesheets=sheets, font_config=fonts)
    return made


class Press:
    """The process that prints, started when it is first needed and again when it has ended."""

    def __init__(self) -> None:
        self.lock = threading.Lock()
        self.pool: ProcessPoolExecutor | None = None
        self.places = threading.Semaphore(MOST_WAITING)

    def start(self) -> ProcessPoolExecutor:
        """The pool; its process is begun at once."""
        with self.lock:
            if self.pool is None:
                self.pool = ProcessPoolExecutor(1, mp_context=get_context("spawn"), initializer=_begin)
                self.pool.submit(int)
            return self.pool

    def _drop(self, pool: ProcessPoolExecutor) -> None:
        with self.lock:
            if self.pool is pool:
                self.pool = None
        pool.shutdown(wait=False, cancel_futures=True)

    def pdf(self, html: str, styles: Sequence[str], font: str) -> bytes:
        """See :func:`make_pdf`.

        Raises
        ------
        Busy
            Too many wait, or it takes too long.
        """
        if not self.places.acquire(blocking=False):
            raise Busy(say("Too much is being printed at once. Try again in a moment."))
        try:
            for attempt in range(1, ATTEMPTS + 1):
                pool = self.start()
                try:
                    return pool.submit(make_pdf, html, styles, font).result(PATIENCE_S)
                except BrokenProcessPool:
                    log.warning("the printing process ended; starting it again")
                    self._drop(pool)
                    if attempt == ATTEMPTS:
                        broken = say("Printing broke off twice. Choose fewer plans, or try again in a moment.")
                        raise Busy(broken) from None
                except Late:
                    self._drop(pool)
                    words = N_(
                        "Printing took longer than {limit_s:.0f} s. Choose fewer plans, or try again in a moment."
                    )
                    raise Busy(say(words, limit_s=PATIENCE_S)) from None
            raise AssertionError
        finally:
            self.places.release()


press = Press()
