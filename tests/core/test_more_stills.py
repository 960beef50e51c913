"""JPEG 2000 and WebP, written by Pillow and imagecodecs: read to the value, or refused in words."""

import io
import struct

import imagecodecs
import numpy as np
import pytest
from PIL import Image, ImageCms

from tests.core.test_fuzz import attempt
from tests.core.test_recognise import recognise
from upwelling.core.errors import UnreadableFile, UnwritableFile
from upwelling.core.media import read_still, write_still

LEVELS = np.random.default_rng(8).integers(0, 256, (24, 40, 3), dtype=np.uint8)
SMOOTH = np.linspace(30, 220, 64 * 48 * 3).reshape(48, 64, 3).astype(np.uint8)


def pillow(place, picture=LEVELS, **how):
    Image.fromarray(picture).save(place, **how)
    return place


@pytest.mark.parametrize(
    ("name", "how"),
    [("a.webp", {"lossless": True}), ("a.jp2", {"irreversible": False}), ("a.j2k", {"irreversible": False})],
)
def test_what_pillow_keeps_whole_comes_back(tmp_path, name, how):
    still = read_still(pillow(tmp_path / name, **how))
    np.testing.assert_array_equal(np.rint(still.code * 255), LEVELS)
    assert (still.depth, still.notes) == ("8", ())
    best = [one.encoding for one in recognise(tmp_path / name).candidates[:1]]
    assert best == ([] if name == "a.j2k" else ["sRGB/BT.709"]), "a bare code stream says nothing of colour"


@pytest.mark.parametrize("bits", [8, 10, 12, 16])
def test_depths_of_jpeg_2000(tmp_path, bits):
    wanted = np.random.default_rng(bits).integers(0, 2**bits, (20, 30, 3), dtype=np.uint16 if bits > 8 else np.uint8)
    data = imagecodecs.jpeg2k_encode(wanted, bitspersample=bits, reversible=True, level=0)
    (tmp_path / "d.jp2").write_bytes(data)
    still = read_still(tmp_path / "d.jp2")
    assert still.depth == str(bits)
    np.testing.assert_array_equal(np.rint(still.code * (2**bits - 1)), wanted)


def test_lossy_ones_are_near_what_pillow_reads(tmp_path):
    for name in ("l.webp", "l.jp2"):
        place = pillow(tmp_path / name, SMOOTH, quality=90) if name == "l.webp" else pillow(tmp_path / name, SMOOTH)
        theirs = np.asarray(Image.open(place).convert("RGB"), np.float64)
        assert np.abs(read_still(place).code * 255 - theirs).max() <= 1
    assert read_still(tmp_path / "l.webp").notes == ("Lossy, with chroma halved both ways.",)


def test_alpha_and_profiles_are_said(tmp_path):
    for name, how in (("p.webp", {"lossless": True}), ("p.jp2", {})):
        alpha = pillow(tmp_path / name, np.dstack([LEVELS, LEVELS[..., 0]]), **how)
        assert "The alpha channel is left out." in read_still(alpha).notes
    profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    place = pillow(tmp_path / "i.webp", lossless=True, icc_profile=profile)
    assert read_still(place).metadata["ICC profile"]
    assert read_still(place).tags.transfer == "sRGB"


def test_what_is_not_read_is_refused_in_words(tmp_path):
    frames = [Image.fromarray(LEVELS), Image.fromarray(SMOOTH[:24, :40])]
    frames[0].save(tmp_path / "an.webp", save_all=True, append_images=frames[1:])
    jp2 = pillow(tmp_path / "a.jp2").read_bytes()
    colour = jp2.find(b"colr") + 7
    (tmp_path / "ycc.jp2").write_bytes(jp2[:colour] + struct.pack(">I", 18) + jp2[colour + 4 :])
    (tmp_path / "cut.jp2").write_bytes(jp2[:-40])
    (tmp_path / "cut.webp").write_bytes(pillow(tmp_path / "a.webp").read_bytes()[:-40])
    (tmp_path / "wave.webp").write_bytes(b"RIFF\x24\0\0\0WAVEfmt " + bytes(24))
    for name, words in (
        ("an.webp", "animation"),
        ("ycc.jp2", "sYCC"),
        ("cut.jp2", "cut short"),
        ("cut.webp", "cut short"),
        ("wave.webp", "not a still"),
    ):
        with pytest.raises(UnreadableFile, match=words):
            read_still(tmp_path / name)
    for name in ("o.webp", "o.jp2"):
        with pytest.raises(UnwritableFile, match="read, not written"):
            write_still(tmp_path / name, LEVELS / 255)


@pytest.mark.parametrize("kind", ["WEBP", "JPEG2000"])
def test_damage_is_read_or_refused(tmp_path, kind):
    whole = io.BytesIO()
    Image.fromarray(LEVELS).save(whole, kind)
    rng, data = np.random.default_rng(2), whole.getvalue()
    for number in range(60):
        broken = bytearray(data)
        for place in rng.integers(12, len(data), 3):
            broken[place] = rng.integers(0, 256)
        (tmp_path / f"{number}.x").write_bytes(broken[: rng.integers(20, len(data))] if number % 3 else broken)
        attempt(tmp_path / f"{number}.x")
