"""What an action is: the one way in which data of a kitchen change.

An action is a function of an :class:`Actor` and a typed command, in a module of its own in the ``actions`` of an
application. Around it stand the permission, a transaction and the trail; within it the check, the write and the signal.
Pages, the API, commands and the demo call it, and nothing else writes.
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import nullcontext
from dataclasses import dataclass
from functools import wraps
from typing import Any, Concatenate, ParamSpec, TypeVar

from django.db import transaction

from ember_web.tenancy.actor import Actor, Kind, Rank
from ember_web.tenancy.models import Trail

P = ParamSpec("P")
R = TypeVar("R")


@dataclass(frozen=True)
class Rights:
    """Who may do an action: persons from ``least`` on (None: no person), hubs, and always the set-up."""

    least: Rank | None
    hubs: bool = False


ACTIONS: dict[str, Rights] = {}


def action(
    least: Rank | None, *, hubs: bool = False, trail: bool = True, atomic: bool = True
) -> Callable[[Callable[Concatenate[Actor, P], R]], Callable[Concatenate[Actor, P], R]]:
    """Make a function an action.

    Parameters
    ----------
    least : Rank or None
        Rank that a person needs; None when no person does it.
    hubs : bool
        Whether a probe hub may do it.
    trail : bool
        Whether it is noted in the trail here; events and readings are a trail themselves.
    atomic : bool
        Whether it runs in one transaction; one that computes first, or takes many things that stand alone, opens its own and
        leaves its trail there.
    """

    def make(function: Callable[Concatenate[Actor, P], R]) -> Callable[Concatenate[Actor, P], R]:
        name = function.__name__
        ACTIONS[name] = Rights(least, hubs)

        @wraps(function)
        def act(actor: Actor, /, *args: P.args, **kwargs: P.kwargs) -> R:
            actor.must_be(least, hubs=hubs)
            with transaction.atomic() if atomic else nullcontext():
                result = function(actor, *args, **kwargs)
                if trail and atomic:
                    leave_trail(actor, name, result)
            return result

        return act

    return make


def leave_trail(actor: Actor, name: str, result: Any) -> None:
    """Note that an action was done, and what it left."""
    Trail.objects.create(
        kitchen=actor.kitchen,
        action=name,
        subject=subject_of(result),
        kind=actor.kind,
        actor=actor.user,
        device=actor.device[:40],
    )


def subject_of(result: Any) -> str:
    """What a trail says of the row an action left: its kind, and its public id or name."""
    meta = getattr(result, "_meta", None)
    if meta is None:
        return str(result)[:120] if isinstance(result, str) else ""
    return " ".join(dict.fromkeys([str(meta.model_name), getattr(result, "public_id", ""), str(result)]))[:120]


__all__ = ["ACTIONS", "Actor", "Kind", "Rank", "Rights", "action", "leave_trail"]
