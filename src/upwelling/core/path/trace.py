"""One pixel's value at every boundary of a path."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.errors import PlaceNeeded
from upwelling.core.operations import FrameOperation, Operation, Place, needs_of, run_reference
from upwelling.core.operations.film import Negative, Print
from upwelling.core.path.layers import SCENE_LAYERS
from upwelling.core.path.path import Path
from upwelling.core.path.stages import STAGES, StageName


@dataclass(frozen=True)
class Boundary:
    """A value of the trace: after which stage, in which space and unit."""

    stage: StageName
    space: str
    unit: str
    rgb: tuple[float, float, float]
    densities: tuple[tuple[str, tuple[float, float, float]], ...] = ()
    """Of film within the stage: what it is, and its layers' densities above base; the print's above its white."""


Run = Callable[[tuple[Operation, ...], Any, Place | None], Any]


def _to_the_pixel(
    operations: tuple[Operation, ...], value: Any, place: Place | None, at: tuple[int, int], run: Run
) -> tuple[Any, Place | None]:
    """One pixel after operations of which none after the last that looks around needs more than it, and its place."""
    row, column = at
    here = place.part(row, column) if place else None
    last = max((n for n, one in enumerate(operations) if "neighbours" in one.needs), default=-1)
    widest = operations[last] if last >= 0 else None
    if place is None or not isinstance(widest, FrameOperation) or "frames" in needs_of(operations):
        value = run(operations, value, place) if operations else value
        return np.asarray(value[row : row + 1, column : column + 1], dtype=np.float64), here
    if last:
        value = np.asarray(run(operations[:last], value, place), dtype=np.float64)
    pixel = widest.pixel_at(value, place, row, column)
    return run_reference(operations[last + 1 :], pixel, here), here


def _densities(operations: tuple[Operation, ...], value: Any, place: Place | None) -> tuple[tuple[str, Any], ...]:
    """Layers' densities of one pixel that film sees on its way through ``operations``."""
    found: list[tuple[str, Any]] = []
    last = max((n for n, one in enumerate(operations) if isinstance(one, Negative | Print)), default=-1)
    for operation in operations[: last + 1]:
        if isinstance(operation, Print):
            found.append(("print", operation.densities(value)))
        value = run_reference((operation,), value, place)
        if isinstance(operation, Negative):
            found.append(("negative", value))
    return tuple((name, tuple(float(v) for v in rgb[0, 0])) for name, rgb in found)


def trace(
    path: Path, code: Any, place: Place | None = None, at: tuple[int, int] = (0, 0), run: Run = run_reference
) -> list[Boundary]:
    """One pixel's value at every boundary, from file code up. ``code`` is the pixel's (3,), or a window (H, W, 3) in
    which it stands ``at`` (row, column); ``place`` says where that lies. A path that needs neighbours needs the window:
    ``path.reach`` on every side, or up to the frame's edge. ``run`` may be
    another than the exact path where that window is large; once nothing to come looks around, the pixel alone goes on
    exactly.
    """
    value = np.asarray(code, dtype=np.float64)
    alone = value.ndim == 1
    value = value.reshape(1, 1, 3) if alone else value
    segments, target = path.segments(), path.target
    if alone and any("neighbours" in needs_of(part) for part in segments.values()):
        raise PlaceNeeded("neighbours")
    spaces: dict[StageName, tuple[str, str]] = {
        "camera": ("signal", "0…1, full range"),
        "input": (f"scene linear, {path.working}", "1.0 = diffuse white"),
        **dict.fromkeys(SCENE_LAYERS, (f"scene linear, {path.working}", "1.0 = diffuse white")),
        "rendering": ("display light", "cd/m²"),
        "finish": ("display light", "cd/m²"),
        "display": (target.name, f"{path.display.depth}-bit code, {path.display.range} range"),
    }
    boundaries = []
    row, column = at
    densities: tuple[tuple[str, Any], ...]
    for number, stage in enumerate(STAGES):
        operations = segments[stage]
        later = [op for name in STAGES[number + 1 :] for op in segments[name]]
        one = value.shape[:2] == (1, 1)
        densities = _densities(operations, value, place) if one else ()
        if not one and "neighbours" not in needs_of(later):
            value, place = _to_the_pixel(operations, value, place, (row, column), run)
            row = column = 0
        elif operations:
            value = (run_reference if one else run)(operations, value, place)
        here = value[row, column]
        shown = target.nits(here) if stage in ("rendering", "finish") else here
        if stage == "display":
            top = 2**path.display.depth - 1
            shown = np.clip(np.round(here * top), 0, top)
        space, unit = spaces[stage]
        boundaries.append(Boundary(stage, space, unit, tuple(float(v) for v in shown), densities))  # type: ignore[arg-type]
    return boundaries
