"""Who does something in a kitchen, and what they may do."""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum, StrEnum
from typing import TYPE_CHECKING

from django.core.exceptions import PermissionDenied
from django.utils.translation import gettext as _

if TYPE_CHECKING:
    from ember_web.tenancy.access import KitchenRequest
    from ember_web.tenancy.models import Kitchen, User


class Rank(IntEnum):
    """How much a member may do; each rank may do what those below may."""

    VIEWER = 0
    COOK = 1
    CHEF = 2


class Kind(StrEnum):
    """What an actor is."""

    PERSON = "person"
    HUB = "hub"  # a probe hub: it may hand in readings, nothing else
    SETUP = "set-up"  # the command line of the machine, the demo


@dataclass(frozen=True)
class Actor:
    """A person, a hub or the set-up of a kitchen, with the device it came from."""

    kitchen: Kitchen
    kind: Kind
    rank: Rank | None = None  # of a person
    user: User | None = None
    device: str = ""

    @classmethod
    def of_request(cls, request: KitchenRequest, device: str = "") -> Actor:
        """Who a request that :func:`ember_web.tenancy.access.in_kitchen` let in comes from."""
        return cls.person(request.kitchen, request.user, request.role, device)  # type: ignore[arg-type]

    @classmethod
    def person(cls, kitchen: Kitchen, user: User, role: str, device: str = "") -> Actor:
        """A member of the kitchen."""
        return cls(kitchen, Kind.PERSON, Rank[role.upper()], user, device)

    @classmethod
    def hub(cls, kitchen: Kitchen) -> Actor:
        """A probe hub."""
        return cls(kitchen, Kind.HUB)

    @classmethod
    def machine(cls) -> Actor:
        """The command line of the machine, where there is no kitchen yet."""
        from ember_web.tenancy.models import Kitchen

        return cls(Kitchen(), Kind.SETUP)

    @classmethod
    def setup(cls, kitchen: Kitchen, user: User | None = None) -> Actor:
        """The set-up of a kitchen, in the name of a person when it leaves one behind."""
        return cls(kitchen, Kind.SETUP, None, user)

    def must_be(self, least: Rank | None, *, hubs: bool = False) -> None:
        """Raise PermissionDenied unless this actor has the rank (None: no person does it), or is a hub where those may."""
        if self.kind is Kind.SETUP:
            return
        if self.kind is Kind.HUB:
            if not hubs:
                raise PermissionDenied(_("A hub may hand in readings, nothing else."))
            return
        if least is None or self.rank is None or self.rank < least:
            raise PermissionDenied(_("Your role does not allow this."))
