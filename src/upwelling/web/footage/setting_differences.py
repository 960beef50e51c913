"""What differs between two states of a shot, in words with numbers."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel

from upwelling.core.steps import Step
from upwelling.web.footage.shot_settings import ShotSettings

_SWITCHES = {"input_on": "Input", "trim_on": "Trim", "look_on": "Look", "rendering_on": "Rendering", "display_on": "Display code"}


def differences(before: ShotSettings, after: ShotSettings) -> list[str]:
    """One line for each thing that differs, “name: before → after”; empty when nothing does."""
    lines: list[str] = []
    old = {step.id: step for step in before.steps}
    new = {step.id: step for step in after.steps}
    for key in [*old, *(k for k in new if k not in old)]:
        lines += _step(old.get(key), new.get(key))
    if [k for k in old if k in new] != [k for k in new if k in old]:
        lines.append("Order of steps: " + ", ".join(step.shown_name for step in after.steps))
    for name, title in _SWITCHES.items():
        if getattr(before, name) != getattr(after, name):
            lines.append(f"{title}: {'on → off' if getattr(before, name) else 'off → on'}")
    lines += _whole("Rendering", "the production’s", before.rendering, after.rendering)
    lines += _whole("Look", "the inherited one", before.look, after.look)
    return lines + _whole("Raw development", "the camera’s", before.development, after.development)


def _step(old: Step | None, new: Step | None) -> list[str]:
    if old is None or new is None or type(old) is not type(new):
        lines = []
        if old is not None and not old.changes_nothing:
            lines.append(f"Without {old.shown_name}: {old.summary()}")
        if new is not None and not new.changes_nothing:
            lines.append(f"With {new.shown_name}: {new.summary()}")
        return lines
    fields = type(new).model_fields
    lines = []
    for name in (*new.parameters, "strength", "limit", "on", "output", "name", "note"):
        a, b = getattr(old, name), getattr(new, name)
        if a != b:
            title = fields[name].title or name.capitalize()
            lines.append(f"{new.shown_name}, {title.lower()}: {_value(a)} → {_value(b)}" if title != new.shown_name
                         else f"{new.shown_name}: {_value(a)} → {_value(b)}")
    return lines


def _whole(title: str, inherited: str, old: BaseModel | None, new: BaseModel | None) -> list[str]:
    if old == new:
        return []
    if old is None or new is None:
        return [f"{title}: {inherited if old is None else 'own'} → {inherited if new is None else 'own'}"]
    if type(old) is not type(new):
        return [f"{title}: {_value(old)} → {_value(new)}"]
    return [f"{title}, {(field.title or name).lower()}: {_value(getattr(old, name))} → {_value(getattr(new, name))}"
            for name, field in type(new).model_fields.items() if getattr(old, name) != getattr(new, name)]


def _value(value: Any) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, float):
        return f"{value:.4g}".replace("-", "−")
    if isinstance(value, tuple):
        return "(" + ", ".join(_value(v) for v in value) + ")" if len(value) <= 3 else f"{len(value)} points"
    if isinstance(value, BaseModel):
        return str(value.summary()) if hasattr(value, "summary") else str(getattr(value, "title", "set"))
    return "none" if value is None else str(value) or "–"
