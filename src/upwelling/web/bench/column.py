"""The Column as text: what each stratum says in one line, whether it is on, and where its setting comes from."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace
from typing import Any

from upwelling.core.path import LAYER_TITLES, STAGES, Layer, Path
from upwelling.core.raw import RawSettings
from upwelling.web.footage.layer_content import LayerUse
from upwelling.web.footage.layer_models import SHARED, layers_of, title_of
from upwelling.web.footage.look_models import looks_of
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
    "camera_trim": "camera_trim.on",
    "group_trim": "group_trim.on",
    "trim": "trim_on",
    "look": "look_on",
    "group_look": "group_look.on",
    "rendering": "rendering_on",
    "finish": "finish.on",
    "display": "display_on",
}
SHADES = {"camera": 1, "input": 2, "camera_trim": 3, "group_trim": 3, "trim": 3, "look": 4, "group_look": 4}
"""How light a stratum is, from the camera file's 1 to the display code's 6; the rendering and the finish are 5."""


def column(shot: Shot, path: Path, settings: ShotSettings, drafts: Collection[str] = ()) -> list[dict[str, Any]]:
    """The strata from the top (display code) to the bottom (camera file), with the space at the boundary below each;
    those of shared layers where the shot has a camera, a group, or a finish to share. ``drafts``: layers that come with
    changes which are not saved yet.
    """
    now = shot.settled
    works = now.is_settled and shot.is_managed
    lines = _lines(shot, path, settings)
    if not now.is_settled:
        lines = {stage: line if stage in ("camera", "input") else WAITING for stage, line in lines.items()}
    elif not shot.is_managed:
        lines = {stage: line if stage == "camera" else UNMANAGED for stage, line in lines.items()}
    shared = shared_strata(shot, path, settings, drafts) if works else {}
    lines |= {stage: row["line"] for stage, row in shared.items()}
    origins, below = _origins(shot, path, settings), _below(shot, path, shared)
    return [
        {
            "stage": stage,
            "shared": stage in shared,
            "shade": SHADES.get(stage, 6 if stage == "display" else 5),
            "title": shared[stage]["title"] if stage in shared else TITLES[stage],
            "line": lines[stage],
            "below": below.get(stage, ""),
            "origin": origins.get(stage, ""),
            "switch": SWITCHES.get(stage, "") if works and not (shot.is_raw and stage == "input") else "",
            "on": _is_on(settings, stage),
        }
        for stage in reversed(STAGES)
        if stage in shared or stage in TITLES
    ]


def _is_on(settings: ShotSettings, stage: str) -> bool:
    name, _, within = SWITCHES.get(stage, "").partition(".")
    held = getattr(settings, name) if name else True
    return bool(getattr(held, within) if within else held)


def _lines(shot: Shot, path: Path, settings: ShotSettings) -> dict[str, str]:
    """What each of the six strata that every shot has does, in one line."""
    now, target = shot.settled, path.target
    look = shot.look_in_force(settings)
    changed = [step.summary() for step in path.layer("trim").acting(target)]
    return {
        "camera": _camera_line(shot, path.camera.raw),
        "input": f"Scene-linear already: raw development ends in {path.working}{_corrected(shot, settings)}"
        if shot.is_raw
        else f"{now.encoding} → {path.working}{_corrected(shot, settings)}"
        if now.is_settled
        else "Not settled: say what this file is",
        "trim": " · ".join(changed) if changed else "Nothing corrected yet",
        "look": look.summary() if settings.look_on or look.version is None else "Off: light passes unchanged",
        "rendering": path.rendering.method.values_text(target) + display_look_line(path)
        if settings.rendering_on
        else "Off: primaries only, nothing fitted",
        "display": f"{target.name} · {path.display.range}, {path.display.depth} bit",
    }


def shared_strata(
    shot: Shot, path: Path, settings: ShotSettings, drafts: Collection[str] = ()
) -> dict[str, dict[str, str]]:
    """Title and line of each layer that the shot shares with others, or could."""
    found: dict[str, dict[str, str]] = {}
    owners = {"camera_trim": shot.camera, "group_trim": shot.group}
    for kind in SHARED:
        if kind != "finish" and owners[kind] is None:
            continue
        held = layers_of(shot.production).of(shot, kind, path.target)
        whose = held.whose if held else owners[kind].name if kind in owners else ""  # type: ignore[union-attr]
        use = settings.use_of(kind)
        use = use.model_copy(update={"own": None}) if kind in drafts else use
        found[kind] = {
            "title": title_of(kind, whose) if kind != "finish" or held else LAYER_TITLES[kind],
            "line": _shared_line(path.layer(kind), use, whose if kind != "finish" else "", path),
        }
    second = looks_of(shot.production).second(shot)
    if second is not None:
        use = settings.group_look
        taken = replace(second, strength=second.strength if use.strength is None else use.strength)
        line = f"{taken.summary()} · from {second.group}{', ' * bool(use.sentence())}{use.sentence()}"
        found["group_look"] = {
            "title": "Group’s Look",
            "line": line if use.on else f"{second.group}’s is left out here",
        }
    return found


def _shared_line(layer: Layer, use: LayerUse, whose: str, path: Path) -> str:
    if not use.on:
        return "Left out here"
    if not layer.is_for(path.target):
        return "Does not act for this output"
    said = " · ".join(step.summary() for step in layer.acting(path.target))
    if not said:
        return "Nothing yet"
    own = use.sentence()
    at = f" at {100 * layer.strength:.0f} %" if layer.strength < 1 and use.strength is None else ""
    return said + at + (f" · from {whose}" if whose and use.own is None else "") + (f", {own}" if own else "")


def _origins(shot: Shot, path: Path, settings: ShotSettings) -> dict[str, str]:
    """Where what each stratum does comes from."""
    now, look = shot.settled, shot.look_in_force(settings)
    return {
        "input": {"shot": "own"}.get(now.encoding_from, now.encoding_from),
        "rendering": "own" if settings.rendering else "production",
        "display": "production",
        "trim": "own" if path.layer("trim").acting(path.target) else "",
        "look": {"shot": "own", "group": look.group}.get(look.origin, look.origin),
    }


def _below(shot: Shot, path: Path, shared: Collection[str]) -> dict[str, str]:
    """The space at the boundary below a stratum; said once where several in a row work in it."""
    scene = f"scene linear, {path.working}"
    code = f"code value, {path.camera.depth} bit {shot.settled.range}"
    found = {"display": "display light, cd/m²", "rendering": scene, "input": scene if shot.is_raw else code}
    lowest = next(stage for stage in ("camera_trim", "group_trim", "trim") if stage in shared or stage == "trim")
    return {**found, lowest: scene} if shared else {**found, "look": scene, "trim": scene}


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


WAITING = "Waits for the encoding: numbers pass as they are"
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


def trim_fits(path: Path, settings: ShotSettings) -> str:
    """Whether a LUT can carry the trim, and what else acts on the shot."""
    acting = list(path.acting())
    stuck = [step.shown_name for _, step in acting if not step.fits_in_lut]
    if stuck:
        return f"A LUT cannot carry {', '.join(stuck)}"
    own = len(settings.active)
    if not own:
        rest = "its layers fit in a LUT" if acting else "the bake carries the input and the rendering"
        return f"Nothing in the trim: {rest}"
    return "The trim's one step fits in a LUT" if own == 1 else f"All {own} trim steps fit in a LUT"
