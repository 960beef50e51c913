"""The samples that test a table: spread over its whole domain, along neutral, on its faces, from the scenes that ship
and from the production's own frames.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path as FilePath
from typing import Any

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.bake.order import BakeOrder
from upwelling.core.errors import BadLut
from upwelling.core.media import png
from upwelling.core.media.base import Still
from upwelling.core.operations import Place
from upwelling.core.path import Path
from upwelling.core.proof import pictures
from upwelling.core.proof.pictures import SEED

_STRATA = 42
_RANDOM = 26_000
_NEUTRAL = 4096
_FACE = 40
FRAME_SET, SHIPPED_SET = "frame: ", "shipped scenes, "
"""How the names of sets begin that are a frame's pixels, and those of the scenes that ship."""
RESERVE = 0.9
"""Share of a picture's limit that the shipped scenes may reach: other pictures err more than these by a tenth or two.
Measured on eight photographs at three exposures under seven trims (docs/numbers.md).
"""
MOST_OF_FRAMES = 60_000
TESTED_PIXELS = ".frames.png"
"""Ends the name of the file beside a table that keeps the tested pixels."""
_WIDE = 256


def is_picture(name: str) -> bool:
    """Whether a set of samples is of pictures, a production's own or those that ship."""
    return name.startswith((FRAME_SET, SHIPPED_SET))


def judged_pictures(names: Iterable[str]) -> list[str]:
    """The sets that the limits for pictures are for: the production's own frames, or where there are none the scenes
    that ship. Beside own frames those count as all that is elsewhere in the cube does.
    """
    listed = list(names)
    own = [name for name in listed if name.startswith(FRAME_SET)]
    return own or [name for name in listed if name.startswith(SHIPPED_SET)]


def as_of_pictures(name: str, p99: float) -> float:
    """A set's figure for 99 % of its samples as the limit for pictures sees it."""
    return p99 / RESERVE if name.startswith(SHIPPED_SET) else p99


@dataclass(frozen=True, eq=False)
class FrameSample:
    """Pixels of one frame as the table's input codes (N, 3), rounded to 16 bit; ``outside``: share of the pixels beyond
    its domain.
    """

    name: str
    codes: Float64
    outside: float


def frame_sample(
    order: BakeOrder, name: str, frame_code: Any, own: Path | None = None, place: Place | None = None
) -> FrameSample:
    """Pixels of a frame (…, 3), in its file's own codes, as ``pictures.chosen`` has them; ``own`` is its path if it is
    another shot's.

    Where the path before the table needs more than a pixel's own value, the frame is run whole, at ``place``, and
    chosen from after.
    """
    codes = order.picked_code(frame_code, pictures.chosen, own, place)
    outside = float(np.mean(((codes < -1e-6) | (codes > 1 + 1e-6)).any(axis=-1)))
    return FrameSample(name, np.round(np.clip(np.nan_to_num(codes), 0.0, 1.0) * 65535) / 65535, outside)


def sample_sets(order: BakeOrder, frames: Sequence[FrameSample] = ()) -> dict[str, Float64]:
    """The test samples by set, each (N, 3) of the table's input code at the receiver's depth."""
    rng = np.random.default_rng(SEED)
    cells = np.stack(np.meshgrid(*[np.arange(_STRATA)] * 3, indexing="ij"), axis=-1).reshape(-1, 3)
    ramp = np.linspace(0.0, 1.0, _FACE)
    face = np.stack(np.meshgrid(ramp, ramp, indexing="ij"), axis=-1).reshape(-1, 2)
    sets = {
        "stratified": (cells + rng.random(cells.shape)) / _STRATA,
        "random": rng.random((_RANDOM, 3)),
        "neutral axis": np.repeat(np.linspace(0.0, 1.0, _NEUTRAL)[:, None], 3, axis=1),
        "faces of the cube": np.concatenate(
            [np.insert(face, axis, end, axis=1) for axis in range(3) for end in (0.0, 1.0)]
        ),
    }
    sets |= {SHIPPED_SET + name: codes for name, codes in pictures.shipped_codes(order).items()}
    room = MOST_OF_FRAMES
    for frame in frames:
        if room > 0:
            sets[FRAME_SET + frame.name] = frame.codes[:room]
            room -= len(frame.codes)
    return {name: order.snapped(codes) for name, codes in sets.items()}


def write_frames(frames: Sequence[FrameSample], place: FilePath) -> None:
    """Keeps the frames' samples as a 16-bit PNG, 256 pixels wide, each frame from a row of its own."""
    blocks = []
    for frame in frames:
        rows = -(-len(frame.codes) // _WIDE)
        block = np.full((rows * _WIDE, 3), frame.codes[-1])
        block[: len(frame.codes)] = frame.codes
        blocks.append(block.reshape(rows, _WIDE, 3))
    png.write(place, np.concatenate(blocks).astype(np.float32), "16", {})


def read_frames(place: FilePath, counts: Sequence[tuple[str, int, float]]) -> list[FrameSample]:
    """The samples of ``write_frames``; ``counts`` are the frames' names, counts and shares outside. Raises BadLut."""
    still: Still = png.read(place)
    pixels = np.round(np.asarray(still.code, dtype=np.float64).reshape(-1, 3) * 65535) / 65535
    frames, start = [], 0
    for name, count, outside in counts:
        if start + count > len(pixels):
            raise BadLut(place, "it holds fewer pixels than the certificate says. Take both from the same package.")
        frames.append(FrameSample(name, pixels[start : start + count], outside))
        start += -(-count // _WIDE) * _WIDE
    return frames
