"""Banding risk: how far apart neighbouring codes of the file come to lie on the display."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from upwelling.core import engine
from upwelling.core.encodings import full_to_legal, legal_to_full
from upwelling.core.path import Path

RISKY = 4.0
"""Codes of 10-bit signal between neighbours from which steps may be seen in a smooth slope: one 8-bit code.

Common practice, no source.
"""


@dataclass(frozen=True)
class Banding:
    """widest: most 10-bit codes of display signal that one code of the file is apart from the next, over the codes in
    use;
    risky: how many of the steps in use are wider than RISKY, of so many steps."""

    widest: float
    risky: int
    steps: int


def banding(path: Path, low: float, high: float) -> Banding | None:
    """Along neutral codes from ``low`` to ``high`` (0…1 full range); None when the file has too many codes to band."""
    if path.camera.depth > 10 or path.camera.raw is not None:
        return None
    top = 2**path.camera.depth - 1
    if path.camera.range == "legal":
        low, high = (float(full_to_legal(np.array(v), path.camera.depth)) for v in (low, high))
    codes = np.arange(max(int(np.floor(low * top)), 0), min(int(np.ceil(high * top)), top) + 1)
    if len(codes) < 2:
        return None
    signal = engine.run(
        engine.compile_operations(path.carried().operations()), np.repeat((codes / top)[:, None], 3, axis=1)
    ).mean(axis=-1)
    if path.display.range == "legal":
        signal = legal_to_full(signal, path.display.depth)
    apart = np.abs(np.diff(np.clip(signal, 0, 1))) * 1023
    return Banding(float(apart.max()), int((apart > RISKY).sum()), len(apart))
