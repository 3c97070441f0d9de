"""Actions as a member does them, for tests."""

from __future__ import annotations

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
