"""Footage in and out: one container a file, recognised by content."""

from __future__ import annotations

import os
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path as FilePath
from typing import Any, Literal

from upwelling.core.encodings.base import Range
from upwelling.core.errors import UnreadableFile, UnwritableFile
from upwelling.core.media.base import Container, Depth, Still, clipped_share
from upwelling.core.media.dng import Raw
from upwelling.core.media.dpx import DPX
from upwelling.core.media.exr import EXR
from upwelling.core.media.footage import FileFacts, Footage, Reading
from upwelling.core.media.jpeg import JPEG
from upwelling.core.media.jpeg2000 import JPEG2000
from upwelling.core.media.movie import SUFFIXES, Movie, looks_like_movie
from upwelling.core.media.movie_decode import Damaged
from upwelling.core.media.png import PNG
from upwelling.core.media.raw_run import RawFootage, RawRun
from upwelling.core.media.sequence import NumberedStills
from upwelling.core.media.spanned import SpannedMovie
from upwelling.core.media.tags import ColourTags
from upwelling.core.media.tiff import TIFF
from upwelling.core.media.webp import WEBP

CONTAINERS: tuple[Container, ...] = (PNG, TIFF, EXR, DPX, JPEG, JPEG2000, WEBP)
HEAD = 32
"""How many bytes from the start of a file tell what it is."""
LARGE = 40_000_000
"""Pixels of a frame above which one of a file is looked at instead of three."""


def recognise(head: bytes) -> Container | None:
    """The container whose content starts like this, whatever the file is called."""
    return next((c for c in CONTAINERS if c.knows(head)), None)


def read_still(path: str | os.PathLike[str]) -> Still:
    """Reads a still; raises UnreadableFile that names the file and the problem."""
    place = FilePath(path)
    head = _head(place)
    container = recognise(head)
    if container is None:
        raise UnreadableFile(
            place, "is not a still this program reads. Use PNG, JPEG, JPEG 2000, WebP, TIFF, OpenEXR or DPX."
        )
    return container.read(place)


class StillFootage:
    """A still as footage of one frame."""

    def __init__(self, path: FilePath) -> None:
        self.path = path
        self._still: Still | None = None

    @property
    def facts(self) -> FileFacts:
        still = self._still = self._still or read_still(self.path)
        return FileFacts(
            "still",
            still.container,
            still.container,
            still.depth,
            still.width,
            still.height,
            tags=still.tags,
            metadata=still.metadata,
            notes=still.notes,
        )

    def frame(self, index: int = 0, reading: Reading | None = None) -> Still:
        still, self._still = self._still or read_still(self.path), None
        return still


def open_footage(path: str | os.PathLike[str], members: Sequence[FilePath] = ()) -> Footage:
    """The footage in a file, or in the numbered files or parts ``members``; nothing is decoded before it is asked for.

    Raises UnreadableFile when it is nothing this program reads.
    """
    if len(members) > 1:
        head = _head(members[0])
        if looks_like_movie(head):
            return SpannedMovie(members)
        return RawRun(members) if _is_raw(members[0], head) else NumberedStills(members, open_footage)
    place = FilePath(path)
    head = _head(place)
    if looks_like_movie(head):
        return Movie(place)
    if _is_raw(place, head):
        return Raw(place)
    if recognise(head) is None:
        raise UnreadableFile(place, f"is nothing this program reads. Use {READABLE}.")
    return StillFootage(place)


@dataclass(frozen=True)
class LookedAt:
    """Frames that recognition looks at, their numbers, and what is to be known of the others: damaged ones are left
    out, raw ones may say something else than the first.
    """

    stills: list[Still]
    numbers: list[int]
    notes: list[str]

    @property
    def middle(self) -> int:
        """The whole frame nearest the middle of the file, which stands for it."""
        return self.numbers[len(self.numbers) // 2]


def looked_at(footage: Footage, numbers: Collection[int] = ()) -> LookedAt:
    """First, middle and last frame, or those said; of frames above ``LARGE`` the middle one, of a raw at half size.

    Raises UnreadableFile when none of them can be read.
    """
    count = footage.facts.frames
    found, whole, last = [], [], UnreadableFile("", "")
    notes = footage.changes() if isinstance(footage, RawRun) else []
    spread = {count // 2} if footage.facts.width * footage.facts.height > LARGE else {0, count // 2, count - 1}
    for number in sorted(numbers or spread):
        try:
            found.append(_small(footage, number))
            whole.append(number)
        except Damaged as error:
            last = error
            notes.append(error.problem[:1].upper() + error.problem[1:])
    if not found:
        raise last
    return LookedAt(found, whole, notes)


def _small(footage: Footage, number: int) -> Still:
    return footage.frame(number, None, "half") if isinstance(footage, RawFootage) else footage.frame(number)


def frames_of(footage: Footage, numbers: Collection[int], reading: Reading | None = None) -> list[Still]:
    """Some frames by rising number; a movie is opened once for all of them. A raw's are of full size."""
    rising = sorted(numbers)
    if isinstance(footage, Movie):
        return footage.several(rising, reading)
    return [footage.frame(number, reading) for number in rising]


def reading_for(footage: Footage, said: Range | None) -> Reading:
    """How a file is read: in the range said, as a movie is tagged, else full."""
    tagged = Reading(footage.facts.tags.range or "full")  # type: ignore[arg-type]
    usual = footage.default_reading if isinstance(footage, Movie) else tagged
    return replace(usual, range=said or usual.range)


READABLE = (
    "PNG, JPEG, JPEG 2000, WebP, TIFF, OpenEXR, DPX, DNG, "
    "or ProRes, H.264, H.265, DNxHR or FFV1 in MOV, MP4, MKV or MXF"
)
ENDINGS = (*tuple(s for c in CONTAINERS for s in c.suffixes), ".dng", *SUFFIXES)


def _is_raw(place: FilePath, head: bytes) -> bool:
    return head.startswith(TIFF.magics) and _is_dng(place)


def _is_dng(place: FilePath) -> bool:
    """True when the first directory of a classic TIFF has a DNGVersion tag (50706)."""
    with place.open("rb") as stream:
        head = stream.read(8)
        order: Literal["little", "big"] = "little" if head[:2] == b"II" else "big"
        stream.seek(int.from_bytes(head[4:8], order))
        count = int.from_bytes(stream.read(2), order)
        entries = stream.read(12 * count)
    return any(int.from_bytes(entries[i : i + 2], order) == 50706 for i in range(0, len(entries) - 11, 12))


def _head(place: FilePath) -> bytes:
    try:
        with place.open("rb") as stream:
            head = stream.read(HEAD)
    except OSError as error:
        raise UnreadableFile(place, f"cannot be read ({error.strerror}).") from None
    if not head:
        raise UnreadableFile(place, "the file is empty. Copy it again from the source.")
    return head


def container_for(path: str | os.PathLike[str]) -> Container:
    """The container a file name asks for; raises UnwritableFile."""
    suffix = FilePath(path).suffix.lower()
    for container in CONTAINERS:
        if suffix in container.suffixes:
            return container
    known = ", ".join(s for c in CONTAINERS for s in c.suffixes)
    raise UnwritableFile(path, f"“{suffix}” is not a format this program writes; use {known}.")


def write_still(
    path: str | os.PathLike[str], code: Any, depth: Depth | None = None, tags: Mapping[str, Any] | None = None
) -> float:
    """Writes (H, W, 3) codes whole or not at all; gives the share of pixels the file had to clip."""
    container = container_for(path)
    if container.write is None:
        raise UnwritableFile(path, f"{container.name} is read, not written; use .png, .tif, .dpx or .exr.")
    chosen: Depth = depth or container.depths[-1]
    if chosen not in container.depths:
        raise UnwritableFile(path, f"{container.name} does not hold depth {chosen}; use {', '.join(container.depths)}.")
    container.write(FilePath(path), code, chosen, tags or {})
    return clipped_share(code) if chosen not in ("half", "float") else 0.0


__all__ = [
    "CONTAINERS",
    "ENDINGS",
    "READABLE",
    "ColourTags",
    "Container",
    "Damaged",
    "Depth",
    "FileFacts",
    "Footage",
    "Movie",
    "NumberedStills",
    "Raw",
    "RawFootage",
    "RawRun",
    "Reading",
    "Still",
    "container_for",
    "open_footage",
    "read_still",
    "reading_for",
    "recognise",
    "write_still",
]
