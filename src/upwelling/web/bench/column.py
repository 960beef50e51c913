"""The Column as text: what each stratum says in one line, whether it is on, and where its setting comes from."""

from __future__ import annotations

from typing import Any

from upwelling.core.path import Path
from upwelling.core.raw import RawSettings
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import correction_of
from upwelling.web.footage.shot_settings import ShotSettings

TITLES = {
    "camera": "Camera file",
    "input": "Input",
    "trim": "Trim",
    "look": "Look",
    "rendering": "Rendering",
    "display": "Display code",
}
SWITCHES = {
    "input": "input_on",
    "trim": "trim_on",
    "look": "look_on",
    "rendering": "rendering_on",
    "display": "display_on",
}


def column(shot: Shot, path: Path, settings: ShotSettings) -> list[dict[str, Any]]:
    """Six strata from the top (display code) to the bottom (camera file), with the space at the boundary below each."""
    now = shot.settled
    known = now.is_settled
    raw = path.camera.raw
    target = path.target
    look = shot.look_in_force(settings)
    changed = [step.summary() for step in path.layer("trim").acting(target)]
    lines = {
        "camera": _camera_line(shot, raw),
        "input": f"Scene-linear already: raw development ends in {path.working}{_corrected(shot, settings)}"
        if shot.is_raw
        else f"{now.encoding} → {path.working}{_corrected(shot, settings)}"
        if known
        else "Not settled: say what this file is",
        "trim": " · ".join(changed) if changed else "Nothing corrected yet",
        "look": look.summary() if settings.look_on or look.version is None else "Off: light passes unchanged",
        "rendering": path.rendering.method.values_text(target) + display_look_line(path)
        if settings.rendering_on
        else "Off: primaries only, nothing fitted",
        "display": f"{target.name} · {path.display.range}, {path.display.depth} bit",
    }
    if not known:
        waiting = "Waits for the encoding: numbers pass as they are"
        lines |= {"trim": waiting, "look": waiting, "rendering": waiting, "display": waiting}
    if known and not shot.is_managed:
        lines |= dict.fromkeys(("input", "trim", "look", "rendering", "display"), UNMANAGED)
    origins = {
        "input": {"shot": "own"}.get(now.encoding_from, now.encoding_from),
        "rendering": "own" if settings.rendering else "production",
        "display": "production",
        "trim": "own" if changed else "",
        "look": {"shot": "own", "group": look.group}.get(look.origin, look.origin),
        "camera": "",
    }
    below = {
        "display": "display light, cd/m²",
        "rendering": f"scene linear, {path.working}",
        "look": f"scene linear, {path.working}",
        "trim": f"scene linear, {path.working}",
        "camera": "",
        "input": f"scene linear, {path.working}" if shot.is_raw else f"code value, {path.camera.depth} bit {now.range}",
    }
    return [
        {
            "stage": stage,
            "title": TITLES[stage],
            "line": lines[stage],
            "below": below[stage],
            "origin": origins[stage],
            "switch": SWITCHES.get(stage, "")
            if known and shot.is_managed and not (shot.is_raw and stage == "input")
            else "",
            "on": bool(getattr(settings, SWITCHES[stage])) if stage in SWITCHES else True,
        }
        for stage in reversed(TITLES)
    ]


def _corrected(shot: Shot, settings: ShotSettings) -> str:
    """What the camera's correction is, or that this shot leaves it out; empty where there is none."""
    held = correction_of(shot)
    if held is None or shot.camera is None:
        return ""
    if not settings.correction_on:
        return f" · without {shot.camera.name}’s correction"
    return f" · {shot.camera.name}’s correction: {held.name or held.summary()}"


def display_look_line(path: Path) -> str:
    """The Look of the display, as a line of its own within Rendering; empty where there is none."""
    over = path.rendering.look
    if over is None:
        return ""
    return f"\n+ {over.summary()}" if over.acts else f"\n+ without {over.lut.table.name}"


UNMANAGED = "Colour management is off: the file’s own numbers pass"


def _camera_line(shot: Shot, raw: RawSettings | None) -> str:
    if not shot.is_raw:
        matrix = next((row for row in shot.decoding if row.what == "Matrix"), None)
        said = f" · {matrix.value}{' guessed' if matrix.guessed else ''}" if matrix else ""
        return f"{shot.container} · {shot.width} × {shot.height} · {_depth(shot)}{said}"
    if raw is None:
        return f"Raw mosaic · {shot.width} × {shot.height}"
    settings = raw.development
    kelvin, _ = raw.light()
    return f"Raw · {settings.balance}, {kelvin:.0f} K · {raw.stops:+.2f} stops".replace("-", "−")


def _depth(shot: Shot) -> str:
    return f"{shot.depth} bit" if shot.depth.isdigit() else shot.depth


def trim_fits(settings: ShotSettings) -> str:
    """Whether a LUT can carry the trim."""
    active = settings.active
    stuck = [step.shown_name for step in active if not step.fits_in_lut]
    if stuck:
        return f"A LUT cannot carry {', '.join(stuck)}"
    if not active:
        return "Nothing in the trim: the bake carries the input and the rendering"
    return "The trim's one step fits in a LUT" if len(active) == 1 else f"All {len(active)} trim steps fit in a LUT"
