"""Who may see and do what: every kitchen view passes through here."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import wraps
from importlib import import_module
from typing import Any

from django.conf import settings
from django.contrib.auth import HASH_SESSION_KEY, SESSION_KEY
from django.contrib.auth.views import redirect_to_login
from django.core.exceptions import PermissionDenied
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.utils import timezone
from django.utils.crypto import constant_time_compare
from django.utils.translation import gettext as _

from ember_web.tenancy.models import Kitchen, Membership
from ember_web.tenancy.voice import voice_of


def address_of(request: HttpRequest) -> str:
    """Where a request comes from, for the sign-in throttle; headers that a client can write are not asked."""
    return str(request.META.get("REMOTE_ADDR", ""))


RANK = {"viewer": 0, "cook": 1, "chef": 2}


class KitchenRequest(HttpRequest):
    """A request whose kitchen and role are known."""

    kitchen: Kitchen
    role: str


def has_rank(request: Any, least: str) -> bool:
    """Whether the person of a request that was let into a kitchen may do what needs a role."""
    return RANK[request.role] >= RANK[least]


def attach(request: Any, slug: str, least: str) -> None:
    """Find the kitchen and the person's role; a stranger learns nothing, not even that it exists."""
    membership = Membership.objects.select_related("kitchen").filter(user=request.user, kitchen__public_id=slug).first()
    if membership is None:
        raise Http404
    request.kitchen, request.role = membership.kitchen, membership.role
    if not has_rank(request, least):
        raise PermissionDenied


def in_kitchen(
    read: str = "viewer", write: str = "cook", *, answers_json: bool = False
) -> Callable[[Callable[..., HttpResponse]], Callable[..., HttpResponse]]:
    """Admit members: ``read`` is the least role for GET, ``write`` for everything else.

    Who is not signed in is sent to the sign-in page; a script (``answers_json``) hears 401 with the reason instead.
    """

    def wrap(view: Callable[..., HttpResponse]) -> Callable[..., HttpResponse]:
        @wraps(view)
        def inner(request: HttpRequest, kitchen: str, *args: Any, **kwargs: Any) -> HttpResponse:
            if not request.user.is_authenticated:
                if answers_json:
                    error = {"code": "signed-out", "message": _("Signed out; sign in to go on."), "path": ""}
                    return JsonResponse({"error": error}, status=401)
                return redirect_to_login(request.get_full_path())
            attach(request, kitchen, read if request.method in {"GET", "HEAD", "OPTIONS"} else write)
            with voice_of(request.user).speaking():
                return view(request, *args, **kwargs)

        return inner

    return wrap


def still_admitted(slug: str, asked: Iterable[tuple[int, str]]) -> set[tuple[int, str]]:
    """Which of some people, each with their session's key, are still signed in and members of a kitchen.

    A new password ends the sessions that were opened with the old one, as it does for pages.
    """
    wanted = set(asked)
    rows = Membership.objects.select_related("user").filter(
        kitchen__public_id=slug, user_id__in={person for person, _key in wanted}
    )
    people = {m.user_id: m.user for m in rows if m.user.is_active}
    store = import_module(settings.SESSION_ENGINE).SessionStore
    found = set()
    for row in store.get_model_class().objects.filter(
        session_key__in={key for _person, key in wanted}, expire_date__gt=timezone.now()
    ):
        data = row.get_decoded()
        for person, key in wanted:
            user = people.get(person) if key == row.session_key else None
            if user is None or data.get(SESSION_KEY) != str(person):
                continue
            if constant_time_compare(data.get(HASH_SESSION_KEY, ""), user.get_session_auth_hash()):
                found.add((person, key))
    return found
