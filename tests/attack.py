"""Recipes of files that are made to kill, stall or fill whoever reads them; each gives a name and bytes.

Small on disk, large in what their headers promise: loops, bombs, depths and counts.
"""

import base64
import hashlib
import json
import struct
import zlib

import numpy as np

MANY = 100_000


def _ifd(entries, after=0):
    """A little-endian TIFF directory of (tag, type, count, value)."""
    body = b"".join(struct.pack("<HHII", *entry) for entry in sorted(entries))
    return struct.pack("<H", len(entries)) + body + struct.pack("<I", after)


_GREY = [(256, 3, 1, 4), (257, 3, 1, 4), (258, 3, 1, 8), (259, 3, 1, 1), (262, 3, 1, 1), (273, 4, 1, 400),
         (277, 3, 1, 1), (278, 3, 1, 4), (279, 4, 1, 16)]  # fmt: skip


def _tiff(entries, after=0, tail=b""):
    head = b"II*\0" + struct.pack("<I", 8)
    return (head + _ifd(entries, after)).ljust(400, b"\0") + bytes(16) + tail


def self_pointing_subifds():
    """A hundred thousand SubIFDs, each the directory that names them."""
    return _tiff([*_GREY, (330, 4, MANY, 416)], tail=struct.pack("<I", 8) * MANY)


def directories_in_a_circle():
    return _tiff(_GREY, after=8)


def subifds_in_a_circle():
    return _tiff([*_GREY, (330, 4, 1, 8)])


def a_dng_in_a_circle():
    return _tiff([*_GREY, (50706, 1, 4, 0x00000401), (330, 4, MANY, 416)], tail=struct.pack("<I", 8) * MANY)


def tags_of_four_thousand_million_values():
    return _tiff([*_GREY, (320, 3, 0xFFFFFFFF, 416), (34675, 7, 0xFFFFFFF0, 416)])


def ten_thousand_pages():
    size = 2 + 12 * len(_GREY) + 4
    pages = b"".join(_ifd(_GREY, 8 + (n + 1) * size if n < 9_999 else 0) for n in range(10_000))
    return b"II*\0" + struct.pack("<I", 8) + pages


def tiles_of_one_pixel():
    tiled = [e for e in _GREY if e[0] not in (256, 257, 273, 278, 279)]
    return _tiff([*tiled, (256, 4, 1, 16000), (257, 4, 1, 7000), (322, 3, 1, 1), (323, 3, 1, 1), (324, 4, 1, 400),
                  (325, 4, 1, 16)])  # fmt: skip


def _chunk(kind, body):
    return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))


def _png(width, height, depth, chunks=(), data=None):
    rows = zlib.compress(bytes(10**7), 9) if data is None else data
    head = _chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, depth, 2, 0, 0, 0))
    return b"\x89PNG\r\n\x1a\n" + head + b"".join(chunks) + _chunk(b"IDAT", rows) + _chunk(b"IEND", b"")


def a_png_of_a_hundred_million_pixels():
    return _png(16000, 7000, 16)


def a_png_larger_than_any():
    return _png(2**31 - 1, 2**31 - 1, 16)


def a_png_whose_profile_unpacks_to_a_gigabyte():
    squeezed = zlib.compressobj(9)
    body = b"".join(squeezed.compress(bytes(2**20)) for _ in range(1024)) + squeezed.flush()
    return _png(4, 4, 8, [_chunk(b"iCCP", b"a\0\0" + body)], zlib.compress(bytes(52)))


def a_png_with_a_hundred_thousand_texts():
    return _png(
        4, 4, 8, [_chunk(b"zTXt", b"Comment\0\0" + zlib.compress(bytes(1000)))] * MANY, zlib.compress(bytes(52))
    )


def a_jpeg_of_four_thousand_million_pixels():
    return (b"\xff\xd8\xff\xc2" + struct.pack(">HBHHB", 17, 8, 65535, 65535, 3) + b"\1\x11\0\2\x11\0\3\x11\0"
            + b"\xff\xda\0\x0c\3\1\0\2\0\3\0\0\0\0" + bytes(1000) + b"\xff\xd9")  # fmt: skip


def a_jpeg_of_fill_bytes():
    return b"\xff\xd8" + b"\xff" * 5_000_000 + b"\xd9"


def a_dpx_larger_than_any():
    head = bytearray(2048)
    head[:4] = b"SDPX"
    struct.pack_into(">I", head, 4, 2048)
    struct.pack_into(">HHII", head, 768, 0, 1, 2**32 - 1, 2**32 - 1)
    return bytes(head) + bytes(4000)


def _exr_head(width, height, channels, attributes=b""):
    listed = b"".join(name.encode() + b"\0" + struct.pack("<IIII", 2, 0, 1, 1) for name in channels) + b"\0"
    box = struct.pack("<iiii", 0, 0, width - 1, height - 1)

    def attribute(name, kind, body):
        return name + b"\0" + kind + b"\0" + struct.pack("<I", len(body)) + body

    return (struct.pack("<II", 20000630, 2) + attribute(b"channels", b"chlist", listed)
            + attribute(b"compression", b"compression", b"\0") + attribute(b"dataWindow", b"box2i", box)
            + attribute(b"displayWindow", b"box2i", box) + attribute(b"lineOrder", b"lineOrder", b"\0")
            + attribute(b"pixelAspectRatio", b"float", struct.pack("<f", 1))
            + attribute(b"screenWindowCenter", b"v2f", bytes(8))
            + attribute(b"screenWindowWidth", b"float", struct.pack("<f", 1)) + attributes + b"\0")  # fmt: skip


def an_exr_of_fifty_thousand_channels():
    return _exr_head(64, 64, ["B", "G", "R", *(f"x{n:05d}" for n in range(50_000))]) + bytes(64 * 8)


def an_exr_larger_than_any():
    return _exr_head(2**30, 2**30, ["B", "G", "R"])


def a_movie_of_boxes_in_boxes():
    body = b""
    for _ in range(20_000):
        body = struct.pack(">I4s", 8 + len(body), b"moov") + body
    return struct.pack(">I4s4sI", 16, b"ftyp", b"qt  ", 0) + body


def a_movie_of_empty_boxes():
    return struct.pack(">I4s4sI", 16, b"ftyp", b"qt  ", 0) + struct.pack(">I4s", 0, b"moov") + bytes(2_000_000)


def a_matroska_of_elements_in_elements():
    return bytes.fromhex("1a45dfa3 9f 4286 81 01 42f7 81 01 42f2 81 04 42f3 81 08 4282 88") + b"matroska" + (
        bytes.fromhex("18538067 01ffffffffffffff") + bytes.fromhex("1f43b675 01ffffffffffffff") * MANY)  # fmt: skip


FOOTAGE = {
    "subifds.tif": self_pointing_subifds, "circle.tif": directories_in_a_circle,
    "subcircle.tif": subifds_in_a_circle,
    "circle.dng": a_dng_in_a_circle,
    "counts.tif": tags_of_four_thousand_million_values,
    "pages.tif": ten_thousand_pages,
    "tiles.tif": tiles_of_one_pixel,
    "wide.png": a_png_of_a_hundred_million_pixels,
    "vast.png": a_png_larger_than_any,
    "profile.png": a_png_whose_profile_unpacks_to_a_gigabyte,
    "texts.png": a_png_with_a_hundred_thousand_texts,
    "vast.jpg": a_jpeg_of_four_thousand_million_pixels,
    "fill.jpg": a_jpeg_of_fill_bytes,
    "vast.dpx": a_dpx_larger_than_any,
    "channels.exr": an_exr_of_fifty_thousand_channels,
    "vast.exr": an_exr_larger_than_any,
    "boxes.mov": a_movie_of_boxes_in_boxes,
    "empty.mov": a_movie_of_empty_boxes,
    "elements.mkv": a_matroska_of_elements_in_elements,
}  # fmt: skip


def a_cube_of_comments():
    return b"# nothing\n" * 3_000_000 + b"LUT_3D_SIZE 2\n" + b"0 0 0\n" * 8


def a_cube_that_promises():
    return b"LUT_3D_SIZE 256\n0 0 0\n"


def a_cube_of_one_line():
    return b"LUT_1D_SIZE 2\n" + b"0 " * 5_000_000


def a_list_of_laughs():
    lines = b"".join(b'<!ENTITY l%d "%s">' % (n + 1, b"&l%d;" % n * 10) for n in range(9))
    return b'<?xml version="1.0"?><!DOCTYPE l [<!ENTITY l0 "ha">' + lines + b"]><ProcessList>&l9;</ProcessList>"


def a_list_in_lists():
    return b"<ProcessList>" * 500_000


def a_list_of_attributes():
    return b"<ProcessList " + b" ".join(b'a%d=""' % n for n in range(1_000_000)) + b"/>"


def a_list_of_nodes():
    return b'<ProcessList id="a" compCLFversion="3">' + b"<Range/>" * 300_000 + b"</ProcessList>"


def a_list_that_promises():
    return (b'<ProcessList id="a" compCLFversion="3"><LUT3D inBitDepth="32f" outBitDepth="32f">'
            b'<Array dim="256 256 256 3">0'
            b"</Array></LUT3D></ProcessList>")  # fmt: skip


TABLES = {
    "comments.cube": a_cube_of_comments, "promise.cube": a_cube_that_promises, "line.cube": a_cube_of_one_line,
    "laughs.clf": a_list_of_laughs, "lists.clf": a_list_in_lists, "attributes.clf": a_list_of_attributes,
    "nodes.clf": a_list_of_nodes, "promise.clf": a_list_that_promises, "vast.png": a_png_of_a_hundred_million_pixels,
}  # fmt: skip


def _carried(side):
    """A cube of zeros, packed: sixteen kilobytes for every two hundred megabytes."""
    body = np.zeros((side,) * 3 + (3,), "<f4").tobytes()
    said = f"3d {side} {(0.0,) * 3} {(1.0,) * 3}\n"
    return {"name": "zeros", "kind": "3d", "size": side, "digest": hashlib.sha256(said.encode() + body).hexdigest(),
            "data": base64.b64encode(zlib.compress(body, 9)).decode()}  # fmt: skip


def twelve_zero_tables():
    table = {"table": _carried(256), "expects": "ACEScct/AP1", "gives": "ACEScct/AP1"}
    steps = [{"kind": "lut", "id": f"l{n}", "lut": table} for n in range(12)]
    return json.dumps({"upwelling_look": 1, "name": "Zeros", "steps": steps}).encode()


def a_look_of_lists():
    return b'{"upwelling_look": 1, "name": "x", "steps": [' + b"[]," * 9_000_000 + b"[]]}"


def a_look_in_looks():
    return b'{"upwelling_look": 1, "steps": ' + b"[" * 5_000_000


def a_look_of_one_quote():
    return b'{"upwelling_look": 1, "name": "' + b'\\"' * 5_000_000


def a_look_of_quotes():
    return b'"' * 9_000_000


LOOKS = {
    "zeros.json": twelve_zero_tables, "lists.json": a_look_of_lists, "looks.json": a_look_in_looks,
    "quote.json": a_look_of_one_quote, "quotes.json": a_look_of_quotes, "laughs.cdl": a_list_of_laughs,
    "lists.ccc": a_list_in_lists, "attributes.cc": a_list_of_attributes,
}  # fmt: skip


def _clip(**changed):
    """One clip of a timeline in plain data."""
    span = {"OTIO_SCHEMA": "TimeRange.1", "start_time": _time(100), "duration": _time(24)}
    clip = {"OTIO_SCHEMA": "Clip.1", "name": "A012", "metadata": {}, "source_range": span, "effects": [],
            "markers": [], "media_reference": {"OTIO_SCHEMA": "ExternalReference.1", "target_url":
            "file:///a/A012.mov"}}  # fmt: skip
    return clip | changed


def _time(value, rate=24.0):
    return {"OTIO_SCHEMA": "RationalTime.1", "value": value, "rate": rate}


def timeline(*clips, **changed):
    """An OpenTimelineIO file with one track of clips."""
    track = {"OTIO_SCHEMA": "Track.1", "kind": "Video", "name": "V1", "children": list(clips), "metadata": {}}
    stack = {"OTIO_SCHEMA": "Stack.1", "children": [track], "name": "tracks", "metadata": {}}
    return json.dumps({"OTIO_SCHEMA": "Timeline.1", "name": "t", "metadata": {}, "tracks": stack} | changed).encode()


def _ranged(start=None, length=None):
    return _clip(source_range={"OTIO_SCHEMA": "TimeRange.1", "start_time": start or _time(100),
                               "duration": length or _time(24)})  # fmt: skip


def _warped(scalar):
    return _clip(effects=[{"OTIO_SCHEMA": "LinearTimeWarp.1", "time_scalar": scalar, "name": "", "effect_name": "",
                           "metadata": {}}])  # fmt: skip


_KINDS = [None, True, 0, -1, 1.5, 10**30, -(10**30), float("inf"), float("nan"), "", "x" * 5000, "\ud800", [], {}, [[]],
          {"a": 1}]  # fmt: skip
_LINE = b"001  A012     V     C        01:00:10:00 01:00:12:00 01:00:00:00 01:00:02:00\n"


def _wrong_kinds():
    """A timeline for each place and each wrong kind of value there."""
    made = {}
    for number, value in enumerate(_KINDS):
        rated = {"OTIO_SCHEMA": "RationalTime.1", "value": 5, "rate": value}
        counted = {"OTIO_SCHEMA": "RationalTime.1", "value": value, "rate": 24}
        places = {
            "tracks": timeline(tracks=value), "name": timeline(_clip(name=value)), "start": timeline(_ranged(counted)),
            "length": timeline(_ranged(None, counted)), "rate": timeline(_ranged(rated, rated)),
            "metadata": timeline(_clip(metadata=value)), "cmx": timeline(_clip(metadata={"cmx_3600": value})),
            "comments": timeline(_clip(metadata={"cmx_3600": {"comments": value, "reel": value}})),
            "cdl": timeline(_clip(metadata={"cdl": value})),
            "sop": timeline(_clip(metadata={"cdl": {"asc_sop": {"slope": value}, "asc_sat": value}})),
            "range": timeline(_clip(source_range=value)), "media": timeline(_clip(media_reference=value)),
            "address": timeline(_clip(media_reference={"OTIO_SCHEMA": "ExternalReference.1", "target_url": value})),
            "speed": timeline(_warped(value)), "effects": timeline(_clip(effects=value)),
            "begin": timeline(_clip(), global_start_time=counted), "title": timeline(_clip(), name=value),
        }  # fmt: skip
        made |= {f"{place}-{number}.otio": body for place, body in places.items()}
    return made


CUTS = {
    "null-tracks.otio": b'{"OTIO_SCHEMA":"Timeline.1","name":"x","tracks":{"OTIO_SCHEMA":"Stack.1","children":[null]}}',
    "no-tracks.otio": b'{"OTIO_SCHEMA":"Timeline.1","metadata":{},"name":"x","tracks":null}',
    "address.otio": timeline(_clip(media_reference={"OTIO_SCHEMA": "ExternalReference.1", "target_url": "http://[::a"})),
    "lists.otio": b"[" * 3_000_000, "objects.otio": b'{"a":' * 3_000_000,
    "blanks.edl": b"\n" * 20_000_000 + _LINE, "comments.edl": b"* x\n" * 5_000_000 + _LINE,
    "spaces.edl": _LINE + b"M2   A012 " + b" " * 20_000_000 + b"\n", "dots.edl": _LINE + b"M2 " + b"." * 20_000_000,
    "words.edl": _LINE + b"M2 " + b"1 " * 2000 + b"01:00:00:00\n", "one-line.edl": b"1 " * 10_000_000,
    "numbers.edl": b"001\n" * 5_000_000, "digits.edl": b"9" * 5_000_000 + b" A012\n" + _LINE,
    "many.edl": b"".join(_LINE.replace(b"001", b"%06d" % n) for n in range(100_000)),
    "speeds.edl": _LINE + b"M2 A012 1e999 01:00:10:00\n", "nan.edl": _LINE + b"M2 A012 nan 01:00:10:00\n",
    **_wrong_kinds(),
}  # fmt: skip
