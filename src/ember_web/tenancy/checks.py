"""A system check: every model of ours belongs to a kitchen, by keys that hold it, or says why it does not."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from django.apps import AppConfig, apps
from django.core.checks import CheckMessage, Error, register
from django.db import models

from ember_web.tenancy.keys import SameKitchen
from ember_web.tenancy.models import Kitchen, KitchenOwned

PREFIX = "ember_web."


def _keys_of(model: type[models.Model]) -> list[models.ForeignKey[Any, Any]]:
    """Foreign keys (one-to-one ones too) to models that belong to a kitchen."""
    return [
        f
        for f in model._meta.get_fields()
        if isinstance(f, models.ForeignKey) and f.model is model and issubclass(f.related_model, KitchenOwned)  # type: ignore[arg-type]
    ]


def _kept(model: type[models.Model]) -> bool:
    unique = (c.fields for c in model._meta.constraints if isinstance(c, models.UniqueConstraint))
    return any(set(fields) == {"kitchen", "id"} for fields in unique)


def faults_of(model: type[models.Model]) -> list[CheckMessage]:
    """What keeps a model from being held to its kitchen."""
    if getattr(model, "of_no_kitchen", "") or model is Kitchen:
        return []
    if not issubclass(model, KitchenOwned):
        hint = "Derive it from KitchenOwned, or say in of_no_kitchen why its rows belong to none."
        return [Error(f"{model.__name__} belongs to no kitchen.", hint=hint, obj=model, id="ember.E001")]
    held = {c.field for c in model._meta.constraints if isinstance(c, SameKitchen)}
    out: list[CheckMessage] = []
    for key in _keys_of(model):
        if key.name not in held:
            hint = f'Add SameKitchen(field="{key.name}", name=…) to its constraints.'
            out.append(
                Error(f"{model.__name__}.{key.name} may join two kitchens.", hint=hint, obj=model, id="ember.E002")
            )
        other = key.related_model
        if not _kept(other):  # type: ignore[arg-type]
            hint = "Add KitchenKey(name=…) to its constraints."
            out.append(
                Error(f"{other.__name__} cannot be referred to by kitchen.", hint=hint, obj=other, id="ember.E003")  # type: ignore[union-attr]
            )
    return out


@register()
def kitchen_owned(app_configs: Sequence[AppConfig] | None, **_: Any) -> Iterable[CheckMessage]:
    """All of our models."""
    configs = apps.get_app_configs() if app_configs is None else app_configs
    return [
        fault
        for config in configs
        if config.name.startswith(PREFIX)
        for model in config.get_models()
        for fault in faults_of(model)
    ]
