"""Delivered files read by ffmpeg's own programs (Debian's): tags, counts and codes as ordered, HDR10's words, sound.

Witness: ffprobe and ffmpeg 5.1.
"""

import json
import shlex
from fractions import Fraction

import numpy as np
import pytest

from tests.core.test_delivery import LOG, order, path_for, scene
from tests.outside.conftest import run
from upwelling.core.delivery.make import order_for, piece_of
from upwelling.core.delivery.presets import preset
from upwelling.core.delivery.proof import prove
from upwelling.core.delivery.run import deliver
from upwelling.core.encodings import encoding
from upwelling.core.media import Reading, read_still, write_still
from upwelling.core.media.movie_write import write_movie
from upwelling.core.path import Display, Input, Path


@pytest.fixture(scope="module")
def source(tmp_path_factory):
    """A second of log at 29.97 drop frame, large enough for every codec."""
    place = tmp_path_factory.mktemp("source") / "B007.mov"
    frames = (encoding(LOG).from_linear(scene(n, 180, 320)) for n in range(30))
    rate = Fraction(30000, 1001)
    write_movie(place, frames, "prores-4444", rate=rate, metadata={"timecode": "00:00:59;20"})
    return place


def probed(place):
    said = run(
        f"ffprobe -v error -count_frames -show_streams -show_format -of json {shlex.quote(place.name)}", place.parent
    )
    body = json.loads(said)
    return next(one for one in body["streams"] if one["codec_type"] == "video"), body


BT709 = ("tv", "bt709", "bt709", "bt709")
PQ = ("tv", "bt2020nc", "smpte2084", "bt2020")
HLG = ("tv", "bt2020nc", "arib-std-b67", "bt2020")


@pytest.mark.parametrize(
    ("name", "target", "codec", "tag", "layout", "tags"),
    [
        ("ProRes 422 HQ", "BT.709 BT.1886", "prores", "apch", "yuv422p10le", BT709),
        ("ProRes 4444", "BT.709 BT.1886", "prores", "ap4h", "yuv444p12le", BT709),
        ("DNxHR HQX", "BT.709 BT.1886", "dnxhd", "AVdh", "yuv422p10le", BT709),
        ("H.264", "BT.709 BT.1886", "h264", "avc1", "yuv420p", BT709),
        ("H.265 10-bit", "BT.709 BT.1886", "hevc", "hvc1", "yuv420p10le", BT709),
        ("H.264", "sRGB", "h264", "avc1", "yuv420p", ("tv", "bt709", "iec61966-2-1", "bt709")),
        ("HDR10 H.265", "BT.2100 PQ 1000, P3", "hevc", "hvc1", "yuv420p10le", PQ),
        ("HLG H.265", "BT.2100 HLG 1000", "hevc", "hvc1", "yuv420p10le", HLG),
    ],
)
def test_ffprobe_reads_what_was_ordered(source, tmp_path, name, target, codec, tag, layout, tags):
    wanted = order(source, name, 5, 28, target)
    place = deliver(wanted, tmp_path / f"x{preset(name).ending}").target
    stream, body = probed(place)
    assert (stream["codec_name"], stream["codec_tag_string"], stream["pix_fmt"]) == (codec, tag, layout)
    found = tuple(stream[key] for key in ("color_range", "color_space", "color_transfer", "color_primaries"))
    assert found == tags
    assert (int(stream["nb_read_frames"]), stream["r_frame_rate"], stream["avg_frame_rate"]) == (
        24,
        "30000/1001",
        "30000/1001",
    )
    assert (stream["width"], stream["height"]) == (320, 180)
    assert stream.get("field_order", "progressive") in ("progressive", "unknown")
    labels = [one["tags"]["timecode"] for one in body["streams"] if "timecode" in one.get("tags", {})]
    assert set(labels) == {"00:00:59;25"}
    if codec in ("h264", "hevc"):
        assert stream["chroma_location"] == ("topleft" if "2020" in tags[1] else "left")
    if name == "HDR10 H.265":
        check_hdr10(place, stream)


def check_hdr10(place, stream):
    """Mastering display and light levels, from the container and from the stream alone."""
    run(f"ffmpeg -v error -y -i {place.name} -c copy -bsf:v hevc_mp4toannexb alone.hevc", place.parent)
    alone = json.loads(run("ffprobe -v error -show_frames -read_intervals %+#2 -of json alone.hevc", place.parent))
    for data in (stream["side_data_list"], alone["frames"][0]["side_data_list"]):
        said = {key: value for one in data for key, value in one.items()}
        assert Fraction(said["max_luminance"]) == 1000
        assert float(Fraction(said["min_luminance"])) == pytest.approx(0.0001)
        assert float(Fraction(said["green_x"])) == pytest.approx(0.265, abs=1e-4)
        assert float(Fraction(said["red_y"])) == pytest.approx(0.32, abs=1e-4)
        assert 50 < said["max_content"] <= 1000
        assert 0 < said["max_average"] < said["max_content"]


@pytest.mark.parametrize(
    ("name", "layout", "off"),
    [("DPX 10-bit", "gbrp10le", 1), ("TIFF 16-bit", "rgb48le", 1), ("PNG 16-bit", "rgb48le", 1)],
)
def test_bars_and_ramps_decode_to_their_codes(tmp_path, name, layout, off):
    """Stills of known codes, decoded by ffmpeg: within one code."""
    ramp = np.linspace(0, 1, 256)[None, :, None] * np.ones((64, 1, 3))
    ramp[32:] = np.repeat(
        [[1, 1, 1], [1, 1, 0], [0, 1, 1], [0, 1, 0], [1, 0, 1], [1, 0, 0], [0, 0, 1], [0, 0, 0]], 32, 0
    )
    write_still(tmp_path / "in.tif", ramp, "16")
    path = Path(input=Input(encoding="linear/AP1", on=False), display=Display(output="sRGB", on=False))
    path = path.model_copy(update={"rendering": path.rendering.model_copy(update={"on": False})})
    piece = piece_of(tmp_path / "in.tif", path, 0, 0, Reading("full"))
    form = preset(name)
    place = deliver(order_for([piece], form), tmp_path / f"x{form.ending}").target
    run(f"ffmpeg -v error -y -i {place.name} -f rawvideo -pix_fmt {layout} out.raw", tmp_path)
    values = np.fromfile(tmp_path / "out.raw", "<u2")
    if layout.startswith("gbrp"):
        green, blue, red = values.reshape(3, 64, 256)
        values = np.stack([red, green, blue], axis=-1)
    wanted = np.rint(ramp * (1023 if "10" in name else 65535))
    assert np.abs(values.reshape(64, 256, 3) - wanted).max() <= off


def test_a_mastered_movie_decodes_to_the_exact_path(source, tmp_path):
    """ProRes 4444, decoded by ffmpeg's program and scaler: PSNR over 45 dB against the exact path."""
    wanted = order(source, "ProRes 4444", 0, 3)
    deliver(wanted, tmp_path / "x.mov")
    run("ffmpeg -v error -y -i x.mov -f rawvideo -pix_fmt gbrp16le -sws_flags accurate_rnd out.raw", tmp_path)
    green, blue, red = np.fromfile(tmp_path / "out.raw", "<u2").reshape(4, 3, 180, 320)[2]
    theirs = np.stack([red, green, blue], axis=-1) / 65535
    from upwelling.core.media import Movie

    exact = path_for().apply(Movie(source).frame(2, Reading("legal")).code)
    assert -10 * np.log10(np.mean((theirs - np.clip(exact, 0, 1)) ** 2)) > 45


@pytest.mark.parametrize(
    ("recipe", "frames", "name", "kept"),
    [
        ("-c:a pcm_s24le", None, "ProRes 422 HQ", ("pcm_s24le", 1.0)),
        ("-c:a pcm_s16le", (6, 17), "ProRes 422 HQ", ("pcm_s16le", 0.5)),
        ("-c:a aac", None, "H.264", ("aac", 1.0)),
    ],
    ids=["pcm whole", "pcm range", "aac whole"],
)
def test_sound_goes_along_untouched_where_it_can(workshop, tmp_path, recipe, frames, name, kept):
    place = workshop(
        f"sound_{recipe.split()[1]}.mov",
        "ffmpeg -v error -y -f lavfi -i testsrc2=size=320x180:rate=24:duration=1 -f lavfi -i sine=frequency=440:"
        f"sample_rate=48000:duration=1 -c:v libx264 {recipe} -shortest {{out}}",
    )
    first, last = frames or (0, None)
    wanted = order(place, name, first, last)
    outcome = deliver(wanted, tmp_path / f"x{preset(name).ending}")
    _, body = probed(outcome.target)
    sounds = [one for one in body["streams"] if one["codec_type"] == "audio"]
    assert sounds[0]["codec_name"] == kept[0]
    assert float(sounds[0]["duration"]) == pytest.approx(kept[1], abs=0.03)
    for file, out in ((place, "in.pcm"), (outcome.target, "out.pcm")):
        run(f"ffmpeg -v error -y -i {file} -f s16le -c:a pcm_s16le {tmp_path / out}", tmp_path)
    ours, theirs = (np.fromfile(tmp_path / one, "<i2") for one in ("out.pcm", "in.pcm"))
    start = round(first * 48000 / 24)
    assert len(ours)
    np.testing.assert_array_equal(ours, theirs[start : start + len(ours)])


def test_slow_motion_and_pixel_shape_are_said_in_the_stream(workshop, tmp_path):
    place = workshop(
        "fast.mov",
        "ffmpeg -v error -y -f lavfi -i testsrc2=size=320x180:rate=60:duration=0.5 -vf setsar=4/3 -c:v libx264 {out}",
    )
    wanted = order(place, "H.265 10-bit", rate="24")
    stream, _ = probed(deliver(wanted, tmp_path / "x.mp4").target)
    assert (stream["r_frame_rate"], stream["nb_read_frames"], stream["sample_aspect_ratio"]) == ("24/1", "30", "4:3")
    square = preset("H.264").model_copy(update={"sizing": "fit", "width": 426, "height": 180})
    stream, _ = probed(deliver(order(place, square), tmp_path / "y.mp4").target)
    assert (stream["width"], stream["height"]) == (426, 180)
    assert stream.get("sample_aspect_ratio", "1:1") in ("1:1", "N/A")


def test_sequences_say_rate_and_timecode(source, tmp_path):
    for name, ending in (("DPX 10-bit", ".dpx"), ("EXR half", ".exr")):
        wanted = order(source, name, 5, 6)
        outcome = deliver(wanted, tmp_path / f"s{ending}")
        facts = read_still(outcome.files[1])
        assert facts.metadata["timecode"] == ("00:00:59;26" if ending == ".exr" else "00:00:59:26")
        assert float(facts.metadata["frame rate"]) == pytest.approx(29.97, abs=1e-3)
        assert prove(wanted, outcome).holds
    stream, _ = probed(tmp_path / "s.0000005.dpx")
    assert (stream["codec_name"], stream["width"]) == ("dpx", 320)
