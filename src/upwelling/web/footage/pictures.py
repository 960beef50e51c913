"""Frames as pictures for a web page: display light shown as sRGB."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path as FilePath
from typing import Any

import numpy as np
from django.conf import settings

from upwelling.core import engine
from upwelling.core.colour.primaries import primaries, rgb_to_rgb
from upwelling.core.curves import CURVES
from upwelling.core.files import whole_file
from upwelling.core.operations import Encode, Matrix, Operation, Place, legal_in, run_reference
from upwelling.core.outputs import Output
from upwelling.core.path import Path
from upwelling.core.scopes.picture_views import to_bytes
from upwelling.web.common.pictures import jpeg
from upwelling.web.footage.frames import Frame, frame_of
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_at
from upwelling.web.footage.shot_settings import ShotSettings


def view_operations(path: Path) -> tuple[Operation, ...]:
    """From full-range display signal to sRGB code for the browser, so that light keeps its ratios on an sRGB screen.

    With the display stage off there is no light to show, only numbers: they are shown as they are.
    """
    if not path.display.on:
        return ()
    target = path.target
    if target.curve_name == "sRGB" and target.primaries_name == "BT.709":
        return ()
    return (*target.decode_operations(), *light_to_screen(target))


def light_to_screen(target: Output) -> tuple[Operation, ...]:
    """From relative display light to sRGB code; an HDR output's reference white is as bright as the screen gets,
    brighter light is white.
    """
    to_screen = rgb_to_rgb(target.gamut, primaries("BT.709"), "CAT02")
    gain = target.peak_nits / target.white_nits if target.is_hdr else 1.0
    return (Matrix.of(gain * to_screen), Encode(CURVES["sRGB"]))


def range_operations(path: Path) -> tuple[Operation, ...]:
    """From display code in the path's range to full-range signal."""
    return (legal_in(path.display.depth),) if path.display.range == "legal" else ()


def thumbnail(path: Path, frame: Frame, width: int = 176) -> bytes:
    """A small JPEG of a frame, rendered by a path as it stands there."""
    return rendered(path, *frame.reduced(max(1, frame.working.shape[1] // width)))


def rendered(path: Path, small: Any, place: Place) -> bytes:
    """A JPEG of file code (H, W, 3) that lies at ``place``, rendered by a path."""
    operations = (*path.operations(), *range_operations(path), *view_operations(path))
    return jpeg(to_bytes(engine.run(engine.compile_operations(operations), small, place=place)), 88)


def as_recorded(path: Path, frame: Frame, width: int = 176) -> bytes:
    """A small JPEG of the file's own signal, as a screen shows it that knows nothing of it."""
    small, _ = frame.reduced(max(1, frame.working.shape[1] // width))
    signal = (legal_in(path.camera.depth),) if path.camera.range == "legal" else ()
    return jpeg(to_bytes(engine.run(engine.compile_operations(signal), small)), 88)


def thumbnail_file(
    shot: Shot, *, recorded: bool = False, settings_shown: ShotSettings | None = None, number: int | None = None
) -> FilePath:
    """The file of a shot's thumbnail under its settings or others, at its frame or another, made once for each
    fingerprint and kept.
    """
    # The file's own signal depends on none of the settings, which may not be readable any more.
    path = path_at(shot, number, ShotSettings() if recorded else settings_shown)
    kind = f"recorded-{path.camera.range}" if recorded else path.fingerprint[:24]

    def make() -> bytes:
        frame = frame_of(shot, number)
        return as_recorded(path, frame) if recorded else thumbnail(path, frame)

    return kept_picture(shot, f"{shot.frame if number is None else number}-{kind}", make)


def kept_picture(shot: Shot, name: str, make: Callable[[], bytes]) -> FilePath:
    """The file of a small JPEG of a shot, made when it is first asked for."""
    place = kept_place(shot, f"{name}.jpg")
    if not place.exists():
        keep(place, make())
    return place


def kept_place(shot: Shot, name: str) -> FilePath:
    """Where something made of a shot is kept, that can be made again."""
    return FilePath(settings.FILES) / "thumbnails" / shot.sha256[:2] / f"{shot.sha256[:24]}-{name}"


def keep(place: FilePath, data: bytes) -> None:
    """Puts data there whole or not at all."""
    place.parent.mkdir(parents=True, exist_ok=True)
    with whole_file(place) as temporary:
        temporary.write_bytes(data)


def swatch(rgb_linear: Any, path: Path) -> str:
    """A scene-linear working colour as #rrggbb of sRGB, without a tone map; out-of-range light is held."""
    light = run_reference(
        (
            Matrix.of(rgb_to_rgb(path.working_primaries, primaries("BT.709"), path.input.adaptation)),
            Encode(CURVES["sRGB"]),
        ),
        np.asarray(rgb_linear, dtype=np.float64),
    )
    return "#" + "".join(f"{round(255 * v):02x}" for v in np.clip(light, 0, 1))


def make_thumbnails(shot: Shot) -> None:
    """Both thumbnails ahead of the page that shows them."""
    thumbnail_file(shot, recorded=True)
    thumbnail_file(shot)
