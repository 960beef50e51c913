"""Light kept from 0 for the tile engine: the float32 twin of operations/kept.py."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.kernels import inline

F = np.float32
ZERO, HALF = F(0), F(0.5)


@inline
def kept32(x: Any, least: Any, over: Any) -> Any:
    """kept.kept; ``over`` is 1/(2·least)."""
    t = min(max(x, ZERO), least)
    return max(x, least) - least + HALF * least + t * t * over
