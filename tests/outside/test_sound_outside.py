"""Sound of delivered files: encoded where it cannot be copied, by ffmpeg's own account; and planted faults that a proof
names.
"""

import json
import shutil
import subprocess

import pytest

from tests.core.test_delivery import order
from upwelling.core.delivery.make import remarks_on
from upwelling.core.delivery.proof import prove, verify_again, write_proof
from upwelling.core.delivery.run import deliver

SECONDS = 3


def ffmpeg(*arguments):
    subprocess.run(["ffmpeg", "-v", "error", "-y", *map(str, arguments)], check=True)


@pytest.fixture(scope="module")
def source(tmp_path_factory):
    """Three seconds of a moving picture with PCM, a sweep on two channels, written by ffmpeg."""
    place = tmp_path_factory.mktemp("sound") / "talk.mov"
    sweep = "aevalsrc='0.4*sin(2*PI*(200+150*t)*t)*(0.4+0.6*abs(sin(5*t)))|0.3*sin(2*PI*330*t)':s=48000:d=3"
    ffmpeg("-f", "lavfi", "-i", "gradients=size=192x108:rate=24:duration=3:speed=0.02", "-f", "lavfi", "-i", sweep,
           "-c:v", "prores_ks", "-pix_fmt", "yuv422p10le", "-c:a", "pcm_s24le", place)  # fmt: skip
    return place


def made(source, folder, preset, ending, first=0, last=None, **more):
    wanted = order(source, preset, first, last, **more)
    outcome = deliver(wanted, folder / f"out{ending}")
    proof = prove(wanted, outcome)
    write_proof(proof, outcome.target)
    said = subprocess.check_output(
        ["ffprobe", "-v", "error", "-show_streams", "-of", "json", str(outcome.target)], text=True
    )
    sounds = [one for one in json.loads(said)["streams"] if one["codec_type"] == "audio"]
    return wanted, proof, sounds


@pytest.mark.parametrize(
    ("preset", "ending", "first", "last", "codec", "length"),
    [
        ("H.264", ".mp4", 0, None, "aac", 3.0),
        ("H.264", ".mp4", 24, 59, "aac", 1.5),
        ("ProRes 422 HQ", ".mov", 0, None, "pcm_s24le", 3.0),
        ("ProRes 422 HQ", ".mov", 24, 59, "pcm_s24le", 1.5),
    ],
)
def test_sound_goes_along_and_is_said(source, tmp_path, preset, ending, first, last, codec, length):
    wanted, proof, (sound,) = made(source, tmp_path, preset, ending, first, last)
    assert (sound["codec_name"], sound["channels"]) == (codec, 2)
    assert float(sound["duration"]) == pytest.approx(length, abs=0.05)
    assert any("Sound is" in text and ("encoded as aac" in text) == (codec == "aac") for text in remarks_on(wanted))
    (row,) = [check for check in proof.checks if check.what == "sound"]
    assert row.found == f"{codec}, 2 channels, {length:.2f} s, in step with the picture"
    assert proof.holds, proof.sentence


def test_the_bit_rate_is_chosen_and_sound_can_be_left_out(source, tmp_path):
    plain = order(source, "H.264")
    louder = plain.model_copy(update={"sound_kbps": 160})
    assert plain.fingerprint == plain.model_copy(update={"sound_kbps": 0}).fingerprint != louder.fingerprint
    assert any("160 kbit/s a channel" in text for text in remarks_on(louder))
    _, proof, sounds = made(source, tmp_path, "H.264", ".mp4", sound=False)
    assert not sounds
    assert proof.holds


FAULTS = {
    "late": (
        ("-itsoffset", "0.1", "-i", "{out}", "-i", "{out}", "-map", "1:v", "-map", "0:a", "-c", "copy"),
        "100 ms late",
    ),
    "silent": (("-i", "{out}", "-af", "volume=0", "-c:v", "copy", "-c:a", "pcm_s24le"), "silent"),
    "absent": (("-i", "{out}", "-an", "-c:v", "copy"), "none"),
    "one channel": (("-i", "{out}", "-ac", "1", "-c:v", "copy", "-c:a", "pcm_s24le"), "1 channel,"),
    "short": (("-i", "{out}", "-af", "atrim=0:2", "-c:v", "copy", "-c:a", "pcm_s24le"), "2.00 s"),
}


@pytest.mark.parametrize("fault", FAULTS)
def test_planted_faults_of_sound_are_found(source, tmp_path, fault):
    made(source, tmp_path, "ProRes 422 HQ", ".mov")
    arguments, words = FAULTS[fault]
    (tmp_path / "bad").mkdir()
    ffmpeg(*(one.format(out=tmp_path / "out.mov") for one in arguments), tmp_path / "bad" / "out.mov")
    shutil.copy(tmp_path / "out.mov.proof.json", tmp_path / "bad" / "out.mov.proof.json")
    proof = verify_again(tmp_path / "bad" / "out.mov")
    (row,) = [check for check in proof.checks if check.what == "sound"]
    assert not row.holds
    assert words in row.found
