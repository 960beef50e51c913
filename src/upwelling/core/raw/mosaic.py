"""A mosaic and its levels. Source: Adobe, Digital Negative Specification 1.7.1.0 (2023), chapter 5, “Mapping Raw Values
to
Linear Reference Values”."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np

from upwelling.core.arrays import Float32
from upwelling.core.blocks import block_mean
from upwelling.core.kernels import KERNEL_LOCK
from upwelling.core.raw.demosaic_kernel import demosaic_bilinear, demosaic_malvar
from upwelling.core.raw.opcodes import Tone

Quality = Literal["quarter", "half", "bilinear", "full"]
QUALITIES: tuple[Quality, ...] = ("quarter", "half", "bilinear", "full")
"""quarter and half: one pixel of each 4 × 4 or 2 × 2 places; bilinear: fast, full size; full: Malvar, He and Cutler's
linear filters."""
SHRINKS: dict[Quality, int] = {"quarter": 4, "half": 2}


@dataclass(frozen=True, eq=False)
class Mosaic:
    """Sensor values as stored. ``values`` (H, W) for a mosaic, (H, W, 3) for an already demosaiced raw.

    ``pattern`` names the colour (0 red, 1 green, 2 blue) of a 2 × 2 cell by rows, counted from the active area's
    corner. ``black`` has one level for each place of its own repeating cell, shape (rows, columns, planes); the per-row
    and per-column deltas add to it. ``crop`` is top, left, height, width within the active area.
    """

    values: Any
    pattern: tuple[int, int, int, int] = (0, 1, 1, 2)
    table: Any = None
    active: tuple[int, int, int, int] | None = None
    black: Any = field(default_factory=lambda: np.zeros((1, 1, 1)))
    black_rows: Any = None
    black_columns: Any = None
    white: tuple[float, ...] = (65535.0,)
    crop: tuple[int, int, int, int] | None = None
    neutral: tuple[float, float, float] = (1.0, 1.0, 1.0)
    tones: tuple[Tone, ...] = ()

    @property
    def size(self) -> tuple[int, int]:
        """Height and width of the active area."""
        top, left, bottom, right = self.active or (0, 0, *self.values.shape[:2])
        return bottom - top, right - left

    def linear(self) -> Float32:
        """Linear reference values of the active area: 0 = black, 1 = the white level; below 0 and above 1 are kept."""
        values = self.values
        if self.table is not None:
            values = np.asarray(self.table)[np.minimum(values, len(self.table) - 1)]
        if self.active is not None:
            top, left, bottom, right = self.active
            values = values[top:bottom, left:right]
        stacked = values[..., None] if values.ndim == 2 else values
        height, width, planes = stacked.shape
        cell = np.asarray(self.black, dtype=np.float32)
        tiled = np.tile(cell, (-(-height // cell.shape[0]), -(-width // cell.shape[1]), 1))[:height, :width]
        black = np.broadcast_to(tiled, stacked.shape).astype(np.float32)
        if self.black_rows is not None:
            black = black + np.asarray(self.black_rows, dtype=np.float32)[:height, None, None]
        if self.black_columns is not None:
            black = black + np.asarray(self.black_columns, dtype=np.float32)[None, :width, None]
        # The specification scales every channel by its white level less the largest black level of its plane.
        most = black.reshape(-1, black.shape[-1]).max(axis=0)
        white = np.array(self.white, dtype=np.float32)
        span = np.maximum((white if len(white) == planes else white[:1]) - most, 1.0)
        out = (stacked.astype(np.float32) - black) / span
        for tone in self.tones:
            out = tone.applied(out)
        return np.ascontiguousarray(out[..., 0] if self.values.ndim == 2 else out)

    def camera_rgb(self, quality: Quality = "full") -> Float32:
        """Camera RGB of the default crop, 1.0 = white level. Half gives half the size, quarter a quarter.

        The filters of Malvar, He and Cutler (ICASSP 2004) borrow detail between channels, so they see the mosaic
        balanced by the as-shot neutral, which is taken out again afterwards.
        """
        linear = self.linear()
        shrinks = SHRINKS.get(quality, 1)
        if linear.ndim == 3:
            rgb = linear if shrinks == 1 else block_mean(linear, shrinks)
        elif shrinks > 1:
            rgb = self._half(linear) if shrinks == 2 else block_mean(self._half(linear), shrinks // 2)
        else:
            gains = np.array([1 / max(v, 1e-3) for v in self.neutral], dtype=np.float32)
            rgb = np.empty((*linear.shape, 3), np.float32)
            pattern = np.array(self.pattern, dtype=np.int32)
            kernel = demosaic_malvar if quality == "full" else demosaic_bilinear
            with KERNEL_LOCK:
                kernel(linear, pattern, gains, rgb)
        if self.crop is not None:
            top, left, height, width = (v // shrinks for v in self.crop)
            rgb = rgb[top : top + height, left : left + width]
        return np.ascontiguousarray(rgb, dtype=np.float32)

    def _half(self, linear: Any) -> Any:
        height, width = linear.shape[0] // 2 * 2, linear.shape[1] // 2 * 2
        cells = [linear[y:height:2, x:width:2] for y in (0, 1) for x in (0, 1)]
        channels = [[cell for cell, colour in zip(cells, self.pattern, strict=True) if colour == c] for c in range(3)]
        return np.stack([sum(same) / len(same) for same in channels], axis=-1)
