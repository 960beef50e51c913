"""Stills written by other programs: read truly, refused with a sentence, or read with a remark. The table says which,
and by whom each was made.

Witnesses of the pixels: ffmpeg for DPX (in the file's own bit layout), ImageMagick for TIFF and PNG, OpenImageIO's
oiiotool for OpenEXR, LibRaw for DNG.
"""

import json
import subprocess
import sys

import numpy as np
import pytest
import tifffile
from PIL import Image, ImageCms

from tests.outside.conftest import run
from upwelling.cli.main import main
from upwelling.core.colour.primaries import primaries
from upwelling.core.errors import UnreadableFile
from upwelling.core.media import open_footage, read_still, write_still
from upwelling.core.media.icc import read_profile
from upwelling.core.recognise import FileClues, recognise_file, signal_facts

WARM = "gradient:#2040a0-#e0b010"
FILL = "oiiotool --pattern fill:top=0.1,0.2,0.3:bottom=0.9,0.5,0.7 32x24 3 "
IM = f"convert -size 32x24 {WARM} "
BARS = "ffmpeg -v error -y -f lavfi -i testsrc2=size=33x24:duration=0.1 -frames:v 1 "
READ = {  # file: (made by, depth, words of its notes)
    **{
        f"oiio{b}.tif": (FILL + f"-d uint{b} -o {{out}}", d, "")
        for b, d in ((2, "8"), (4, "8"), (8, "8"), (10, "10"), (12, "12"), (16, "16"))
    },
    "im12.tif": (IM + "-depth 12 {out}", "12", ""),
    "im10.tif": (IM + "-depth 10 {out}", "10", ""),
    "im14.tif": (IM + "-depth 14 {out}", "16", ""),
    "white0.tif": (IM + "-colorspace Gray -define quantum:polarity=min-is-white -depth 8 {out}", "8", "0 for white"),
    "white0-16.tif": (
        IM + "-colorspace Gray -define quantum:polarity=min-is-white -depth 16 {out}",
        "16",
        "0 for white",
    ),
    "white0-4.tif": (IM + "-colorspace Gray -define quantum:polarity=min-is-white -depth 4 {out}", "8", "0 for white"),
    "palette.tif": (IM + "-type Palette {out}", "8", "Palette"),
    "lzw.tif": (IM + "-compress LZW -depth 16 {out}", "16", ""),
    "zip.tif": (IM + "-compress Zip -depth 8 {out}", "8", ""),
    "big.tif": (IM + "-depth 16 -endian MSB {out}", "16", ""),
    "jpeg.tif": (IM + "-compress JPEG -depth 8 {out}", "8", ""),
    "gm.tif": ("gm convert -size 32x24 gradient:#2040a0-#e0b010 -depth 16 {out}", "16", ""),
    "turned.tif": (IM + "-orient RightTop -depth 8 {out}", "8", "turned clockwise by 90°"),
    "two.tif": (f"convert -size 32x24 {WARM} -size 16x12 xc:red -depth 8 {{out}}", "8", "first of 2"),
    "alpha.tif": (IM + "-alpha on -depth 8 {out}", "8", "alpha"),
    "plain.png": (IM + "-depth 16 {out}", "16", ""),
    "palette.png": (IM + "-type Palette {out}", "8", "Palette"),
    "grey1.png": (IM + "-colorspace Gray -depth 1 {out}", "8", "grey"),
    "grey4.png": (IM + "-colorspace Gray -depth 4 {out}", "8", "grey"),
    "interlaced.png": (IM + "-interlace PNG -depth 8 {out}", "8", ""),
}


def by_magick(path, width=32, height=24):
    done = subprocess.run(
        ["/usr/bin/convert", f"{path}[0]", "-alpha", "off", "-depth", "16", "-endian", "LSB", "rgb:-"],
        capture_output=True,
        check=True,
    )
    return np.frombuffer(done.stdout, "<u2").reshape(height, width, 3) / 65535


@pytest.mark.parametrize("name", READ)
def test_tiff_and_png_against_magick(workshop, name):
    recipe, depth, words = READ[name]
    still = read_still(workshop(name, recipe))
    assert still.depth == depth
    assert words.lower() in " ".join(still.notes).lower()
    wanted = by_magick(workshop(name, recipe))
    if name == "white0-4.tif":  # ImageMagick reads its own file upside down; Pillow and ffmpeg agree with each other
        wanted = np.repeat(np.asarray(Image.open(workshop(name, recipe)))[..., None] / 255, 3, axis=-1)
    np.testing.assert_allclose(still.code, wanted, atol=2e-5)


DPX = {
    **{
        f"ff{b}.dpx": (BARS + f"-pix_fmt {p} {{out}}", p)
        for b, p in ((8, "rgb24"), (10, "gbrp10be"), (12, "gbrp12be"), (16, "rgb48be"))
    },
    "ffa8.dpx": (BARS + "-pix_fmt rgba {out}", "rgba"),
    "ffa16.dpx": (BARS + "-pix_fmt rgba64be {out}", "rgba64be"),
    "ffg8.dpx": (BARS + "-pix_fmt gray {out}", "gray"),
    **{
        f"im{b}.dpx": (IM + f"-depth {b} {{out}}", p)
        for b, p in ((8, "rgb24"), (10, "gbrp10be"), (12, "gbrp12be"), (16, "rgb48be"))
    },
    **{f"ima{b}.dpx": (IM + f"-alpha on -depth {b} {{out}}", p) for b, p in ((8, "rgba"), (16, "rgba64be"))},
    **{
        f"gm{b}.dpx": (f"gm convert -size 32x24 {WARM} -depth {b} {{out}}", p)
        for b, p in ((8, "rgb24"), (10, "gbrp10be"), (12, "gbrp12be"))
    },
    **{
        f"oiio{b}.dpx": (FILL + f"-d uint{b} -o {{out}}", p)
        for b, p in ((8, "rgb24"), (10, "gbrp10be"), (12, "gbrp12be"), (16, "rgb48be"))
    },
    "oiiole.dpx": (FILL + "-d uint10 --attrib oiio:Endian little -o {out}", "gbrp10le"),
}
DPX |= {
    f"{how}{b}.dpx": (
        FILL.replace("32x24", "33x24") + f"-d uint{b} --attrib dpx:Packing '{said}' -o {{out}}",
        f"gbrp{b}be",
    )
    for b in (10, 12)
    for how, said in (("packed", "Packed"), ("a", "Filled, method A"), ("b", "Filled, method B"))
    if (how, b) != ("packed", 10)
}
BITS = {"rgb24": 8, "rgba": 8, "gray": 8, "gbrp10be": 10, "gbrp10le": 10, "gbrp12be": 12, "rgb48be": 16, "rgba64be": 16}


@pytest.mark.parametrize("name", DPX)
def test_dpx_against_ffmpeg(workshop, name):
    """Every code as ffmpeg's decoder has it, in the file's own bits."""
    recipe, layout = DPX[name]
    path = workshop(name, recipe)
    still = read_still(path)
    raw = subprocess.run(
        ["ffmpeg", "-v", "error", "-i", path, "-frames:v", "1", "-f", "rawvideo", "-pix_fmt", layout, "-"],
        capture_output=True,
        check=True,
    ).stdout
    values = np.frombuffer(raw, "u1" if BITS[layout] == 8 else ">u2" if layout.endswith("be") else "<u2")
    if layout.startswith("gbrp"):
        wanted = values.reshape(3, still.height, still.width)[[2, 0, 1]].transpose(1, 2, 0)
    else:
        wanted = values.reshape(still.height, still.width, -1)[..., :3]
    np.testing.assert_allclose(
        still.code * (2 ** BITS[layout] - 1), np.broadcast_to(wanted, still.code.shape), atol=1e-2
    )


REFUSED = {
    "cmyk.tif": (IM + "-colorspace CMYK {out}", "four-colour"),
    "lab.tif": (IM + "-colorspace Lab {out}", "L\\*a\\*b\\*"),
    "cmyk.jpg": (IM + "-colorspace CMYK {out}", "four-colour"),
    "uint32.tif": (IM + "-depth 32 {out}", "32 bit"),
    "bilevel.tif": (IM + "-type bilevel -depth 1 {out}", "1 bit"),
    "xyz.exr": (FILL + "-d half --chnames X,Y,Z -o {out}", "no R, G, B channels \\(found X, Y, Z"),
    "depth.exr": ("oiiotool --pattern constant:color=.5 32x24 1 -d half --chnames Z -o {out}", "found Z"),
    "gif.png": ("convert -size 8x8 xc:red gif:{out}", "not a still"),
}


@pytest.mark.parametrize("name", REFUSED)
def test_refused_with_a_sentence(workshop, name):
    recipe, words = REFUSED[name]
    with pytest.raises(UnreadableFile, match=words):
        read_still(workshop(name, recipe))


@pytest.mark.slow
def test_a_thumbnail_before_the_picture(tmp_path):
    """tifffile: a reduced picture first, the main one after it or in a directory below."""
    big, small = np.full((24, 32, 3), 500, np.uint16), np.full((6, 8, 3), 9, np.uint16)
    with tifffile.TiffWriter(tmp_path / "a.tif") as out:
        out.write(small, subfiletype=1, photometric="rgb")
        out.write(big, subfiletype=0, photometric="rgb")
    with tifffile.TiffWriter(tmp_path / "b.tif") as out:
        out.write(small, subfiletype=1, subifds=1, photometric="rgb")
        out.write(big, subfiletype=0, photometric="rgb")
    for name in ("a.tif", "b.tif"):
        still = read_still(tmp_path / name)
        assert (still.width, still.height) == (32, 24)
        np.testing.assert_allclose(still.code * 65535, 500, rtol=1e-6)
        assert "smaller picture stands before" in still.notes[0]


@pytest.mark.parametrize(
    ("name", "extra"),
    [
        ("a.jpg", ""),
        ("b.jpg", "-interlace JPEG"),
        ("c.jpg", "-colorspace Gray"),
        ("d.jpg", "-define jpeg:sampling-factor=4:2:0"),
        ("e.jpg", "-define jpeg:sampling-factor=4:1:1 -quality 60"),
        ("f.jpg", "-define jpeg:optimize-coding=true"),
    ],
)
def test_whole_jpegs_are_read_and_broken_ones_refused(workshop, name, extra):
    """ImageMagick's JPEGs: baseline, progressive, grey, subsampled. Cut anywhere: refused; with a stretch lost or
    overwritten: mostly.
    """
    path = workshop(name, f"convert -size 160x120 -seed 3 plasma:tan-navy {extra} {{out}}")
    still = read_still(path)
    assert np.abs(still.code - by_magick(path, 160, 120)).mean() < 0.01
    data = path.read_bytes()
    scan = data.index(b"\xff\xda") + 20
    place, refused, tried = path.with_name("broken.jpg"), 0, 0
    for at in range(scan, len(data) - 100, max(1, (len(data) - scan) // 8)):
        place.write_bytes(data[:at])
        with pytest.raises(UnreadableFile, match=r"damaged or cut short|its header"):
            read_still(place)
        for broken in (
            data[:at] + data[at + 40 :],
            data[:at] + bytes(64) + data[at + 64 :],
            data[:at] + b"\xff\xd3" + data[at + 2 :],
        ):
            place.write_bytes(broken)
            tried += 1
            try:
                read_still(place)
            except UnreadableFile:
                refused += 1
    # JPEG has no checksums: what still decodes to the last block cannot be told from a picture.
    assert refused >= (0.4 if name == "e.jpg" else 0.75) * tried, (refused, tried)


def _profile(name):
    return ImageCms.ImageCmsProfile(ImageCms.createProfile(name)).tobytes()


@pytest.mark.parametrize("ending", ["jpg", "png", "tif"])
def test_an_icc_profile_is_evidence(tmp_path, ending):
    """Pillow embeds Little CMS's sRGB profile; exiftool-like names do not matter, what the profile does is measured."""
    picture = Image.fromarray((np.random.default_rng(1).random((48, 64, 3)) * 255).astype(np.uint8))
    picture.save(tmp_path / f"a.{ending}", icc_profile=_profile("sRGB"))
    facts = open_footage(tmp_path / f"a.{ending}").facts
    assert facts.metadata["ICC profile"] == "ICC profile “sRGB built-in”: BT.709 with sRGB"
    found = recognise_file(facts, signal_facts([read_still(tmp_path / f"a.{ending}")]), FileClues(f"a.{ending}"))
    assert found.best.encoding == "sRGB/BT.709"
    assert any("ICC profile" in item.text for item in found.evidence)
    picture.save(tmp_path / f"b.{ending}", icc_profile=b"x" * 200)
    assert "not" in open_footage(tmp_path / f"b.{ending}").facts.metadata["ICC profile"]


@pytest.mark.slow
@pytest.mark.parametrize(
    ("data", "words"),
    [(b"", "size"), (b"\0" * 16 + b"RGB " + b"\0" * 200, "damaged"), (b"\0" * 16 + b"CMYK" + b"\0" * 200, "for CMYK")],
)
def test_profiles_that_are_none(data, words):
    assert words in read_profile(data).problem
    assert "Lab" in read_profile(_profile("LAB")).problem or "not RGB" in read_profile(_profile("LAB")).problem


EXR = {
    "rgb.exr": (FILL + "-d half -o {out}", (32, 24), ""),
    "windows.exr": (FILL + "-d half --origin +4+2 --fullsize 40x30+0+0 -o {out}", (40, 30), "32 × 24 at 4, 2"),
    "inside.exr": (FILL + "-d half --fullsize 16x12+8+4 -o {out}", (16, 12), "at -8, -4"),
    "parts.exr": (FILL + "-d half -o rgbfirst.exr", (32, 24), "Part 2 of 2"),
    "alpha.exr": ("oiiotool --pattern constant:color=.1,.2,.3,.5 32x24 4 -d half -o {out}", (32, 24), "alpha"),
    "layer.exr": (FILL + "-d half --chnames beauty.R,beauty.G,beauty.B -o {out}", (32, 24), "beauty"),
    "tiled.exr": (FILL + "-d float --tile 16 16 -o {out}", (32, 24), ""),
    "piz.exr": (FILL + "-d half --compression piz -o {out}", (32, 24), ""),
    "bright.exr": ("oiiotool --pattern constant:color=65504,5,1000000 32x24 3 -d float -o {out}", (32, 24), ""),
}


@pytest.mark.parametrize("name", EXR)
def test_openexr_against_oiiotool(workshop, name, capsys):
    """Windows, parts, layers, tiles and light up to a million, against oiiotool's own reading of its display window."""
    recipe, size, words = EXR[name]
    if name == "parts.exr":
        workshop("depth.exr", REFUSED["depth.exr"][0])
        workshop("rgb.exr", EXR["rgb.exr"][0])
        recipe = "oiiotool depth.exr rgb.exr --siappend -d half -o {out}"
    path = workshop(name, recipe)
    still = read_still(path)
    assert (still.width, still.height) == size
    assert words in " ".join(still.notes)
    part = "--subimage 1 " if name == "parts.exr" else ""
    channels = "beauty.R,beauty.G,beauty.B" if name == "layer.exr" else "R,G,B"
    # croptofull fills what the data window leaves out with black; the TIFF then begins at its corner.
    workshop(
        f"{name}.tif",
        f"oiiotool {name} {part}--ch {channels} --croptofull --origin +0+0 --fullpixels -d float -o {{out}}",
    )
    np.testing.assert_array_equal(still.code, tifffile.imread(path.with_name(f"{name}.tif")).astype(np.float32))
    assert main(["probe", str(path)]) == 0
    assert "linear/BT.709" in capsys.readouterr().out


def test_a_sequence_takes_its_rate_from_the_files(workshop):
    for ending, option in (
        ("exr", "--attrib:type=rational FramesPerSecond 25/1"),
        ("dpx", "--attrib:type=float dpx:FrameRate 30"),
    ):
        paths = [
            workshop(
                f"run.{i:04d}.{ending}", FILL + f"-d {'half' if ending == 'exr' else 'uint10'} {option} -o {{out}}"
            )
            for i in (1, 2)
        ]
        facts = open_footage(paths[0], paths).facts
        assert (facts.rate, [n for n in facts.notes if "rate" in n]) == (25.0 if ending == "exr" else 30.0, [])
    paths = [workshop(f"unsaid.{i:04d}.png", IM + "-depth 8 {out}") for i in (1, 2)]
    assert "do not say their frame rate; they are shown at 24" in " ".join(open_footage(paths[0], paths).facts.notes)


def test_png_chunks(tmp_path, workshop):
    """ImageMagick's gAMA and cHRM, exif orientation from Pillow, and a cICP chunk that stands above an ICC profile (PNG
    third edition, 4.3).
    """
    path = workshop(
        "linear.png", IM + "-set colorspace RGB -define png:include-chunk=gAMA,cHRM -gamma 1 -depth 16 {out}"
    )
    facts = open_footage(path).facts
    assert (facts.metadata["gAMA"], facts.tags.transfer) == ("1.00000", "linear")
    picture, exif = Image.new("RGB", (8, 8)), Image.Exif()
    exif[274] = 6
    picture.save(tmp_path / "a.png", exif=exif)
    picture.save(tmp_path / "a.jpg", exif=exif)
    for name in ("a.png", "a.jpg"):
        assert "turned clockwise by 90°" in " ".join(read_still(tmp_path / name).notes)


@pytest.mark.parametrize("ending", ["png", "tif", "exr", "dpx", "jpg"])
@pytest.mark.parametrize("encoding", ["S-Log3/S-Gamut3.Cine", "sRGB/BT.709", "PQ/BT.2020", "LogC4/Wide Gamut 4"])
def test_own_files_say_what_they_hold(tmp_path, ending, encoding, capsys):
    """What `convert` writes, `probe` knows again; codes in OpenEXR are not called linear light; ffmpeg and ImageMagick
    read the PNG's tags.
    """
    write_still(
        tmp_path / "src.exr",
        np.random.default_rng(1).random((48, 64, 3)) * 0.5,
        "float",
        {"primaries": primaries("AP1")},
    )
    out = tmp_path / f"out.{ending}"
    assert main(["convert", str(tmp_path / "src.exr"), str(out), "--from", "linear/AP1", "--to", encoding]) == 0
    capsys.readouterr()
    assert main(["probe", str(out)]) == 0
    said = capsys.readouterr().out
    assert f"known: {encoding} (full)" in said
    if ending == "png" and encoding == "PQ/BT.2020":
        shown = run(f"ffprobe -v error -show_frames {out}", tmp_path)
        if "color_transfer" in shown:
            assert "color_transfer=smpte2084" in shown or "color_transfer=unknown" in shown


def test_codes_beyond_one(tmp_path, capsys):
    """HLG of light above its peak is beyond 1: float files keep it, legal codes use the reserve above white, full
    integers are held with a note.
    """
    write_still(tmp_path / "src.exr", np.full((8, 8, 3), 4.6, np.float32), "float", {"primaries": primaries("BT.2020")})
    for name, extra, bound in (
        ("a.exr", [], 1.0),
        ("b.tif", ["--range", "legal", "--depth", "16"], 940 / 1023),
        ("c.tif", ["--depth", "16"], 1.0),
    ):
        assert (
            main(
                [
                    "convert",
                    str(tmp_path / "src.exr"),
                    str(tmp_path / name),
                    "--from",
                    "linear/BT.2020",
                    "--to",
                    "HLG/BT.2020",
                    *extra,
                ]
            )
            == 0
        )
        held = "were clipped" in capsys.readouterr().err
        assert held is (name == "c.tif")
        top = float(read_still(tmp_path / name).code.max())
        assert top == pytest.approx(1.0, abs=1e-6) if held else top > bound


def _dng(place, *extra):
    """A DNG by tifffile: a flat mosaic with a colour matrix, and what is asked for beside it."""
    unit = [(10000 if i == j else 0, 10000) for i in range(3) for j in range(3)]
    tags = [
        (33421, 3, 2, (2, 2), True),
        (33422, 1, 4, bytes((0, 1, 1, 2)), True),
        (50706, 1, 4, bytes((1, 4, 0, 0)), True),
        (50721, 10, 9, tuple(v for pair in unit for v in pair), True),
        (50728, 5, 3, (1, 1, 1, 1, 1, 1), True),
        (50717, 4, 1, 4095, True),
        *extra,
    ]
    tifffile.imwrite(
        place, np.full((24, 32), 1000, np.uint16), photometric=32803, metadata=None, extratags=tags, subfiletype=0
    )
    return place


@pytest.mark.slow
@pytest.mark.parametrize(
    ("extra", "words"),
    [
        ((51009, 7, 24, (1).to_bytes(4, "big") + bytes(20), True), "opcode list 2"),
        ((51022, 7, 36, (2).to_bytes(4, "big") + bytes(32), True), "opcode list 3"),
        ((50718, 5, 2, (1, 1, 2, 1), True), "scaled by 1 × 2"),
        ((274, 3, 1, 8, True), "anticlockwise"),
    ],
)
def test_dng_remarks(tmp_path, extra, words):
    """What a DNG asks for and is not done is said (Adobe DNG 1.7.1: OpcodeList1 to 3, DefaultScale;
    TIFF Orientation).
    """
    notes = open_footage(_dng(tmp_path / "a.dng", extra)).facts.notes
    assert words in " ".join(notes)
    assert words not in " ".join(open_footage(_dng(tmp_path / "b.dng", (51009, 7, 4, bytes(4), True))).facts.notes)


@pytest.mark.slow
@pytest.mark.parametrize(
    ("extra", "words"),
    [
        ((50711, 3, 1, 2, True), "staggered"),
        ((50710, 1, 3, bytes((2, 1, 0)), True), "CFAPlaneColor"),
        ((50710, 1, 4, bytes((0, 1, 2, 3)), True), "CFAPlaneColor"),
    ],
)
def test_dng_layouts_refused(tmp_path, extra, words):
    footage = open_footage(_dng(tmp_path / "a.dng", extra))
    with pytest.raises(UnreadableFile, match=words):
        footage.frame()


@pytest.mark.slow
@pytest.mark.parametrize("shape", [(1, 64), (64, 1), (7, 64), (2, 2)])
def test_a_sliver_of_a_mosaic_is_refused(tmp_path, shape):
    """The demosaic's filters would read beyond it; found by the mutants of tests/outside/fuzz.py."""
    tifffile.imwrite(
        _dng(tmp_path / "a.dng"),
        np.full(shape, 1000, np.uint16),
        photometric=32803,
        metadata=None,
        subfiletype=0,
        extratags=[
            (33421, 3, 2, (2, 2), True),
            (33422, 1, 4, bytes((0, 1, 1, 2)), True),
            (50706, 1, 4, bytes((1, 4, 0, 0)), True),
            (50728, 5, 3, (1, 1) * 3, True),
            (50721, 10, 9, (1, 1, 0, 1, 0, 1) * 3, True),
        ],
    )
    with pytest.raises(UnreadableFile, match="too small to be one"):
        open_footage(tmp_path / "a.dng").frame()


@pytest.mark.slow
def test_a_library_that_prints_does_not_spoil_what_is_printed(workshop, tmp_path):
    """OpenEXR's library prints on standard output as it fails; `probe --json` stays JSON."""
    data = bytearray(workshop("rgb.exr", EXR["rgb.exr"][0]).read_bytes())
    data[-40] ^= 16
    (tmp_path / "torn.exr").write_bytes(data)
    done = subprocess.run(
        [sys.executable, "-m", "upwelling.cli.main", "probe", "--json", str(tmp_path / "torn.exr")],
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 2
    assert "torn.exr: is damaged" in json.loads(done.stdout)[0]["error"]


def test_packed_ten_bit_dpx(workshop):
    """ffmpeg does not read it; oiiotool, which wrote it, does."""
    path = workshop("packed10.dpx", FILL.replace("32x24", "33x24") + "-d uint10 --attrib dpx:Packing Packed -o {out}")
    workshop("packed10.tif", "oiiotool packed10.dpx -d float -o {out}")
    np.testing.assert_allclose(read_still(path).code, tifffile.imread(path.with_name("packed10.tif")), atol=2e-5)


def test_more_remarks(workshop, tmp_path):
    """An animation, pixels that are not square, what a camera appends to a JPEG; a lossless JPEG is refused by its
    kind.
    """
    workshop("squeezed.exr", FILL + "-d half --attrib:type=float PixelAspectRatio 2 -o {out}")
    assert "not square (2)" in " ".join(read_still(workshop("squeezed.exr")).notes)
    path = workshop("moving.png", "ffmpeg -v error -y -f lavfi -i testsrc2=size=64x48:duration=0.2 -f apng {out}")
    assert "An animation" in " ".join(read_still(path).notes)
    data = workshop("a.jpg", "convert -size 160x120 -seed 3 plasma:tan-navy {out}").read_bytes()
    (tmp_path / "more.jpg").write_bytes(data + data + bytes(64))
    np.testing.assert_array_equal(read_still(tmp_path / "more.jpg").code, read_still(workshop("a.jpg")).code)
    frame = data.index(b"\xff\xc0")
    (tmp_path / "rare.jpg").write_bytes(data[:frame] + b"\xff\xc3" + data[frame + 2 :])
    with pytest.raises(UnreadableFile, match="rare kind"):
        read_still(tmp_path / "rare.jpg")


def test_grey_with_alpha_in_a_movie_is_refused_by_name(workshop):
    """Interleaved samples are no plane; ffmpeg keeps them so in MOV's PNG."""
    path = workshop(
        "ya.mov", "ffmpeg -v error -y -f lavfi -i testsrc2=size=64x48:duration=0.2,format=ya8 -c:v png {out}"
    )
    with pytest.raises(UnreadableFile, match="kept as “ya8”"):
        open_footage(path).frame(0)
