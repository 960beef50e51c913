"""One preview: picture, scopes, counts, Column lines and trace from the same frame, in one answer."""

from __future__ import annotations

import json
import struct
from typing import Any

import numpy as np

from upwelling.core import engine
from upwelling.core.encodings import legal_to_full
from upwelling.core.path import Path
from upwelling.core.primaries import rgb_to_xyz
from upwelling.core.scopes import shares_at_ends, stop_histogram
from upwelling.web.bench.bars import without_bars
from upwelling.web.bench.column import column, trim_fits
from upwelling.web.bench.scope import SCOPES, draw
from upwelling.web.footage.frames import Frame
from upwelling.web.footage.models import Shot
from upwelling.web.footage.pictures import jpeg, png, view_operations
from upwelling.web.footage.shot_settings import ShotSettings


def preview(shot: Shot, frame: Frame, settings: ShotSettings, *, without_trim: bool, lossless: bool,
            point: tuple[int, int] | None, scope: str = SCOPES[0], bars: bool = False) -> bytes:
    """A little-endian uint32 length, that much JSON, the picture, then the scope as uint8 (planes, levels, columns).

    The JSON names the sizes. Bars that intake found are left out of scopes and counts unless ``bars``. ``point`` is in pixels of the full frame.
    """
    shown = settings.model_copy(update={"trim_on": False}) if without_trim else settings
    path = shot.path(shown)
    # Scopes and screen want full-range signal, whatever range the output's code has.
    segments = path.model_copy(update={"display": path.display.model_copy(update={"range": "full"})}).segments()
    scene = engine.run(engine.compile_operations(
        (*segments["camera"], *segments["input"], *segments["trim"], *segments["look"])), frame.working)
    signal = engine.run(engine.compile_operations((*segments["rendering"], *segments["display"])), scene)
    to_view = view_operations(path)
    view = engine.run(engine.compile_operations(to_view), signal) if to_view else signal
    measured = signal if bars else without_bars(shot, frame, signal)
    histogram = stop_histogram(scene if bars else without_bars(shot, frame, scene), path.working_primaries)
    half_code = 0.5 / (2**path.display.depth - 1)
    at_black, at_peak = shares_at_ends(measured, half_code, 1 - half_code)
    shades, drawn = draw(scope, measured, path)
    picture = png(view) if lossless else jpeg(view)
    head = {
        "width": view.shape[1], "height": view.shape[0], "mime": "image/png" if lossless else "image/jpeg",
        "picture_bytes": len(picture), "scope": drawn,
        "histogram": (histogram.counts if path.input.on or path.camera.raw else 0 * histogram.counts).tolist(),
        "shares": {"at_black": at_black, "at_peak": at_peak, "above_white": histogram.above_white,
                   "below_zero": histogram.below_zero, "camera": frame.plateau_share,
                   "camera_code": round(frame.plateau_code * _top(path))},
        "column": column(shot, path, settings), "trace": trace(shot, path, frame, point), "fits": trim_fits(settings),
        "fingerprint": path.fingerprint[:12],
    }
    text = json.dumps(head).encode()
    return b"".join((struct.pack("<I", len(text)), text, picture, bytes(shades.tobytes())))


UNKNOWN = ["–", "–", "–"]
"""What stands for scene and display light while a file's codes have no meaning yet."""


def _top(path: Path) -> int:
    return int(2**path.camera.depth - 1)


def trace(shot: Shot, path: Path, frame: Frame, point: tuple[int, int] | None) -> dict[str, Any] | None:
    """One pixel of the full frame at every boundary, by the exact path, as printed on the page."""
    if point is None:
        return None
    still = frame.still
    x, y = min(max(point[0], 0), still.width - 1), min(max(point[1], 0), still.height - 1)
    code = still.code[y, x].astype(np.float64)
    boundaries = {boundary.stage: boundary for boundary in path.trace(code)}
    known = shot.settled.is_settled and shot.is_managed
    scene = np.array(boundaries["look"].rgb)
    luminance = float(scene @ rgb_to_xyz(path.working_primaries)[1])
    integer = shot.depth not in ("half", "float") and not shot.is_raw
    return {
        "x": x, "y": y,
        "camera": [f"{v * _top(path):.0f}" if integer else _number(v, 4) for v in code],
        **{stage: [_light(v) for v in boundaries[stage].rgb] if known else UNKNOWN for stage in ("input", "trim", "look")},
        "rendering": [_number(v, 2) for v in boundaries["rendering"].rgb] if known else UNKNOWN,
        "display": [f"{v:.0f}" for v in boundaries["display"].rgb],
        "stops": _stops(luminance) if known else "not known",
        "signal": _number(100 * float(np.mean(_full(path, boundaries["display"].rgb))), 1) + " %",
    }


def _full(path: Path, codes: Any) -> Any:
    signal = np.array(codes) / (2**path.display.depth - 1)
    return legal_to_full(signal, path.display.depth) if path.display.range == "legal" else signal


def _number(value: float, digits: int) -> str:
    text = f"{value:.{digits}f}"
    return text.replace("-", "−") if float(text) else text.lstrip("-")


def _light(value: float) -> str:
    """Scene light with digits enough for its size."""
    return _number(value, 4 if abs(value) < 1 else 3 if abs(value) < 10 else 2)


def _stops(luminance: float) -> str:
    if luminance <= 0:
        return "no light"
    stops = float(np.log2(luminance / 0.18))
    return ("+" if stops >= 0 else "−") + f"{abs(stops):.2f} stops"
