"""People, kitchens, who belongs to which, and each kitchen's clock."""

from __future__ import annotations

import secrets
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from django.contrib.auth.models import AbstractUser
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.utils import timezone

from ember_core.wording.message import N_
from ember_core.wording.quantities import Units
from ember_web.tenancy.clock import machine, running_s, this_boot
from ember_web.tenancy.keys import KitchenKey


def public_id() -> str:
    """An opaque id for addresses: 12 characters, about 72 bits."""
    return secrets.token_urlsafe(9).replace("_", "a").replace("-", "b")


class User(AbstractUser):
    """A person; roles belong to memberships."""

    of_no_kitchen = "A person may be a member of several."

    class Temperature(models.TextChoices):
        C = "C", "°C"
        F = "F", "°F"

    class Length(models.TextChoices):
        MM = "mm", "mm"
        IN = "in", "in"

    class Mass(models.TextChoices):
        G = "g", "g, kg"
        OZ = "oz", "oz, lb"

    class Volume(models.TextChoices):
        L = "L", "L"
        QT = "qt", "qt"

    class Clock(models.TextChoices):
        DAY = "24", "19:40"
        HALF = "12", "7:40 pm"

    language = models.CharField(max_length=16, blank=True, help_text="Empty: what the browser asks for.")
    temperature = models.CharField(max_length=2, choices=Temperature.choices, default=Temperature.C)
    length = models.CharField(max_length=2, choices=Length.choices, default=Length.MM)
    mass = models.CharField(max_length=2, choices=Mass.choices, default=Mass.G)
    volume = models.CharField(max_length=2, choices=Volume.choices, default=Volume.L)
    clock = models.CharField(max_length=2, choices=Clock.choices, default=Clock.DAY)
    toured = models.BooleanField(default=False, help_text="Has seen what a plan's page shows, or skipped it.")

    @property
    def units(self) -> Units:
        """The units this person wants to read and write."""
        return Units(self.temperature, self.length, self.mass, self.volume, self.clock)


class Kitchen(models.Model):
    """A kitchen: its place, air, rules and clock. Everything else belongs to one kitchen."""

    public_id = models.SlugField(default=public_id, unique=True, max_length=40)
    name = models.CharField(max_length=80)
    altitude_m = models.FloatField(default=0, validators=[MinValueValidator(-400), MaxValueValidator(5000)])
    air_c = models.FloatField(default=22, validators=[MinValueValidator(-30), MaxValueValidator(60)])
    zone = models.CharField(max_length=60, default="UTC")
    rules = models.CharField(max_length=40, default="us-food-code-2022")
    simulated = models.BooleanField(
        default=False, help_text="Its probes come from the simulated hub; its clock may run fast."
    )
    clock_rate = models.FloatField(default=1.0, validators=[MinValueValidator(0.1), MaxValueValidator(600)])
    clock_real = models.DateTimeField(default=timezone.now)
    clock_kitchen = models.DateTimeField(default=timezone.now)
    clock_boot = models.CharField(
        max_length=60, default=this_boot, help_text="In which run of the machine it was anchored."
    )
    clock_running_s = models.FloatField(default=running_s, help_text="And at which of its running seconds.")
    clock_by_hand = models.BooleanField(default=False, help_text="Set by a person; it does not follow the machine's.")

    def __str__(self) -> str:
        return self.name

    @property
    def tz(self) -> ZoneInfo:
        """The kitchen's time zone."""
        return ZoneInfo(self.zone)

    def now(self) -> datetime:
        """The kitchen's time, UTC: the one clock that cooking uses.

        Within a run of the machine it goes by the running seconds, whatever is done to the clock on the wall; after a
        restart by the wall's, until :func:`ember_web.line.clock.tend_clock` has anchored it anew.
        """
        if self.clock_boot == machine.boot_id:
            elapsed_s = machine.running_s() - self.clock_running_s
        else:
            elapsed_s = (machine.now() - self.clock_real).total_seconds()
        return self.clock_kitchen + timedelta(seconds=elapsed_s * self.clock_rate)

    @property
    def clock_key(self) -> tuple[datetime, datetime, float]:
        """Changes when its clock is set or its rate is another."""
        return self.clock_real, self.clock_kitchen, self.clock_rate

    def ahead_s(self) -> float:
        """How far its clock is ahead of the machine's, s; less than 0 behind it."""
        return (self.now() - machine.now()).total_seconds()

    def anchor(self, at: datetime, *, rate: float | None = None) -> None:
        """Let its clock show ``at`` (kitchen time) now, and run from there; to be stored by :data:`CLOCK_FIELDS`."""
        self.clock_real, self.clock_kitchen = machine.now(), at
        self.clock_boot, self.clock_running_s = machine.boot_id, machine.running_s()
        if rate is not None:
            self.clock_rate = rate

    def local(self, moment: datetime) -> datetime:
        """A moment in the kitchen's zone."""
        return moment.astimezone(self.tz)

    def service_date(self, moment: datetime) -> str:
        """The service a moment belongs to: the local date, the small hours counting to the day before."""
        return (self.local(moment) - timedelta(hours=4)).date().isoformat()


CLOCK_FIELDS = ["clock_real", "clock_kitchen", "clock_rate", "clock_boot", "clock_running_s", "clock_by_hand"]


class KitchenOwned(models.Model):
    """A model whose rows belong to one kitchen; see :mod:`ember_web.tenancy.checks` for what it needs."""

    kitchen = models.ForeignKey(Kitchen, on_delete=models.CASCADE, related_name="+")

    class Meta:
        abstract = True


class Membership(KitchenOwned):
    """A person's role in a kitchen."""

    class Role(models.TextChoices):
        CHEF = "chef", N_("Chef")
        COOK = "cook", N_("Cook")
        VIEWER = "viewer", N_("Viewer")

    user = models.ForeignKey(User, on_delete=models.CASCADE, related_name="memberships")
    kitchen = models.ForeignKey(Kitchen, on_delete=models.CASCADE, related_name="memberships")
    role = models.CharField(max_length=10, choices=Role.choices)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["user", "kitchen"], name="one_role_a_kitchen"),
            KitchenKey(name="membership_with_kitchen"),
        ]

    def __str__(self) -> str:
        return f"{self.user} · {self.kitchen} · {self.role}"


class Pulse(models.Model):
    """One row, written whenever somebody asks whether the application is able to store anything."""

    of_no_kitchen = "It is the application's own."

    at = models.DateTimeField(auto_now=True)

    def __str__(self) -> str:
        return f"{self.at}"


class ClockChange(KitchenOwned):
    """A kitchen's clock was set: what ran through that counted other minutes than went by."""

    class Why(models.TextChoices):
        RESTART = "restart", N_("the machine started with its clock set back")
        FOLLOW = "follow", N_("set to the machine's clock, for nothing was cooking")
        HAND = "hand", N_("set by hand")

    at = models.DateTimeField(auto_now_add=True, help_text="By the machine's clock.")
    before = models.DateTimeField(help_text="Kitchen time.")
    after = models.DateTimeField(help_text="Kitchen time.")
    why = models.CharField(max_length=10, choices=Why.choices)
    actor = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        ordering = ["-id"]

    def __str__(self) -> str:
        return f"{self.before} → {self.after}"

    @property
    def by_s(self) -> float:
        """By how much it was set, s; above 0 ahead."""
        return (self.after - self.before).total_seconds()


class Trail(KitchenOwned):
    """Who changed what in a kitchen, and when: one row an action, only ever added."""

    at = models.DateTimeField(auto_now_add=True)
    action = models.CharField(max_length=40)
    subject = models.CharField(max_length=120, blank=True)
    kind = models.CharField(max_length=10, help_text="A person, a hub or the set-up.")
    actor = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    device = models.CharField(max_length=40, blank=True)

    class Meta:
        ordering = ["-id"]

    def __str__(self) -> str:
        return f"{self.action} {self.subject}"
