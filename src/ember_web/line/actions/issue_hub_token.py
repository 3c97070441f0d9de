"""Give a probe hub what it signs in with."""

from __future__ import annotations

import secrets

from ember_web.line.models import HubToken
from ember_web.tenancy.action import Actor, Rank, action, leave_trail


@action(Rank.CHEF, trail=False)
def issue_hub_token(actor: Actor, name: str, *, instead: bool = False) -> str:
    """Make a new token for a hub of this name and return it; only a hash is kept. ``instead``: all others end."""
    token = secrets.token_urlsafe(32)
    if instead:
        HubToken.objects.filter(kitchen=actor.kitchen).delete()
    row = HubToken.objects.create(kitchen=actor.kitchen, name=name, digest=HubToken.digest_of(token))
    leave_trail(actor, "issue_hub_token", row)
    return token
