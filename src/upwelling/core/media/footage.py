"""Footage: one interface to stills, sequences, movies and raw mosaics."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal, Protocol

from upwelling.core.encodings.base import Range
from upwelling.core.media.base import Depth, Still
from upwelling.core.media.fields import FirstField
from upwelling.core.media.tags import ColourTags
from upwelling.core.media.ycbcr import Siting

Kind = Literal["still", "sequence", "movie", "raw"]


@dataclass(frozen=True)
class FileFacts:
    """What a file says of itself, without judging it.

    ``rate`` is in frames a second, 0 for a still; ``siting`` where its chroma sits; ``pixel_aspect`` a fraction, width
    over height, where pixels are not square. ``turned``: degrees counterclockwise, 0, 90, 180 or 270, by which the file
    asks to be turned when it is shown. ``fields``: which field of an interlaced one comes first, where that is known.
    """

    kind: Kind
    container: str
    codec: str
    depth: Depth
    width: int
    height: int
    frames: int = 1
    rate: float = 0.0
    ycbcr: bool = False
    subsampling: str = ""
    siting: str = ""
    bits_per_second: int = 0
    tags: ColourTags = field(default_factory=ColourTags)
    metadata: Mapping[str, str] = field(default_factory=dict)
    notes: tuple[str, ...] = ()
    pixel_aspect: str = ""
    interlaced: bool = False
    turned: int = 0
    fields: FirstField = ""


@dataclass(frozen=True)
class Reading:
    """How a file's planes are to be read where the file leaves it open. Only Y'CbCr needs it; RGB codes are what they
    are.

    ``matrix`` empty: the file's tag, or by its size (``movie_planes.guessed_matrix``).
    """

    range: Range = "legal"
    matrix: str = ""
    siting: Siting | Literal[""] = ""


class Footage(Protocol):
    """Something with frames."""

    @property
    def facts(self) -> FileFacts: ...

    def frame(self, index: int = 0, reading: Reading | None = None) -> Still:
        """The frame of that number, from 0; raises UnreadableFile. ``reading`` None: what the file's tags say."""
