"""What a kitchen cooks with and where: stations, who works at them, equipment."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence

from django.conf import settings
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models

from ember_core.plan.kinds import stage_kinds
from ember_core.wording.message import N_
from ember_web.tenancy.clock import machine
from ember_web.tenancy.keys import KitchenKey, SameKitchen
from ember_web.tenancy.models import Kitchen, KitchenOwned, Membership


class Station(KitchenOwned):
    """A place of work on the line."""

    name = models.CharField(max_length=40)
    order = models.PositiveSmallIntegerField(default=0, help_text="Its place in lists.")

    class Meta:
        ordering = ["order", "name"]
        verbose_name = N_("station")
        constraints = [
            models.UniqueConstraint(fields=["kitchen", "name"], name="one_station_of_a_name"),
            KitchenKey(name="station_with_kitchen"),
        ]

    def __str__(self) -> str:
        return self.name


class PasswordLink(KitchenOwned):
    """A link with which a member sets a new password, once; a hash of its token only."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    digest = models.CharField(max_length=64, unique=True)
    created_at = models.DateTimeField(auto_now_add=True)
    expires_at = models.DateTimeField()
    used_at = models.DateTimeField(null=True, blank=True)

    def __str__(self) -> str:
        return f"of {self.user}"

    @property
    def is_open(self) -> bool:
        """Whether it may still be used."""
        return self.used_at is None and machine.now() < self.expires_at

    @staticmethod
    def digest_of(token: str) -> str:
        """SHA-256 of a token; it is long and random, so a slow hash adds nothing."""
        return hashlib.sha256(token.encode()).hexdigest()


class StationMember(KitchenOwned):
    """A member of the kitchen who works at a station."""

    station = models.ForeignKey(Station, on_delete=models.CASCADE, related_name="people")
    membership = models.ForeignKey(Membership, on_delete=models.CASCADE, related_name="stations")

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["station", "membership"], name="once_at_a_station"),
            SameKitchen(field="station", name="stationmember_station_same_kitchen"),
            SameKitchen(field="membership", name="stationmember_membership_same_kitchen"),
        ]

    def __str__(self) -> str:
        return f"{self.membership.user} at {self.station}"


class ServiceTime(KitchenOwned):
    """A service by its name, from when to when it goes out; past midnight where it ends before it begins."""

    name = models.CharField(max_length=40)
    begins = models.TimeField()
    ends = models.TimeField()

    class Meta:
        ordering = ["begins", "name"]
        verbose_name = N_("service")
        constraints = [models.UniqueConstraint(fields=["kitchen", "name"], name="one_service_of_a_name")]

    def __str__(self) -> str:
        return self.name

    @classmethod
    def coming(cls, kitchen: Kitchen, most: int = 2) -> Sequence[ServiceTime]:
        """Those that begin next by the kitchen's clock."""
        now = kitchen.local(kitchen.now()).time()
        return sorted(cls.objects.filter(kitchen=kitchen), key=lambda s: (s.begins < now, s.begins))[:most]


# kinds of stages and of the equipment that they lie in
GEAR_OF = {kind.name: kind.gear for kind in stage_kinds().values() if kind.gear}


class Equipment(KitchenOwned):
    """An oven, bath, pan and so on: how much it holds, and by how much its display is off."""

    class Kind(models.TextChoices):
        OVEN = "oven", N_("Oven")
        BATH = "bath", N_("Bath")
        PAN = "pan", N_("Pan")
        BURNER = "burner", N_("Burner")
        GRILL = "grill", N_("Grill")
        FRYER = "fryer", N_("Fryer")
        SMOKER = "smoker", N_("Smoker")
        HOT_CABINET = "hot-cabinet", N_("hot cabinet")
        FRIDGE = "fridge", N_("Fridge")
        BLAST_CHILLER = "blast-chiller", N_("blast chiller")
        PROBE = "probe", N_("Probe")

    class Material(models.TextChoices):
        STEEL = "steel", N_("steel")
        CAST_IRON = "cast-iron", N_("cast iron")
        ALUMINIUM = "aluminium", N_("aluminium")
        COPPER = "copper", N_("copper")

    kind = models.CharField(max_length=20, choices=Kind.choices)
    name = models.CharField(max_length=60)
    station = models.ForeignKey(Station, null=True, blank=True, on_delete=models.SET_NULL, related_name="equipment")
    litres = models.FloatField(null=True, blank=True, validators=[MinValueValidator(0.1), MaxValueValidator(5000)])
    watts = models.FloatField(null=True, blank=True, validators=[MinValueValidator(10), MaxValueValidator(200_000)])
    places = models.PositiveSmallIntegerField(null=True, blank=True, help_text="Pieces, pans or trays at once.")
    true_offset_c = models.FloatField(
        default=0.0,
        validators=[MinValueValidator(-60), MaxValueValidator(60)],
        help_text="What it really is less what it shows, as measured, K.",
    )
    into_oven = models.BooleanField(default=False, help_text="Of a pan: whether it may go into the oven.")
    mass_kg = models.FloatField(
        null=True,
        blank=True,
        validators=[MinValueValidator(0.05), MaxValueValidator(500)],
        help_text="Of a pan, empty.",
    )
    material = models.CharField(max_length=20, choices=Material.choices, blank=True)
    hub_name = models.CharField(
        max_length=40, blank=True, help_text="What the hub calls the thermometer in it, if it has one."
    )

    class Meta:
        ordering = ["kind", "name"]
        verbose_name = N_("equipment")
        verbose_name_plural = "equipment"
        constraints = [
            models.UniqueConstraint(fields=["kitchen", "name"], name="one_piece_of_equipment_of_a_name"),
            models.UniqueConstraint(
                fields=["kitchen", "hub_name"], condition=~models.Q(hub_name=""), name="equipment_of_a_hub_name"
            ),
            KitchenKey(name="equipment_with_kitchen"),
            SameKitchen(field="station", name="equipment_station_same_kitchen"),
        ]

    def __str__(self) -> str:
        return self.name

    def store(self) -> dict[str, float | str] | None:
        """The heat it holds, as a plan's stages name it; None where what is known of it does not tell.

        A pan needs its mass, a bath and a fryer litres and watts, an oven and a hot cabinet watts. ``places``: it holds no more pieces at once;
        of an oven and a cabinet they are trays, on which all lie.
        """
        known: dict[str, float | str | None] = {"power_w": self.watts}
        match self.kind:
            case self.Kind.PAN if self.mass_kg:
                known |= {"kind": "pan", "mass_kg": self.mass_kg, "material": self.material or None}
            case self.Kind.BATH | self.Kind.FRYER if self.litres and self.watts:
                known |= {"kind": "bath" if self.kind == self.Kind.BATH else "fat", "litres": self.litres}
            case self.Kind.OVEN | self.Kind.HOT_CABINET if self.watts:
                known |= {"kind": "oven" if self.kind == self.Kind.OVEN else "cabinet"}
            case _:
                return None
        places = None if known["kind"] in {"oven", "cabinet"} else self.places
        return {k: v for k, v in (known | {"places": places}).items() if v is not None}
