"""The form of a person's language and units."""

from __future__ import annotations

from typing import Any

from django import forms
from django.conf import settings
from django.utils.translation import gettext as _

from ember_web.tenancy.models import User


class PreferencesForm(forms.Form):
    """Language, units, clock."""

    language = forms.ChoiceField(required=False)
    temperature = forms.ChoiceField(choices=User.Temperature.choices)
    length = forms.ChoiceField(choices=User.Length.choices)
    mass = forms.ChoiceField(choices=User.Mass.choices)
    volume = forms.ChoiceField(choices=User.Volume.choices)
    clock = forms.ChoiceField(choices=User.Clock.choices)

    def __init__(self, data: Any = None, *, person: Any) -> None:
        super().__init__(data, initial={name: getattr(person, name) for name in self.base_fields})
        labels = {
            "language": _("Language"),
            "temperature": _("Temperatures"),
            "length": _("Lengths"),
            "mass": _("Masses"),
            "volume": _("Volumes"),
            "clock": _("Time of day"),
        }
        for name, field in self.fields.items():
            field.label = labels[name]
            field.widget.attrs["class"] = "form-select"
        choices = [("", _("follow the browser")), *settings.LANGUAGES]
        self.fields["language"].choices = choices  # type: ignore[attr-defined]
