"""How many bits each codec really carries: a ramp of all its codes, decoded by ffmpeg's own program and counted."""

import json
import subprocess

import numpy as np
import pytest

from tests.core.test_delivery import scene
from upwelling.cli.main import main
from upwelling.core.delivery.form import Form
from upwelling.core.delivery.make import order_for, piece_of, remarks_on, stages_of
from upwelling.core.delivery.presets import preset
from upwelling.core.encodings import encoding
from upwelling.core.errors import BadValue, UnwritableFile
from upwelling.core.media import Movie, Reading, write_still
from upwelling.core.media.movie_write import CODECS, write_movie
from upwelling.core.path import Display, Input, Path

LAYOUTS = {8: "gray", 10: "gray10le", 12: "gray12le", 16: "gray16le"}


def ramp(depth):
    """Every legal luma code of a depth as R'G'B' grey (H, W, 3), each code several pixels wide where there is room."""
    unit = 2 ** (depth - 8)
    codes = np.arange(16 * unit, 235 * unit + 1)
    wide = 1024 if depth < 16 else 2048
    held = np.resize(np.repeat(codes, max(1, wide * 64 // len(codes) // 4)), wide * (64 if depth < 16 else 32))
    grey = (held.reshape(-1, wide) - 16 * unit) / (219 * unit)
    return np.repeat(grey[..., None], 3, axis=-1), codes


@pytest.mark.parametrize(
    ("codec", "suffix", "given", "least"),
    [
        ("ffv1-10", ".mkv", 10, 1.0),
        ("h265-12", ".mp4", 12, 0.9),
        ("h265-10", ".mp4", 10, 0.9),
        ("prores-422", ".mov", 10, 0.9),
        ("prores-4444", ".mov", 10, 0.9),
    ],
)
def test_distinct_codes_by_ffmpeg(tmp_path, codec, suffix, given, least):
    """Lossless ones keep every code; others nearly all of as many as their depth has, and no more than a decoder's."""
    picture, codes = ramp(given)
    seen = np.unique(np.rint(picture[..., 0] * 219 * 2 ** (given - 8)).astype(int) + 16 * 2 ** (given - 8))
    place = tmp_path / f"ramp{suffix}"
    write_movie(place, [picture], codec, options={} if codec.startswith(("ffv1", "prores")) else {"crf": "0"})
    command = ["ffmpeg", "-v", "error", "-i", str(place), "-vf", "extractplanes=y", "-f", "rawvideo"]
    depth = {"prores-4444": 12}.get(codec, given)
    raw = subprocess.run([*command, "-pix_fmt", LAYOUTS[depth], "-"], capture_output=True, check=True).stdout
    found = np.unique(np.frombuffer(raw, "<u2").astype(int) >> (depth - given))
    assert CODECS[codec].depth == given
    assert len(np.intersect1d(found, seen)) >= least * len(seen)
    assert len(seen) <= len(codes)
    mine = Movie(place).frame().code
    assert np.abs(mine - np.clip((picture * 219 + 16) * 2 ** (given - 8) / (2**given - 1), 0, 1)).max() < 0.02


@pytest.mark.parametrize(
    ("codec", "suffix", "most_off"),
    [("cineform-12", ".mov", 12), ("ffv1-rgb-12", ".mkv", 0), ("ffv1-rgb-16", ".mkv", 0)],
)
def test_every_code_of_each_channel_by_ffmpeg(tmp_path, codec, suffix, most_off):
    """R'G'B' masters: as many distinct codes in each channel as the depth has; FFV1 the very same."""
    depth = CODECS[codec].depth
    wide, times = (1024, 4) if depth == 12 else (2048, 2)
    codes = np.repeat(np.arange(2**depth), times).reshape(-1, wide)
    codes = np.concatenate([codes, codes])
    picture = np.stack([codes, codes[::-1], codes[:, ::-1]], axis=-1) / (2**depth - 1)
    place = tmp_path / f"ramp{suffix}"
    write_movie(place, [picture], codec, code_range="full")
    command = ["ffmpeg", "-v", "error", "-i", str(place), "-f", "rawvideo", "-pix_fmt", CODECS[codec].layout, "-"]
    raw = subprocess.run(command, capture_output=True, check=True).stdout
    green, blue, red = np.frombuffer(raw, "<u2").reshape(3, *codes.shape).astype(int)
    for found, wanted in ((red, codes), (green, codes[::-1]), (blue, codes[:, ::-1])):
        assert len(np.unique(found)) == 2**depth
        assert np.abs(found - wanted).max() <= most_off
    np.testing.assert_allclose(Movie(place).frame().code, picture, atol=(most_off + 0.5) / (2**depth - 1))
    with pytest.raises(UnwritableFile, match="full range everywhere"):
        write_movie(place, [picture], codec, code_range="legal")


@pytest.mark.parametrize(
    ("name", "bits", "carried"),
    [
        ("ProRes 4444", 12, False),
        ("ProRes 422 HQ", 10, True),
        ("H.264", 10, False),
        ("H.265 4:4:4 12-bit", 12, True),
        ("VC-5 RGB 12-bit", 12, True),
        ("VC-5 RGB 12-bit", 16, False),
        ("FFV1 RGB 16-bit", 16, True),
        ("DPX 10-bit", 12, False),
        ("EXR half", 16, True),
    ],
)
def test_bits_that_are_ordered_are_given_or_refused(name, bits, carried):
    body = {**preset(name).model_dump(), "least_bits": bits}
    if carried:
        assert Form.checked(body).code_bits >= bits
    else:
        with pytest.raises(BadValue, match=f"{bits} are ordered"):
            Form.checked(body)


@pytest.mark.parametrize(("name", "dithers"), [("H.264", True), ("FFV1 RGB 12-bit", False), ("PNG 16-bit", False)])
def test_dither_is_told_only_where_it_is_done(tmp_path, name, dithers):
    place = tmp_path / "a.png"
    write_still(place, np.full((64, 64, 3), 0.4, np.float32), "16")
    form = preset(name).model_copy(update={"dither": "blue noise"})
    path = Path(input=Input(encoding="S-Log3/S-Gamut3.Cine"), display=Display(output="BT.709 BT.1886"))
    order = order_for([piece_of(place, path, 0, 0, Reading("full"))], form)
    assert any(text == "dithered: blue noise" for text in stages_of(order)) is dithers
    assert any(text.startswith("Nothing is dithered") for text in remarks_on(order)) is not dithers


@pytest.mark.parametrize("name", ["VC-5 RGB 12-bit", "FFV1 RGB 12-bit", "FFV1 RGB 16-bit", "H.265 4:4:4 12-bit"])
def test_a_master_is_delivered_in_parts_with_timecode_and_its_proof_holds(tmp_path, name):
    """In two parts joined; ffmpeg reads every frame, and the proof says how many bits were given, coded and decoded."""
    log = encoding("S-Log3/S-Gamut3.Cine")
    source = tmp_path / "A012.mov"
    write_movie(source, (log.from_linear(scene(n, 90, 160)) for n in range(50)), "prores-422")
    form = preset(name)
    suffix = ".mkv" if name.startswith("H.265") else form.ending
    place = tmp_path / f"master{suffix}"
    arguments = ["deliver", str(source), str(place), "--preset", name, "--from", log.name, "--to", "BT.709 BT.1886"]
    assert main([*arguments, "--timecode", "10:00:00:00", "--bits", str(form.code_bits)]) == 0
    proof = json.loads((tmp_path / f"master{suffix}.proof.json").read_text())
    said = {row["what"]: (row["ordered"], row["found"]) for row in proof["checks"]}
    assert said["bits"] == (f"{form.code_bits} given, {form.code_bits} coded, {form.code_bits} decoded",) * 2
    assert said["timecode"] == ("10:00:00:00",) * 2
    command = ["ffprobe", "-v", "error", "-count_frames", "-select_streams", "v", "-show_entries"]
    command += ["stream=nb_read_frames", "-of", "csv=p=0", str(place)]
    assert subprocess.run(command, capture_output=True, text=True, check=True).stdout.strip().strip(",") == "50"
