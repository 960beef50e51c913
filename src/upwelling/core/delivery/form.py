"""Form: as what a delivery is written, and how a frame of the source lies in it."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Literal, Self

from pydantic import Field, model_validator

from upwelling.core.encodings import Range, encoding
from upwelling.core.errors import BadValue
from upwelling.core.frozen import Frozen
from upwelling.core.media.dither import Dither
from upwelling.core.media.movie_write import CODECS, KINDS, Codec

Boundary = Literal["input", "trim", "look", "display"]
BOUNDARIES: dict[Boundary, str] = {
    "display": "finished, as the display shows it",
    "look": "scene light with trim and look",
    "trim": "scene light with the trim",
    "input": "scene light as developed",
}
Sizing = Literal["source", "fit", "exact"]
LARGEST_SIDE = 16384
STILLS = {".dpx": "DPX", ".exr": "OpenEXR", ".tif": "TIFF", ".png": "PNG"}


class Form(Frozen):
    """What a delivered file is: container and codec, depth, range, where in the path it is taken, and its size.

    ``codec`` names one of the movie codecs; empty for numbered stills, whose ``depth`` then says how they are kept.
    ``encoding`` is what scene light is written in; the display boundary has none. ``quality`` and ``bits_per_second``
    are for H.264 and H.265 alone: 0 leaves the codec's own quality, a bit rate is held in two passes.
    """

    preset: str = Field("", max_length=80)
    ending: str
    codec: str = ""
    depth: Literal["8", "10", "12", "16", "half", "float"] = "10"
    range: Range = "legal"
    boundary: Boundary = "display"
    encoding: str = Field("", max_length=120)
    sizing: Sizing = "source"
    width: int = Field(0, ge=0, le=LARGEST_SIDE)
    height: int = Field(0, ge=0, le=LARGEST_SIDE)
    dither: Dither | Literal["as needed"] = "as needed"
    quality: int = Field(0, ge=0, le=51)
    bits_per_second: int = Field(0, ge=0, le=2_000_000_000)
    least_bits: Literal[0, 8, 10, 12, 16] = 0
    """Bits that the encoder must be given at the least; a form that gives it fewer is refused."""
    hdr10: bool = False
    transfer: str = Field("", max_length=20)
    """The transfer curve that the output must have, where the form is for one alone."""

    @model_validator(mode="after")
    def _possible(self) -> Self:
        if self.codec and (self.codec not in CODECS or self.ending not in KINDS):
            raise ValueError(f"“{self.codec}” in {self.ending} is nothing this program writes.")
        if not self.codec and self.ending not in STILLS:
            raise ValueError(f"“{self.ending}” is no still this program writes; use {', '.join(STILLS)}.")
        if self.codec and (refused := CODECS[self.codec].refusal(self.range)):
            raise ValueError(refused)
        if self.least_bits > self.code_bits:
            raise ValueError(
                f"{self.title} is given {self.code_bits} bits, and {self.least_bits} are ordered, however many a "
                "decoder makes of them. VC-5 RGB, FFV1 RGB, H.265 4:4:4 12-bit and 16-bit stills carry more."
            )
        if self.sizing != "source" and not (self.width and self.height):
            raise ValueError("Say width and height, or keep the source's size.")
        if self.boundary != "display":
            if not self.encoding:
                raise ValueError("Say the encoding that scene light is written in.")
            encoding(self.encoding)
        elif self.encoding:
            raise ValueError("The finished picture is in the output's own codes; an encoding is for scene light.")
        return self

    @property
    def movie(self) -> Codec | None:
        """The codec, where it is a movie."""
        return CODECS[self.codec] if self.codec else None

    @property
    def is_float(self) -> bool:
        return not self.codec and self.depth in ("half", "float")

    @property
    def code_bits(self) -> int:
        """Bits of the integers written; 16 for floats."""
        if self.movie:
            return self.movie.depth
        return {"8": 8, "10": 10, "12": 12}.get(self.depth, 16)

    @property
    def dithering(self) -> Dither:
        """Blue noise where 8 bit are written and nothing else was said; none in stills and R'G'B'."""
        if self.movie is None or self.movie.rgb:
            return "none"
        if self.dither != "as needed":
            return self.dither
        return "blue noise" if self.code_bits == 8 else "none"

    @property
    def title(self) -> str:
        """As people call it."""
        if self.movie:
            return f"{self.movie.title} in {self.ending}"
        return f"{STILLS[self.ending]} {self.depth}{'' if self.is_float else ' bit'}"


@dataclass(frozen=True)
class Framing:
    """A picture of ``inner`` pixels in a frame of ``outer``, with bars around it where they differ."""

    source: tuple[int, int]
    inner: tuple[int, int]
    outer: tuple[int, int]
    pixel_aspect: Fraction = Fraction(1)

    @property
    def scales(self) -> bool:
        return self.inner != self.source

    @property
    def offset(self) -> tuple[int, int]:
        """Left and top of the picture, on even pixels, where chroma of any kind begins."""
        return (self.outer[0] - self.inner[0]) // 4 * 2, (self.outer[1] - self.inner[1]) // 4 * 2

    def sentence(self) -> str:
        """Sizes and bars in words."""
        said = f"{self.outer[0]} × {self.outer[1]}"
        if self.scales:
            said += f", from {self.source[0]} × {self.source[1]}"
        if self.inner != self.outer:
            wide = self.inner[0] < self.outer[0]
            said += f", with {'pillar' if wide else 'letter'} bars round {self.inner[0]} × {self.inner[1]}"
        if self.pixel_aspect != 1:
            said += f", pixels {self.pixel_aspect} wide as recorded"
        return said


def framing(form: Form, width: int, height: int, pixel_aspect: Fraction = Fraction(1)) -> Framing:
    """How frames of that size lie in the form. Where they are resampled, pixels become square.

    Raises BadValue where the codec's chroma cannot be halved.
    """
    source = (width, height)
    if form.sizing == "source":
        found = Framing(source, source, source, pixel_aspect)
    else:
        shape = Fraction(width, height) * pixel_aspect
        wide = min(Fraction(form.width), form.height * shape)
        inner = (max(2, round(wide / 2) * 2), max(2, round(wide / shape / 2) * 2))
        inner = (min(inner[0], form.width), min(inner[1], form.height))
        found = Framing(source, inner, inner if form.sizing == "fit" else (form.width, form.height))
    halves = form.movie.subsampling if form.movie else (1, 1)
    if found.outer[0] % halves[0] or found.outer[1] % halves[1]:
        raise BadValue(
            f"{found.outer[0]} × {found.outer[1]} cannot be halved, as {form.title} does with chroma. Choose an even "
            "size."
        )
    return found
