"""Operations that look around beside their peers, in one run: read the ratios, not the times.

A scene of Kilnlight at 960×540 and 1920×1080; each step by the engine, its blurs beside OpenCV's and SciPy's own, a
dragged shape beside a dragged exposure, and all texture steps together.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from statistics import median
from typing import Any

import cv2
import numpy as np
from scipy.ndimage import gaussian_filter

from upwelling.core import engine
from upwelling.core.colour.primaries import primaries
from upwelling.core.operations import Place
from upwelling.core.operations.blur import blur_fast
from upwelling.core.path import Display, Input, Layer, Path
from upwelling.core.simulate.shipped import shipped
from upwelling.core.steps import CalmNoise, Exposure, Glow, Grain, Halation, Matte, Sharpen, Streaks
from upwelling.core.steps.selections import Ellipse, LinearGradient, Polygon, RadialGradient, Rectangle

AP1 = primaries("AP1")
STEPS = (Sharpen(), CalmNoise(), Glow(), Halation(), Streaks(), Grain())


def timed(*functions: Callable[[], Any], rounds: int = 15) -> list[float]:
    """Medians in ms, the functions taking turns."""
    found: list[list[float]] = [[] for _ in functions]
    for function in functions:
        function()
    for _ in range(rounds):
        for kept, function in zip(found, functions, strict=True):
            begun = time.perf_counter()
            function()
            kept.append(1e3 * (time.perf_counter() - begun))
    return [median(kept) for kept in found]


def main() -> None:
    scene = np.maximum(shipped("Gathering room"), 0)
    small, full = (cv2.resize(scene, size, interpolation=cv2.INTER_AREA) for size in ((960, 540), (1920, 1080)))
    near, far = Place.whole(1920, 1080, 540), Place.whole(1920, 1080)
    for step in STEPS:
        program = engine.compile_operations(step.at(0).operations(AP1))
        a, b = timed(
            lambda p=program: engine.run(p, small, place=near), lambda p=program: engine.run(p, full, place=far)
        )
        print(f"{step.kind:12} 960×540 {a:6.1f} ms   1920×1080 {b:6.1f} ms")
    together = engine.compile_operations([op for step in STEPS for op in step.at(0).operations(AP1)])
    (a,) = timed(lambda: engine.run(together, full, place=far), rounds=7)
    print(f"all of them together, 1920×1080 {a:6.1f} ms")
    for sigma in (2.0, 8.0, 32.0):
        side = 2 * int(4 * sigma + 0.5) + 1
        ours, theirs, scipys = timed(
            lambda s=sigma: blur_fast(small, s),
            lambda s=sigma, n=side: cv2.GaussianBlur(small, (n, n), s, borderType=cv2.BORDER_REFLECT),
            lambda s=sigma: gaussian_filter(small, (s, s, 0)),
            rounds=5,
        )
        print(
            f"blur, sigma {sigma:4.0f}: {ours:6.1f} ms, OpenCV's own × {theirs / ours:.1f}, SciPy × {scipys / ours:.1f}"
        )
    show = Path(input=Input(encoding="linear/AP1"), display=Display(output="BT.709 BT.1886"))

    def drawn(step: Any) -> Callable[[], Any]:
        path = show.with_layers(trim=Layer(steps=(step,)))
        return lambda: engine.run(engine.compile_operations(path.operations()), small, place=near)

    plain = drawn(Exposure(stops=1))
    for shape in (Ellipse(), Rectangle(), LinearGradient(), RadialGradient(), Polygon(feather_in=0.1, feather_out=0.1)):
        exposure, shaped = timed(plain, drawn(Exposure(stops=1, limit=Matte(selections=(shape,)))))
        print(f"exposure in a {shape.title.lower():16} {shaped:6.1f} ms, × {shaped / exposure:.2f} the exposure alone")


if __name__ == "__main__":
    main()
