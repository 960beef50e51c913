"""The Column as text: what each stratum says in one line, whether it is on, and where its setting comes from."""

from __future__ import annotations

from typing import Any

from upwelling.core.path import Path
from upwelling.web.footage.models import Shot
from upwelling.web.footage.shot_settings import ShotSettings

TITLES = {"camera": "Camera file", "input": "Input", "trim": "Trim", "look": "Look", "rendering": "Rendering",
          "display": "Display code"}
SWITCHES = {"input": "input_on", "trim": "trim_on", "rendering": "rendering_on", "display": "display_on"}


def column(shot: Shot, path: Path, settings: ShotSettings) -> list[dict[str, Any]]:
    """Six strata from the top (display code) to the bottom (camera file), with the space at the boundary below each."""
    known = shot.settled_encoding
    target = path.target
    changed = [step.summary() for step in settings.steps if step.on and not step.changes_nothing]
    peak = f"{target.peak_nits:g} cd/m²"
    lines = {
        "camera": f"{shot.container} · {shot.width} × {shot.height} · {_depth(shot)}",
        "input": f"{known} → {path.working}" if known else "Not settled: say what this file is",
        "trim": " · ".join(changed) if changed else "Nothing corrected yet",
        "look": "None: light passes unchanged",
        "rendering": f"Rise, scene peak {path.rendering.method.scene_peak:g} × white → {peak}" if settings.rendering_on
                     else "Off: primaries only, nothing fitted",
        "display": f"{target.name} · {path.display.range}, {path.display.depth} bit",
    }
    if not known:
        waiting = "Waits for the encoding: numbers pass as they are"
        lines |= {"trim": waiting, "look": waiting, "rendering": waiting, "display": waiting}
    origins = {
        "input": "own" if shot.encoding else "production" if known else "",
        "rendering": "own" if settings.rendering else "production",
        "display": "production", "trim": "own" if changed else "", "look": "", "camera": "",
    }
    below = {
        "display": "display light, cd/m²", "rendering": f"scene linear, {path.working}", "look": f"scene linear, {path.working}",
        "trim": f"scene linear, {path.working}", "input": f"code value, {path.camera.depth} bit {shot.range}", "camera": "",
    }
    return [{
        "stage": stage, "title": TITLES[stage], "line": lines[stage], "below": below[stage], "origin": origins[stage],
        "switch": SWITCHES.get(stage, "") if known else "",
        "on": bool(getattr(settings, SWITCHES[stage])) if stage in SWITCHES else True,
    } for stage in reversed(TITLES)]


def _depth(shot: Shot) -> str:
    return f"{shot.depth} bit" if shot.depth.isdigit() else shot.depth


def trim_fits(settings: ShotSettings) -> str:
    """Whether a LUT can carry the trim."""
    active = [step for step in settings.steps if step.on and not step.changes_nothing]
    stuck = [step.title for step in active if not step.fits_in_lut]
    if stuck:
        return f"A LUT cannot carry {', '.join(stuck)}"
    if not active:
        return "Nothing in the trim: the bake carries the input and the rendering"
    return "The trim's one step fits in a LUT" if len(active) == 1 else f"All {len(active)} trim steps fit in a LUT"
