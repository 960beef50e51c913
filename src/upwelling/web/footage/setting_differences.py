"""What differs between two states of a shot, in words with numbers."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel

from upwelling.core.count_of import count_of
from upwelling.core.path import LAYER_TITLES
from upwelling.core.steps import Matte, Step
from upwelling.core.steps.track import Track
from upwelling.web.footage.shot_settings import ShotSettings

_SWITCHES = {
    "input_on": "Input",
    "correction_on": "Camera correction",
    "trim_on": "Trim",
    "look_on": "Look",
    "rendering_on": "Rendering",
    "display_look_on": "Look of the display",
    "display_on": "Display code",
}


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
    for kind in ("camera_trim", "group_trim", "group_look", "finish"):
        was, now = before.use_of(kind), after.use_of(kind)
        if was != now:
            said = [use.sentence() or "as it is" for use in (was, now)]
            change = f"{said[0]} → {said[1]}" if said[0] != said[1] else f"{said[0]}, changed"
            lines.append(f"{LAYER_TITLES[kind]}: {change}")
    lines += _groups(before, after)
    a, b = before.display_look_strength, after.display_look_strength
    if a != b:
        shown = ["the production’s" if v is None else f"{100 * v:.0f} %" for v in (a, b)]
        lines.append(f"Look of the display, strength: {shown[0]} → {shown[1]}")
    lines += _whole("Rendering", "the production’s", before.rendering, after.rendering)
    lines += _whole("Look", "the inherited one", before.look, after.look)
    return lines + _whole("Raw development", "the camera’s", before.development, after.development)


def _groups(before: ShotSettings, after: ShotSettings) -> list[str]:
    old, new = ({group.id: group for group in settings.groups} for settings in (before, after))
    lines = [f"Without the group {group.name or key}" for key, group in old.items() if key not in new]
    for key, group in new.items():
        title = f"Group {group.name or key}"
        lines += _fields(title, old[key], group, ("id",)) if key in old else [f"With the group {group.name or key}"]
    return lines


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
    for name in (*new.parameters, "group", "strength", "mix", "tracks", "on", "output", "name", "note"):
        a, b = getattr(old, name), getattr(new, name)
        if a != b:
            title = fields[name].title or name.capitalize()
            lines.append(
                f"{new.shown_name}, {title.lower()}: {_value(a)} → {_value(b)}"
                if title != new.shown_name
                else f"{new.shown_name}: {_value(a)} → {_value(b)}"
            )
    return lines + _mattes(new.shown_name, old.limit, new.limit)


def _mattes(name: str, old: Matte | None, new: Matte | None) -> list[str]:
    """What differs in where a step acts: selections that came or went, and values of those that stayed."""
    before, after = ({one.id or str(n): one for n, one in enumerate(m.selections if m else ())} for m in (old, new))
    lines = []
    for key in [*before, *(k for k in after if k not in before)]:
        a, b = before.get(key), after.get(key)
        if a is None or b is None or type(a) is not type(b):
            lines += [f"{name}, without {a.summary()}"] if a else []
            lines += [f"{name}, {b.join if key != next(iter(after)) else 'on'} {b.summary()}"] if b else []
            continue
        lines += _fields(f"{name}, {b.shown_name.lower()}", a, b, ("id",))
    return lines + _fields(name, old or Matte(), new or Matte(), ("selections",))


def _fields(name: str, old: BaseModel, new: BaseModel, passed_over: tuple[str, ...]) -> list[str]:
    return [
        f"{name}, {(field.title or key).lower()}: {_value(getattr(old, key))} → {_value(getattr(new, key))}"
        for key, field in type(new).model_fields.items()
        if key not in passed_over and getattr(old, key) != getattr(new, key)
    ]


def _whole(title: str, inherited: str, old: BaseModel | None, new: BaseModel | None) -> list[str]:
    if old == new:
        return []
    if old is None or new is None:
        return [f"{title}: {inherited if old is None else 'own'} → {inherited if new is None else 'own'}"]
    if type(old) is not type(new):
        return [f"{title}: {_value(old)} → {_value(new)}"]
    return _fields(title, old, new, ())


def _value(value: Any) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, float):
        return f"{value:.4g}".replace("-", "−")
    if isinstance(value, tuple) and value and isinstance(value[0], Track):
        return ", ".join(f"{track.parameter} {count_of(len(track.keys), 'key')}" for track in value)
    if value == ():
        return "none"
    if isinstance(value, tuple):
        return "(" + ", ".join(_value(v) for v in value) + ")" if len(value) <= 3 else f"{len(value)} points"
    if isinstance(value, BaseModel):
        return str(value.summary()) if hasattr(value, "summary") else str(getattr(value, "title", "set"))
    return "none" if value is None else str(value) or "–"
