"""What a still is once read, and what every container answers."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path as FilePath
from typing import Any, Literal

import numpy as np

from upwelling.core.arrays import Float32
from upwelling.core.errors import UnreadableFile, UnwritableFile
from upwelling.core.media.tags import ColourTags

Depth = Literal["8", "10", "12", "16", "half", "float"]
LARGEST_SIDE = 16384
LARGEST_PIXELS, LARGEST_FRAME = 120_000_000, 80_000_000
"""Pixels of a still, and of a movie's frame, which is decoded several times over while it plays."""


@dataclass(frozen=True, eq=False)
class Still:
    """A picture as its file holds it: ``code`` (H, W, 3) float32; integers are divided by their largest value."""

    code: Float32
    container: str
    depth: Depth
    metadata: Mapping[str, str] = field(default_factory=dict)
    notes: tuple[str, ...] = ()
    tags: ColourTags = field(default_factory=ColourTags)

    @property
    def width(self) -> int:
        return int(self.code.shape[1])

    @property
    def height(self) -> int:
        return int(self.code.shape[0])

    @property
    def integer_depth(self) -> Literal[8, 10, 12, 16]:
        """The bit depth in which its codes are best printed (floats: 16)."""
        return {"8": 8, "10": 10, "12": 12}.get(self.depth, 16)  # type: ignore[return-value]


@dataclass(frozen=True)
class Container:
    """One file format: how its content is recognised, read and written; what is only read has no ``depths``."""

    name: str
    suffixes: tuple[str, ...]
    magics: tuple[bytes, ...]
    depths: tuple[Depth, ...]
    read: Callable[[FilePath], Still]
    write: Callable[[FilePath, Any, Depth, Mapping[str, Any]], None] | None = None
    inner: bytes = b""
    """What an envelope that others use as well says of its content, from its ninth byte on."""

    def knows(self, head: bytes) -> bool:
        """Whether content that starts so is of this format."""
        return head.startswith(self.magics) and head[8:].startswith(self.inner)


def check_size(path: object, width: int, height: int, most: int = LARGEST_PIXELS) -> None:
    """Refuses absurd sizes before anything is allocated."""
    if width < 1 or height < 1:
        raise UnreadableFile(path, f"its header says {width} × {height} pixels; the file is damaged.")
    if max(width, height) > LARGEST_SIDE or width * height > most:
        raise UnreadableFile(
            path,
            f"its header says {width} × {height} pixels; more than {LARGEST_SIDE} a side or "
            f"{most // 1_000_000} million in all is refused.",
        )


def to_rgb(path: object, pixels: Any, notes: list[str]) -> Any:
    """(H, W, 3) of grey, grey + alpha, RGB or RGBA arrays; says in ``notes`` what was left out."""
    if pixels.ndim == 2:
        pixels = pixels[..., None]
    channels = pixels.shape[-1]
    if pixels.ndim != 3 or channels not in (1, 2, 3, 4):
        raise UnreadableFile(path, f"holds an array of shape {pixels.shape}; expected one picture of 1 to 4 channels.")
    if channels in (2, 4):
        notes.append("The alpha channel is left out.")
    if channels < 3:
        notes.append("A grey picture, read as three equal channels.")
        return np.repeat(pixels[..., :1], 3, axis=-1)
    return pixels[..., :3]


def finish(
    path: object,
    pixels: Any,
    container: str,
    depth: Depth,
    metadata: Mapping[str, str],
    notes: list[str],
    *,
    bits: int = 0,
    tags: ColourTags | None = None,
) -> Still:
    """Checks values and makes the Still; integers of ``bits`` (0: of their type) become 0…1."""
    pixels = to_rgb(path, pixels, notes)
    if pixels.dtype.kind == "u":
        top = np.float32(2**bits - 1 if bits else np.iinfo(pixels.dtype).max)
        code = pixels.astype(np.float32)
        code /= top  # in place: twice as fast as dividing whole numbers, and the same floats
    else:
        code = np.ascontiguousarray(pixels, dtype=np.float32)
        bad = int(np.count_nonzero(~np.isfinite(code).all(axis=-1)))
        if bad:
            raise UnreadableFile(
                path,
                f"{bad:,} pixels are not a number or infinite. Render the file again, or mend those "
                "pixels in the program that wrote it.".replace(",", " "),
            )
    return Still(np.ascontiguousarray(code), container, depth, metadata, tuple(notes), tags or ColourTags())


_TURNS = {
    2: "mirrored left to right",
    3: "turned by 180°",
    4: "mirrored top to bottom",
    5: "mirrored along its diagonal",
    6: "turned clockwise by 90°",
    7: "mirrored along its other diagonal",
    8: "turned anticlockwise by 90°",
}


def note_orientation(value: object, notes: list[str]) -> None:
    """Says what an Orientation of TIFF 6.0 or Exif 2.32 other than 1 asks for; pictures are worked on as recorded."""
    turn = _TURNS.get(int(value)) if isinstance(value, int) else None
    if turn:
        notes.append(f"The file asks to be shown {turn}; it is worked on as recorded.")


def quantise(path: object, code: Any, bits: int) -> Any:
    """Codes 0…1 to integers of ``bits``, held to the range; raises UnwritableFile on a value that is no number."""
    array = np.asarray(code)
    if np.isnan(array).any():
        raise UnwritableFile(path, "the picture holds values that are not a number, so it is not written.")
    top = 2**bits - 1
    return np.rint(np.clip(array, 0.0, 1.0) * top).astype(np.uint8 if bits <= 8 else np.uint16)


def clipped_share(code: Any) -> float:
    """Share of pixels an integer file would clip: any channel below 0 or above 1 by more than rounding."""
    array = np.asarray(code)
    return float(np.mean(((array < -1e-6) | (array > 1 + 1e-6)).any(axis=-1)))
