"""What a movie says of itself, for a proof: every frame counted, every tag, timecode, reel and HDR's words."""

from __future__ import annotations

import struct
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path as FilePath
from typing import Any

import av

from upwelling.core.errors import UnreadableFile
from upwelling.core.media.fields import SAID
from upwelling.core.media.movie import Movie
from upwelling.core.media.movie_packets import DAMAGE
from upwelling.core.media.tags import ColourTags


@dataclass(frozen=True)
class ReadBack:
    """As read from the container and the first picture. ``mastering`` and ``light_level`` as in hdr_words."""

    width: int
    height: int
    frames: int
    rate: Fraction
    codec: str
    codec_tag: str
    depth: int
    tags: ColourTags
    siting: str
    timecode: str
    reel: str
    pixel_aspect: Fraction
    fields: str
    mastering: bytes
    light_level: bytes
    sound: tuple[str, ...]


def read_back(path: FilePath) -> ReadBack:
    """Raises UnreadableFile."""
    facts = Movie(path).facts
    try:
        with av.open(str(path)) as container:
            stream = container.streams.video[0]
            rate = Fraction(stream.average_rate or 0)
            tag = str(stream.codec_context.codec_tag)
            sound = tuple(str(one.codec_context.codec.canonical_name) for one in container.streams.audio)
            first: Any = next(container.decode(stream), None)
            if first is None:
                raise UnreadableFile(path, "no frame of it can be decoded.")
            mastering, light = _hdr(first)
    except DAMAGE as error:
        raise UnreadableFile(path, f"cannot be opened again ({str(error)[:80]}).") from None
    return ReadBack(
        facts.width,
        facts.height,
        facts.frames,
        rate,
        facts.codec,
        tag,
        int(facts.depth) if facts.depth.isdecimal() else 0,
        facts.tags,
        facts.siting,
        str(facts.metadata.get("timecode", "")),
        str(facts.metadata.get("reel_name", "")),
        Fraction(facts.pixel_aspect or 1),
        SAID[facts.fields] if facts.fields or not facts.interlaced else "interlaced",
        mastering,
        light,
        sound,
    )


def _hdr(frame: Any) -> tuple[bytes, bytes]:
    """The two messages of a decoded frame, packed as a stream carries them; ffmpeg hands them out as fractions: three
    pairs of x and y in the order red, green, blue, the white, least and most light, each of two 32-bit numbers.
    """
    mastering = light = b""
    for data in frame.side_data:
        name, body = str(data.type), bytes(data)
        if "MASTERING_DISPLAY" in name and len(body) >= 80:
            values = [Fraction(*pair) for pair in struct.iter_unpack("<ii", body[:80])]
            places = [round(value * 50000) for value in values[:8]]
            red, green, blue, white = (places[n : n + 2] for n in range(0, 8, 2))
            least, most = (round(value * 10000) for value in values[8:10])
            mastering = struct.pack(">8H2I", *green, *blue, *red, *white, most, least)
        elif "CONTENT_LIGHT" in name and len(body) >= 8:
            light = struct.pack(">2H", *struct.unpack("<II", body[:8]))
    return mastering, light
