"""Y'CbCr planes to R'G'B' signal and back, by the definitions, never by a library's scaler.

Sources: ITU-R BT.601-7, BT.709-6, BT.2020-2 (luma weights, quantisation); ITU-T H.273 (names, full range); chroma
siting as in ITU-T H.264 annex E, figure E-1 (“left” is type 0, “centre” type 1, “top left” type 2).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from upwelling.core.arrays import Float32
from upwelling.core.encodings.base import Range
from upwelling.core.errors import UnwritableFile
from upwelling.core.kernels import KERNEL_LOCK
from upwelling.core.media.ycbcr_kernel import planes_to_rgb

LUMA: dict[str, tuple[float, float]] = {
    "BT.709": (0.2126, 0.0722), "BT.601": (0.299, 0.114), "BT.2020": (0.2627, 0.0593), "SMPTE 240M": (0.212, 0.087),
}
"""Matrix name to K_R, K_B."""
Siting = Literal["left", "centre", "top left"]
_PLACES: dict[str, tuple[float, float]] = {"left": (0.0, 0.5), "centre": (0.5, 0.5), "top left": (0.0, 0.0)}


@dataclass(frozen=True, eq=False)
class Planes:
    """Integer planes as a codec gives them: ``y`` (H, W), ``cb`` and ``cr`` smaller by the subsampling (1 or 2)."""

    y: Any
    cb: Any
    cr: Any
    depth: int

    @property
    def subsampling(self) -> tuple[int, int]:
        return (1 if self.cb.shape[1] == self.y.shape[1] else 2, 1 if self.cb.shape[0] == self.y.shape[0] else 2)


def _scales(depth: int, code_range: Range) -> tuple[float, float, float, float]:
    """Offset and span of Y', then of Cb and Cr."""
    unit, middle = 2.0 ** (depth - 8), 2.0 ** (depth - 1)
    if code_range == "legal":
        return 16 * unit, 219 * unit, middle, 224 * unit
    top = 2.0**depth - 1
    return 0.0, top, middle, top


def to_rgb_code(planes: Planes, matrix: str, code_range: Range, siting: Siting = "left") -> Float32:
    """R'G'B' codes (H, W, 3) of the file's range, divided by 2^depth − 1, unclipped: legal white is 235/255 at 8 bit.

    Chroma is interpolated linearly from where its samples sit.
    """
    k_r, k_b = LUMA[matrix]
    y0, y_span, c0, c_span = _scales(planes.depth, code_range)
    top = 2.0**planes.depth - 1
    sub_x, sub_y = planes.subsampling
    off_x, off_y = _PLACES[siting]
    height, width = planes.y.shape
    out = np.empty((height, width, 3), np.float32)
    numbers = np.array([y0, 1 / y_span, c0, 1 / c_span, 2 * (1 - k_r), 2 * (1 - k_b), k_r, k_b, y_span / top, y0 / top,
                        off_x if sub_x == 2 else 0.0, off_y if sub_y == 2 else 0.0], dtype=np.float32)
    y, cb, cr = (np.ascontiguousarray(plane, dtype=np.uint16) for plane in (planes.y, planes.cb, planes.cr))
    with KERNEL_LOCK:
        planes_to_rgb(y, cb, cr, sub_x, sub_y, numbers, out)
    return out


def from_rgb_signal(rgb: Any, matrix: str, code_range: Range, depth: int, subsampling: tuple[int, int] = (1, 1),
                    siting: Siting = "left") -> Planes:
    """Planes of full-range R'G'B' signal (H, W, 3), rounded and held to the codes the depth has."""
    k_r, k_b = LUMA[matrix]
    y0, y_span, c0, c_span = _scales(depth, code_range)
    rgb = np.asarray(rgb, dtype=np.float64)
    if not np.isfinite(rgb).all():
        raise UnwritableFile("picture", "it holds values that are not a number, so it is not written.")
    luma = k_r * rgb[..., 0] + (1 - k_r - k_b) * rgb[..., 1] + k_b * rgb[..., 2]
    differences = ((rgb[..., 2] - luma) / (2 * (1 - k_b)), (rgb[..., 0] - luma) / (2 * (1 - k_r)))
    off_x, off_y = _PLACES[siting]
    small = []
    for plane in differences:
        if subsampling[0] == 2:
            plane = _halve(plane, 1, off_x)
        if subsampling[1] == 2:
            plane = _halve(plane, 0, off_y)
        small.append(plane)
    kind = np.uint8 if depth == 8 else np.uint16
    top = 2**depth - 1

    def whole(values: Any, zero: float, span: float) -> Any:
        return np.clip(np.rint(values * span + zero), 0, top).astype(kind)

    return Planes(whole(luma, y0, y_span), whole(small[0], c0, c_span), whole(small[1], c0, c_span), depth)


def _halve(plane: Any, axis: int, offset: float) -> Any:
    """Every second sample along an axis: the mean of a pair, or 1-2-1 about a sample that chroma sits on."""
    plane = np.moveaxis(plane, axis, -1)
    if plane.shape[-1] % 2:
        plane = np.concatenate([plane, plane[..., -1:]], axis=-1)
    if offset == 0.5:
        out = (plane[..., 0::2] + plane[..., 1::2]) / 2
    else:
        before = np.concatenate([plane[..., :1], plane[..., 1:-1:2]], axis=-1)
        out = (before + 2 * plane[..., 0::2] + plane[..., 1::2]) / 4
    return np.moveaxis(out, -1, axis)
