"""Actions as a member does them, for tests."""

from __future__ import annotations

from django.http import QueryDict

from ember_web.line.actions import start_cook as starting
from ember_web.line.actions import take_events as taking
from ember_web.plans.actions import save_plan as saving
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.models import Membership


def member(kitchen, user):
    """The person as an actor, with the role they have."""
    return Actor.person(kitchen, user, Membership.objects.get(kitchen=kitchen, user=user).role)


def save_plan(kitchen, user, document, *, plan=None):
    """Save a document."""
    return saving.save_plan(member(kitchen, user), saving.SavePlan(document, plan.public_id if plan else ""))


def start_cook(kitchen, user, plan, *, station="", probe=None, event_id=None):
    """Start a plan."""
    command = starting.StartCook(plan.public_id, station, probe.name if probe else "", event_id)
    return starting.start_cook(member(kitchen, user), command)


def take_events(kitchen, user, events):
    """Hand in events."""
    return taking.take_events(member(kitchen, user), events)


def all_there(client, kitchen, reply):
    """The set-out check that a start leads to, answered by one tap; returns what the start says."""
    address, _, asked = reply.url.partition("?")
    assert address == f"/k/{kitchen.public_id}/line/set-out/"
    assert client.get(reply.url).status_code == 200
    return client.post(
        f"/k/{kitchen.public_id}/line/start/",
        QueryDict(f"{asked}&all=1").dict() | {"plan": QueryDict(asked).getlist("plan")},
    )
