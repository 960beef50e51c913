"""How compiled kernels are declared: one cache that follows the source, and one lock.

numba keeps compiled code beside a cache key made from the kernel's own file only, so an edited helper or constant in another
file would leave stale machine code behind. The cache folder is therefore named after a hash of every kernel source and of every file whose
constants they freeze, however far away those are worked out.

numba's default threading layer must not be entered by two Python threads at once; a kernel already uses all cores,
so ``KERNEL_LOCK`` lets callers queue instead.
"""

from __future__ import annotations

import hashlib
import os
import re
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numba

_SOURCES = ("kernels.py", "bake/fit_kernel.py", "engine/colour_kernel.py", "fastmath.py", "engine/rise_kernel.py", "engine/scale_kernel.py", "engine/tile.py", "lut/kernels.py",
            "lut/simd.py", "lut/text_kernel.py", "media/ycbcr_kernel.py", "raw/demosaic_kernel.py", "scopes_kernel.py", "simulate/tracer.py")
KERNEL_LOCK = threading.RLock()


_IMPORT = re.compile(r"^from upwelling\.core\.([\w.]+) import (\([^)]*\)|[^\n]+)", re.MULTILINE)
_CONSTANT = re.compile(r"\b[A-Z][A-Z0-9_]+\b")


def frozen_sources(core: Path) -> list[Path]:
    """Every file under a core folder that compiled kernels depend on: their own, and those that constants come from, at any remove."""
    found: dict[Path, None] = {}
    waiting = [core / name for name in _SOURCES]
    while waiting:
        place = waiting.pop()
        if place in found:
            continue
        found[place] = None
        for module, names in _IMPORT.findall(place.read_text(encoding="utf-8")):
            if _CONSTANT.search(names):
                path = core.joinpath(*module.split("."))
                waiting.append(path / "__init__.py" if path.is_dir() else path.with_suffix(".py"))
    return sorted(found)


def cache_key(core: Path) -> str:
    """What the cache folder of the kernels under a core folder is called."""
    digest = hashlib.sha256(numba.__version__.encode())
    for place in frozen_sources(core):
        digest.update(place.read_bytes())
    return digest.hexdigest()[:16]


def _cache_folder() -> str:
    root = os.environ.get("UPWELLING_KERNEL_CACHE") or Path.home() / ".cache" / "upwelling" / "kernels"
    return str(Path(root) / cache_key(Path(__file__).parent))


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
