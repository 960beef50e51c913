"""Forms of the productions pages."""

from __future__ import annotations

from typing import Any

from django import forms
from django.db.models import Max, Value

from upwelling.core.encodings import ENCODINGS
from upwelling.core.outputs import OUTPUTS
from upwelling.core.rendering import Rise
from upwelling.web.productions.models import Production


class ProductionForm(forms.Form):
    """A new production."""

    name = forms.CharField(max_length=120, strip=True)
    description = forms.CharField(max_length=300, required=False, strip=True)


def encoding_choices(empty: str, production: Production | None = None) -> list[tuple[str, str]]:
    """Encodings for a select: a first row that settles nothing, the production's own, those that are in use in it, what
    came in last before the rest, and all others.
    """
    own = production.definitions if production else {}
    first = [name for name in (_in_use(production) if production else ()) if name in ENCODINGS]
    rest = [name for name in ENCODINGS if name not in first]
    return [("", empty), *((name, f"{name} (own)") for name in own), *((name, name) for name in (*first, *rest))]


def _in_use(production: Production) -> list[str]:
    """The encodings that shots or cameras of a production have, those of the newest shots first."""
    of_shots = production.shots.order_by().values_list("encoding").annotate(newest=Max("pk"))
    of_cameras = production.cameras.order_by().values_list("encoding").annotate(newest=Value(0))
    rows = of_shots.union(of_cameras)
    return list(dict.fromkeys(name for name, _ in sorted(rows, key=lambda row: -row[1])))


def output_choices(production: Production | None = None) -> list[tuple[str, str]]:
    """Outputs for a select, the production's own first."""
    return [
        *((name, f"{name} (own)") for name in (production.displays if production else {})),
        *((name, name) for name in OUTPUTS),
    ]


class RulesForm(forms.Form):
    """The rules; the rendering's fields are built from its declaration."""

    default_encoding = forms.ChoiceField(
        required=False, label="Default encoding", widget=forms.Select({"data-narrowed": "Find a default encoding"})
    )
    managed = forms.TypedChoiceField(
        choices=[("True", "on"), ("False", "off: show each file's own numbers")],
        label="Colour management",
        coerce=lambda value: value == "True",
    )
    hlg_peak_nits = forms.FloatField(min_value=100, max_value=10000, label="HLG display peak")
    hlg_black_nits = forms.FloatField(min_value=0, max_value=5, label="HLG display black")
    working = forms.ChoiceField(choices=[("AP1", "AP1, linear"), ("BT.2020", "BT.2020, linear")], label="Working space")
    adaptation = forms.ChoiceField(choices=[("CAT02", "CAT02"), ("Bradford", "Bradford")], label="Chromatic adaptation")
    rate = forms.CharField(
        required=False,
        max_length=20,
        label="Frames a second",
        widget=forms.TextInput({"placeholder": "each shot its own", "class": "mono"}),
    )
    output = forms.ChoiceField(label="Main output")
    range = forms.ChoiceField(choices=[("full", "full range"), ("legal", "legal range")], label="Code range")
    depth = forms.TypedChoiceField(choices=[(d, f"{d} bit") for d in (8, 10, 12, 16)], coerce=int, label="Depth")

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        production: Production | None = kwargs.pop("production", None)
        super().__init__(*args, **kwargs)
        self.fields["default_encoding"].choices = encoding_choices("None: ask for each shot", production)  # type: ignore[attr-defined]
        self.fields["output"].choices = output_choices(production)  # type: ignore[attr-defined]
        self.rendering = production.rule_set.rendering if production else Rise()
        for name, field in type(self.rendering).model_fields.items():
            extra = field.json_schema_extra
            values = getattr(field.annotation, "__args__", ())
            if extra is None and field.title and values:
                self.fields[f"rendering_{name}"] = forms.ChoiceField(
                    choices=[(v, v) for v in values], label=field.title, help_text=field.description or ""
                )
            if isinstance(extra, dict) and "unit" in extra:
                self.fields[f"rendering_{name}"] = forms.FloatField(
                    label=field.title,
                    help_text=field.description or "",
                    min_value=float(extra["low"]),  # type: ignore[arg-type]
                    max_value=float(extra["high"]),  # type: ignore[arg-type]
                    widget=forms.NumberInput(attrs={"step": "any", "data-unit": str(extra["unit"])}),
                )

    @classmethod
    def initial_of(cls, rules: Any) -> dict[str, Any]:
        """Form values of a Rules value."""
        values = rules.model_dump(exclude={"deliveries", "tolerances", "hdr_tolerances"})
        rendering = values.pop("rendering")
        return {**values, **{f"rendering_{name}": value for name, value in rendering.items()}}

    def named(self, name: str) -> str:
        """What people call a field."""
        return str(self.fields[name].label or name)

    def changes(self, changed: dict[str, Any]) -> dict[str, Any]:
        """Cleaned values as Rules takes them; ``changed`` are those that are to be saved."""
        values = dict(changed)
        rendering = {
            name.removeprefix("rendering_"): values.pop(name) for name in list(values) if name.startswith("rendering_")
        }
        if not rendering:
            return values
        return {**values, "rendering": {**self.rendering.model_dump(mode="json"), **rendering}}
