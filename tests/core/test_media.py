"""Stills in and out: our files read by others, files of others read by us, and files that are broken."""

import av
import numpy as np
import OpenEXR
import pytest
import tifffile
from PIL import Image

from tests.core.witness import ffmpeg_write
from upwelling.core.colour.primaries import PRIMARIES
from upwelling.core.errors import UnreadableFile, UnwritableFile
from upwelling.core.media import CONTAINERS, open_footage, read_still, recognise, write_still
from upwelling.core.media.sequence import group

RNG = np.random.default_rng(31)
PICTURE = RNG.random((37, 53, 3)).astype(np.float32)
WRITTEN = [(c, s, d) for c in CONTAINERS if c.name != "JPEG" for s in c.suffixes for d in c.depths]
STEP = {"8": 0.5 / 255, "10": 0.5 / 1023, "12": 0.5 / 4095, "16": 0.5 / 65535, "half": 5e-4, "float": 0}


@pytest.mark.parametrize(("container", "suffix", "depth"), WRITTEN, ids=lambda v: getattr(v, "name", v))
def test_round_trip(tmp_path, container, suffix, depth):
    place = tmp_path / f"a{suffix}"
    assert write_still(place, PICTURE, depth) == 0
    still = read_still(place)
    assert (still.container, still.depth, still.width, still.height) == (container.name, depth, 53, 37)
    np.testing.assert_allclose(still.code, PICTURE, atol=STEP[depth] + 1e-7)
    assert [p.name for p in tmp_path.iterdir()] == [f"a{suffix}"]


@pytest.mark.parametrize("suffix", [".tif", ".exr"])
def test_floats_keep_what_lies_outside(tmp_path, suffix):
    wide = (PICTURE - 0.4) * 30
    assert write_still(tmp_path / f"w{suffix}", wide, "float") == 0
    np.testing.assert_array_equal(read_still(tmp_path / f"w{suffix}").code, wide)


def test_clipping_is_counted(tmp_path):
    half = PICTURE.copy()
    half[:, :26] = 1.5
    assert write_still(tmp_path / "c.png", half, "8") == pytest.approx(26 / 53)


# What ffmpeg writes with its own encoders, read by us to the code.
@pytest.mark.parametrize(
    ("suffix", "codec", "pixels", "top"),
    [
        (".png", "png", "rgb48be", 65535),
        (".png", "png", "rgb24", 255),
        (".tif", "tiff", "rgb48le", 65535),
        (".tif", "tiff", "rgb24", 255),
        (".dpx", "dpx", "gbrp10be", 1023),
        (".dpx", "dpx", "gbrp10le", 1023),
        (".exr", "exr", "gbrpf32le", None),
    ],
)
def test_files_by_ffmpeg(tmp_path, suffix, codec, pixels, top):
    levels = PICTURE if top is None else np.rint(PICTURE * top)
    ffmpeg_write(tmp_path / f"f{suffix}", levels, codec, pixels)
    expected = PICTURE if top is None else levels / np.float32(top)
    np.testing.assert_allclose(read_still(tmp_path / f"f{suffix}").code, expected, atol=1e-7)


@pytest.mark.parametrize(
    ("suffix", "depth", "pixels", "top"),
    [
        (".png", "16", "rgb48le", 65535),
        (".tif", "16", "rgb48le", 65535),
        (".dpx", "10", "gbrp10le", 1023),
        (".dpx", "12", "gbrp12le", 4095),
    ],
)
def test_our_files_by_ffmpeg(tmp_path, suffix, depth, pixels, top):
    write_still(tmp_path / f"o{suffix}", PICTURE, depth)
    with av.open(str(tmp_path / f"o{suffix}")) as container:
        frame = next(container.decode(video=0)).reformat(format=pixels)
    if pixels.startswith("gbr"):
        g, b, r = (np.frombuffer(bytes(p), "<u2").reshape(37, -1)[:, :53] for p in frame.planes)
        levels = np.stack([r, g, b], axis=-1)
    else:
        levels = np.frombuffer(bytes(frame.planes[0]), "<u2").reshape(37, -1)[:, : 53 * 3].reshape(37, 53, 3)
    np.testing.assert_array_equal(levels, np.rint(PICTURE * top))


def test_our_files_by_pillow_tifffile_and_openexr(tmp_path):
    write_still(tmp_path / "p.png", PICTURE, "8")
    np.testing.assert_array_equal(np.asarray(Image.open(tmp_path / "p.png")), np.rint(PICTURE * 255))
    write_still(tmp_path / "t.tif", PICTURE, "float")
    np.testing.assert_array_equal(tifffile.imread(tmp_path / "t.tif"), PICTURE)
    write_still(tmp_path / "e.exr", PICTURE, "float", {"primaries": PRIMARIES["AP1"]})
    with OpenEXR.File(str(tmp_path / "e.exr")) as file:
        np.testing.assert_array_equal(file.channels()["RGB"].pixels, PICTURE)
        np.testing.assert_allclose(
            file.header()["chromaticities"], (0.713, 0.293, 0.165, 0.83, 0.128, 0.044, 0.32168, 0.33767), atol=1e-6
        )


@pytest.mark.parametrize(
    ("mode", "words"), [("L", "grey"), ("RGBA", "alpha"), ("LA", "alpha"), ("P", "Palette"), ("RGB", "")]
)
def test_kinds_of_png(tmp_path, mode, words):
    Image.fromarray(np.rint(PICTURE * 255).astype(np.uint8)).convert(mode).save(tmp_path / "k.png")
    still = read_still(tmp_path / "k.png")
    assert still.code.shape == (37, 53, 3)
    assert words in " ".join(still.notes)


@pytest.mark.parametrize(("container", "suffix", "depth"), WRITTEN, ids=lambda v: getattr(v, "name", v))
@pytest.mark.parametrize("share", [0.02, 0.4, 0.98])
def test_cut_short(tmp_path, capfd, container, suffix, depth, share):
    place = tmp_path / f"a{suffix}"
    write_still(place, PICTURE, depth)
    data = place.read_bytes()
    place.write_bytes(data[: max(12, int(len(data) * share))])
    with pytest.raises(UnreadableFile, match=r"^a\.\w+: .*(cut short|damaged|ends inside|empty)"):
        read_still(place)


@pytest.mark.parametrize(
    ("name", "content", "words"),
    [
        ("e.png", b"", "empty"),
        ("t.exr", b"just some text, no picture", "is not a still this program reads"),
        ("m.dpx", b"SDPX" + b"\0" * 4000, "0 × 0"),
        (
            "h.png",
            b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR" + (2**31 - 1).to_bytes(4, "big") * 2 + b"\x10\x02\0\0\0" + b"\0" * 20,
            "refused",
        ),
    ],
)
def test_broken_files(tmp_path, name, content, words):
    (tmp_path / name).write_bytes(content)
    with pytest.raises(UnreadableFile, match=words):
        read_still(tmp_path / name)


def test_numbers_that_are_none(tmp_path):
    bad = PICTURE.copy()
    bad[3, 4, 1] = np.nan
    bad[5, 6, 0] = np.inf
    write_still(tmp_path / "n.exr", bad, "float")
    with pytest.raises(UnreadableFile, match="2 pixels are not a number"):
        read_still(tmp_path / "n.exr")
    with pytest.raises(UnwritableFile, match="not a number"):
        write_still(tmp_path / "n.png", bad, "8")
    assert not (tmp_path / "n.png").exists()


def test_absurd_sizes_and_kinds(tmp_path):
    tifffile.imwrite(tmp_path / "i.tif", np.zeros((4, 4, 3), np.int32))
    with pytest.raises(UnreadableFile, match="int32"):
        read_still(tmp_path / "i.tif")
    with pytest.raises(UnreadableFile, match="cannot be read"):
        read_still(tmp_path / "missing.png")
    for name, depth in (("x.png", "float"), ("x.dpx", "16"), ("x.gif", None)):
        with pytest.raises(UnwritableFile):
            write_still(tmp_path / name, PICTURE, depth)
    with pytest.raises(UnwritableFile, match="cannot be written"):
        write_still(tmp_path / "no" / "x.png", PICTURE, "8")


def test_recognised_by_content_not_by_name(tmp_path):
    write_still(tmp_path / "a.png", PICTURE, "8")
    (tmp_path / "a.png").rename(tmp_path / "a.dpx")
    assert read_still(tmp_path / "a.dpx").container == "PNG"
    assert recognise(b"GIF89a") is None


@pytest.mark.parametrize("subsampling", ["4:4:4", "4:2:0"])
def test_jpeg_against_pillow(tmp_path, subsampling):
    """Pillow writes it and reads it back: our Y'CbCr arithmetic is within one 8-bit code of libjpeg's integer one."""
    x, y = np.meshgrid(np.linspace(0, 255, 160), np.linspace(0, 255, 96))
    picture = np.stack([x, y, 255 - x], axis=-1).astype(np.uint8)
    exif = Image.Exif()
    exif[271], exif[272] = "Invented", "Phone"
    Image.fromarray(picture).save(tmp_path / "a.jpg", quality=95, subsampling=subsampling, exif=exif)
    still = read_still(tmp_path / "a.jpg")
    theirs = np.asarray(Image.open(tmp_path / "a.jpg"), dtype=np.float64)
    assert np.abs(still.code * 255 - theirs)[(theirs > 1).all(-1) & (theirs < 254).all(-1)].max() < 1.01
    assert still.metadata == {"make": "Invented", "model": "Phone"}
    write_still(tmp_path / "b.jpg", still.code, "8")
    assert np.abs(np.asarray(Image.open(tmp_path / "b.jpg"), dtype=np.float64) - theirs).mean() < 1.5


def test_sequences_and_their_gaps(tmp_path):
    for number in (101, 102, 104, 107):
        write_still(tmp_path / f"A.{number:04d}.png", np.full((4, 6, 3), number / 255), "8")
    write_still(tmp_path / "still.png", np.full((4, 6, 3), 0.5), "8")
    groups = group(tmp_path.iterdir())
    assert [len(g) for g in groups] == [4, 1]
    footage = open_footage(groups[0][0], groups[0])
    facts = footage.facts
    assert (facts.kind, facts.frames) == ("sequence", 4)
    assert "3 frames are missing: 103, 105 to 106." in facts.notes
    assert float(footage.frame(2).code[0, 0, 0]) == pytest.approx(104 / 255)
    write_still(groups[0][3], np.zeros((5, 6, 3)), "8")
    with pytest.raises(UnreadableFile, match="6 × 5"):
        footage.frame(3)
    with pytest.raises(UnreadableFile, match="frames 0 to 3"):
        footage.frame(4)


@pytest.mark.parametrize(
    ("name", "tags"), [("a.png", "no colour tags"), ("a.exr", "transfer linear"), ("a.dpx", "no colour tags")]
)
def test_tags_of_stills(tmp_path, name, tags):
    write_still(tmp_path / name, np.full((4, 4, 3), 0.5))
    footage = open_footage(tmp_path / name)
    assert footage.facts.tags.sentence() == tags
    assert footage.facts.frames == 1
