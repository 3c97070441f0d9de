"""What is logged of a request that failed."""

from __future__ import annotations

import logging

from django.db import IntegrityError, InterfaceError, OperationalError

from ember_web.jobs.waiting import Busy

FORESEEN = (OperationalError, InterfaceError, IntegrityError, Busy)


class ForeseenInOneLine(logging.Filter):
    """What :func:`ember_web.ui.errors.server_error` has an answer for is one line; a database that is away fills no disk."""

    def filter(self, record: logging.LogRecord) -> bool:
        """Shorten it."""
        error = record.exc_info[1] if record.exc_info else None
        if isinstance(error, FORESEEN):
            record.msg = (
                f"{record.getMessage()} ({type(error).__name__}: {str(error).splitlines()[0] if str(error) else ''})"
            )
            record.args, record.exc_info, record.exc_text = (), None, None
        return True
