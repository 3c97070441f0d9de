"""PDFs are made in a process of their own: setting type is slow, plain Python, and would hold up every page and board."""

from __future__ import annotations

import threading
from collections.abc import Sequence
from concurrent.futures import CancelledError, Executor
from concurrent.futures import TimeoutError as Late
from concurrent.futures.process import BrokenProcessPool
from typing import Any

from ember_core.wording.message import N_, say
from ember_web.jobs.waiting import Busy
from ember_web.jobs.workers import Worker

PATIENCE_S = 20.0
MOST_WAITING = 6


def load() -> None:
    """In the new process: load what sets type."""
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
    """The process that prints, and the few who may wait for it."""

    def __init__(self) -> None:
        self.worker = Worker("printing", load)
        self.places = threading.Semaphore(MOST_WAITING)

    def start(self) -> Executor:
        """Begin its process before it is needed."""
        return self.worker.start()

    def pdf(self, html: str, styles: Sequence[str], font: str) -> bytes:
        """See :func:`make_pdf`.

        Raises
        ------
        Busy
            Too many wait, it takes too long, or its process ends each time.
        """
        if not self.places.acquire(blocking=False):
            raise Busy(say("Too much is being printed at once. Try again in a moment."))
        pool = self.start()
        try:
            return self.worker.submit(make_pdf, html, styles, font).result(PATIENCE_S)
        except BrokenProcessPool:
            broken = say("Printing broke off twice. Choose fewer plans, or try again in a moment.")
            raise Busy(broken) from None
        except (Late, CancelledError):  # too long itself, or behind one that was
            self.worker.drop(pool)
            words = N_("Printing took longer than {limit_s:.0f} s. Choose fewer plans, or try again in a moment.")
            raise Busy(say(words, limit_s=PATIENCE_S)) from None
        finally:
            self.places.release()


press = Press()
