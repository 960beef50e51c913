"""Matches beside a peer in one run: medians; read the ratios.

colour-science's corrections (Cheung 2004, Finlayson 2015) are one least-squares solve, without judging how much to
correct, without leaving out and without outliers.
"""

from __future__ import annotations

import statistics as middle
import time
from collections.abc import Callable

import colour
import cv2
import numpy as np

from upwelling.core.charts.find import find_chart
from upwelling.core.charts.patch_chart import chart_linear
from upwelling.core.colour.primaries import primaries
from upwelling.core.match import Picture, chart, exposure, pairs, scene, space_of, statistics
from upwelling.core.match.registration import register
from upwelling.core.simulate.chart import chart_frame
from upwelling.core.simulate.shipped import shipped

SPACE = space_of(primaries("AP1"))


def timed(job: Callable[[], object], rounds: int = 7) -> float:
    """Milliseconds, the median after one warm-up."""
    times = []
    for turn in range(rounds + 1):
        begun = time.perf_counter()
        job()
        if turn:
            times.append(1e3 * (time.perf_counter() - begun))
    return middle.median(times)


def main() -> None:
    light = chart_linear("AP1")
    wanted = light * (1.2, 1.0, 0.8) * np.exp(np.random.default_rng(1).normal(0, 0.01, light.shape))
    ours = timed(lambda: pairs.of_colours(light, wanted, SPACE))
    print(f"24 marked pairs {ours:8.1f} ms")
    patches = (light, np.ones(24)), (wanted, np.ones(24))
    print(f"chart, 24 patches {timed(lambda: chart.of_patches(*patches, SPACE, {})):8.1f} ms")
    for method in ("Cheung 2004", "Finlayson 2015"):
        theirs = timed(lambda m=method: colour.colour_correction(light, light, wanted, method=m))
        print(f"    colour-science, {method}: {theirs:.1f} ms")
    full = shipped("Cold bench")
    mine = Picture.of(cv2.resize(full, (960, 540), interpolation=cv2.INTER_AREA))
    view = np.array([[0.55, 0.02, -10], [-0.02, 0.56, -20], [1e-5, 0, 1]])
    its = Picture.of(cv2.warpPerspective(full, view, (960, 540)) * np.float32(0.5))
    same = Picture.of(mine.rgb * np.float32(2.5))
    print(
        f"scene at 960×540 {timed(lambda: scene.match(its, mine, SPACE), 3):8.1f} ms, of which the registration "
        f"{timed(lambda: register(mine, its, SPACE), 3):.1f}"
    )
    print(
        f"exposure, same framing {timed(lambda: exposure.match(same, mine, SPACE)):8.1f} ms, "
        f"another {timed(lambda: exposure.match(its, mine, SPACE)):.1f}"
    )
    print(f"statistics {timed(lambda: statistics.match(its, mine, SPACE)):8.1f} ms")
    board = np.float32(chart_frame(960, 540))
    print(f"finding a chart at 960×540 {timed(lambda: find_chart(board, primaries('AP1')), 3):8.1f} ms")


if __name__ == "__main__":
    main()
