"""Frames as pictures for a web page: display light shown as sRGB."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path as FilePath
from typing import TYPE_CHECKING, Any

import imagecodecs
import numpy as np
from django.conf import settings

from upwelling.core import engine
from upwelling.core.curves import CURVES
from upwelling.core.declared_lut import legal_in
from upwelling.core.files import whole_file
from upwelling.core.operations import Encode, Matrix, Operation, run_reference
from upwelling.core.outputs import Output
from upwelling.core.path import Path
from upwelling.core.picture_views import to_bytes
from upwelling.core.primaries import primaries, rgb_to_rgb

WORKING_WIDTH, WORKING_HEIGHT = 960, 540
"""The working frame of a full one is at most this large."""

if TYPE_CHECKING:
    from upwelling.web.footage.models import Shot
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
    """From relative display light to sRGB code; an HDR output's reference white is as bright as the screen gets, brighter light is white."""
    to_screen = rgb_to_rgb(target.gamut, primaries("BT.709"), "CAT02")
    gain = target.peak_nits / target.white_nits if target.is_hdr else 1.0
    return (Matrix.of(gain * to_screen), Encode(CURVES["sRGB"]))


def range_operations(path: Path) -> tuple[Operation, ...]:
    """From display code in the path's range to full-range signal."""
    return (legal_in(path.display.depth),) if path.display.range == "legal" else ()


def jpeg(picture: Any, quality: int = 95) -> bytes:
    """A 4:4:4 JPEG of a uint8 picture (H, W, 3)."""
    return bytes(imagecodecs.jpeg8_encode(picture, level=quality, subsampling="444"))


def png(picture: Any) -> bytes:
    """A lossless PNG of a uint8 picture (H, W, 3)."""
    return bytes(imagecodecs.png_encode(picture, level=1))


def block_mean(code: Any, factor: int) -> Any:
    """(H // factor, W // factor, 3) float32: the mean of each block of pixels; what is left over at the edges is cut."""
    rows, columns = code.shape[0] // factor, code.shape[1] // factor
    total = np.zeros((rows, columns, 3), dtype=np.float32)
    for y in range(factor):  # adding strided pictures is several times as fast as a mean over two axes
        for x in range(factor):
            total += code[y:rows * factor:factor, x:columns * factor:factor]
    return total / np.float32(factor * factor)


def thumbnail(path: Path, code: Any, width: int = 176) -> bytes:
    """A small JPEG of the rendered shot."""
    small = block_mean(code, max(1, code.shape[1] // width))
    operations = (*path.operations(), *range_operations(path), *view_operations(path))
    return jpeg(to_bytes(engine.run(engine.compile_operations(operations), small)), 88)


def as_recorded(path: Path, code: Any, width: int = 176) -> bytes:
    """A small JPEG of the file's own signal, as a screen shows it that knows nothing of it."""
    small = block_mean(code, max(1, code.shape[1] // width))
    signal = (legal_in(path.camera.depth),) if path.camera.range == "legal" else ()
    return jpeg(to_bytes(engine.run(engine.compile_operations(signal), small)), 88)


def thumbnail_file(shot: Shot, *, recorded: bool = False, settings_shown: ShotSettings | None = None) -> FilePath:
    """The file of a shot's thumbnail under its settings or others, made once for each fingerprint and kept."""
    from upwelling.web.footage.frames import frame_of
    from upwelling.web.footage.shot_settings import ShotSettings

    # The file's own signal depends on none of the settings, which may not be readable any more.
    path = shot.path(ShotSettings() if recorded else settings_shown)
    kind = f"recorded-{path.camera.range}" if recorded else path.fingerprint[:24]

    def make() -> bytes:
        working = frame_of(shot).working
        return as_recorded(path, working) if recorded else thumbnail(path, working)

    return kept_picture(shot, f"{shot.frame}-{kind}", make)


def kept_picture(shot: Shot, name: str, make: Callable[[], bytes]) -> FilePath:
    """The file of a small JPEG of a shot, made when it is first asked for."""
    place = FilePath(settings.FILES) / "thumbnails" / shot.sha256[:2] / f"{shot.sha256[:24]}-{name}.jpg"
    if not place.exists():
        place.parent.mkdir(parents=True, exist_ok=True)
        data = make()
        with whole_file(place) as temporary:
            temporary.write_bytes(data)
    return place


def reduced(code: Any) -> tuple[Any, int]:
    """The working frame of a full one, and how many pixels a side it takes together."""
    height, width = code.shape[:2]
    factor = max(1, -(-width // WORKING_WIDTH), -(-height // WORKING_HEIGHT))
    if factor == 1 or min(height, width) < factor:
        return code, 1
    return block_mean(code, factor), factor


def swatch(rgb_linear: Any, path: Path) -> str:
    """A scene-linear working colour as #rrggbb of sRGB, without a tone map; out-of-range light is held."""
    light = run_reference((Matrix.of(rgb_to_rgb(path.working_primaries, primaries("BT.709"), path.input.adaptation)), Encode(CURVES["sRGB"])),
                          np.asarray(rgb_linear, dtype=np.float64))
    return "#" + "".join(f"{round(255 * v):02x}" for v in np.clip(light, 0, 1))


def make_thumbnails(shot: Shot) -> None:
    """Both thumbnails ahead of the page that shows them."""
    thumbnail_file(shot, recorded=True)
    thumbnail_file(shot)
