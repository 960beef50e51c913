"""What each rendering costs beside the default, at 1920×1080 in the engine, and what a comparison of all methods costs
at the page's size.

Medians of interleaved repeats in one run; read the ratios. `cold` is the first comparison in a fresh process whose
kernels are compiled.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial

import numpy as np
from run import interleaved, say

from upwelling.core import engine
from upwelling.core.colour.primaries import primaries
from upwelling.core.measure.comparison import figures, hdr_reference, render
from upwelling.core.outputs import output
from upwelling.core.rendering import FITS, TONE_MAPS, Rise
from upwelling.core.simulate.shipped import shipped_at
from upwelling.core.steps import Density, Saturation
from upwelling.core.warm import warm

AP1, TV, HDR = primaries("AP1"), output("BT.709 BT.1886"), output("BT.2100 PQ 1000")


def engine_times() -> None:
    scene = shipped_at("Gathering room", 1920, 1080).astype(np.float32)
    out = np.empty_like(scene)
    jobs: dict[str, Callable[[], object]] = {}
    for method in TONE_MAPS:
        jobs[f"{method.title}, smooth fit"] = partial(
            engine.run, engine.compile_operations(method().operations(AP1, TV, "CAT02")), scene, out
        )
    for fit in FITS[1:]:
        jobs[f"Rise, {fit.title.lower()}"] = partial(
            engine.run, engine.compile_operations(Rise(fit=fit()).operations(AP1, TV, "CAT02")), scene, out
        )
    for step in (Saturation(amount=1.4), Density(richness=1.3, depth=0.8, spare_skin=0.5)):
        jobs[f"The step {step.title}"] = partial(
            engine.run, engine.compile_operations(step.operations(AP1)), scene, out
        )
    times = interleaved(7, **jobs)
    base = float(np.median(times["Rise, smooth fit"]))
    for name, found in times.items():
        say(f"1920×1080: {name}", found, f"{np.median(found) / base:.2f} × the default")


def comparison() -> None:
    scene = shipped_at("Gathering room", 480, 270).astype(np.float32)

    def all_methods() -> None:
        for method in TONE_MAPS:
            reference = hdr_reference(scene, AP1, "CAT02", HDR)
            figures(method(), render(method(), scene, AP1, TV, "CAT02"), scene, AP1, TV, "CAT02", reference)

    start = time.perf_counter()
    all_methods()
    name = f"Comparison of {len(TONE_MAPS)} methods with numbers"
    print(f"{name + ', cold':58} {(time.perf_counter() - start) * 1000:15.1f} ms")
    say(f"{name}, warm", interleaved(5, warm=all_methods)["warm"])


if __name__ == "__main__":
    warm()
    comparison()
    engine_times()
