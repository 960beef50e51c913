"""What stills say of their primaries: named where they are known here, never taken for others. Chunks by the W3C's PNG
definition, attributes by OpenEXR's and SMPTE ST 2065-4.
"""

import struct
import zlib

import numpy as np
import OpenEXR
import pytest
import tifffile

from tests.core.test_raw import PROFILE
from tests.core.test_recognise import recognise
from upwelling.core.media import dng, open_footage, read_still
from upwelling.core.media.png import encode

PICTURE = np.random.default_rng(3).uniform(0.1, 0.7, (12, 16, 3)).astype(np.float32)
WHITE = (0.3127, 0.329)
P3 = (*WHITE, 0.68, 0.32, 0.265, 0.69, 0.15, 0.06)
OTHER = (*WHITE, 0.63, 0.34, 0.21, 0.71, 0.15, 0.06)


def chunk(kind, body):
    return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))


def png(place, gamma=0, chromaticities=(), tail=b"", cut=0):
    data = encode(np.rint(PICTURE * 255).astype(np.uint8))
    extra = chunk(b"gAMA", struct.pack(">I", gamma)) if gamma else b""
    extra += chunk(b"cHRM", struct.pack(">8I", *(round(v * 1e5) for v in chromaticities))) if chromaticities else b""
    data = data[:33] + extra + data[33:]
    place.write_bytes((data[:-cut] if cut else data) + tail)
    return place


@pytest.mark.parametrize(
    ("gamma", "chromaticities", "best", "words"),
    [
        (45455, OTHER, "", "gamma 2.2 in primaries that are none known here"),
        (45470, (*WHITE, 0.64, 0.33, 0.21, 0.71, 0.15, 0.06), "opRGB/opRGB", "tagged primaries opRGB"),
        (45455, P3, "", "gamma 2.2 in P3-D65: make an encoding"),
        (100000, OTHER, "", "linear in primaries that are none known here"),
        (100000, P3, "linear/P3-D65", "tagged primaries P3-D65"),
        (100000, (), "", "transfer linear"),
        (0, OTHER, "", ""),
    ],
)
def test_primaries_of_a_png(tmp_path, gamma, chromaticities, best, words):
    found = recognise(png(tmp_path / "a.png", gamma, chromaticities))
    assert [one.encoding for one in found.candidates[:1]] == ([best] if best else [])
    assert words in " ".join(item.text for item in found.evidence)


def test_bytes_after_the_end_of_a_png_are_left_out_and_said(tmp_path):
    plain, longer = (read_still(png(tmp_path / f"{n}.png", tail=b"\0" * n)) for n in (0, 300))
    np.testing.assert_array_equal(plain.code, longer.code)
    assert (plain.notes, longer.notes) == ((), ("300 bytes follow its end and are left out.",))
    for cut in (1, 12, 200):
        with pytest.raises(Exception, match="cut short"):
            read_still(png(tmp_path / "cut.png", cut=cut, tail=b"IEND" if cut == 200 else b""))


@pytest.mark.parametrize(
    ("extra", "best"),
    [
        ({"acesImageContainerFlag": 1}, "linear/AP0"),
        ({}, "linear/BT.709"),
        (
            {"acesImageContainerFlag": 1, "chromaticities": (0.68, 0.32, 0.265, 0.69, 0.15, 0.06, *WHITE)},
            "linear/P3-D65",
        ),
    ],
)
def test_light_of_an_exr(tmp_path, extra, best):
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, **extra}
    OpenEXR.File(header, {"RGB": PICTURE}).write(str(tmp_path / "a.exr"))
    assert recognise(tmp_path / "a.exr").candidates[0].encoding == best


def test_a_raw_file_without_a_white_is_remarked(tmp_path):
    dng.write(tmp_path / "a.dng", np.full((16, 16), 900, np.uint16), PROFILE)
    said = "neither a neutral nor a white"
    assert not any(said in note for note in open_footage(tmp_path / "a.dng").facts.notes)
    data = bytearray((tmp_path / "a.dng").read_bytes())
    with tifffile.TiffFile(tmp_path / "a.dng") as file:
        place = file.pages[0].tags[50728].offset
    data[place : place + 2] = struct.pack("<H", 65000)
    (tmp_path / "b.dng").write_bytes(data)
    assert any(said in note for note in open_footage(tmp_path / "b.dng").facts.notes)
