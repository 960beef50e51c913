"""Lookup tables: Lut1D and Lut3D, with their domain, and how they are applied."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, Literal

import numpy as np

from upwelling.core.arrays import Float32, Float64, as_rgb
from upwelling.core.kernels import KERNEL_LOCK
from upwelling.core.lut.kernels import tetrahedral_plain, trilinear_plain
from upwelling.core.lut.simd import RUN, interpolate

Interpolation = Literal["tetrahedral", "trilinear"]
Triple = tuple[float, float, float]
LARGEST = 256
"""Points a side of the largest cube that is read or run."""
CACHED = 8 * 2**20
"""Bytes from which a result is stored past the cache, which could not hold it. Measured; see benchmarks/run.py."""
_PLAIN = {"tetrahedral": tetrahedral_plain, "trilinear": trilinear_plain}


@dataclass(frozen=True, eq=False)
class Domain:
    """The input range the table spans per channel; inputs beyond it are held at its ends."""

    low: Triple = (0.0, 0.0, 0.0)
    high: Triple = (1.0, 1.0, 1.0)

    @property
    def is_unit(self) -> bool:
        return self.low == (0.0, 0.0, 0.0) and self.high == (1.0, 1.0, 1.0)

    def normalise(self, rgb: Any) -> Any:
        """Input in 0…1 of the domain, not yet held to it."""
        if self.is_unit:
            return rgb
        low = np.array(self.low, dtype=rgb.dtype)
        return (rgb - low) / (np.array(self.high, dtype=rgb.dtype) - low)


@dataclass(frozen=True, eq=False)
class Table:
    """What every table has: its entries, float32, over a domain, with what its file says of it."""

    table: Float32
    domain: Domain = field(default_factory=Domain)
    title: str = ""
    comments: tuple[str, ...] = ()

    @property
    def size(self) -> int:
        return int(self.table.shape[0])


@dataclass(frozen=True, eq=False)
class Lut3D(Table):
    """A cube of colours: ``table`` (n, n, n, 3) float32 indexed [red, green, blue]."""

    @cached_property
    def _padded(self) -> Float32:
        padded = np.zeros((*self.table.shape[:3], 4), dtype=np.float32)
        padded[..., :3] = self.table
        return padded.ravel()

    def apply(
        self, rgb: Any, interpolation: Interpolation = "tetrahedral", *, plain: bool = False, out: Float32 | None = None
    ) -> Float32:
        """Output of input (…, 3), float32. ``plain`` forces the oracle kernel.

        ``out`` takes the result in a buffer of the caller's (contiguous float32, same shape, not the input): for frame
        after frame of a movie, as fresh memory costs as much time as the interpolation.
        """
        source = np.ascontiguousarray(self.domain.normalise(as_rgb(rgb, dtype=np.float32)))
        if out is None:
            out = np.empty_like(source)
        elif (
            out.shape != source.shape
            or out.dtype != np.float32
            or not out.flags.c_contiguous
            or np.may_share_memory(out, source)
        ):
            raise ValueError(f"out must be its own contiguous float32 array of shape {source.shape}.")
        flat, flat_out = source.reshape(-1, 3), out.reshape(-1, 3)
        if plain or flat.shape[0] < RUN or self.size > LARGEST:
            _PLAIN[interpolation](flat, self.table, flat_out)
        else:
            past_cache = bool(out.nbytes > CACHED and out.ctypes.data % 16 == 0)
            with KERNEL_LOCK:
                interpolate(
                    flat.reshape(-1),
                    self._padded,
                    self.size,
                    flat_out.reshape(-1),
                    interpolation == "trilinear",
                    past_cache,
                )
        return out


@dataclass(frozen=True, eq=False)
class Lut1D(Table):
    """A curve per channel: ``table`` (n, 3) float32, linear interpolation."""

    def apply(self, rgb: Any, interpolation: Interpolation = "tetrahedral", *, plain: bool = False) -> Float32:
        """Output of input (…, 3), float32; always linear between entries. Not a number counts as the lowest entry."""
        source = np.nan_to_num(self.domain.normalise(as_rgb(rgb, dtype=np.float32)), nan=0.0)
        places = np.arange(self.size) / (self.size - 1)
        channels = [np.interp(source[..., c], places, self.table[:, c]) for c in range(3)]
        return np.stack(channels, axis=-1).astype(np.float32)


def lattice(size: int) -> Float64:
    """The input colours of a size³ cube over 0…1, shape (size, size, size, 3), indexed [red, green, blue]."""
    axis = np.linspace(0.0, 1.0, size)
    return np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)
