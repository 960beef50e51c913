"""How a movie's planes become R'G'B': matrix, range, chroma's place and rate, each with how it is known."""

from __future__ import annotations

from dataclasses import dataclass

from upwelling.core.media.footage import FileFacts, Reading
from upwelling.core.media.movie_planes import SD_LINES, guessed_matrix, siting_of
from upwelling.core.media.ycbcr import LUMA

MATRICES = ("BT.709", "BT.601", "BT.2020")
"""Those that a person can say a movie is coded by."""


@dataclass(frozen=True)
class Known:
    """One thing, its value, how it is known, and whether that is a guess."""

    what: str
    value: str
    how: str
    guessed: bool = False

    def sentence(self) -> str:
        return f"{self.what} {self.value}, {self.how}"


def decoding_of(
    facts: FileFacts,
    reading: Reading,
    matrix_how: str = "",
    siting_how: str = "",
    rate: float = 0.0,
    runs_at: float = 0.0,
) -> tuple[Known, ...]:
    """Rows for what moves; matrix, range and chroma for a movie of Y'CbCr alone.

    ``matrix_how`` and ``siting_how`` say where what the reading has of them is from; ``rate`` is the one it was
    recorded at, ``runs_at`` the one it plays at, where that is another.
    """
    return (*_planes(facts, reading, matrix_how, siting_how), *_rate(facts, rate or facts.rate, runs_at))


def _rate(facts: FileFacts, rate: float, runs_at: float) -> tuple[Known, ...]:
    if not rate:
        return ()
    said = f"; the file says {facts.rate:g}" if facts.rate else "; the file says none"
    how = "as the file says" if rate == facts.rate else f"set by hand{said}"
    known = Known("Rate", f"{rate:g} frames a second", how)
    if runs_at in (0.0, rate):
        return (known,)
    return known, Known("Runs at", f"{runs_at:g} frames a second", f"{runs_at / rate * 100:.0f} % of its speed")


def _planes(facts: FileFacts, reading: Reading, matrix_how: str, siting_how: str) -> tuple[Known, ...]:
    if not facts.ycbcr or facts.kind != "movie":
        return ()
    if reading.matrix:
        matrix = Known("Matrix", reading.matrix, matrix_how or "set by hand")
    elif facts.tags.matrix:
        matrix = Known("Matrix", facts.tags.matrix, "as the file says")
    else:
        matrix = Known("Matrix", guessed_matrix(facts), f"guessed: the file names none, {_size_said(facts)}", True)
    value = matrix.value if matrix.value in LUMA else "BT.709"
    ranged = (
        Known("Range", reading.range, "as the file says" if facts.tags.range == reading.range else "set by hand")
        if facts.tags.range
        else Known("Range", reading.range, "taken: the file names none", True)
    )
    if reading.siting:
        siting = Known("Chroma", reading.siting, siting_how or "set by hand")
    elif facts.siting:
        siting = Known("Chroma", facts.siting, "as the file says")
    else:
        siting = Known("Chroma", siting_of(facts, value), "as its format has it")
    return (matrix, ranged) if facts.subsampling == "4:4:4" else (matrix, ranged, siting)


def _size_said(facts: FileFacts) -> str:
    if facts.height in SD_LINES and facts.width <= 720:
        return "and its size is that of standard definition"
    return "and its size is not that of standard definition"
