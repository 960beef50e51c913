"""Pictures made larger or smaller, in linear light: a windowed sinc of three lobes, widened where it reduces.

Source of the filter: Duchon, Lanczos filtering in one and two dimensions, Journal of Applied Meteorology 18 (1979); its
use with three lobes is common practice, no source.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.delivery.resample_kernel import across, down
from upwelling.core.kernels import KERNEL_LOCK

LOBES = 3
FILTER = "Lanczos, three lobes, in linear light"


def weights_for(size: int, wanted: int) -> tuple[Any, Any]:
    """Where each of ``wanted`` samples begins among ``size`` (wanted,), and its weights (wanted, taps), summing to 1.

    Beyond the edges nothing is taken: the weights inside share what would lie there.
    """
    scale = size / wanted
    wide = max(scale, 1.0)
    reach = LOBES * wide
    centres = (np.arange(wanted) + 0.5) * scale
    taps = min(int(np.ceil(reach)) * 2 + 1, size)
    firsts = np.clip(np.floor(centres - reach + 0.5).astype(np.int64), 0, size - taps)
    places = firsts[:, None] + np.arange(taps)
    away = (places + 0.5 - centres[:, None]) / wide
    weights = np.where(np.abs(away) < LOBES, np.sinc(away) * np.sinc(away / LOBES), 0.0)
    return firsts, weights / weights.sum(axis=1, keepdims=True)


def resample(rgb_linear: Any, width: int, height: int) -> Any:
    """Linear light (H, W, 3) at another size, of the same type; the filter's small overshoots stay in it."""
    picture = np.ascontiguousarray(rgb_linear)
    if not picture.flags.writeable:
        picture = picture.copy()
    for axis, wanted, kernel in ((1, width, across), (0, height, down)):
        if picture.shape[axis] == wanted:
            continue
        firsts, weights = weights_for(picture.shape[axis], wanted)
        shape = (picture.shape[0], wanted, 3) if axis else (wanted, picture.shape[1], 3)
        out = np.empty(shape, picture.dtype)
        with KERNEL_LOCK:
            kernel(picture, firsts, weights, out)
        picture = out
    return picture
