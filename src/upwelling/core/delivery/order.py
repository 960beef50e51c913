"""Order: everything a delivered file is made from, as one value that needs nothing beside the source files."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from pathlib import Path as FilePath
from typing import Any, Literal, Self

from pydantic import Field, model_validator

from upwelling.core.count_of import count_of
from upwelling.core.delivery.form import Form, Framing, framing
from upwelling.core.delivery.through import Through
from upwelling.core.documents import read_versioned
from upwelling.core.encodings import Range
from upwelling.core.errors import BadValue, UnreadableFile
from upwelling.core.frozen import Frozen
from upwelling.core.media import Footage, Reading, open_footage
from upwelling.core.media.even import EvenMovie
from upwelling.core.media.fields import FirstField
from upwelling.core.media.rates import read_rate
from upwelling.core.media.timecode import Timecode
from upwelling.core.media.ycbcr import Siting
from upwelling.core.path import Path
from upwelling.core.path.recipe import ARITHMETIC

ORDER_VERSION = 1
LARGEST_ORDER, MOST_FRAMES, MOST_PIECES = 64 * 2**20, 10_000_000, 5000
INTRA_PART, GROUPED_PART, STILLS_PART = 24, 96, 12
"""Frames of a part: where each stands by itself, where they lean on each other, and of numbered stills."""
Damage = Literal["stop", "repeat"]


class Piece(Frozen):
    """A run of frames of one file, from ``first`` to ``last``, and the recipe they are rendered by.

    ``sha256`` is the file's where it is known. ``range`` and what follows say how a movie's planes are read.
    """

    name: str = Field("", max_length=255)
    file: str
    members: tuple[str, ...] = ()
    first: int = Field(0, ge=0)
    last: int = Field(0, ge=0)
    recipe: dict[str, Any]
    range: Range = "full"
    matrix: str = ""
    siting: Siting | Literal[""] = ""
    sha256: str = ""
    even: str = Field("", max_length=20)
    """Frames a second at which a movie of uneven rate is held in its times; ``first`` and ``last`` count these then.
    Empty: frames as they are counted, one after the other.
    """
    turned: Literal[0, 90, 180, 270] = 0
    """Degrees counterclockwise by which pictures are turned after all that acts on them as recorded."""
    fields: FirstField = ""
    """Which field of its interlaced pictures comes first, where the file says; empty in orders of before that was kept.
    """

    @model_validator(mode="after")
    def _forward(self) -> Self:
        if self.last < self.first:
            raise ValueError(f"Its last frame ({self.last}) comes before its first ({self.first}).")
        return self

    @property
    def frames(self) -> int:
        return self.last - self.first + 1

    @cached_property
    def path(self) -> Path:
        """The exact path; raises RecipeError or BadValue."""
        return Path.from_recipe(json.dumps(self.recipe))

    @cached_property
    def footage(self) -> Footage:
        """The open footage, its facts read; raises UnreadableFile by the name that people know."""
        try:
            found = open_footage(self.file, [FilePath(member) for member in self.members])
            if self.even:
                found = EvenMovie(self.file, read_rate(self.even))
            found.facts  # noqa: B018  a file that cannot be opened says so here
        except UnreadableFile as error:
            raise type(error)(self.name or self.file, error.problem) from None
        return found

    def in_file(self, frame: int) -> int:
        """The number in its file of one of its frames."""
        footage = self.footage
        return int(footage.shown[frame]) if isinstance(footage, EvenMovie) else frame

    @property
    def reading(self) -> Reading:
        return Reading(self.range, self.matrix, self.siting)

    @property
    def framing_facts(self) -> tuple[int, int, Fraction]:
        """Width, height and pixel aspect of the source, turned as ordered."""
        facts = self.footage.facts
        aspect = Fraction(facts.pixel_aspect or 1)
        if self.turned in (90, 270):
            return facts.height, facts.width, 1 / aspect
        return facts.width, facts.height, aspect


@dataclass(frozen=True)
class Part:
    """Some frames of the whole: of which pieces, and from which of its frames on."""

    index: int
    begin: int
    runs: tuple[tuple[int, int, int], ...]
    """Piece, first and last frame of its file."""

    @property
    def frames(self) -> int:
        return sum(last - first + 1 for _, first, last in self.runs)


class Order(Frozen):
    """What one file, or one folder of stills, is made from and is to say.

    ``rate`` is the delivered one as a fraction; ``timecode`` the label of the first frame, empty for none. Stills are
    numbered from ``first_number``. ``extra`` goes into the file's own metadata.
    """

    pieces: tuple[Piece, ...] = Field(min_length=1, max_length=MOST_PIECES)
    form: Form
    rate: str = "24"
    timecode: str = ""
    reel: str = Field("", max_length=120)
    sound: bool = True
    sound_kbps: int = Field(0, ge=0, le=320)
    """Kilobits a second of a channel, where sound is encoded; 0: as usual."""
    damage: Damage = "stop"
    first_number: int = Field(0, ge=0, le=99_999_999)
    title: str = Field("", max_length=200)
    through: Through | None = None
    """The proved table that stands for the path of every piece; None: the exact path."""

    @model_validator(mode="after")
    def _sound(self) -> Self:
        read_rate(self.rate)
        if self.through is not None and (self.form.boundary != "display" or self.form.sizing != "source"):
            raise ValueError(
                "A table gives finished codes, and sizes are changed in light. Deliver finished pictures at the "
                "source's size, or by the exact path."
            )
        if self.frames > MOST_FRAMES:
            raise ValueError(f"{self.frames} frames are more than {MOST_FRAMES}.")
        if self.timecode and self.label is None:
            raise ValueError(f"“{self.timecode}” is no timecode at {self.rate} frames a second.")
        return self

    @property
    def exact_rate(self) -> Fraction:
        return read_rate(self.rate)

    @property
    def frames(self) -> int:
        return sum(piece.frames for piece in self.pieces)

    @property
    def label(self) -> Timecode | None:
        """The first frame's timecode."""
        return Timecode.read(self.timecode, float(self.exact_rate)) if self.timecode else None

    def framing_of(self, piece: Piece) -> Framing:
        """How a piece's frames lie in the form; raises BadValue where pieces would come out in several sizes."""
        first = framing(self.form, *self.pieces[0].framing_facts)
        own = framing(self.form, *piece.framing_facts)
        if own.outer != first.outer:
            raise BadValue(
                f"{piece.name or FilePath(piece.file).name} would be {own.outer[0]} × {own.outer[1]}, the first piece "
                f"{first.outer[0]} × {first.outer[1]}. Choose an exact size for all."
            )
        return own

    @property
    def fields(self) -> FirstField:
        """Which field the file says comes first: what its pieces have, where its codec carries two and all agree."""
        first = self.pieces[0].fields
        carried = self.form.movie is not None and self.form.movie.fields
        alike = all(piece.fields == first and not piece.turned for piece in self.pieces)
        return first if carried and alike else ""

    def parts(self) -> list[Part]:
        """The whole in parts, cut at the same frames always, so that it comes out the same however often begun."""
        form = self.form
        length = STILLS_PART if form.movie is None else INTRA_PART if form.movie.intra else GROUPED_PART
        found: list[Part] = []
        runs: list[tuple[int, int, int]] = []
        begin = count = 0
        for number, piece in enumerate(self.pieces):
            first = piece.first
            while first <= piece.last:
                taken = min(length - count, piece.last - first + 1)
                runs.append((number, first, first + taken - 1))
                first, count = first + taken, count + taken
                if count == length:
                    found.append(Part(len(found), begin, tuple(runs)))
                    begin, count, runs = begin + count, 0, []
        if runs:
            found.append(Part(len(found), begin, tuple(runs)))
        return found

    def source_of(self, frame: int) -> tuple[int, int]:
        """Piece and frame of its file behind a frame of the whole, from 0."""
        for number, piece in enumerate(self.pieces):
            if frame < piece.frames:
                return number, piece.first + frame
            frame -= piece.frames
        raise BadValue(f"The delivery has {count_of(self.frames, 'frame')}, from 0 on.")

    @property
    def fingerprint(self) -> str:
        """SHA-256 over all of it and the arithmetic's version; equal means equal files."""
        # What came later and is at rest counts as it did before it was there.
        later: dict[str, Any] = {"form": {"least_bits"}} | ({} if self.sound_kbps else {"sound_kbps": True})
        later |= {} if self.through else {"through": True}
        at_rest = {
            name for name in ("even", "turned", "fields") if not any(getattr(piece, name) for piece in self.pieces)
        }
        if at_rest:
            later["pieces"] = {"__all__": at_rest}
        body = {"arithmetic": ARITHMETIC, **self.model_dump(mode="json", exclude=later)}
        return hashlib.sha256(json.dumps(body, sort_keys=True, separators=(",", ":")).encode()).hexdigest()

    def to_json(self) -> str:
        """As versioned JSON."""
        return json.dumps({"upwelling_delivery": ORDER_VERSION, **self.model_dump(mode="json")})

    @classmethod
    def from_json(cls, text: str | bytes) -> Order:
        """Reads one; raises RecipeError or BadValue that says what is wrong."""
        body = read_versioned(text, "upwelling_delivery", "a delivery", ORDER_VERSION)
        return cls.checked(body)
