"""Kitchens, people and a plan for the web tests."""

from __future__ import annotations

import pytest
from django.test import Client

from ember_core.entry.sentence import Sentence
from ember_web.line import live
from ember_web.line.models import HubToken, Probe
from ember_web.tenancy.models import Kitchen, Membership, User
from tests.web.acting import save_plan, start_cook

TOKEN = "a-token-of-the-hut"


@pytest.fixture(autouse=True)
def boards_without_memory(monkeypatch):
    """Every state is built anew: a test's transaction never commits, so no board would hear of its changes."""
    live.forget_boards()
    monkeypatch.setattr(live, "OLDEST_S", -1.0)


@pytest.fixture
def kitchen(db):
    """A kitchen with one person of each role, a probe and a hub token."""
    hut = Kitchen.objects.create(
        public_id="hut", name="Hut", altitude_m=1850, air_c=24, zone="Europe/Vienna", simulated=True
    )
    for role in ("chef", "cook", "viewer"):
        Membership.objects.create(user=User.objects.create_user(role, password="x"), kitchen=hut, role=role)
    Probe.objects.create(kitchen=hut, name="p1")
    HubToken.objects.create(kitchen=hut, name="hub", digest=HubToken.digest_of(TOKEN))
    return hut


@pytest.fixture
def stranger(db):
    """A chef of another kitchen, with a hub of its own."""
    barn = Kitchen.objects.create(public_id="barn", name="Barn")
    user = User.objects.create_user("stranger", password="x")
    Membership.objects.create(user=user, kitchen=barn, role="chef")
    HubToken.objects.create(kitchen=barn, name="hub", digest=HubToken.digest_of("barn-token"))
    return user


@pytest.fixture
def as_(kitchen):
    """A client signed in by name; None for nobody."""

    def sign_in(name):
        client = Client(raise_request_exception=True)
        if name:
            client.force_login(User.objects.get(username=name), backend="django.contrib.auth.backends.ModelBackend")
        return client

    return sign_in


@pytest.fixture
def plan(kitchen):
    """A saved plan."""
    return save_plan(
        kitchen, User.objects.get(username="chef"), Sentence.for_cut("bavette", altitude_m=1850.0).document()
    )


@pytest.fixture
def cook(kitchen, plan):
    """A running cook with a probe."""
    return start_cook(kitchen, User.objects.get(username="cook"), plan, station="Grill", probe=Probe.objects.get())
