"""What a step makes worse at the display: what it clips, what it crushes, and where it may band. Told against the same
picture without the step, beside its controls.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core import engine
from upwelling.core.measure.banding import banding
from upwelling.core.path import Path
from upwelling.web.bench.figures import half_code, percent
from upwelling.web.bench.frame_values import FrameValues
from upwelling.web.footage.frames import Frame

WORTH = 0.002
"""Share of the picture from which a worsening is said."""
MORE_STEPS = 3
"""Steps of code that may band, beyond those that do without the step, from which it is said."""


def risks(made: FrameValues, frame: Frame) -> list[str]:
    """Sentences about the step in hand; none where the path needs neighbours, or goes to no display."""
    path, (kind, name) = made.path, made.in_hand
    layer = path.layer(kind)  # type: ignore[arg-type]
    rest = [step for step in layer.steps if step.id != name]
    if len(rest) == len(layer.steps) or "neighbours" in path.needs or not path.rendering.on or not path.display.on:
        return []
    without = path.with_layers(**{kind: layer.with_steps(rest)})
    black, peak = _ends(path, made.signal[1::3, 1::3])
    code = np.ascontiguousarray(made.code[1::3, 1::3])
    place = made.place.part(1, 1, every=3) if made.place else None
    signal = engine.run(engine.compile_operations(without.operations()), code, place=place)
    was_black, was_peak = _ends(without, signal)
    said = []
    if peak - was_peak >= WORTH:
        said.append(f"brings {percent(peak - was_peak)} of the picture to the display’s peak")
    if black - was_black >= WORTH:
        said.append(f"brings {percent(black - was_black)} of the picture to the display’s black")
    now, before = (banding(one, *frame.used_codes) for one in (path, without))
    if now and before and now.risky - before.risky >= MORE_STEPS:
        said.append(f"may band: {now.risky} of {now.steps} steps of code lie wide apart, {before.risky} without it")
    return said


def _ends(path: Path, signal: Any) -> tuple[float, float]:
    """Shares of pixels with any channel at the display's black, and at its peak."""
    half = half_code(path)
    dark, bright = signal <= half, signal >= 1 - half
    return tuple(float((x[..., 0] | x[..., 1] | x[..., 2]).mean()) for x in (dark, bright))  # type: ignore[return-value]
