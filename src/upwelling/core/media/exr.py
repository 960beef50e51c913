"""OpenEXR, half and float. Source: OpenEXR, Technical Introduction and File Layout (3.x documentation), windows, parts
and standard attributes.
"""

from __future__ import annotations

import io
import re
import struct
import threading
from collections.abc import Iterator, Mapping
from contextlib import contextmanager, redirect_stdout
from fractions import Fraction
from pathlib import Path as FilePath
from typing import Any

import numpy as np
import OpenEXR

from upwelling.core.colour.primaries import Primaries
from upwelling.core.errors import UnreadableFile
from upwelling.core.files import whole_file
from upwelling.core.media.base import Container, Depth, Still, check_size, finish
from upwelling.core.media.own_mark import said_by, words_for
from upwelling.core.media.tags import ColourTags

MOST_VALUES = 400_000_000
"""Values of all channels and parts together, where the library reads them all: four bytes each."""
ATTRIBUTE = "comments"


_XYZ = (1.0, 0.0, 0.0, 1.0, 0.0, 0.0)


def read(path: FilePath) -> Still:
    """Reads R, G, B (or Y) of the first part that has them; values are scene-linear by the format's definition, unless
    marked as codes.
    """
    notes: list[str] = []
    try:
        with OpenEXR.File(str(path), header_only=True) as file:
            # The library empties its own headers when the file closes.
            parts = [(dict(part.header), {str(c.name) for c in part.header["channels"]}) for part in file.parts]
        number, name = _part_of(path, parts, notes)
        header = parts[number][0]
        if header.get("type") in (OpenEXR.deepscanline, OpenEXR.deeptile):
            raise UnreadableFile(path, "holds deep pixels, which are not read. Hand in it flattened.")
        if abs(float(header.get("pixelAspectRatio", 1.0)) - 1) > 1e-4:
            notes.append(
                f"Pixels are not square ({float(header['pixelAspectRatio']):g}); they are worked on as recorded."
            )
        sizes = [_size(said) for said, _ in parts]
        check_size(path, *sizes[number])
        values = sum(width * height * len(names) for (width, height), (_, names) in zip(sizes, parts, strict=True))
        if number and values > MOST_VALUES:
            raise UnreadableFile(
                path,
                f"holds {values / 1e6:.0f} million values in all its channels and parts; where R, G and B are not in "
                f"the first part, at most {MOST_VALUES // 1_000_000} million are read. Hand in R, G and B alone.",
            )
        low, high = header["dataWindow"]
        if len(parts) == 1 and _cut_short(path, int(high[1]) - int(low[1]) + 1):
            raise UnreadableFile(path, "the file is cut short. Copy it again from the source.")
        wanted = [f"{name}{c}" for c in "RGB"] if name is not None else ["Y"]
        channels = _of_another_part(path, number) if number else _of_the_first_part(path, wanted, header)
    except UnreadableFile:
        raise
    except Exception as error:  # the library raises plain RuntimeError and others on damaged files
        raise UnreadableFile(
            path, f"is damaged or cut short ({_first_line(error)}). Copy it again from the source."
        ) from None
    planes = [channels[f"{name}{c}"] for c in "RGB"] if name is not None else [channels["Y"]] * 3
    if len({plane.shape for plane in planes}) != 1:
        raise UnreadableFile(path, "its R, G and B channels differ in size; subsampled channels are not read.")
    if planes[0].dtype.kind != "f":
        raise UnreadableFile(path, "its channels hold whole numbers, not light. Hand in half or float channels.")
    depth: Depth = "half" if planes[0].dtype == np.float16 else "float"
    picture = _windowed(path, np.stack(planes, axis=-1).astype(np.float32), header, notes)
    metadata = _metadata(header, notes)
    tags = ColourTags(transfer="" if "written encoding" in metadata else "linear")
    return finish(path, picture, "OpenEXR", depth, metadata, notes, tags=tags)


def _size(header: dict[str, Any]) -> tuple[int, int]:
    low, high = header["dataWindow"]
    return int(high[0]) - int(low[0]) + 1, int(high[1]) - int(low[1]) + 1


def _of_the_first_part(path: FilePath, wanted: list[str], header: dict[str, Any]) -> dict[str, Any]:
    """The wanted channels alone: a file may have forty more."""
    width, height = _size(header)
    with _listening():
        file = OpenEXR.InputFile(str(path))
        try:
            kinds = file.header()["channels"]
            if any(kinds[name].xSampling != 1 or kinds[name].ySampling != 1 for name in wanted):
                raise UnreadableFile(path, "its R, G and B channels differ in size; subsampled channels are not read.")
            read = dict(zip(wanted, file.channels(wanted), strict=True))
        finally:
            file.close()
    return {
        name: np.frombuffer(data, _DTYPES[str(kinds[name].type)]).reshape(height, width) for name, data in read.items()
    }


def _of_another_part(path: FilePath, number: int) -> dict[str, Any]:
    """Channels of a later part; the library reads every part at once."""
    with _listening() as printed, OpenEXR.File(str(path), separate_channels=True) as file:
        if "Exception" in printed.getvalue():  # it prints a line and gives what it has
            raise UnreadableFile(path, "is damaged: its pixels cannot be unpacked. Copy it again from the source.")
        return {key: np.array(channel.pixels) for key, channel in file.parts[number].channels.items()}


_DTYPES = {"HALF": np.float16, "FLOAT": np.float32, "UINT": np.uint32}
_PRINTS = threading.Lock()


@contextmanager
def _listening() -> Iterator[io.StringIO]:
    """What the library prints as it reads, instead of on standard output; one reader at a time, as the output is the
    whole program's.
    """
    with _PRINTS, redirect_stdout(io.StringIO()) as printed:
        yield printed


def _part_of(path: FilePath, parts: list[tuple[dict[str, Any], set[str]]], notes: list[str]) -> tuple[int, str | None]:
    """The number of the part to read and the prefix of its R, G, B; None: it is grey. Raises UnreadableFile."""
    for number, (_, names) in enumerate(parts):
        layers = sorted(n[:-1] for n in names if n.endswith("R") and {n[:-1] + "G", n[:-1] + "B"} <= names)
        if not layers:
            continue
        if number:
            notes.append(f"Part {number + 1} of {len(parts)} is read, the first with R, G and B.")
        elif len(parts) > 1:
            notes.append(f"The first of {len(parts)} parts is read.")
        if layers[0]:
            notes.append(
                f"The layer “{layers[0].rstrip('.')}” is read"
                + (f", the first of {len(layers)}." if len(layers) > 1 else ".")
            )
        others = len(names) - 3 - (f"{layers[0]}A" in names)
        if f"{layers[0]}A" in names:
            notes.append("The alpha channel is left out.")
        if others > 0:
            notes.append(f"{others} further channel{'s are' if others > 1 else ' is'} left out.")
        return number, layers[0]
    names = parts[0][1] if parts else set()
    if "Y" in names and {"RY", "BY"} & names:
        raise UnreadableFile(path, "holds luminance and chroma (Y, RY, BY), which is not read. Hand in R, G, B.")
    if "Y" in names and not {"X", "Z"} & names:
        notes.append("A grey picture, read as three equal channels.")
        return 0, None
    raise UnreadableFile(path, f"holds no R, G, B channels (found {', '.join(sorted(names)) or 'none'}).")


def _windowed(path: FilePath, picture: Any, header: dict[str, Any], notes: list[str]) -> Any:
    """The picture within its display window: what lies outside is cut, what the data window leaves out is black."""
    low, high = (tuple(int(v) for v in corner) for corner in header["dataWindow"])
    first, last = (tuple(int(v) for v in corner) for corner in header["displayWindow"])
    if (low, high) == (first, last):
        return picture
    width, height = last[0] - first[0] + 1, last[1] - first[1] + 1
    check_size(path, width, height)
    out = np.zeros((height, width, 3), np.float32)
    left, top, right, bottom = (
        max(low[0], first[0]),
        max(low[1], first[1]),
        min(high[0], last[0]),
        min(high[1], last[1]),
    )
    if right < left or bottom < top:
        raise UnreadableFile(
            path, "its picture lies wholly outside its display window. Render it again with windows that meet."
        )
    out[top - first[1] : bottom - first[1] + 1, left - first[0] : right - first[0] + 1] = picture[
        top - low[1] : bottom - low[1] + 1, left - low[0] : right - low[0] + 1
    ]
    notes.append(
        f"The data window is {picture.shape[1]} × {picture.shape[0]} at {low[0] - first[0]}, {low[1] - first[1]} of a "
        f"display window of {width} × {height}, which is shown: what lies outside is cut, what is missing is black."
    )
    return out


def _metadata(header: dict[str, Any], notes: list[str]) -> dict[str, str]:
    metadata = {}
    if "chromaticities" in header:
        values = [float(v) for v in header["chromaticities"]]
        metadata["chromaticities"] = " ".join(f"{v:.5g}" for v in values)
        if len(values) == 8 and max(abs(a - b) for a, b in zip(values, _XYZ, strict=False)) < 1e-3:
            notes.append(
                "Its chromaticities are CIE XYZ's own: the channels are X, Y and Z. Make an encoding of your own with "
                "these primaries."
            )
    if header.get("acesImageContainerFlag") == 1:
        metadata["ACES container"] = "yes"
    rate = next((value for key, value in header.items() if key.lower() == "framespersecond"), None)
    if isinstance(rate, Fraction | float | int) and 0 < rate <= 1000:
        metadata["frame rate"] = f"{float(rate):.6g}"
    label = header.get("timeCode")
    if isinstance(label, OpenEXR.TimeCode):
        mark = ";" if label.dropFrame else ":"
        metadata["timecode"] = f"{label.hours:02}:{label.minutes:02}:{label.seconds:02}{mark}{label.frame:02}"
    metadata.update(said_by(str(header.get(ATTRIBUTE, ""))))
    return {key: value for key, value in metadata.items() if value}


# OpenEXR file layout, "scan line blocks": lines a block, by the value of the compression attribute.
_BLOCK_LINES = {0: 1, 1: 1, 2: 1, 3: 16, 4: 32, 5: 16, 6: 32, 7: 32, 8: 32, 9: 256}


def _cut_short(path: FilePath, height: int) -> bool:
    """True when a single-part scan line file lacks blocks; found before decoding, as the library prints as it fails."""
    data = path.read_bytes()
    position, lines = 8, 0
    if struct.unpack("<I", data[4:8])[0] & 0x1A00:  # tiled, deep or in parts
        return False
    while data[position : position + 1] != b"\0":
        kind_at = data.index(b"\0", position) + 1
        size_at = data.index(b"\0", kind_at) + 1
        (size,) = struct.unpack("<I", data[size_at : size_at + 4])
        if data[position : kind_at - 1] == b"compression":
            lines = _BLOCK_LINES.get(data[size_at + 4], 0)
        position = size_at + 4 + size
    if not lines:
        return False
    count = -(-height // lines)
    table = data[position + 1 : position + 1 + 8 * count]
    if len(table) < 8 * count:
        return True
    last = max(struct.unpack(f"<{count}Q", table))
    return bool(last + 8 > len(data) or last + 8 + struct.unpack("<I", data[last + 4 : last + 8])[0] > len(data))


def _first_line(error: Exception) -> str:
    return (str(error).strip().splitlines() or ["unreadable"])[-1][:80].rsplit("/", 1)[-1]


def write(path: FilePath, code: Any, depth: Depth, tags: Mapping[str, Any]) -> None:
    """Writes half or float, ZIP compressed; ``tags["primaries"]`` become the chromaticities attribute."""
    pixels = np.ascontiguousarray(code, dtype=np.float16 if depth == "half" else np.float32)
    header: dict[str, Any] = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    space = tags.get("primaries")
    if isinstance(space, Primaries):
        header["chromaticities"] = tuple(float(v) for xy in (*space.xy, space.white) for v in xy)
    # The format means scene-linear light; codes of anything else are marked as such.
    if not str(tags.get("encoding", "linear/")).startswith("linear/"):
        header[ATTRIBUTE] = words_for(tags)
    if rate := tags.get("rate"):
        header["framesPerSecond"] = Fraction(rate)
    if label := _label(tags):
        header["timeCode"] = label
    if reel := str(tags.get("reel", "")):
        header["reelName"] = reel
    with whole_file(path) as temporary:
        OpenEXR.File(header, {"RGB": pixels}).write(str(temporary))


def _label(tags: Mapping[str, Any]) -> Any:
    """The timecode attribute; None where there is none, or one of three digits, which it cannot hold."""
    found = re.fullmatch(r"(\d\d):(\d\d):(\d\d)([:;])(\d\d)", str(tags.get("timecode", "")))
    if found is None:
        return None
    label = OpenEXR.TimeCode()
    label.hours, label.minutes, label.seconds, label.frame = (int(found[n]) for n in (1, 2, 3, 5))
    label.dropFrame = found[4] == ";"
    return label


EXR = Container("OpenEXR", (".exr",), (b"\x76\x2f\x31\x01",), ("half", "float"), read, write)
