"""Files that come back: a delivery put through ffmpeg as editors and laboratories do, and told for what it is."""

import json
import subprocess

import numpy as np
import pytest

from tests.core.test_delivery import scene
from upwelling.cli.main import main
from upwelling.core.delivery.came_back import Given, came_back
from upwelling.core.delivery.changes import change_of
from upwelling.core.delivery.order import Order
from upwelling.core.encodings import encoding
from upwelling.core.errors import BadValue, UnreadableFile
from upwelling.core.media.movie_write import write_movie

FRAMES = 40


def moving(number):
    """A scene through which something goes, so that every frame differs."""
    light = scene(number, 180, 320).copy()
    at = 20 + 6 * number
    light[60:110, at : at + 40] = [0.9, 0.4, 0.15]
    return light


@pytest.fixture(scope="module")
def delivered(tmp_path_factory):
    """Two deliveries with their proofs: the same second in two shots, one over the other."""
    folder = tmp_path_factory.mktemp("out")
    log = encoding("S-Log3/S-Gamut3.Cine")
    for name, gain, begins in (("A", 1.0, "10:00:00:00"), ("B", 0.3, "11:00:00:00")):
        source = folder / f"{name}.mov"
        turned = (lambda n: moving(n)) if name == "A" else (lambda n: moving(FRAMES - n)[::-1] * 0.3)
        write_movie(source, (log.from_linear(turned(n) * gain) for n in range(FRAMES)), "prores-422")
        arguments = ["deliver", str(source), str(folder / f"{name}_out.mov"), "--from", log.name]
        assert main([*arguments, "--to", "BT.709 BT.1886", "--timecode", begins, "--no-sound"]) == 0
    return folder


def given(folder):
    made = []
    for name in ("B", "A"):
        proof = json.loads((folder / f"{name}_out.mov.proof.json").read_text())
        place = folder / f"{name}_out.mov"
        made.append(Given(place.name, Order.from_json(json.dumps(proof["order"])), place, proof["sha256"]))
    return made


def through_ffmpeg(folder, tmp_path, arguments, name="back.mov"):
    place = tmp_path / name
    before = arguments[: arguments.index("|")] if "|" in arguments else []
    after = arguments[arguments.index("|") + 1 :] if "|" in arguments else arguments
    command = ["ffmpeg", "-v", "error", "-y", *before, "-i", str(folder / "A_out.mov"), *after, str(place)]
    subprocess.run(command, check=True, capture_output=True)
    return place


PRORES = ["-c:v", "prores_ks", "-profile:v", "3", "-pix_fmt", "yuv422p10le"]
TAGGED = ["-color_primaries", "bt709", "-color_trc", "bt709", "-colorspace", "bt709"]
X264 = ["-c:v", "libx264", "-crf", "14", "-pix_fmt", "yuv420p", *TAGGED]


@pytest.mark.slow
@pytest.mark.parametrize(
    ("arguments", "first", "words", "not_said"),
    [
        (["-c", "copy"], 0, ["packet for packet"], ["encoded again", "gamma", "range"]),
        (PRORES, 0, ["encoded again, as prores"], ["gamma", "Its range", "scaled"]),
        (X264, 0, ["encoded again, from prores 10 bit to h264 8 bit"], ["gamma", "Its range", "multiplied"]),
        (
            [*X264, "-vf", "scale=in_range=tv:out_range=pc", "-color_range", "pc"],
            0,
            ["tag for range says full"],
            ["gamma"],
        ),
        (
            [*X264, "-vf", "format=yuv420p,lutyuv=y=(val-16)*255/219:u=(val-128)*255/224+128:v=(val-128)*255/224+128"],
            0,
            ["legal codes were stretched"],
            ["gamma"],
        ),
        (
            [*X264, "-vf", "format=yuv420p,lutyuv=y=val*219/255+16:u=(val-128)*224/255+128:v=(val-128)*224/255+128"],
            0,
            ["squeezed into 64 to 940"],
            ["gamma"],
        ),
        (
            [
                *X264,
                "-vf",
                "format=gbrp,lutrgb=r=pow(val/255\\,1.0909)*255:g=pow(val/255\\,1.0909)*255:b=pow(val/255\\,1.0909)*255",
            ],
            0,
            ["gamma was shifted"],
            ["Its range"],
        ),
        ([*X264, "-vf", "scale=160:90"], 0, ["It was scaled: 160 × 90 where 320 × 180"], ["gamma", "Its range"]),
        (
            [*PRORES, "-vf", "trim=start_frame=7,setpts=PTS-STARTPTS", "-timecode", "10:00:00:07"],
            7,
            ["without 7 at the head"],
            ["shifted"],
        ),
        (
            [*PRORES, "-vf", "trim=start_frame=7,setpts=PTS-STARTPTS", "-timecode", "10:00:00:05"],
            7,
            ["shifted by +2 frames"],
            [],
        ),
        (
            [
                *PRORES,
                "-vf",
                "trim=start_frame=4:end_frame=30,setpts=PTS-STARTPTS",
                "-map_metadata",
                "-1",
                "-write_tmcd",
                "0",
            ],
            4,
            ["timecode is lost", "4 at the head and 10 at the tail"],
            [],
        ),
        (["-r", "25", "|", *PRORES], 0, ["runs at 25 frames a second where 24"], []),
        ([*PRORES, "-vf", "select='not(eq(n\\,15))',setpts=N/24/TB"], 0, ["From its frame 15 on, 1 dropped"], []),
    ],
)
def test_what_was_done_is_told(delivered, tmp_path, arguments, first, words, not_said):
    found = came_back(through_ffmpeg(delivered, tmp_path, arguments), given(delivered))
    said = " ".join([found.sentence, *found.done])
    assert (found.of, found.first) == ("A_out.mov", first), said
    for word in words:
        assert word in said
    for word in not_said:
        assert word not in " ".join(found.done)
    assert found.apart < 8
    assert found.as_json()["sentence"] == found.sentence


def test_tags_that_are_lost_and_files_that_are_none(delivered, tmp_path):
    bare = "setparams=color_primaries=unknown:color_trc=unknown:colorspace=unknown,format=yuv420p"
    place = through_ffmpeg(delivered, tmp_path, ["-vf", bare, "-c:v", "libx264", "-crf", "14"], "untagged.mp4")
    found = came_back(place, given(delivered))
    assert any("tag for transfer" in text for text in found.done)
    same = came_back(delivered / "A_out.mov", given(delivered))
    assert same.untouched
    assert "byte for byte" in same.sentence
    other = tmp_path / "other.mov"
    noise = np.random.default_rng(1)
    write_movie(other, (noise.uniform(0, 1, (90, 160, 3)) for _ in range(10)), "prores-422")
    with pytest.raises(BadValue, match="like none of these"):
        came_back(other, given(delivered))
    (tmp_path / "x.mov").write_bytes(b"no movie")
    with pytest.raises(UnreadableFile):
        came_back(tmp_path / "x.mov", given(delivered))


def test_without_the_delivered_file_its_order_tells(delivered, tmp_path, capsys):
    """From the sources that the proof names; and by the command line, of all proofs in a folder."""
    back = through_ffmpeg(delivered, tmp_path, PRORES)
    listed = [Given(one.name, one.order, None) for one in given(delivered)]
    found = came_back(back, listed)
    assert (found.of, found.changes) == ("A_out.mov", ())
    assert main(["verify-delivery", str(back), "--of", str(delivered)]) == 1
    assert "It stems from A_out.mov, frames 0 to 39" in capsys.readouterr().out
    assert main(["verify-delivery", str(delivered / "B_out.mov"), "--of", str(delivered)]) == 0
    assert main(["verify-delivery", str(back), "--of", str(tmp_path)]) == 2
    assert "no proof of a delivery" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("act", "name"),
    [
        (lambda x: x, ""),
        (lambda x: x**1.05, "gamma"),
        (lambda x: x * 0.9, "gain"),
        (lambda x: x + 0.02, "offset"),
        (lambda x: (x * 876 + 64) / 1023, "legal codes were squeezed twice"),
        (lambda x: x[..., ::-1], "red and blue are swapped"),
        (lambda x: x[::-1], "colours"),
    ],
)
def test_changes_by_themselves(act, name):
    picture = np.clip(np.random.default_rng(2).uniform(0.05, 0.9, (9, 16, 3)).repeat(10, 0).repeat(10, 1), 0, 1)
    found, apart = change_of([(np.clip(act(picture), 0, 1), picture)])
    assert [one.name for one in found][:1] == ([name] if name else [])
    assert name == "colours" or apart < 3
