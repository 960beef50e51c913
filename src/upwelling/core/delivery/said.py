"""What a delivered file says, read back, beside what was ordered."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path as FilePath

import numpy as np

from upwelling.core.delivery.order import Order
from upwelling.core.delivery.sound_check import sound_rows
from upwelling.core.delivery.tags import hdr_words, movie_settings
from upwelling.core.media import Movie, open_footage, read_still
from upwelling.core.media.fields import SAID
from upwelling.core.media.read_back import ReadBack, read_back
from upwelling.core.media.timecode import Timecode
from upwelling.core.outputs.mastering import LightLevel

ROUNDED = 0.0011
"""Seconds by which a frame's time may be off: Matroska keeps whole milliseconds (RFC 9559, section 11.1)."""
Row = tuple[str, str, str]
_MEMBERS = {"prores-422": "apch", "prores-4444": "ap4h", "dnxhr-hqx": "AVdh"}
"""Four characters by which QuickTime files tell members of a codec's family apart. Source: files written by ffmpeg."""


def checks_of(order: Order, target: FilePath, files: Sequence[FilePath], level: LightLevel | None) -> list[Row]:
    """Rows of what, ordered and found. ``level`` is what was measured while it was made, where that is known."""
    if order.form.movie is None:
        return _stills(order, files)
    found = read_back(target)
    settings = movie_settings(order)
    tags = settings.tags
    wide, high = order.framing_of(order.pieces[0]).outer
    rows: list[Row] = [
        ("size", f"{wide} × {high}", f"{found.width} × {found.height}"),
        ("frames", str(order.frames), str(found.frames)),
        ("rate", _fraction(order.exact_rate), _fraction(found.rate)),
        ("frame times", "as the rate has them", _times_said(order, target)),
        ("codec", _codec(order), found.codec),
        ("bits", _bits_said(order, _depth(order)), _bits_said(order, found.depth)),
    ]
    if order.form.ending == ".mov" and order.form.codec in _MEMBERS:
        rows.append(("codec's member", _MEMBERS[order.form.codec], found.codec_tag))
    if tags is not None:
        rows += [
            ("primaries", tags.primaries or "not said", found.tags.primaries or "not said"),
            ("transfer", tags.transfer or "not said", found.tags.transfer or "not said"),
            ("matrix", tags.matrix, found.tags.matrix or "not said"),
            ("range", tags.range, found.tags.range or _unsaid_range(order)),
        ]
    if order.label is not None:
        read = Timecode.read(found.timecode, float(order.exact_rate))
        rows.append(("timecode", str(order.label), str(read) if read else found.timecode or "none"))
    if order.reel and order.form.ending == ".mov" and order.label is not None:
        rows.append(("reel", order.reel, found.reel or "none"))
    if settings.pixel_aspect != 1:
        rows.append(("pixel aspect", _fraction(settings.pixel_aspect), _fraction(found.pixel_aspect)))
    rows.append(("field order", SAID[settings.fields], found.fields))
    if order.form.movie.subsampling == (2, 2):
        rows.append(("chroma siting", settings.siting, found.siting or "left"))
    rows += sound_rows(order, target)
    rows += _hdr(order, level, found)
    return rows


def _times_said(order: Order, target: FilePath) -> str:
    """How far the time of any frame is from its number over the rate; sound is in step with pictures by these."""
    times = Movie(target).times
    off = float(np.abs(times - np.arange(len(times)) / float(order.exact_rate)).max())
    return "as the rate has them" if off <= ROUNDED else f"up to {off * 1000:.0f} ms away"


def _hdr(order: Order, level: LightLevel | None, found: ReadBack) -> list[Row]:
    words = hdr_words(order, level or LightLevel())
    if words is None:
        return []
    rows = [("mastering display", words.mastering.hex(), found.mastering.hex() or "none")]
    if level is not None:
        wanted, read = (
            f"{int.from_bytes(data[:2], 'big')} and {int.from_bytes(data[2:4], 'big')} cd/m²" if data else "none"
            for data in (words.light_level, found.light_level)
        )
        rows.append(("MaxCLL and MaxFALL", wanted, read))
    elif not found.light_level:
        rows.append(("MaxCLL and MaxFALL", "said", "none"))
    return rows


def _unsaid_range(order: Order) -> str:
    """A QuickTime file has no word for the range of R'G'B', which is full wherever it is read."""
    assert order.form.movie is not None
    return "full" if order.form.movie.rgb and order.form.ending == ".mov" else "not said"


def _depth(order: Order) -> int:
    """Bits of the decoded planes: ffmpeg decodes a ProRes 4444 that calls itself so at 12, whatever it was given."""
    movie = order.form.movie
    assert movie is not None
    return movie.decoded_depth if movie.decoded_depth and order.form.ending == ".mov" else movie.depth


def _bits_said(order: Order, decoded: int) -> str:
    """How many bits the encoder was given, how many the stream says it codes, and how many a decoder gives. ffmpeg lays
    planes out as deep as a stream says; ProRes streams do not say (SMPTE RDD 36, from memory), and 4444 is decoded at
    12.
    """
    movie = order.form.movie
    assert movie is not None
    coded = "no depth in the stream" if movie.encoder.startswith("prores") else f"{decoded} coded"
    return f"{movie.depth} given, {coded}, {decoded} decoded"


def _codec(order: Order) -> str:
    return {"prores-422": "prores", "prores-4444": "prores", "dnxhr-hqx": "dnxhd", "cineform-12": "cfhd"}.get(
        order.form.codec, order.form.codec.split("-")[0].replace("h265", "hevc")
    )


def _fraction(value: Fraction) -> str:
    return str(value)


def _stills(order: Order, files: Sequence[FilePath]) -> list[Row]:
    wide, high = order.framing_of(order.pieces[0]).outer
    first = read_still(files[0])
    there = sum(file.exists() for file in files)
    rows: list[Row] = [
        ("size", f"{wide} × {high}", f"{first.width} × {first.height}"),
        ("frames", str(order.frames), str(there)),
        ("depth", order.form.depth, first.depth),
    ]
    if order.form.ending in (".dpx", ".exr"):
        facts = open_footage(files[0]).facts
        rows.append(("rate", f"{float(order.exact_rate):.3f}", f"{float(facts.metadata.get('frame rate', 0)):.3f}"))
        if order.label is not None:
            said = str(facts.metadata.get("timecode", "none"))
            wanted = str(order.label)
            # DPX has no word for drop frame: the digits alone can be compared.
            rows.append(("timecode", wanted.replace(";", ":"), said.replace(";", ":")))
            if wanted.startswith("00:00:00") and wanted.endswith("00") and said == "none":
                rows.pop()
    return rows
