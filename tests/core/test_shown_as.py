"""What a file says of how it is shown: turned, with pixels that are not square, interlaced, with alpha; against ffmpeg,
which turns pictures by itself.
"""

import json
import subprocess

import numpy as np
import pytest

from upwelling.cli.main import main
from upwelling.core.media import Movie, read_still
from upwelling.core.media.ycbcr import from_rgb_signal, to_rgb_code

DELIVER = ("--from", "sRGB/BT.709", "--to", "sRGB", "--workers", "1")


def made(place, *arguments, source="testsrc2=size=64x36:rate=24:duration=0.25,gblur=sigma=3"):
    command = ["ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i", source, *map(str, arguments), str(place)]
    subprocess.run(command, check=True)
    return place


@pytest.fixture
def turned(tmp_path, request):
    """A movie with ffmpeg's own words for being turned."""
    plain = made(tmp_path / "plain.mov", "-c:v", "prores_ks", "-profile:v", "3")
    place = tmp_path / "turned.mov"
    command = [
        "ffmpeg",
        "-v",
        "error",
        "-y",
        "-i",
        str(plain),
        "-c",
        "copy",
        "-metadata:s:v",
        f"rotate={request.param}",
    ]
    subprocess.run([*command, str(place)], check=True)
    return place


@pytest.mark.parametrize("turned", [90, 180, 270], indirect=True)
@pytest.mark.parametrize("extra", [(), ("--fit-in", "48x48")])
def test_pictures_are_delivered_as_they_are_shown(turned, tmp_path, extra, capsys):
    assert main(["deliver", str(turned), str(tmp_path / "x.mov"), *DELIVER, *extra]) == 0
    facts, shown = Movie(tmp_path / "x.mov").facts, ffmpeg_shown(turned)
    if not extra:
        assert (facts.height, facts.width) == shown.shape[:2]
    else:
        assert (facts.width > facts.height) == (shown.shape[1] > shown.shape[0])
    assert facts.turned == 0
    ours = Movie(tmp_path / "x.mov").frame(0).code
    if not extra:
        ways = [np.rot90(ours, k) for k in range(4)]
        like = [np.corrcoef(w.ravel(), shown.ravel())[0, 1] if w.shape == shown.shape else -1 for w in ways]
        assert int(np.argmax(like)) == 0, "the same picture, the same way round"
    assert "turned when it is delivered" in capsys.readouterr().err
    proof = json.loads((tmp_path / "x.mov.proof.json").read_text())
    assert proof["verdict"] == "holds"


@pytest.mark.parametrize("turned", [90], indirect=True)
def test_stills_are_turned_too_and_nothing_is_where_that_is_said(turned, tmp_path):
    for extra, size in (((), (64, 36)), (("--as-recorded",), (36, 64))):
        target = tmp_path / f"{len(extra)}.png"
        assert main(["deliver", str(turned), str(target), *DELIVER, "--frames", "0", *extra]) == 0
        found = next(tmp_path.glob(f"{len(extra)}*.png"))
        assert read_still(found).code.shape[:2] == size


def ffmpeg_shown(place):
    """The first frame as ffmpeg shows it, turned, as code 0…1."""
    command = ["ffmpeg", "-v", "error", "-y", "-i", str(place), "-frames:v", "1", str(place.with_suffix(".png"))]
    subprocess.run(command, check=True)
    return read_still(place.with_suffix(".png")).code


@pytest.mark.parametrize("preset", ["ProRes 422 HQ", "ProRes 4444", "DNxHR HQX", "H.264", "H.265 10-bit"])
def test_the_shape_of_pixels_goes_along_and_alpha_is_missed_aloud(tmp_path, preset, capsys):
    """In .mov, whose header must say it (QuickTime File Format, “pasp”), as ffmpeg's probe reads it."""
    shape = "testsrc2=size=256x144:rate=24:duration=0.1,gblur=sigma=3,setsar=4/3,format=yuva444p10le"
    source = made(tmp_path / "wide.mov", "-c:v", "prores_ks", "-profile:v", "4444", source=shape)
    target = tmp_path / "x.mov"
    assert main(["deliver", str(source), str(target), *DELIVER, "--preset", preset]) == 0
    probe = ["ffprobe", "-v", "error", "-show_entries", "stream=sample_aspect_ratio", "-of", "csv=p=0", str(target)]
    assert subprocess.run(probe, capture_output=True, text=True, check=True).stdout.strip() == "4:3"
    said = capsys.readouterr().err
    assert "Pixels are not square (4/3)" in said
    assert "The alpha channel is left out." in said
    proof = json.loads((tmp_path / "x.mov.proof.json").read_text())
    assert any("The alpha channel is left out." in text for text in proof["remarks"])


def test_a_preset_that_is_none_is_told_the_ones_there_are(tmp_path, capsys):
    source = made(tmp_path / "a.mov", "-c:v", "prores_ks")
    assert main(["deliver", str(source), str(tmp_path / "x.mov"), *DELIVER, "--preset", "ProRes"]) == 2
    assert "There are ProRes 422 HQ, ProRes 4444, DNxHR HQX, H.264," in capsys.readouterr().err


WOVEN = "tinterlace=interleave_{0},setfield={1}"
FIELDED = [
    ("prores.mov", ("-c:v", "prores_ks", "-profile:v", "3", "-flags", "+ildct")),
    ("h264.mp4", ("-c:v", "libx264", "-crf", "10", "-flags", "+ilme+ildct", "-x264opts", "{1}=1")),
    ("mpeg2.mxf", ("-c:v", "mpeg2video", "-b:v", "20M", "-flags", "+ilme+ildct")),
]


def said_by_ffprobe(place):
    """Whether the first frame is interlaced and its top field first, by ffmpeg's own eye."""
    command = [
        "ffprobe",
        "-v",
        "error",
        "-select_streams",
        "v",
        "-read_intervals",
        "%+#1",
        "-show_frames",
        "-of",
        "json",
    ]
    frame = json.loads(subprocess.run([*command, str(place)], check=True, capture_output=True).stdout)["frames"][0]
    return frame["interlaced_frame"], frame["top_field_first"]


@pytest.mark.parametrize("first", ["top", "bottom"])
@pytest.mark.parametrize(("name", "codec"), FIELDED)
@pytest.mark.parametrize(
    ("preset", "ending", "carried"),
    [("ProRes 422 HQ", "mov", True), ("H.264", "mp4", True), ("DNxHR HQX", "mov", False)],
)
def test_fields_are_delivered_as_what_they_are(tmp_path, capsys, first, name, codec, preset, ending, carried):
    """Sources by ffmpeg; the delivered file by ffprobe; what moves between fields stays in its own lines."""
    mark = {"top": "tff", "bottom": "bff"}[first]
    woven = WOVEN.format(first, mark) + ",format=yuv420p" * (not name.startswith("prores"))
    source = "testsrc2=size=320x240:rate=50:duration=0.24"
    place = made(
        tmp_path / name, "-vf", woven, "-r", "25", *(part.format(first, mark) for part in codec), source=source
    )
    facts = Movie(place).facts
    assert (facts.interlaced, facts.fields) == (True, first)
    assert any(f"{first} field first" in note for note in facts.notes)
    target = tmp_path / f"out.{ending}"
    assert main(["deliver", str(place), str(target), "--preset", preset, *DELIVER]) == 0
    words = capsys.readouterr().err
    assert f"marked {f'{first} field first' if carried else 'progressive'}" in words
    assert said_by_ffprobe(target) == ((1, int(first == "top")) if carried else (0, 0))


def test_chroma_of_fields_is_halved_within_each(tmp_path):
    """A field of red and one of blue stay that in 4:2:0; halved across both they would be purple."""
    rgb = np.zeros((64, 64, 3))
    rgb[0::2, :, 0], rgb[1::2, :, 2] = 0.5, 0.5
    for fields, off in ((True, 1e-2), (False, 0.2)):
        planes = from_rgb_signal(rgb, "BT.709", "full", 8, (2, 2), fields=fields)
        back = to_rgb_code(planes, "BT.709", "full", fields=fields)
        assert (np.abs(back - rgb).max() < off) == fields
