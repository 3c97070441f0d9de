"""The demo scenario: Brackenfold Hut, an invented mountain hut. Nothing here is used outside the demo."""

from __future__ import annotations

import secrets

from django.db import transaction

from ember_core.entry.sentence import Sentence
from ember_web.book.models import Food
from ember_web.kitchens.models import Kitchen, Membership, User
from ember_web.line.models import HubToken, Probe
from ember_web.plans.services import save_plan

PASSWORD = "brackenfold"  # noqa: S105 - the demo's printed password
SLUG = "brackenfold-hut"
PEOPLE = (("chef", "chef"), ("grill", "cook"), ("larder", "cook"), ("morning", "cook"), ("viewer", "viewer"))
PROBES = (("p1", "Probe 1, Grill"), ("p2", "Probe 2, Grill"), ("p3", "Probe 3, Larder"))
PLANS = (
    ("Bavette for the late table", {"cut_id": "bavette"}),
    ("Guinea fowl supreme, bath", {"cut_id": "guinea-fowl-supreme", "count": 6}),
    ("Hake loin, hot oven", {"cut_id": "hake-loin", "count": 4}),
    ("Veal cutlet", {"cut_id": "veal-cutlet", "target_c": 61.0}),
    ("Rabbit saddle", {"cut_id": "rabbit-saddle"}),
    ("Brisket point, bath", {"cut_id": "brisket-point"}),
    ("Hogget shoulder, low oven", {"cut_id": "hogget-shoulder", "target_c": 61.0}),
    ("Trout fillet", {"cut_id": "trout-fillet"}),
    ("Soft eggs for breakfast", {"cut_id": "soft-egg", "count": 12}),
    ("Baked custard", {"cut_id": "baked-custard", "count": 8}),
)
FOODS = (
    {
        "name": "hogget shoulder, from the upper farm", "like": "lamb-shoulder", "water": 58.0, "protein": 16.1, "fat": 25.0,
        "ash": 0.9, "source": "made up for the demo",
    },
    {
        "name": "trout from the cold pond", "like": "trout", "water": 71.5, "protein": 20.8, "fat": 6.5, "ash": 1.2,
        "source": "made up for the demo",
    },
)  # fmt: skip


@transaction.atomic
def seed(*, renew_token: bool = False) -> str | None:
    """Create the demo kitchen once; returns a new hub token when one was made."""
    kitchen, fresh = Kitchen.objects.get_or_create(
        public_id=SLUG,
        defaults={
            "name": "Brackenfold Hut",
            "altitude_m": 1850,
            "air_c": 24,
            "zone": "Europe/Vienna",
            "simulated": True,
        },
    )
    if fresh:
        for name, role in PEOPLE:
            user, new = User.objects.get_or_create(username=name)
            if new:
                user.set_password(PASSWORD)
                user.save()
            Membership.objects.create(user=user, kitchen=kitchen, role=role)
        other = Kitchen.objects.create(public_id="lower-barn", name="Lower Barn", altitude_m=420, simulated=True)
        stranger = User(username="other-chef")
        stranger.set_password(PASSWORD)
        stranger.save()
        Membership.objects.create(user=stranger, kitchen=other, role="chef")
        for name, label in PROBES:
            Probe.objects.create(kitchen=kitchen, name=name, label=label)
        chef = User.objects.get(username="chef")
        for food in FOODS:
            Food.objects.create(kitchen=kitchen, **food)  # type: ignore[misc]  # names and numbers, by field
        for title, parts in reversed(PLANS):
            sentence = Sentence.for_cut(**parts, altitude_m=kitchen.altitude_m, air_c=kitchen.air_c, title=title)  # type: ignore[arg-type]
            save_plan(kitchen, chef, sentence.document())
    if fresh or renew_token:
        token = secrets.token_urlsafe(32)
        HubToken.objects.filter(kitchen=kitchen).delete()
        HubToken.objects.create(kitchen=kitchen, name="simulated hub", digest=HubToken.digest_of(token))
        return token
    return None
