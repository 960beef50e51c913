"""DNG raw files: reading mosaics and their colour data; writing plain ones for the simulated stills camera.

Source: Adobe, Digital Negative Specification 1.7.1.0 (2023), tags by number; TIFF/EP (ISO 12234-2) for the pattern.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from pathlib import Path as FilePath
from typing import Any

import numpy as np
import tifffile

from upwelling.core.errors import UnreadableFile
from upwelling.core.files import whole_file
from upwelling.core.media.base import Still, check_size, note_orientation
from upwelling.core.media.dng_time import RATE, REEL, TIMECODES, coded, time_said
from upwelling.core.media.footage import FileFacts, Reading
from upwelling.core.media.tiff_layout import check_layout
from upwelling.core.raw.mosaic import Mosaic, Quality
from upwelling.core.raw.opcodes import NAMES, POLYNOMIAL, TABLE, Tone, opcodes_of, tone_of
from upwelling.core.raw.profile import LIGHTS, RawProfile

SMALLEST = 8
"""Sensor places a side that a mosaic has at least; the filters reach two places out."""
_CFA, _LINEAR = 32803, 34892
_COMPRESSIONS = (1, 7, 8, 34892, 52546)
"""None, lossless JPEG, deflate, lossy JPEG, JPEG XL."""


class Raw:
    """A DNG: one mosaic. ``frame`` gives camera RGB, 1.0 = white level."""

    def __init__(self, path: FilePath) -> None:
        self.path = FilePath(path)

    @property
    def facts(self) -> FileFacts:
        return self._said[2]

    @property
    def profile(self) -> RawProfile:
        return self._said[1]

    @property
    def taken(self) -> str:
        """When it was taken, “YYYY:MM:DD HH:MM:SS”, by the clock of the camera; empty where it does not say."""
        return self._said[3]

    @property
    def mosaic(self) -> Mosaic:
        return self._whole[0]

    def frame(self, index: int = 0, reading: Reading | None = None, quality: Quality = "full") -> Still:
        """Camera RGB; the file holds one frame."""
        code = self.mosaic.camera_rgb(quality)
        return Still(code, "DNG", "16", dict(self.facts.metadata), self.facts.notes)

    @property
    def _said(self) -> tuple[Mosaic, RawProfile, FileFacts, str]:
        """All but the values, which need not be decoded for it: a run asks this of every frame."""
        return self.__dict__.get("_whole") or self._head

    @cached_property
    def _head(self) -> tuple[Mosaic, RawProfile, FileFacts, str]:
        return self._read(decode=False)

    @cached_property
    def _whole(self) -> tuple[Mosaic, RawProfile, FileFacts, str]:
        return self._read(decode=True)

    def _read(self, *, decode: bool) -> tuple[Mosaic, RawProfile, FileFacts, str]:
        check_layout(self.path)
        try:
            with tifffile.TiffFile(self.path) as tiff:
                return self._parse(tiff, decode)
        except UnreadableFile:
            raise
        except Exception as error:  # the TIFF reader and pydantic raise many kinds on damaged files
            first = str(error).split("\n", 1)[0][:80]
            raise UnreadableFile(
                self.path, f"is damaged or not a whole DNG ({first}). Copy it again from the source."
            ) from None

    def _parse(self, tiff: Any, decode: bool) -> tuple[Mosaic, RawProfile, FileFacts, str]:
        main = tiff.pages[0]
        pages = [main, *(main.pages or ())]
        page = next(
            (p for p in pages if int(p.tags.valueof(254, 0) or 0) == 0 and int(p.photometric) in (_CFA, _LINEAR)), None
        )
        if page is None:
            raise UnreadableFile(
                self.path, "holds no raw mosaic. Hand in the DNG as the camera or its maker's converter wrote it."
            )
        check_size(self.path, page.imagewidth, page.imagelength)
        if int(page.compression) not in _COMPRESSIONS:
            raise UnreadableFile(
                self.path,
                f"its mosaic is compressed in a way that is not read ({int(page.compression)}). Use "
                "uncompressed, JPEG (lossless or lossy), deflate or JPEG XL.",
            )
        end = max((o + n for o, n in zip(page.dataoffsets, page.databytecounts, strict=False)), default=0)
        if end > self.path.stat().st_size:
            raise UnreadableFile(self.path, "the file is cut short. Copy it again from the source.")
        values = page.asarray() if decode else np.broadcast_to(np.zeros((), page.dtype), page.shape)
        if values.dtype.kind != "u" or values.ndim not in (2, 3) or (values.ndim == 3 and values.shape[-1] != 3):
            raise UnreadableFile(
                self.path, f"its raw values are of type {values.dtype}, shape {values.shape}, which is not read."
            )
        values = _in_place(self.path, page.tags, values)
        mosaic = self._mosaic(page, main, values)
        profile = _profile(self.path, main)
        crop = mosaic.crop
        height, width = crop[2:] if crop else mosaic.size
        metadata: dict[str, str] = {
            name: str(main.tags.valueof(number, "") or "").strip("\0 ")[:120]
            for name, number in (("make", 271), ("model", 272), ("software", 305), ("camera", 50708))
        }
        if profile.exposure_index:
            metadata["exposure index"] = str(profile.exposure_index)
        metadata |= time_said(main.tags)
        bits = int(np.ceil(np.log2(max(mosaic.white) + 1)))
        notes = (f"Raw values of {bits} bit, white level {max(mosaic.white):.0f}.", *_left_undone(page, main))
        facts = FileFacts(
            "raw",
            "DNG",
            "mosaic" if values.ndim == 2 else "linear raw",
            "16",
            int(width),
            int(height),
            metadata={k: v for k, v in metadata.items() if v},
            notes=notes,
        )
        return mosaic, profile, facts, str(main.tags.valueof(306, "") or "").strip("\0 ")

    def _mosaic(self, page: Any, main: Any, values: Any) -> Mosaic:
        tags = page.tags
        pattern: tuple[int, ...] = (0, 1, 1, 2)
        if values.ndim == 2:
            cell = _values(tags, 33421) or [2, 2]
            pattern = tuple(int(v) for v in _values(tags, 33422) or pattern)
            if cell != [2, 2] or sorted(pattern) != [0, 1, 1, 2]:
                raise UnreadableFile(
                    self.path,
                    f"its colour pattern ({cell[0]:.0f} × {cell[-1]:.0f} cell) is not read; only 2 × 2 patterns "
                    "of red, green and blue are.",
                )
            layout = int((_values(tags, 50711) or [1])[0])
            if layout != 1:
                raise UnreadableFile(
                    self.path,
                    f"its colour pattern is staggered (CFALayout {layout}), which is not read; only rectangular "
                    "patterns are.",
                )
            # The colour matrices' rows follow this list, which is red, green, blue unless the file says otherwise.
            planes_of = [int(v) for v in _values(tags, 50710) or (0, 1, 2)]
            if planes_of != [0, 1, 2]:
                raise UnreadableFile(
                    self.path,
                    f"its planes are of colours {planes_of} (CFAPlaneColor), which is not read; red, green "
                    "and blue in this order are.",
                )
        height, width = values.shape[:2]
        top, left, bottom, right = (int(v) for v in _values(tags, 50829) or (0, 0, height, width))
        if not (0 <= top < bottom <= height and 0 <= left < right <= width):
            raise UnreadableFile(self.path, "its active area lies outside the picture; the file is damaged.")
        if values.ndim == 2 and min(bottom - top, right - left) < SMALLEST:
            raise UnreadableFile(
                self.path, f"its mosaic is {right - left} × {bottom - top}, too small to be one; the file is damaged."
            )
        planes = 1 if values.ndim == 2 else 3
        rows, columns = (int(v) for v in _values(tags, 50713) or (1, 1))
        levels = _values(tags, 50714) or [0.0]
        whole = len(levels) == rows * columns * planes
        black = np.array(levels).reshape(rows, columns, planes) if whole else np.full((1, 1, 1), levels[0])
        white = tuple(_values(tags, 50717) or [2.0 ** int(page.bitspersample) - 1])
        if min(white) <= float(black.max()):
            raise UnreadableFile(self.path, "its white level is not above its black level; the file is damaged.")
        crop = None
        origin, size = _values(tags, 50719), _values(tags, 50720)
        if origin and size:
            crop = (int(origin[1]), int(origin[0]), int(size[1]), int(size[0]))
            if (
                crop[0] + crop[2] > bottom - top
                or crop[1] + crop[3] > right - left
                or min(crop[2:]) < 2
                or min(crop[:2]) < 0
            ):
                raise UnreadableFile(self.path, "its crop lies outside the active area; the file is damaged.")
        table = _values(tags, 50712)
        return Mosaic(
            values,
            _four(pattern),
            None if table is None else np.array(table, dtype=np.float32),
            (top, left, bottom, right),
            black,
            _values(tags, 50716),
            _values(tags, 50715),
            white,
            crop,
            _neutral(main),
            self._tones(tags),
        )

    def _tones(self, tags: Any) -> tuple[Tone, ...]:
        """Curves on linear values. On stored values or after demosaic they would be read wrong, so they are refused."""
        for number in (51008, 51022):
            if any(kind in (TABLE, POLYNOMIAL) for kind, _ in _opcodes(tags, number)):
                raise UnreadableFile(
                    self.path, f"has a tone curve in opcode list {_OPCODES[number]}, which is not read."
                )
        return tuple(tone_of(kind, data) for kind, data in _opcodes(tags, 51009) if kind in (TABLE, POLYNOMIAL))


_OPCODES = {51008: "1 (stored values)", 51009: "2 (linear values)", 51022: "3 (after demosaic)"}


def _left_undone(page: Any, main: Any) -> list[str]:
    """What the file asks for that is not done: corrections, a scale, a turn."""
    notes: list[str] = []
    for number, name in _OPCODES.items():
        asked = [kind for kind, _ in _opcodes(page.tags, number) if kind not in (TABLE, POLYNOMIAL)]
        if asked:
            what = ", ".join(dict.fromkeys(NAMES.get(kind, f"kind {kind}") for kind in asked))
            notes.append(f"Corrections of the file are not applied, opcode list {name}: {what}.")
    scale = _values(page.tags, 50718)
    if scale and any(abs(v - 1) > 1e-6 for v in scale):
        notes.append(
            f"The file asks for pixels scaled by {' × '.join(f'{v:g}' for v in scale)} (DefaultScale); they are worked "
            "on as recorded."
        )
    if _values(main.tags, 50728) is None and _values(main.tags, 50729) is None:
        notes.append(
            "It names neither a neutral nor a white, so “as shot” is the sensor's own balance: choose the light of the "
            "development."
        )
    note_orientation(main.tags.valueof(274, None), notes)
    return notes


def _opcodes(tags: Any, number: int) -> list[tuple[int, bytes]]:
    """The opcodes of a list; it is big-endian whatever the file is."""
    tag = tags.get(number)
    if tag is None:
        return []
    value = tag.value
    return opcodes_of(value if isinstance(value, bytes) else np.asarray(value, dtype=np.uint8).tobytes())


def _in_place(path: FilePath, tags: Any, values: Any) -> Any:
    """Rows and columns as they lie on the sensor, where the file stores them in fields one after the other."""
    if any(v != 1 for v in _values(tags, 50974) or ()):
        raise UnreadableFile(path, "stores its tiles in smaller blocks (SubTileBlockSize), which is not read.")
    for axis, number in enumerate((50975, 52547)):
        factor = int((_values(tags, number) or [1])[0])
        if not 1 <= factor <= values.shape[axis]:
            raise UnreadableFile(path, "its rows are stored in fields that make no picture; the file is damaged.")
        if factor > 1:
            length = values.shape[axis]
            order = np.argsort(np.concatenate([np.arange(first, length, factor) for first in range(factor)]))
            values = np.take(values, order, axis=axis)
    return values


def _four(pattern: tuple[int, ...]) -> tuple[int, int, int, int]:
    a, b, c, d = pattern
    return a, b, c, d


def _neutral(main: Any) -> tuple[float, float, float]:
    values = _values(main.tags, 50728)
    if values is None or len(values) != 3 or min(values) <= 0:
        return (1.0, 1.0, 1.0)
    return values[0], values[1], values[2]


def _values(tags: Any, number: int) -> list[float] | None:
    """The numbers of a tag, rationals divided; None when the tag is not there."""
    tag = tags.get(number)
    if tag is None:
        return None
    if isinstance(tag.value, bytes):
        return [float(v) for v in tag.value]
    values = [float(v) for v in np.atleast_1d(np.asarray(tag.value, dtype=np.float64)).ravel()]
    if int(tag.dtype) in (5, 10):
        values = [a / b if b else 0.0 for a, b in zip(values[0::2], values[1::2], strict=True)]
    return values


def _profile(path: FilePath, main: Any) -> RawProfile:
    tags = main.tags

    def floats(number: int, count: int) -> tuple[float, ...] | None:
        values = _values(tags, number)
        return tuple(values) if values is not None and len(values) == count else None

    def matrix(number: int) -> Any:
        values = floats(number, 9)
        return None if values is None else (values[:3], values[3:6], values[6:])

    color_1 = matrix(50721)
    if color_1 is None:
        raise UnreadableFile(path, "names no colour matrix, so its colours cannot be known. Convert it to DNG again.")
    neutral = floats(50728, 3)
    inner = tags.valueof(34665, None)
    index = 0
    if isinstance(inner, dict):
        index = int(np.atleast_1d(inner.get("ISOSpeedRatings", inner.get("PhotographicSensitivity", 0)) or 0)[0])
    index = index or int((_values(tags, 34855) or [0])[0])
    kelvin = [LIGHTS.get(int(tags.valueof(number, 21) or 21), 6500) for number in (50778, 50779)]
    profile = RawProfile(
        camera=str(tags.valueof(50708, "") or "").strip("\0 ")[:120],
        color_1=color_1,
        color_2=matrix(50722),
        kelvin_1=kelvin[0],
        kelvin_2=kelvin[1],
        calibration_1=matrix(50723) or RawProfile.model_fields["calibration_1"].default,
        calibration_2=matrix(50724) or RawProfile.model_fields["calibration_2"].default,
        forward_1=matrix(50964),
        forward_2=matrix(50965),
        analog_balance=floats(50727, 3) or (1.0, 1.0, 1.0),
        as_shot=neutral or (1.0, 1.0, 1.0),
        baseline_exposure=(floats(50730, 1) or (0.0,))[0],
        exposure_index=index,
    )
    if neutral is None:  # the file says the white itself, or neither: that is a remark
        xy = floats(50729, 2)
        if xy is not None:
            profile = profile.model_copy(update={"as_shot": tuple(float(v) for v in profile.neutral_of(xy))})  # type: ignore[arg-type]
    return profile


def write(
    path: FilePath,
    values: Any,
    profile: RawProfile,
    *,
    pattern: tuple[int, int, int, int] = (0, 1, 1, 2),
    black: int = 0,
    white: int = 65535,
    metadata: Mapping[str, str] | None = None,
    illuminants: tuple[int, int] = (17, 21),
) -> None:
    """Writes a plain uncompressed 16-bit mosaic (H, W) with its colour data. Of ``metadata``: make, model, frame rate
    (a whole number), timecode, reel.
    """
    said = metadata or {}

    def rational(rows: Any) -> tuple[int, ...]:
        return tuple(
            v for x in np.asarray(rows, dtype=np.float64).ravel() for v in (round(float(x) * 1_000_000), 1_000_000)
        )

    extra: list[tuple[Any, ...]] = [
        (271, 2, 0, said.get("make", "Invented"), True),
        (272, 2, 0, said.get("model", profile.camera), True),
        (33421, 3, 2, (2, 2), True),
        (33422, 1, 4, bytes(pattern), True),
        (50706, 1, 4, bytes((1, 4, 0, 0)), True),
        (50707, 1, 4, bytes((1, 1, 0, 0)), True),
        (50708, 2, 0, profile.camera, True),
        (50714, 4, 1, black, True),
        (50717, 4, 1, white, True),
        (50721, 10, 9, rational(profile.color_1), True),
        (50728, 5, 3, rational(profile.as_shot), True),
        (50730, 10, 1, rational([profile.baseline_exposure]), True),
        (50778, 3, 1, illuminants[0], True),
    ]
    if profile.color_2 is not None:
        extra += [(50722, 10, 9, rational(profile.color_2), True), (50779, 3, 1, illuminants[1], True)]
    if profile.exposure_index:
        extra.append((34855, 3, 1, profile.exposure_index, True))
    if said.get("frame rate"):
        extra.append((RATE, 10, 1, (int(said["frame rate"]), 1), True))
    if said.get("timecode"):
        extra.append((TIMECODES, 1, 8, coded(said["timecode"]), True))
    if said.get("reel"):
        extra.append((REEL, 2, 0, said["reel"], True))
    with whole_file(path) as temporary:
        tifffile.imwrite(
            temporary,
            np.asarray(values, dtype=np.uint16),
            photometric=_CFA,
            metadata=None,
            extratags=extra,
            software="Upwelling",
            subfiletype=0,
        )
