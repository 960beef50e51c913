"""Recognition: every file of the Kilnlight set and files ffmpeg made, against what should be concluded.

Never certain and wrong.
"""

import json

import numpy as np
import pytest

from upwelling.core.charts.patch_chart import read_patches, report
from upwelling.core.colour.primaries import PRIMARIES, primaries
from upwelling.core.encodings import encoding
from upwelling.core.errors import BadValue
from upwelling.core.media import ColourTags, Reading, looked_at, open_footage, write_still
from upwelling.core.media.movie_write import write_movie
from upwelling.core.path import CameraFile, Display, Input
from upwelling.core.path import Path as SignalPath
from upwelling.core.raw import RawSettings
from upwelling.core.recognise import (
    FileClues,
    Sibling,
    eight_bit_log,
    read_sidecars,
    recognise_file,
    recognise_raw,
    signal_facts,
)
from upwelling.core.simulate.chart import CARD, CORNERS
from upwelling.core.simulate.kilnlight_set import CAMERAS, TAKES


def recognise(path, sibling=None):
    footage = open_footage(path)
    facts = footage.facts
    signal = signal_facts(looked_at(footage).stills)
    if facts.kind == "raw":
        return recognise_raw(facts, signal)
    return recognise_file(facts, signal, FileClues(path.name, read_sidecars(path), sibling))


def sibling_of(take, ycbcr):
    """What an earlier settled shot of the same camera says."""
    camera = CAMERAS[take.camera]
    return Sibling(
        take.camera,
        camera.encoding_name,
        "legal" if ycbcr else "full",
        f"{take.camera}’s other shots are {camera.encoding_name}",
    )


# file: state without any camera settled, and with the camera settled
EXPECTED = {
    "A012.dpx": ("unknown", "likely"),
    "A014.dpx": ("unknown", "likely"),
    "A016.mov": ("known", "known"),
    "B007.tif": ("unknown", "likely"),
    "P003.mp4": ("known", "known"),
    "A021.dpx": ("unknown", "likely"),
    "B011.tif": ("unknown", "likely"),
    "P004.mp4": ("unknown", "likely"),
    "S0102.dng": ("known", "known"),
    "A031.dpx": ("unknown", "likely"),
    "A033.mov": ("likely", "contradictory"),
    "B015.mov": ("known", "known"),
    "G005.mp4": ("contradictory", "likely"),
    "S0101.dng": ("known", "known"),
    "A041.dpx": ("unknown", "likely"),
    "G007.mp4": ("contradictory", "likely"),
    "P006.mp4": ("known", "known"),
    "S0107.dng": ("known", "known"),
    "A090.mov": ("known", "known"),
    "A037.mov": ("known", "known"),
    "A099.dpx": ("unknown", "likely"),
    "B099.tif": ("unknown", "likely"),
    "P099.mp4": ("known", "known"),
    "G099.mp4": ("contradictory", "likely"),
    "S0199.dng": ("known", "known"),
}


@pytest.mark.parametrize("take", TAKES, ids=lambda t: t.file)
def test_the_set(kilnlight, take):
    alone = recognise(kilnlight / take.file)
    ycbcr = bool(take.codec)
    together = recognise(kilnlight / take.file, None if take.camera == "Stills" else sibling_of(take, ycbcr))
    assert (alone.state, together.state) == EXPECTED[take.file]
    truth = (
        "BT.1886/BT.709"
        if take.fault == "burned in"
        else None
        if take.camera == "Stills"
        else CAMERAS[take.camera].encoding_name
    )
    for found in (alone, together):
        if found.state == "known" and not found.raw:
            assert found.best.encoding == truth
        if found.state == "likely":
            assert found.best.encoding == truth


@pytest.mark.parametrize(
    ("file", "kind", "words"),
    [
        ("A033.mov", "burned", "workshop_v2.cube"),
        ("G007.mp4", "bars", "rows above"),
        ("A041.dpx", "clipped", "918"),
        ("A012.dpx", "clipped", "%"),
        ("S0102.dng", "note", "14 bit"),
    ],
)
def test_remarks(kilnlight, file, kind, words):
    assert any(r.kind == kind and words in r.text for r in recognise(kilnlight / file).remarks)


def test_burned_in_by_levels_and_by_the_camera_it_is_from(kilnlight):
    take = next(t for t in TAKES if t.fault == "burned in")
    found = recognise(kilnlight / take.file, sibling_of(take, True))
    assert found.contradictions
    assert any(r.kind == "burned" for r in found.remarks)


def test_contradictions_are_spelled_out(kilnlight):
    said = recognise(kilnlight / "G005.mp4").contradictions[0]
    assert said.startswith("Tagged primaries BT.709, transfer BT.709")
    assert "probably log" in said


@pytest.mark.slow
def test_eight_bit_log_says_what_a_code_is_worth():
    remark = eight_bit_log("8", encoding("D-Log/D-Gamut"), "legal")
    # D-Log: 0.256663 of code a decade above its toe; 1/219 of it in stops at 0.18, with the offset inside the
    # logarithm.
    step = np.log2(10) / 0.256663 / 219 * (0.18 * 0.9892 + 0.0108) / (0.18 * 0.9892)
    assert f"{step:.2f} stop a code" in remark.text
    assert eight_bit_log("10", encoding("D-Log/D-Gamut"), "legal") is None
    assert eight_bit_log("8", encoding("sRGB/BT.709"), "full") is None


X, Y = np.meshgrid(np.linspace(0, 1, 320), np.linspace(0, 1, 180))
DISPLAY = np.stack([X, Y, X * Y], axis=-1) ** 1.2
NOISE = np.random.default_rng(0).normal(0, 0.004, (180, 320, 3))


def _log(name, low=-7.5, high=4):
    return np.clip(encoding(name).from_linear(0.18 * np.exp2(low + (high - low) * X))[..., None] + NOISE, 0, 1)


@pytest.mark.parametrize(
    ("frame", "options", "state", "best"),
    [
        (DISPLAY, {"tags": ColourTags("BT.709", "BT.709", "BT.709", "legal")}, "likely", "BT.1886/BT.709"),
        (
            DISPLAY,
            {"tags": ColourTags("BT.2020", "PQ", "BT.2020", "legal"), "matrix": "BT.2020"},
            "known",
            "PQ/BT.2020",
        ),
        (
            DISPLAY,
            {"tags": ColourTags("BT.2020", "HLG", "BT.2020", "legal"), "matrix": "BT.2020"},
            "known",
            "HLG/BT.2020",
        ),
        (DISPLAY, {}, "unknown", "BT.1886/BT.709"),
        (
            _log("S-Log3/S-Gamut3.Cine"),
            {"tags": ColourTags("BT.709", "BT.709", "BT.709", "legal")},
            "contradictory",
            "BT.1886/BT.709",
        ),
        (
            _log("S-Log3/S-Gamut3.Cine"),
            {"metadata": {"comment": "S-Log3 S-Gamut3.Cine"}},
            "known",
            "S-Log3/S-Gamut3.Cine",
        ),
        (_log("V-Log/V-Gamut"), {"metadata": {"gamma": "V-Log"}}, "known", "V-Log/V-Gamut"),
        (_log("S-Log3/S-Gamut3"), {"metadata": {"comment": "slog3"}}, "likely", "S-Log3/S-Gamut3.Cine"),
        (
            DISPLAY,
            {"metadata": {"comment": "recorded in S-Log3, S-Gamut3.Cine"}},
            "contradictory",
            "S-Log3/S-Gamut3.Cine",
        ),
        (DISPLAY, {"metadata": {"comment": "V-Log or C-Log2"}}, "contradictory", None),
    ],
)
def test_files_ffmpeg_made(tmp_path, frame, options, state, best):
    write_movie(tmp_path / "clip.mp4", [frame] * 2, "h264-10", **options)
    found = recognise(tmp_path / "clip.mp4")
    assert found.state == state, found
    assert best is None or found.best.encoding == best


@pytest.mark.parametrize(("name", "space"), [("AP0", "linear/AP0"), ("BT.2020", "linear/BT.2020")])
def test_openexr_by_its_chromaticities(tmp_path, name, space):
    write_still(tmp_path / "a.exr", DISPLAY, "half", {"primaries": PRIMARIES[name]})
    found = recognise(tmp_path / "a.exr")
    assert (found.state, found.best.encoding) == ("known", space)


def test_range_mistakes(tmp_path):
    """Full-range codes in a file that says legal, and the other way round."""
    write_movie(
        tmp_path / "a.mkv",
        [DISPLAY] * 2,
        "ffv1-10",
        code_range="full",
        tags=ColourTags("BT.709", "BT.709", "BT.709", "legal"),
    )
    assert any(r.kind == "range" and "probably full" in r.text for r in recognise(tmp_path / "a.mkv").remarks)
    legal = (np.clip(DISPLAY, 0, 1) * 876 + 64) / 1023
    write_movie(
        tmp_path / "b.mkv",
        [legal] * 2,
        "ffv1-10",
        code_range="full",
        tags=ColourTags("BT.709", "BT.709", "BT.709", "full"),
    )
    footage = open_footage(tmp_path / "b.mkv")
    found = recognise_file(footage.facts, signal_facts([footage.frame(0)]), FileClues())
    assert any(r.kind == "range" and "probably legal" in r.text for r in found.remarks)


def test_eight_bits_in_a_ten_bit_file(tmp_path):
    write_still(tmp_path / "a.dpx", np.rint(DISPLAY * 255) * 4 / 1023)
    assert any(r.kind == "8-bit content" for r in recognise(tmp_path / "a.dpx").remarks)


@pytest.mark.slow
@pytest.mark.parametrize(
    ("name", "text", "found"),
    [
        ("clipM01.XML", '<A xmlns="urn:x"><B name="CaptureGammaEquation" value="s-log3"/></A>', "s-log3"),
        ("clip.json", json.dumps({"a": {"gamma": "V-Log"}}), "V-Log"),
        ("clip.xml", '<!DOCTYPE a [<!ENTITY x "S-Log3">]><a>&x;</a>', ""),
        ("clip.xml", "<!DOCTYPE a><a><gamma>S-Log3</gamma></a>", "S-Log3"),
        ("clip.xml", '<!DOCTYPE a SYSTEM "file:///etc/passwd"><a><gamma>V-Log</gamma></a>', "V-Log"),
        ("clip.xml", "<a>" * 100 + "S-Log3" + "</a>" * 100, ""),
        ("clip.xml", "<a><unclosed>", ""),
        ("clip.json", "[" * 5000, ""),
        ("other.json", '{"gamma": "V-Log"}', ""),
    ],
)
def test_sidecars(tmp_path, name, text, found):
    (tmp_path / name).write_text(text)
    assert " ".join(read_sidecars(tmp_path / "clip.mov").values()) == found


def working(kilnlight, take):
    """Working light of a take by the right encoding, the way the application converts it."""
    footage = open_footage(kilnlight / take.file)
    if take.camera == "Stills":
        path = SignalPath(
            camera=CameraFile(raw=RawSettings(profile=footage.profile), depth=16),
            input=Input(encoding="linear/AP1"),
            display=Display(output="sRGB"),
        )
        return path.to_working(footage.frame(0).code)
    reading = Reading("legal", footage.facts.tags.matrix)
    path = SignalPath(
        camera=CameraFile(range="legal" if take.codec else "full", depth=int(footage.facts.depth)),
        input=Input(encoding=CAMERAS[take.camera].encoding_name),
        display=Display(output="sRGB"),
    )
    frames = [path.to_working(footage.frame(i, reading).code) for i in range(min(footage.facts.frames, 3))]
    return np.mean(frames, axis=0)


@pytest.mark.parametrize("take", [t for t in TAKES if t.scene == "Chart"], ids=lambda t: t.camera)
def test_every_camera_lands_on_the_same_light(kilnlight, take):
    """Grey card within 0.02 stop of 18 %; chart median under ΔE 2000 1, for raw and 8 bit under 2, against the
    published chart.
    """
    light = working(kilnlight, take)
    height, width = light.shape[:2]
    x0, y0, x1, y1 = CARD
    inside = light[
        int((y0 + 0.08) * height) : int((y1 - 0.08) * height), int((x0 + 0.02) * width) : int((x1 - 0.02) * width)
    ]
    assert abs(np.log2(inside.reshape(-1, 3).mean(axis=0)[1] / 0.18)) < 0.02
    made = report(read_patches(light, CORNERS), primaries("AP1"))
    assert made.median < (2 if take.camera in ("Stills", "Gimbal") else 1)
    assert abs(made.stops) < 0.02


@pytest.mark.slow
def test_a_chart_that_cannot_be_read():
    with pytest.raises(BadValue, match="too small"):
        read_patches(np.ones((90, 160, 3)), ((0.5, 0.5), (0.51, 0.5), (0.51, 0.51), (0.5, 0.51)))
    with pytest.raises(BadValue, match="outside"):
        read_patches(np.ones((90, 160, 3)), ((0.1, 0.1), (1.6, 0.1), (1.6, 0.9), (0.1, 0.9)))
    with pytest.raises(BadValue, match="no light"):
        report(np.zeros((24, 3)), primaries("AP1"))
