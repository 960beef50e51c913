"""The rules of a production as a Column: a stage each, read like a sentence, with the fields that change it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from upwelling.core.outputs import Output
from upwelling.web.productions.forms import RulesForm
from upwelling.web.productions.models import Production
from upwelling.web.productions.rules import Rules


@dataclass(frozen=True)
class Line:
    """A stage: its shade in the Column, what the rules say of it, and what lies between it and the one below."""

    title: str
    shade: int
    said: str
    below: str
    names: tuple[str, ...] = ()
    """Of the form's fields; empty where another page sets it."""


def rule_lines(production: Production, rules: Rules, look: str, form: RulesForm) -> list[dict[str, Any]]:
    """The stages from the display down, each with its bound fields."""
    rendering = tuple(name for name in form.fields if name.startswith("rendering_"))
    lines = (
        Line("Display code", 6, _display(rules), "display light, cd/m²", ("output", "range", "depth")),
        Line("Rendering", 5, _rendering(production, rules), "scene linear", rendering),
        Line("Look", 4, look, "scene linear"),
        Line("Trims", 3, "Each shot its own, and what its camera and its group share", "scene linear"),
        Line("Input", 2, _input(rules), "code value", ("working", "adaptation", "hlg_peak_nits", "hlg_black_nits")),
        Line("Camera file", 1, _file(rules), "", ("default_encoding", "managed", "rate")),
    )
    return [
        {"title": line.title, "shade": line.shade, "said": line.said, "below": line.below,
         "fields": [form[name] for name in line.names]}
        for line in lines
    ]  # fmt: skip


def rule_differences(before: Rules, after: Rules) -> list[str]:
    """What differs between two sets of rules, a line each: “name: before → after”."""
    was, now = (RulesForm.initial_of(one) for one in (before, after))
    names = [name for name in now if was.get(name) != now[name] and name != "rendering_kind"]
    return [f"{_titled(after, name)}: {_value(was.get(name))} → {_value(now[name])}" for name in names]


def _titled(rules: Rules, name: str) -> str:
    if name in RulesForm.base_fields:
        return str(RulesForm.base_fields[name].label)
    field = type(rules.rendering).model_fields.get(name.removeprefix("rendering_"))
    return field.title if field and field.title else name.removeprefix("rendering_").replace("_", " ").capitalize()


def _value(value: Any) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, dict):
        return str(value.get("kind", "other settings"))
    return f"{value:g}" if isinstance(value, float) else str(value) or "none"


def _display(rules: Rules) -> str:
    more = [f"{one.output} in {one.depth} bit {one.range} range" for one in rules.deliveries]
    also = f"; also {', '.join(more)}" if more else ""
    return f"{rules.output} in {rules.depth} bit {rules.range} range{also}"


def _rendering(production: Production, rules: Rules) -> str:
    target: Output = production.output_named(rules.output)
    return f"{rules.rendering.values_text(target)}, with the {rules.rendering.fit.title.lower()} gamut fit"


def _input(rules: Rules) -> str:
    return (
        f"Into {rules.working}, linear, adapted by {rules.adaptation}; HLG as shown at {rules.hlg_peak_nits:g} cd/m² "
        f"over {rules.hlg_black_nits:g}"
    )


def _file(rules: Rules) -> str:
    said = rules.default_encoding or "asked for, where a file does not say"
    rate = f"{rules.rate} frames a second" if rules.rate else "each shot at its own rate"
    off = "" if rules.managed else "; colour management is off"
    return f"Encoding: {said}; {rate}{off}"
