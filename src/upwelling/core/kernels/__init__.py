"""How compiled kernels are declared, and the fast mathematics they share."""

from upwelling.core.kernels.declare import (
    KERNEL_LOCK,
    cache_key,
    cached,
    called,
    compiling,
    frozen_sources,
    inline,
    is_compiled,
    parallel,
    serial,
)

__all__ = [
    "KERNEL_LOCK",
    "cache_key",
    "cached",
    "called",
    "compiling",
    "frozen_sources",
    "inline",
    "is_compiled",
    "parallel",
    "serial",
]
