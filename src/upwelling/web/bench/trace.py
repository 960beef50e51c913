"""One pixel of the full frame at every boundary, by the exact path, as printed on the page."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core import engine
from upwelling.core.arrays import MID_GREY
from upwelling.core.colour.primaries import rgb_to_xyz
from upwelling.core.encodings import legal_to_full
from upwelling.core.operations import Operation, Place, run_reference
from upwelling.core.operations.colour import polar
from upwelling.core.path import STAGES, Path, stages_between
from upwelling.core.path import trace as path_trace
from upwelling.core.steps.selections.colour_range import oklab_rows
from upwelling.web.footage.frames import Frame
from upwelling.web.footage.models import Shot

UNKNOWN = ["–", "–", "–"]
"""What stands for scene and display light while a file's codes have no meaning yet."""


EXACT_UP_TO = 200_000
"""Pixels of a window that a trace is made in by float64; a larger one goes through the engine in float32."""


LEAST_SATURATION = 0.01
"""C/L below which a pixel is called neutral: its hue says nothing."""
LARGEST = 40_000_000
"""Pixels of a window that is still worked out for one pixel's values."""


def _unseen(shot: Shot, path: Path, frame: Frame, x: int, y: int) -> dict[str, Any]:
    """The file's code of a pixel whose other values would take more of a large frame than one look is worth."""
    code = frame.still.code[y, x].astype(np.float64)
    integer = shot.depth not in ("half", "float") and not shot.is_raw
    unknown: dict[str, Any] = dict.fromkeys(STAGES[1:], UNKNOWN)
    values = {"stops": None, "signal": None, "trim_hue": None}
    said = {"stops": "too large a frame", "signal": "–", "colour": "–", "values": values}
    camera = [f"{v * _top(path):.0f}" if integer else _number(v, 4) for v in code]
    return {"x": x, "y": y, "camera": camera, **unknown, **said}


def _fast(operations: tuple[Operation, ...], value: Any, place: Place | None) -> Any:
    return engine.run(engine.compile_operations(operations), value, place=place)


def _top(path: Path) -> int:
    return int(2**path.camera.depth - 1)


def trace(shot: Shot, path: Path, frame: Frame, point: tuple[int, int] | None) -> dict[str, Any] | None:
    """One pixel of the full frame at every boundary, by the exact path, as printed on the page."""
    if point is None:
        return None
    still = frame.still
    x, y = min(max(point[0], 0), still.width - 1), min(max(point[1], 0), still.height - 1)
    code = still.code[y, x].astype(np.float64)
    reach = min(path.reach(1 / still.height), max(still.width, still.height)) if "neighbours" in path.needs else 0
    window, place, at = frame.window(x, y, reach)
    if window.shape[0] * window.shape[1] > LARGEST:
        return _unseen(shot, path, frame, x, y)
    run = run_reference if window.shape[0] * window.shape[1] <= EXACT_UP_TO else _fast
    boundaries = {boundary.stage: boundary for boundary in path_trace(path, window, place, at, run)}
    known = shot.settled.is_settled and shot.is_managed
    scene = np.array(boundaries["group_look"].rgb)
    luminance = float(scene @ rgb_to_xyz(path.working_primaries)[1])
    integer = shot.depth not in ("half", "float") and not shot.is_raw
    return {
        "x": x,
        "y": y,
        "camera": [f"{v * _top(path):.0f}" if integer else _number(v, 4) for v in code],
        **{
            stage: [_light(v) for v in boundaries[stage].rgb] if known else UNKNOWN
            for stage in stages_between("input", "look")
        },
        **{
            stage: [_number(v, 2) for v in boundaries[stage].rgb] if known else UNKNOWN
            for stage in ("rendering", "finish")
        },
        "display": [f"{v:.0f}" for v in boundaries["display"].rgb],
        **{
            name: [_number(v, 2) for v in rgb]  # of two negatives in a path, the later's
            for boundary in boundaries.values()
            for name, rgb in (boundary.densities if known else ())
        },
        "stops": _stops(luminance) if known else "not known",
        "colour": _colour(scene, path) if known else "not known",
        "values": {
            "stops": float(np.log2(luminance / MID_GREY)) if known and luminance > 0 else None,
            "signal": 100 * float(np.mean(_full(path, boundaries["display"].rgb))),
            "trim_hue": _hue(np.array(boundaries["trim"].rgb), path) if known else None,
        },
        "signal": _number(100 * float(np.mean(_full(path, boundaries["display"].rgb))), 1) + " %",
    }


def _hue_and_saturation(scene: Any, path: Path) -> tuple[float | None, float]:
    """Oklab hue in degrees, None for what has none to speak of, and chroma over lightness."""
    _, hue, saturation, _ = polar(scene, np.array(oklab_rows(path.working_primaries)))
    return float(hue) if saturation >= LEAST_SATURATION else None, float(saturation)


def _colour(scene: Any, path: Path) -> str:
    """Oklab hue and saturation after the look, as printed."""
    hue, saturation = _hue_and_saturation(scene, path)
    return "neutral" if hue is None else f"{hue:.0f}° · {saturation:.3f}"


def _hue(scene: Any, path: Path) -> float | None:
    """Oklab hue after the trim."""
    hue, _ = _hue_and_saturation(scene, path)
    return None if hue is None else round(hue, 1)


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
    stops = float(np.log2(luminance / MID_GREY))
    return ("+" if stops >= 0 else "−") + f"{abs(stops):.2f} stops"
