"""Hald images: a colour cube as a picture, to go through anything that changes pictures.

A Hald image of level L is L³ × L³ pixels and holds a cube of L² points a side, red fastest, then green, then blue, in
reading order. Source: as ffmpeg's haldclutsrc lays it out, which tests compare with. 16-bit PNG is written; 8 and 16
bit are read.
"""

from __future__ import annotations

from pathlib import Path as FilePath

import numpy as np

from upwelling.core.errors import BadLut, UnreadableFile
from upwelling.core.lut import Lut1D, Lut3D
from upwelling.core.media import png
from upwelling.core.media.base import quantise

LEVELS = (2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12)


def read_hald(path: FilePath) -> Lut3D:
    """The cube of a Hald image; raises BadLut."""
    try:
        still = png.read(path)
    except (UnreadableFile, OSError) as error:
        raise BadLut(path, getattr(error, "problem", "cannot be read.")) from None
    height, width = still.code.shape[:2]
    level = round(width ** (1 / 3))
    if height != width or level**3 != width or level not in LEVELS:
        sides = ", ".join(str(level**3) for level in LEVELS)
        raise BadLut(path, f"a Hald image is square with a side of {sides}; this is {width} × {height}.")
    size = level * level
    cube = np.asarray(still.code, dtype=np.float32).reshape(size, size, size, 3)
    return Lut3D(np.ascontiguousarray(cube.transpose(2, 1, 0, 3)), title=path.stem)


def hald_bytes(lut: Lut1D | Lut3D) -> bytes:
    """The 16-bit PNG of a cube whose side is the square of a whole number; raises BadLut for others."""
    level = round(lut.size**0.5)
    if not isinstance(lut, Lut3D) or level * level != lut.size or level not in LEVELS or not lut.domain.is_unit:
        raise BadLut(
            "Hald image", "it holds a cube over 0…1 with " + ", ".join(str(v * v) for v in LEVELS) + " points a side."
        )
    side = level**3
    picture = np.ascontiguousarray(lut.table.transpose(2, 1, 0, 3)).reshape(side, side, 3)
    return png.encode(quantise(FilePath("hald.png"), np.clip(picture, 0, 1), 16))
