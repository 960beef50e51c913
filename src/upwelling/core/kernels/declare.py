"""How compiled kernels are declared: a cache that follows the source, and one lock.

numba keeps compiled code beside a key made from the kernel's own file only, so an edited helper or constant in another
file would leave stale machine code behind. Each file of kernels therefore has a cache folder of its own, named after a
hash of that file, of every file whose kernels it calls, and of every file whose constants they freeze, however far away
those are worked out. An edit compiles anew what it touches and nothing else.

numba's default threading layer must not be entered by two Python threads at once; a kernel already uses all cores,
so ``KERNEL_LOCK`` lets callers queue instead.
"""

from __future__ import annotations

import fcntl
import hashlib
import inspect
import os
import re
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import cache
from pathlib import Path as FilePath
from typing import Any

from upwelling.core.kernels.vectors import INTERLEAVED, interleave_vectors, prefer_wide

interleave_vectors(INTERLEAVED)
prefer_wide()
import numba  # noqa: E402

KERNEL_LOCK = threading.RLock()
CORE = FilePath(__file__).parents[1]
_DECLARING = threading.Lock()
_IMPORT = re.compile(r"^from upwelling\.core\.([\w.]+) import (\([^)]*\)|[^\n]+)", re.MULTILINE)
_CONSTANT = re.compile(r"\b[A-Z][A-Z0-9_]+\b")
_KERNELS = re.compile(r"^@(parallel|serial|inline|called|intrinsic)\b", re.MULTILINE)


def frozen_sources(file: FilePath, core: FilePath = CORE) -> list[FilePath]:
    """Every file that the compiled kernels of one depend on: itself, files of kernels it imports, and those that
    constants come from.
    """
    found: dict[FilePath, None] = {}
    waiting = [file, core / "kernels" / "declare.py"]
    while waiting:
        place = waiting.pop()
        if place in found:
            continue
        found[place] = None
        for module, names in _IMPORT.findall(place.read_text(encoding="utf-8")):
            path = core.joinpath(*module.split("."))
            path = path / "__init__.py" if path.is_dir() else path.with_suffix(".py")
            if _CONSTANT.search(names) or _KERNELS.search(path.read_text(encoding="utf-8")):
                waiting.append(path)
    return sorted(found)


def cache_key(file: FilePath, core: FilePath = CORE) -> str:
    """What the cache folder of the kernels in a file is called."""
    digest = hashlib.sha256(numba.__version__.encode())
    for place in frozen_sources(file, core):
        digest.update(place.read_bytes())
    return f"{file.stem}-{digest.hexdigest()[:16]}"


_key = cache(cache_key)


def _cache_root() -> FilePath:
    return FilePath(os.environ.get("UPWELLING_KERNEL_CACHE") or FilePath.home() / ".cache" / "upwelling" / "kernels")


def cached(function: Callable[..., Any], declare: Callable[[], Any]) -> Any:
    """What ``declare`` makes of a function, with its machine code kept in the cache folder of the function's file."""
    with _DECLARING:  # numba asks for the folder while it declares
        numba.config.CACHE_DIR = str(_cache_root() / _key(FilePath(inspect.getfile(function))))
        return declare()


def is_compiled(file: str) -> bool:
    """Whether kernels of a file have been compiled here as its sources stand; some may still be missing."""
    return (_cache_root() / _key(FilePath(file))).is_dir()


@contextmanager
def compiling() -> Iterator[None]:
    """While this process compiles, others that would compile the same wait, and then find it in the cache."""
    folder = _cache_root()
    folder.mkdir(parents=True, exist_ok=True)
    with (folder / "compiling.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield


def parallel(function: Callable[..., Any]) -> Any:
    """Declares a cached kernel that spreads its prange over the cores."""
    return cached(
        function,
        lambda: numba.njit(function, parallel=True, fastmath=True, error_model="numpy", cache=True, nogil=True),
    )


def serial(function: Callable[..., Any]) -> Any:
    """Declares a cached single-threaded kernel with IEEE arithmetic, fit to be an oracle."""
    return cached(function, lambda: numba.njit(function, error_model="numpy", cache=True, nogil=True))


def inline(function: Callable[..., Any]) -> Any:
    """Declares a scalar helper; without forceinline the loops around it silently lose their SIMD."""
    return numba.njit(function, fastmath=True, error_model="numpy", forceinline=True)


def called(function: Callable[..., Any]) -> Any:
    """Declares a part of a kernel that works on a whole tile: called, not inlined,
    so that the kernel compiles in time.
    """
    return numba.njit(function, fastmath=True, error_model="numpy", nogil=True)
