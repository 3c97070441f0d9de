"""People: who works in a kitchen, their roles and passwords, and the trail of what was changed."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.contrib.auth import update_session_auth_hash
from django.core.exceptions import ValidationError
from django.core.paginator import Paginator
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils.translation import gettext as _
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from ember_core.errors import InputError
from ember_web.kitchens.actions.admit_member import AdmitMember, admit_member
from ember_web.kitchens.actions.change_password import ChangePassword, change_password
from ember_web.kitchens.actions.issue_password_link import issue_password_link
from ember_web.kitchens.actions.remove_member import remove_member
from ember_web.kitchens.actions.unlock_member import unlock_member
from ember_web.kitchens.actions.use_password_link import UsePasswordLink, use_password_link
from ember_web.kitchens.kitchen_page import error_words, refused, text_of
from ember_web.kitchens.models import PasswordLink
from ember_web.kitchens.trail_words import ACTION_WORDS
from ember_web.kitchens.views import preferences_page
from ember_web.tenancy.access import KitchenRequest, in_kitchen
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.models import Membership, Trail
from ember_web.tenancy.voice import tell, voice_of

TRAIL_PAGE = 50


@in_kitchen(write="chef")
@require_POST
def people(request: KitchenRequest) -> HttpResponse:
    """Admit a person, or change a role."""
    name, role = text_of(request, "username"), text_of(request, "role")
    try:
        if role not in Membership.Role.values:
            raise InputError(tell("Role: choose one from the list."), path="role")
        if name == request.user.get_username() and role != "chef":
            raise InputError(tell("You cannot take the chef's role from yourself."), path="role")
        admit_member(Actor.of_request(request), AdmitMember(name, role, request.POST.get("password", "")))
    except (InputError, ValidationError) as error:
        return refused(request, "people", error)
    messages.success(request, tell("Saved: {name}", name=name))
    return redirect("kitchen-page", kitchen=request.kitchen.public_id)


@in_kitchen(write="chef")
@require_POST
def person(request: KitchenRequest) -> HttpResponse:
    """A link to a new password, an unlock, or the end of a membership."""
    name, actor = text_of(request, "username"), Actor.of_request(request)
    try:
        match request.POST.get("do"):
            case "link":
                token = issue_password_link(actor, name)
                link = request.build_absolute_uri(reverse("password-link", args=[token]))
                words = tell(
                    "For {name}, shown this once, good for 24 hours: {link}. Until it is used, their old password stays.",
                    name=name, link=link,
                )  # fmt: skip
            case "unlock":
                unlock_member(actor, name)
                words = tell("{name} can sign in again.", name=name)
            case "remove":
                remove_member(actor, name)
                words = tell("Removed: {name}. What they did keeps their name.", name=name)
            case _:
                raise InputError(tell("Choose what to do."), path="do")
    except InputError as error:
        return refused(request, "people", error)
    messages.success(request, words)
    return redirect("kitchen-page", kitchen=request.kitchen.public_id)


@in_kitchen(write="viewer")
@require_POST
@never_cache
def password(request: KitchenRequest) -> HttpResponse:
    """Change one's own; this device stays signed in, all others do not."""
    try:
        if request.POST.get("new", "") != request.POST.get("again", ""):
            raise InputError(tell("The two new passwords differ."), path="again")
        command = ChangePassword(request.POST.get("old", ""), request.POST.get("new", ""))
        user = change_password(Actor.of_request(request), command)
    except (InputError, ValidationError) as error:
        return preferences_page(request, password_error=error_words(error))
    update_session_auth_hash(request, user)
    messages.success(request, _("Your password is changed. Other devices are signed out."))
    return redirect("preferences", kitchen=request.kitchen.public_id)


@require_http_methods(["GET", "HEAD", "POST"])
@never_cache
def password_link(request: HttpRequest, token: str) -> HttpResponse:
    """Set a new password by a link."""
    link = PasswordLink.objects.select_related("user", "kitchen").filter(digest=PasswordLink.digest_of(token)).first()
    if link is None or not link.is_open:
        return render(request, "kitchens/password_link.html", {"gone": True}, status=410)
    context: dict[str, Any] = {"name": link.user.username}
    with voice_of(link.user).speaking():
        if request.method == "POST":
            try:
                if request.POST.get("new", "") != request.POST.get("again", ""):
                    raise InputError(tell("The two new passwords differ."), path="again")
                actor = Actor.setup(link.kitchen, link.user)
                use_password_link(actor, UsePasswordLink(token, request.POST.get("new", "")))
            except (InputError, ValidationError) as error:
                return render(
                    request, "kitchens/password_link.html", context | {"error": error_words(error)}, status=422
                )
            messages.success(request, _("Your new password is set. Sign in with it."))
            return redirect("sign-in")
        return render(request, "kitchens/password_link.html", context)


@in_kitchen(read="chef", write="chef")
@require_safe
def trail(request: KitchenRequest) -> HttpResponse:
    """Who changed what, newest first; of one person where that is asked."""
    who = request.GET.get("who", "")[:150].replace("\x00", "")
    rows = Trail.objects.filter(kitchen=request.kitchen).select_related("actor")
    if who:
        rows = rows.filter(actor__username=who)
    page = Paginator(rows, TRAIL_PAGE).get_page(request.GET.get("page"))
    names = Trail.objects.filter(kitchen=request.kitchen, actor__isnull=False).order_by("actor__username")
    context = {
        "page": page,
        "rows": [{"row": r, "words": ACTION_WORDS.get(r.action, r.action)} for r in page],
        "who": who,
        "names": list(names.values_list("actor__username", flat=True).distinct()),
    }
    return render(request, "kitchens/trail.html", context)
