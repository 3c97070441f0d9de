"""People of a kitchen: passwords, links, removal, locks, names that look alike, the trail; by page, and what holds at once."""

from __future__ import annotations

import re
from datetime import timedelta

import pytest
from axes.models import AccessAttempt
from django.test import Client
from django.utils import timezone

from ember_web.kitchens.models import PasswordLink
from ember_web.kitchens.names import look_of
from ember_web.tenancy.models import Kitchen, Membership, Trail, User

pytestmark = pytest.mark.django_db
PAGE = "/k/hut/kitchen/"
GOOD = "seared-on-both-faces"


def signs_in(name, password):
    """Whether these open the door."""
    return User.objects.get(username=name).check_password(password)


def link_for(chef, name):
    """The address that the chef is shown."""
    page = chef.post(f"{PAGE}person/", {"username": name, "do": "link"}, follow=True).content.decode()
    return re.search(r"/password/[\w-]+/", page).group()


def test_a_password_for_somebody_who_has_one_is_not_dropped(kitchen, as_):
    """The form that says Saved has done what it was asked; else it says what to do, and nothing changes."""
    reply = as_("chef").post(f"{PAGE}people/", {"username": "cook", "role": "cook", "password": GOOD})
    assert reply.status_code == 422
    assert "password stays as it is" in reply.content.decode()
    assert signs_in("cook", "x")
    assert as_("chef").post(f"{PAGE}people/", {"username": "cook", "role": "viewer"}).status_code == 302
    assert Membership.objects.get(user__username="cook").role == "viewer"


def test_one_changes_ones_own_password(kitchen, as_):
    """The old one is asked for; this device stays, another is out at once; wrong and weak ones change nothing."""
    here, there = as_("cook"), as_("cook")
    sent = {"old": "x", "new": GOOD, "again": GOOD}
    for change, says in (
        ({"old": "wrong"}, "not your current password"),
        ({"again": GOOD + "!"}, "two new passwords differ"),
        ({"new": "123", "again": "123"}, "too short"),
        ({"new": "12345678", "again": "12345678"}, "numeric"),
    ):
        reply = here.post("/k/hut/preferences/password/", sent | change)
        assert reply.status_code == 422
        assert says in reply.content.decode()
        assert signs_in("cook", "x")
    assert here.post("/k/hut/preferences/password/", sent).status_code == 302
    assert signs_in("cook", GOOD)
    assert here.get("/k/hut/line/state/").status_code == 200
    assert there.get("/k/hut/line/state/").status_code == 401
    assert Trail.objects.filter(action="change_password", actor__username="cook").count() == 1


def test_a_link_to_a_new_password_works_once(kitchen, as_):
    """Until it is used nothing changes; then the old password and every session end, and a lock opens."""
    chef, cook, anybody = as_("chef"), as_("cook"), Client()
    first, link = link_for(chef, "cook"), link_for(chef, "cook")
    assert anybody.get(first).status_code == 410  # the newer one ended it
    AccessAttempt.objects.create(
        username="cook", ip_address="10.0.0.1", failures_since_start=9, get_data="", post_data=""
    )
    assert "locked" in chef.get(PAGE).content.decode()
    assert "New password for cook" in anybody.get(link).content.decode()
    assert anybody.post(link, {"new": "short", "again": "short"}).status_code == 422
    assert cook.get(PAGE).status_code == 200
    assert anybody.post(link, {"new": GOOD, "again": GOOD}).status_code == 302
    assert signs_in("cook", GOOD)
    assert cook.get(PAGE).status_code == 302
    assert not AccessAttempt.objects.exists()
    assert anybody.post(link, {"new": GOOD + "2", "again": GOOD + "2"}).status_code == 410
    assert signs_in("cook", GOOD)
    assert PasswordLink.objects.exclude(digest="").get().used_at
    assert link.split("/")[2] not in str(list(Trail.objects.values_list("subject", flat=True)))


def test_a_link_ends_after_a_day(kitchen, as_):
    """And one that never was is the same."""
    link = link_for(as_("chef"), "cook")
    PasswordLink.objects.update(expires_at=timezone.now() - timedelta(seconds=1))
    assert Client().get(link).status_code == Client().get("/password/made-up/").status_code == 410


def test_who_works_elsewhere_too_is_not_handed_over(kitchen, stranger, as_):
    """A chef who admits somebody of another kitchen cannot make themselves their password."""
    chef = as_("chef")
    assert chef.post(f"{PAGE}people/", {"username": "stranger", "role": "viewer"}).status_code == 302
    reply = chef.post(f"{PAGE}person/", {"username": "stranger", "do": "link"})
    assert reply.status_code == 422
    assert "at the machine" in reply.content.decode()
    assert not PasswordLink.objects.exists()


def test_a_removed_member_is_out_at_once_and_stays_in_the_trail(kitchen, as_):
    """From the next request; oneself and the last chef stay; the name is still told."""
    chef, cook = as_("chef"), as_("cook")
    assert cook.post("/k/hut/plan/save/", {"cut": "bavette", "size_mm": "28"}).status_code == 302
    assert chef.post(f"{PAGE}person/", {"username": "cook", "do": "remove"}).status_code == 302
    assert cook.get("/k/hut/line/state/").status_code == 404
    assert "cook" in chef.get(f"{PAGE}trail/", {"who": "cook"}).content.decode()
    assert "saved a plan" in chef.get(f"{PAGE}trail/", {"who": "cook"}).content.decode()
    for name, do, says in (
        ("chef", "remove", "cannot remove yourself"),
        ("nobody", "remove", "no &#x27;nobody&#x27;"),
        ("viewer", "promote", "Choose what to do"),
    ):
        reply = chef.post(f"{PAGE}person/", {"username": name, "do": do})
        assert reply.status_code == 422
        assert says in reply.content.decode()


def test_the_last_chef_stays_a_chef(kitchen, as_):
    """Another chef may go, the last one not, however it is asked."""
    chef = as_("chef")
    chef.post(f"{PAGE}people/", {"username": "cook", "role": "chef"})
    assert as_("cook").post(f"{PAGE}people/", {"username": "chef", "role": "viewer"}).status_code == 302
    reply = as_("cook").post(f"{PAGE}people/", {"username": "cook", "role": "viewer"})
    assert reply.status_code == 422
    assert Membership.objects.filter(role="chef").count() == 1


@pytest.mark.parametrize(
    "name",
    ["Cook", "c00k", "сооk", "cook.", "çook", "C O O K", "ｃｏｏｋ", "cook\u200b", "cооk", "ϲοοk", "СООК", "ꮯook"],
)
def test_names_that_look_alike_are_refused_in_one_kitchen(kitchen, as_, name):
    """Case, digits, other scripts' letters, accents, marks: whoever reads the trail could not tell them apart."""
    assert look_of(name) == look_of("cook")
    reply = as_("chef").post(f"{PAGE}people/", {"username": name.replace(" ", ""), "role": "cook", "password": GOOD})
    assert reply.status_code == 422
    assert User.objects.count() == 3


@pytest.mark.parametrize("name", ["cook2", "cooky", "Larder", "Zoë", "шеф", "李", "cook 3", "cook 5"])
def test_other_names_are_not(kitchen, as_, name):
    """Those a reader tells apart, in any script."""
    reply = as_("chef").post(f"{PAGE}people/", {"username": name.replace(" ", "-"), "role": "cook", "password": GOOD})
    assert reply.status_code == 302


def test_a_lock_is_opened_by_a_chef(kitchen, as_, settings):
    """The page says who is locked; a cook may not unlock."""
    settings.AXES_ENABLED = True
    for _ in range(settings.AXES_FAILURE_LIMIT):
        reply = Client().post("/sign-in/", {"username": "viewer", "password": "wrong"})
    assert reply.status_code == 429
    assert "Too many wrong passwords" in reply.content.decode()
    assert Client().post("/sign-in/", {"username": "viewer", "password": "x"}).status_code == 429
    assert "locked by wrong passwords" in as_("chef").get(PAGE).content.decode()
    assert "locked by wrong passwords" not in as_("cook").get(PAGE).content.decode()
    assert as_("cook").post(f"{PAGE}person/", {"username": "viewer", "do": "unlock"}).status_code == 403
    assert as_("chef").post(f"{PAGE}person/", {"username": "viewer", "do": "unlock"}).status_code == 302
    assert Client().post("/sign-in/", {"username": "viewer", "password": "x"}).status_code == 302


def test_another_kitchens_people_are_out_of_reach(kitchen, stranger, as_):
    """By name inside one's own kitchen, either; nothing tells whether they are there."""
    for do in ("link", "unlock", "remove"):
        reply = as_("stranger").post("/k/barn/kitchen/person/", {"username": "cook", "do": do})
        assert reply.status_code == 422
    assert Kitchen.objects.get(public_id="hut").memberships.count() == 3


def test_numbered_names_stand_beside_each_other(kitchen, as_):
    """Ten cooks by number are ten people."""
    for i in range(10):
        reply = as_("chef").post(f"{PAGE}people/", {"username": f"line-{i}", "role": "cook", "password": GOOD})
        assert reply.status_code == 302, i
