"""A second way from a decoded frame to R'G'B', for proofs alone: it shares no code with the reader it judges.

ffmpeg's decoder gives the planes; everything after that is the standards' formulas written out once more, in float64
NumPy. Source: ITU-T H.273 (2021), equations 20 to 40 (range, matrices by K_R and K_B); chroma is interpolated linearly
from where BT.709 and BT.2020-2 put its samples.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path as FilePath
from typing import Any

import av
import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.errors import UnreadableFile

UNSAID, IDENTITY = 2, 0
_WEIGHTS = {1: (0.2126, 0.0722), 9: (0.2627, 0.0593), 6: (0.299, 0.114), 5: (0.299, 0.114)}


def frames_of(path: FilePath, numbers: Sequence[int], rate: float) -> Iterator[tuple[int, Float64]]:
    """Frames by rising number, counted from the start of the file as a player does; each as full-range R'G'B' signal
    (H, W, 3), read as the stream's own tags say.
    """
    wanted = list(numbers)
    with av.open(str(path)) as container:
        stream = container.streams.video[0]
        stream.thread_type = "AUTO"
        for count, frame in enumerate(container.decode(stream)):
            if not wanted:
                return
            if count == wanted[0]:
                yield wanted.pop(0), signal_of(path, frame)
    if wanted:
        raise UnreadableFile(path, f"ends before frame {wanted[0]}.")


def signal_of(path: FilePath, frame: Any) -> Float64:
    """Full-range signal of a planar Y'CbCr or G'B'R' frame by its own tags."""
    layout = frame.format
    bits = layout.components[0].bits
    kind = np.uint8 if bits == 8 else np.dtype("<u2")
    planes = []
    for plane in frame.planes[:3]:
        line = np.frombuffer(plane, kind).reshape(-1, plane.line_size // np.dtype(kind).itemsize)
        planes.append(line[: plane.height, : plane.width].astype(np.float64))
    matrix = int(frame.colorspace)
    if matrix == UNSAID:
        matrix = 1  # compared as a player would show it; that it names none is a finding of its own
    if matrix == IDENTITY and layout.is_rgb:
        # H.273 table 4: the planes are G', B', R', and nothing is to be undone but the range.
        unit, top = 2.0 ** (bits - 8), 2.0**bits - 1
        low, span = (16 * unit, 219 * unit) if int(frame.color_range) == 1 else (0.0, top)
        green, blue, red = ((plane - low) / span for plane in planes)
        return np.stack([red, green, blue], axis=-1)
    if matrix not in _WEIGHTS:
        raise UnreadableFile(path, f"its stream names matrix {matrix}, which no delivery is written with.")
    luma, blue, red = planes
    high, wide = luma.shape
    top_left = matrix == 9 and blue.shape[0] != high
    blue, red = (_up(plane, high, wide, 0.0 if top_left else 0.5) for plane in (blue, red))
    unit = 2.0 ** (bits - 8)
    if int(frame.color_range) == 2:
        top = 2.0**bits - 1
        y, pb, pr = luma / top, (blue - 128 * unit) / top, (red - 128 * unit) / top
    else:
        y, pb, pr = (
            (luma - 16 * unit) / (219 * unit),
            (blue - 128 * unit) / (224 * unit),
            (red - 128 * unit) / (224 * unit),
        )
    k_r, k_b = _WEIGHTS[matrix]
    r = y + 2 * (1 - k_r) * pr
    b = y + 2 * (1 - k_b) * pb
    g = (y - k_r * r - k_b * b) / (1 - k_r - k_b)
    return np.stack([r, g, b], axis=-1)


def _up(plane: Any, high: int, wide: int, down: float) -> Any:
    """A chroma plane at the size of luma. Across, its samples sit on every second column; down, they sit ``down`` of a
    line below every second line.
    """
    for axis, size, offset in ((0, high, down), (1, wide, 0.0)):
        have = plane.shape[axis]
        if have == size:
            continue
        at = np.clip((np.arange(size) - offset) / 2, 0, have - 1)
        low = np.floor(at).astype(int)
        share = at - low
        share = share[:, None] if axis == 0 else share[None, :]
        first, second = np.take(plane, low, axis), np.take(plane, np.minimum(low + 1, have - 1), axis)
        plane = first * (1 - share) + second * share
    return plane


def with_chroma_halved(signal: Float64, subsampling: tuple[int, int], wide_gamut: bool) -> Float64:
    """R'G'B' signal (H, W, 3) as its chroma at half size would show it at best: 1-2-1 about each kept column, and lines
    so too where BT.2020 puts chroma on a line, else in pairs.
    """
    if subsampling == (1, 1):
        return signal
    k_r, k_b = _WEIGHTS[9 if wide_gamut else 1]
    r, g, b = (signal[..., channel] for channel in range(3))
    y = k_r * r + (1 - k_r - k_b) * g + k_b * b
    planes = []
    for plane in (b - y, r - y):
        padded = np.pad(plane, ((0, 0), (1, 1)), mode="edge")
        small = (padded[:, 0:-2:2] + 2 * padded[:, 1:-1:2] + padded[:, 2::2]) / 4
        if subsampling[1] == 2 and wide_gamut:
            padded = np.pad(small, ((1, 1), (0, 0)), mode="edge")
            small = (padded[0:-2:2] + 2 * padded[1:-1:2] + padded[2::2]) / 4
        elif subsampling[1] == 2:
            small = (small[0::2] + small[1::2]) / 2
        planes.append(_up(small, y.shape[0], y.shape[1], 0.0 if wide_gamut else 0.5))
    b, r = planes[0] + y, planes[1] + y
    return np.stack([r, (y - k_r * r - k_b * b) / (1 - k_r - k_b), b], axis=-1)
