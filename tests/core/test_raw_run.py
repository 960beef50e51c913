"""Raw runs, and the ways in which raw values are compressed: against LibRaw, and files of other writers."""

import struct

import imagecodecs
import numpy as np
import pytest
import rawpy
import tifffile

from tests.core.test_raw import BLACK, PROFILE, WHITE, mosaic_of, scene
from upwelling.core import engine
from upwelling.core.errors import BadValue, UnreadableFile
from upwelling.core.media import Damaged, RawRun, dng, looked_at, open_footage
from upwelling.core.media.dng_time import coded, time_said
from upwelling.core.media.raw_run import is_moving
from upwelling.core.path import CameraFile, Display, Input, Path
from upwelling.core.raw import Development, RawSettings
from upwelling.core.raw.opcodes import opcodes_of, tone_of

VALUES = mosaic_of(scene(64, 96))


def run_of(folder, count=6, **profiles):
    """A run with other values of the profile at some frames, by number."""
    paths = []
    for number in range(count):
        profile = PROFILE.model_copy(update=profiles.get(f"at{number}", {}))
        paths.append(folder / f"R001_{number:04}.dng")
        said = {"frame rate": "25", "timecode": f"10:00:00:{number:02}", "reel": "R001"}
        dng.write(
            paths[-1],
            mosaic_of(scene(64, 96) * (0.5 + 0.08 * number)),
            profile,
            black=BLACK,
            white=WHITE,
            metadata=said,
        )
    return paths


def other_writer(place, values, *, levels=(0, 65535), **how):
    """A DNG as tifffile makes it, with the least that the standard asks."""
    rational = [v for row in PROFILE.color_1 for x in row for v in (round(x * 10000), 10000)]
    colours = [] if values.ndim == 3 else [(33421, 3, 2, (2, 2), True), (33422, 1, 4, bytes((0, 1, 1, 2)), True)]
    tags = [
        (50706, 1, 4, bytes((1, 7, 0, 0)), True),
        (50708, 2, 0, "Other", True),
        (50714, 4, 1, levels[0], True),
        (50717, 4, 1, levels[1], True),
        (50721, 10, 9, tuple(rational), True),
        (50728, 5, 3, (52, 100, 1, 1, 66, 100), True),
        (50778, 3, 1, 21, True),
        *colours,
        *how.pop("extra", ()),
    ]
    photometric = 34892 if values.ndim == 3 else 32803
    if "coded" in how:  # a stream by another encoder, as the one tile
        how |= {"shape": values.shape, "dtype": values.dtype, "tile": values.shape[:2]}
        values = iter([how.pop("coded")])
    tifffile.imwrite(place, values, photometric=photometric, metadata=None, extratags=tags, **how)
    return place


@pytest.mark.parametrize(
    "how",
    [
        {},
        {"compression": 7, "coded": lambda values: imagecodecs.ljpeg_encode(values, bitspersample=14)},
        {"compression": 7, "coded": lambda values: imagecodecs.ljpeg_encode(values, bitspersample=16)},
        {"compression": "adobe_deflate", "predictor": False},
        {"compression": 52546, "compressionargs": {"lossless": True}, "tile": (64, 96)},
        {"byteorder": ">"},
    ],
    ids=["plain", "ljpeg 14 bit", "ljpeg 16 bit", "deflate", "jpeg xl", "big-endian"],
)
def test_lossless_kinds(tmp_path, how):
    """Values come out as they went in; encoders are liblj92, zlib and libjxl. LibRaw agrees where it reads the kind."""
    values, how = np.minimum(VALUES, 16383), dict(how)
    kind = how.get("compression")
    if "coded" in how:
        how["coded"] = how["coded"](values)
    place = other_writer(tmp_path / "a.dng", values, levels=(BLACK, WHITE), **how)
    assert np.array_equal(open_footage(place).mosaic.values, values)
    try:
        with rawpy.imread(str(place)) as raw:
            assert np.array_equal(raw.raw_image_visible, values)
    except rawpy.LibRawError:
        assert kind in (52546, "adobe_deflate"), how


def map_polynomial(*coefficients, planes=3):
    """An opcode list of one polynomial for each plane."""
    ops = b""
    for plane in range(planes):
        area = struct.pack(">8I", 0, 0, 64, 96, plane, 1, 1, 1)
        body = area + struct.pack(f">I{len(coefficients)}d", len(coefficients) - 1, *coefficients)
        ops += struct.pack(">4I", 8, 0x01030000, 1, len(body)) + body
    return struct.pack(">I", planes) + ops


def test_lossy_jpeg_with_its_curve(tmp_path):
    """A lossy raw is coded on a curve; its polynomial undoes it. LibRaw reads the same values, in 16 bit."""
    rgb = np.clip(scene(64, 96), 0, 1)
    codes = np.rint(np.sqrt(rgb) * 255).astype(np.uint8)
    curve = map_polynomial(0.0, 0.0, 1.0)
    how = {"compression": 34892, "compressionargs": {"level": 98, "subsampling": "444"}, "tile": (64, 96)}
    place = other_writer(tmp_path / "a.dng", codes, levels=(0, 255), extra=[(51009, 7, len(curve), curve, True)], **how)
    footage = open_footage(place)
    linear = footage.mosaic.linear()
    assert np.abs(linear - rgb).max() < 0.02
    assert not any("not applied" in note for note in footage.facts.notes)
    with rawpy.imread(str(place)) as raw:
        assert np.abs(raw.raw_image_visible[..., :3] / 65535 - linear).max() < 0.02


def test_tone_table_and_its_area():
    """MapTable: entries over 0…65535, the last held for those that it lacks; only the rows and columns named."""
    area = struct.pack(">8I", 2, 0, 8, 8, 0, 1, 2, 1)
    tone = tone_of(7, area + struct.pack(">I4H", 4, 0, 10, 20, 65535))
    linear = np.full((8, 8), 2 / 65535, np.float32)
    out = tone.applied(linear.copy())
    assert np.allclose(out[2::2], 20 / 65535)
    assert np.array_equal(out[3::2], linear[3::2])
    assert out[0, 0] == linear[0, 0]
    assert tone.applied(np.ones((8, 8), np.float32))[2, 0] == 1


@pytest.mark.parametrize("number", [51008, 51022])
def test_a_curve_elsewhere_is_refused(tmp_path, number):
    curve = map_polynomial(0.0, 1.0, planes=1)
    place = other_writer(tmp_path / "a.dng", VALUES, extra=[(number, 7, len(curve), curve, True)])
    with pytest.raises(UnreadableFile, match="tone curve"):
        open_footage(place).frame()


@pytest.mark.parametrize("data", [b"\0\0\0\1", b"\0\0\0\1" + b"\0" * 12 + b"\0\0\1\0"])
def test_cut_lists_are_refused(tmp_path, data):
    with pytest.raises(BadValue):
        opcodes_of(data)
    place = other_writer(tmp_path / "a.dng", VALUES, extra=[(51009, 7, len(data), data, True)])
    with pytest.raises(UnreadableFile):
        open_footage(place).frame()


@pytest.mark.parametrize(("rows", "columns"), [(2, 1), (1, 2), (2, 2), (3, 1)])
def test_fields_are_put_in_place(tmp_path, rows, columns):
    """Row and ColumnInterleaveFactor (DNG 1.7.1): fields stored one after the other."""
    order = [np.concatenate([np.arange(first, n, f) for first in range(f)]) for n, f in ((64, rows), (96, columns))]
    stored = VALUES[order[0]][:, order[1]]
    extra = [(50975, 4, 1, rows, True), (52547, 4, 1, columns, True)]
    assert np.array_equal(open_footage(other_writer(tmp_path / "a.dng", stored, extra=extra)).mosaic.values, VALUES)
    with pytest.raises(UnreadableFile, match="SubTileBlockSize"):
        open_footage(other_writer(tmp_path / "b.dng", VALUES, extra=[(50974, 3, 2, (2, 2), True)])).frame()


@pytest.mark.parametrize("quality", ["quarter", "half", "full"])
def test_a_run_is_footage(tmp_path, quality):
    run = open_footage(tmp_path, run_of(tmp_path))
    assert isinstance(run, RawRun)
    assert (run.facts.kind, run.facts.frames, run.facts.rate) == ("sequence", 6, 25)
    assert (run.facts.metadata["timecode"], run.facts.metadata["reel"]) == ("10:00:00:00", "R001")
    code, alone = (f.frame(n, None, quality).code for f, n in ((run, 4), (open_footage(run.paths[4]), 0)))
    assert np.array_equal(code, alone)
    factor = {"quarter": 4, "half": 2, "full": 1}[quality]
    assert code.shape == (64 // factor, 96 // factor, 3)
    wanted = scene(64, 96) * 0.82
    assert (
        np.abs(code - wanted.reshape(*code.shape[:1], factor, code.shape[1], factor, 3).mean((1, 3)))[2:-2, 2:-2].max()
        < 0.012
    )


def test_what_changes_along_a_run(tmp_path):
    """The first frame's values develop all, and it is said; “of each frame” follows each one's own."""
    warm = {"as_shot": (0.7, 1.0, 0.5)}
    paths = run_of(tmp_path, at3=warm, at4={**warm, "baseline_exposure": 1.0}, at5=warm)
    run = open_footage(tmp_path, paths)
    notes = " ".join(looked_at(run).notes)
    assert "white as shot changes at frame 3." in notes
    assert "baseline exposure changes at frame 4 and at 1 more" in notes
    assert [m.frame for m in run.profile.along] == [3, 4, 5]

    def path_for(values):
        raw = RawSettings(profile=run.profile, development=Development(values=values))
        return Path(
            camera=CameraFile(raw=raw, depth=16),
            input=Input(encoding="linear/AP1"),
            display=Display(output="BT.709 BT.1886"),
        )

    fixed, each = path_for("of the first frame"), path_for("of each frame")
    assert not fixed.moves
    assert each.moves
    assert fixed.at(4) == fixed
    code = run.frame(4).code

    def light(path):
        return engine.run(engine.compile_operations(path.at(4).until("input")), code)

    alone = RawSettings(profile=open_footage(paths[4]).profile)
    own = path_for("of the first frame").model_copy(update={"camera": CameraFile(raw=alone, depth=16)})
    assert np.array_equal(light(each), light(own))
    assert not np.allclose(light(fixed), light(own), rtol=0.1)
    assert (
        fixed.fingerprint
        == Path(
            camera=CameraFile(raw=RawSettings(profile=run.profile.at(0)), depth=16),
            input=fixed.input,
            display=fixed.display,
        ).fingerprint
    )
    assert each.at(4).fingerprint == own.fingerprint


def test_odd_frames_of_a_run(tmp_path):
    paths = run_of(tmp_path)
    paths[2].write_bytes(paths[2].read_bytes()[:900])
    dng.write(paths[4], mosaic_of(scene(32, 32)), PROFILE, black=BLACK, white=WHITE)
    run = open_footage(tmp_path, paths)
    for number in (2, 4):
        with pytest.raises(Damaged, match=f"frame {number}"):
            run.frame(number)
    assert run.profile.along == ()
    assert looked_at(run).numbers == [0, 3, 5]
    dng.write(paths[5], VALUES, PROFILE.model_copy(update={"camera": "Another"}))
    with pytest.raises(UnreadableFile, match="another camera"):
        looked_at(open_footage(tmp_path, paths))
    with pytest.raises(UnreadableFile, match="0 to 5; 6"):
        run.frame(6)


@pytest.mark.parametrize(
    ("taken", "rate", "moving"),
    [
        (("2026:05:01 10:00:00", "2026:05:01 10:00:00"), None, True),
        (("2026:05:01 10:00:00", "2026:05:01 10:00:02"), None, True),
        (("2026:05:01 10:00:00", "2026:05:01 10:01:00"), None, False),
        (("2026:05:01 10:00:00", "2026:05:01 10:01:00"), "24", True),
        (("", ""), None, True),
    ],
)
def test_photographs_are_no_run(tmp_path, taken, rate, moving):
    extra = [(51044, 10, 1, (24, 1), True)] if rate else []
    paths = [
        other_writer(tmp_path / f"{n:03}.dng", VALUES, datetime=at or None, extra=extra) for n, at in enumerate(taken)
    ]
    assert is_moving([paths[0], *paths[:1] * 3, paths[1]]) is moving


class Tags(dict):
    def valueof(self, number, otherwise):
        return self.get(number, otherwise)


@pytest.mark.parametrize("label", ["01:02:03:04", "23:59:59:29", "10:00:10;02", "00:00:00:01"])
def test_timecode_bytes(label):
    """Frames first (SMPTE ST 331, 8.2): 01:02:03:04 is 04 03 02 01."""
    assert coded("01:02:03:04") == bytes((4, 3, 2, 1, 0, 0, 0, 0))
    assert time_said(Tags({51043: coded(label)}))["timecode"] == label


@pytest.mark.parametrize(
    "tags",
    [{51043: bytes(8)}, {51043: bytes((0x0F, 0, 0, 1, 0, 0, 0, 0))}, {51043: b"\1"}, {51044: (24, 0)}, {51081: b"\0"}],
)
def test_no_time_is_no_time(tags):
    assert time_said(Tags(tags)) == {}


def test_codecs_are_there():
    """Reading leans on these; a build without them would refuse what is said to be read."""
    assert imagecodecs.JPEGXL.available
    assert imagecodecs.LJPEG.available
