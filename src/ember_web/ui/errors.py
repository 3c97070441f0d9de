"""Error pages that say what to do."""

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.utils.html import format_html
from django.utils.translation import gettext as _


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
    """500, without the database."""
    return HttpResponse(
        format_html(
            "<h1>{}</h1><p>{}</p>",
            _("Something broke"),
            _("What you entered was not saved. Go back and try again."),
        ),
        status=500,
    )
