"""A shot's Path: what its settings, its camera, its Look and the production's rules make together."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from pydantic import ValidationError

from upwelling.core.documents import read_stored
from upwelling.core.errors import UpwellingError
from upwelling.core.outputs import Output
from upwelling.core.parameters import refusal
from upwelling.core.path import CameraFile, Correction, Display, Input, Layer, Path, RenderingStage
from upwelling.core.raw import Development, RawProfile, RawSettings
from upwelling.web.footage.around import ShotFrames
from upwelling.web.footage.layer_content import LayerContent
from upwelling.web.footage.layer_models import SHARED, SharedKind, layers_of
from upwelling.web.footage.look_models import looks_of
from upwelling.web.footage.models import Shot
from upwelling.web.footage.shot_settings import ShotSettings
from upwelling.web.luts.kept_tables import whole


def path_of(shot: Shot, chosen: ShotSettings | None = None, output: str = "", *, checked: bool = True) -> Path:
    """Under a shot's settings or others, for the main output or a delivery by its name. Not ``checked``, what its
    stages refuse is told only where it is used.

    While its encoding is not settled, or colour management is off, nothing is computed from its codes: they are shown
    as they are, every stage off.
    """
    rules, own, now = shot.production.rule_set, chosen or shot.settings, shot.settled
    on = bool(now.encoding) and shot.is_managed
    depth: Any = shot.integer_depth if shot.integer_depth in (8, 10, 12) else 16
    aim = rules.delivery(output)
    # A shot's own rendering is for the main output; a delivery with a rendering of its own keeps that.
    of_shot = aim.rendering is None or aim.output == rules.output
    method = (own.rendering or rules.rendering) if of_shot else aim.rendering
    display = Display(
        custom=shot.production.displays.get(aim.output),
        output=aim.output,
        range=aim.range,
        depth=aim.depth,
        on=on and own.display_on,
    )
    name = f"linear/{rules.working}" if shot.is_raw or not now.encoding else now.encoding
    path = Path(
        working=rules.working,
        camera=CameraFile(
            range="full" if shot.is_raw else now.range, depth=depth, raw=raw_settings_of(shot, own) if on else None
        ),
        input=Input(
            custom=shot.production.definitions.get(name),
            encoding=name,
            adaptation=rules.adaptation,
            on=on and own.input_on,
            hlg_peak_nits=rules.hlg_peak_nits,
            hlg_black_nits=rules.hlg_black_nits,
            correction=correction_of(shot) if own.correction_on else None,
        ),
        layers=_layers(shot, own, display.target, on),
        rendering=RenderingStage(
            method=method, look=own.display_look(rules.display_look(display.target.is_hdr)), on=on and own.rendering_on
        ),
        display=display,
    )
    if checked:
        path.at(shot.frame).segments()
    return path


def _layers(shot: Shot, own: ShotSettings, target: Output, on: bool) -> tuple[Layer, ...]:
    """The shot's own trim and Look, and what it shares, as it takes that; all off while nothing can be computed."""
    looks = looks_of(shot.production)
    shared = [layer for kind in SHARED if (layer := shared_layer(shot, own, kind, target)) is not None]
    second = looks.second(shot)
    if second is not None:
        use = own.group_look
        strength = second.strength if use.strength is None else use.strength
        shared.append(replace(second, strength=strength).stage(use.on, "group_look"))
    return (
        Layer(steps=whole(own.steps), groups=own.groups, on=on and own.trim_on),
        looks.in_force(shot, own).stage(on and own.look_on),
        *(layer.model_copy(update={"on": on and layer.on}) for layer in shared),
    )


def shared_layer(shot: Shot, own: ShotSettings, kind: SharedKind, target: Output) -> Layer | None:
    """A layer that the shot shares, as it takes it: its camera's, its group's, or the finish; None where there is
    none.
    """
    held, use = layers_of(shot.production).of(shot, kind, target), own.use_of(kind)
    if held is None and use.own is None:
        return None
    content = use.of(held.content if held else LayerContent())
    return content.layer(kind, held.whose if held else "", held.whose if held and kind == "finish" else "")


def path_at(shot: Shot, frame: int | None = None, chosen: ShotSettings | None = None, output: str = "") -> Path:
    """As ``path_of``, as it stands at a frame of the file; without one, at the frame that stands for the shot."""
    number = shot.frame if frame is None else frame
    return path_of(shot, chosen, output).at(number).fed(ShotFrames(shot, number))


def raw_settings_of(shot: Shot, chosen: ShotSettings | None = None) -> RawSettings | None:
    """Profile and development of a raw shot: its own, or its camera's."""
    if shot.raw_profile is None:
        return None
    own = (chosen or shot.settings).development
    shared = shot.camera.raw_development if shot.camera else Development()
    profile = read_stored("raw profile", shot.name, RawProfile, shot.raw_profile)
    return RawSettings(profile=profile, development=own or shared)


def correction_of(shot: Shot) -> Correction | None:
    """Its camera's correction, where there is one and it is switched on."""
    held = shot.camera.own_correction if shot.camera else None
    return held if held is not None and held.acts else None


def problem_of(shot: Shot) -> str:
    """Why the shot's path cannot be made from what is stored, for a page that lists it among others; empty where it
    can. A page asks several times.
    """
    kept = shot.__dict__
    if "path_problem" not in kept:
        try:
            path_of(shot)
            kept["path_problem"] = ""
        except (UpwellingError, ValidationError) as error:
            kept["path_problem"] = str(error) if isinstance(error, UpwellingError) else refusal(error)
    return str(kept["path_problem"])


def listed_settings_of(shot: Shot) -> ShotSettings:
    """The settings for a list, which says the problem beside a shot whose own cannot be read; they rest then."""
    return ShotSettings() if problem_of(shot) else shot.settings
