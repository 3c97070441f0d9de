"""The form of a kitchen's own food."""

from __future__ import annotations

from typing import Any

from django import forms

from ember_core.formats.plan import foods
from ember_web.book.models import PARTS, Food

LEAST_SUM, MOST_SUM = 97.0, 103.0  # %, as the plan format allows


class FoodForm(forms.ModelForm):  # type: ignore[type-arg]  # django-stubs' generic
    """Name, kin, composition in mass %, source."""

    class Meta:
        model = Food
        fields = ("name", "like", *PARTS, "source")
        labels = {"like": "Otherwise like", "source": "Where the numbers are from"}

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        choices = sorted((row["name"], key) for key, row in foods().items())
        self.fields["like"] = forms.ChoiceField(
            label="Otherwise like",
            choices=[("", "choose one"), *((key, name) for name, key in choices)],
            error_messages={"required": "Otherwise like: choose the nearest food of the table."},
        )
        self.fields["name"].error_messages["required"] = "Name: say what the kitchen calls it."
        self.fields["source"].error_messages["required"] = "Source: say where the numbers are from, such as: label."
        for part in PARTS:
            field = self.fields[part]
            field.widget.attrs |= {"step": "0.1", "inputmode": "decimal", "min": "0", "max": "100"}
            field.error_messages |= {
                "required": f"{part.capitalize()}: give a number in %, 0 if there is none.",
                "invalid": f"{part.capitalize()}: write a number in %, such as 20.5.",
            }
        for name, field in self.fields.items():
            field.widget.attrs["class"] = "form-select" if name == "like" else "form-control"
            if self.is_bound and name in self.errors:
                field.widget.attrs["aria-invalid"] = "true"

    def clean_name(self) -> str:
        """No second food of the same name in one kitchen."""
        name: str = self.cleaned_data["name"].strip()
        same = Food.objects.filter(kitchen=self.instance.kitchen, name__iexact=name).exclude(pk=self.instance.pk)
        if same.exists():
            raise forms.ValidationError(f"Name: the kitchen has a food called {name!r}; choose another name.")
        return name

    def clean(self) -> dict[str, Any]:
        """The parts make up the whole, and there is water to speak of."""
        data: dict[str, Any] = super().clean() or self.cleaned_data
        if all(isinstance(data.get(part), float) for part in PARTS):
            total = sum(data[part] for part in PARTS)
            if not LEAST_SUM <= total <= MOST_SUM:
                raise forms.ValidationError(
                    f"The parts sum to {total:.1f} %; they must make 100 (within 3). Check each against the source."
                )
        return data
