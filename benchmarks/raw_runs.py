"""Frames a second of a raw run of 1080p: decoded at each size, and as playing shows them; beside LibRaw's half size.

Run with ``python -m benchmarks.raw_runs``.
"""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from pathlib import Path as FilePath

import numpy as np
import rawpy
from tests.core.test_raw import BLACK, PROFILE, WHITE, mosaic_of, scene

from upwelling.core import engine
from upwelling.core.blocks import block_mean
from upwelling.core.media import RawRun, dng
from upwelling.core.operations import Place
from upwelling.core.path import CameraFile, Display, Input, Path
from upwelling.core.raw import RawSettings
from upwelling.core.raw.mosaic import QUALITIES

FRAMES, WANTED = 24, 24.0


def shot(folder: FilePath) -> RawRun:
    """A second of noisy frames."""
    rng, places = np.random.default_rng(0), []
    clean = mosaic_of(scene(1080, 1920)).astype(int)
    for number in range(FRAMES):
        noisy = np.clip(clean + rng.integers(-40, 40, clean.shape), 0, 16383).astype(np.uint16)
        places.append(folder / f"A_{number:04}.dng")
        dng.write(places[-1], noisy, PROFILE, black=BLACK, white=WHITE, metadata={"frame rate": "24"})
    return RawRun(places)


def rate(act: Callable[[int], object]) -> float:
    """Frames a second of one act after the other."""
    act(0)
    begun = time.perf_counter()
    for number in range(FRAMES):
        act(number)
    return FRAMES / (time.perf_counter() - begun)


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        run = shot(FilePath(folder))
        camera = CameraFile(raw=RawSettings(profile=run.profile), depth=16)
        path = Path(camera=camera, input=Input(encoding="linear/AP1"), display=Display(output="BT.709 BT.1886"))
        program = engine.compile_operations(path.operations())

        def libraw(number: int) -> object:
            with rawpy.imread(str(run.paths[number])) as raw:
                return raw.postprocess(half_size=True, gamma=(1, 1), no_auto_bright=True, output_bps=16)

        def played(number: int) -> object:
            small = block_mean(run.frame(number, None, "half").code, 2)
            return engine.run(program, small, place=Place(1920, 1080, step=4))

        def halves(number: int) -> object:
            return engine.run(program, run.frame(number, None, "half").code, place=Place(1920, 1080, step=2))

        peer = rate(libraw)
        print(f"LibRaw, half size: {peer:.1f} frames a second")
        for quality in QUALITIES:
            own = rate(lambda number, quality=quality: run.frame(number, None, quality))  # type: ignore[misc]
            print(f"decoded, {quality}: {own:.1f} ({own / peer:.2f} × LibRaw’s half)")
        for name, act in (("played, 480 wide", played), ("rendered at half size", halves)):
            own = rate(act)
            print(f"{name}: {own:.1f} {'(24 wanted)' if own < WANTED else ''}")


if __name__ == "__main__":
    main()
