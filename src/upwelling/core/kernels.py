"""How compiled kernels are declared: one cache that follows the source, and one lock.

numba keeps compiled code beside a cache key made from the kernel's own file only, so an edited helper in another
file would leave stale machine code behind. The cache folder is therefore named after a hash of every kernel source.

numba's default threading layer must not be entered by two Python threads at once; a kernel already uses all cores,
so ``KERNEL_LOCK`` lets callers queue instead.
"""

from __future__ import annotations

import hashlib
import os
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numba

_SOURCES = ("kernels.py", "bake/fit_kernel.py", "engine/colour_kernel.py", "fastmath.py", "engine/rise_kernel.py", "engine/scale_kernel.py", "engine/tile.py", "lut/kernels.py",
            "lut/simd.py", "lut/text_kernel.py", "media/ycbcr_kernel.py", "raw/demosaic_kernel.py", "scopes_kernel.py", "simulate/tracer.py")
KERNEL_LOCK = threading.RLock()


def _cache_folder() -> str:
    here = Path(__file__).parent
    digest = hashlib.sha256(numba.__version__.encode())
    for name in _SOURCES:
        digest.update((here / name).read_bytes())
    root = os.environ.get("UPWELLING_KERNEL_CACHE") or Path.home() / ".cache" / "upwelling" / "kernels"
    return str(Path(root) / digest.hexdigest()[:16])


numba.config.CACHE_DIR = _cache_folder()


def parallel(function: Callable[..., Any]) -> Any:
    """Declares a cached kernel that spreads its prange over the cores."""
    return numba.njit(function, parallel=True, fastmath=True, error_model="numpy", cache=True, nogil=True)


def serial(function: Callable[..., Any]) -> Any:
    """Declares a cached single-threaded kernel with IEEE arithmetic, fit to be an oracle."""
    return numba.njit(function, error_model="numpy", cache=True, nogil=True)


def inline(function: Callable[..., Any]) -> Any:
    """Declares a scalar helper; without forceinline the loops around it silently lose their SIMD."""
    return numba.njit(function, fastmath=True, error_model="numpy", forceinline=True)


def called(function: Callable[..., Any]) -> Any:
    """Declares a part of a kernel that works on a whole tile: called, not inlined, so that the kernel compiles in time."""
    return numba.njit(function, fastmath=True, error_model="numpy", nogil=True)
