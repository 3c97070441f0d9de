"""Error pages that say what to do."""

from __future__ import annotations

import sys

from django.db import IntegrityError, InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.template.loader import render_to_string
from django.utils.translation import gettext as _

from ember_web.jobs.waiting import Busy
from ember_web.tenancy.voice import current

RETRY_S = 5
NOTICE = "#notice"  # where a page shows what became of a fragment it asked for


def _page(request: HttpRequest, status: int, title: str, advice: str) -> HttpResponse:
    return render(request, "ui/error.html", {"title": title, "advice": advice}, status=status)


def bad_request(request: HttpRequest, exception: Exception) -> HttpResponse:
    """400."""
    return _page(
        request,
        400,
        _("That request could not be read"),
        _("It may be too large. Go back, shorten it and send it again."),
    )


def forbidden(request: HttpRequest, exception: Exception) -> HttpResponse:
    """403."""
    return _page(
        request,
        403,
        _("Your role does not allow this"),
        _("Ask a chef of the kitchen to do it or to change your role."),
    )


def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:
    """404."""
    return _page(
        request, 404, _("Nothing here"), _("The address is wrong, or it belongs to a kitchen you are not a member of.")
    )


def server_error(request: HttpRequest) -> HttpResponse:
    """What no view foresaw, without the database: 503 while it is away or too busy, 409 for what two did at once, else 500."""
    error = sys.exc_info()[1]
    entered = request.method not in {"GET", "HEAD"}
    again = (
        _("It was not saved. Go back: what you entered is still in the form. Send it again in a moment.")
        if entered
        else _("This page tries again by itself.")
    )
    if isinstance(error, OperationalError | InterfaceError):
        return _plain(request, 503, "database", _("The database does not answer"), again, retry=not entered)
    if isinstance(error, Busy):
        return _plain(request, 503, "busy", current().say(error.message), again, retry=not entered)
    if isinstance(error, IntegrityError):
        advice = _("Look at what is stored now, then send yours again if it is still wanted.")
        return _plain(request, 409, "at-once", _("The same was sent twice at once, or changed meanwhile"), advice)
    return _plain(
        request, 500, "failed", _("Something broke"), _("What you entered was not saved. Go back and try again.")
    )


def _plain(
    request: HttpRequest, status: int, code: str, title: str, advice: str, *, retry: bool = False
) -> HttpResponse:
    """An answer that asks nothing of the database: JSON for scripts, a notice for a fragment, else a page."""
    reply: HttpResponse
    if request.path.startswith("/api/") or "application/json" in request.headers.get("Accept", ""):
        reply = JsonResponse({"error": {"code": code, "message": f"{title}. {advice}", "path": ""}}, status=status)
    elif request.headers.get("HX-Request") == "true":
        reply = HttpResponse(f"{title}. {advice}", status=status, content_type="text/plain; charset=utf-8")
        reply["HX-Retarget"], reply["HX-Reswap"] = NOTICE, "textContent"
    else:
        context = {"title": title, "advice": advice, "retry_s": RETRY_S if retry else 0}
        reply = HttpResponse(render_to_string("ui/unable.html", context), status=status)
    if status == 503:
        reply["Retry-After"] = str(RETRY_S)
    reply["Cache-Control"] = "no-store"
    return reply
