"""Movies of uneven rate, made by ffmpeg: held in their times, their sound in step; or counted, and said."""

import json
import subprocess
from fractions import Fraction

import numpy as np
import pytest

from upwelling.cli.main import main
from upwelling.core.media import Movie
from upwelling.core.media.even import EvenMovie, even_rate, is_uneven
from upwelling.core.media.heard import heard

THINNED = r"select='if(gte(n\,60)\,not(mod(n\,2))\,1)'"
DELIVER = ("--from", "sRGB/BT.709", "--to", "sRGB", "--workers", "1")


def ffmpeg(*arguments):
    subprocess.run(["ffmpeg", "-v", "error", "-y", *map(str, arguments)], check=True)


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    """Four seconds at 30 a second with a click and a flash each second; the same with half its frames left out after
    two seconds, as a phone in the dark does; and an even one.
    """
    place = tmp_path_factory.mktemp("uneven")
    flash = "color=gray:size=64x36:rate=30:duration=4,geq=lum='if(lt(mod(N,30),1),235,60+mod(N,30))':cb=128:cr=128"
    click = "aevalsrc='if(lt(mod(t,1),0.03),0.8*sin(2*PI*1000*t),0)':s=48000:d=4"
    both = ("-f", "lavfi", "-i", flash, "-f", "lavfi", "-i", click, "-c:v", "ffv1", "-pix_fmt", "yuv422p10le")
    ffmpeg(*both, "-c:a", "pcm_s16le", place / "even.mkv")
    thin = ("-vf", THINNED, "-fps_mode", "vfr", "-c:v", "ffv1", "-c:a", "copy")
    ffmpeg("-i", place / "even.mkv", *thin, place / "thin.mkv")
    return place


def test_an_even_movie_is_found_in_an_uneven_one(folder):
    whole, thin = Movie(folder / "even.mkv"), Movie(folder / "thin.mkv")
    assert (is_uneven(whole), is_uneven(thin), thin.facts.frames) == (False, True, 90)
    assert even_rate(thin) == 30
    held = EvenMovie(thin.path, Fraction(30))
    assert (held.facts.frames, held.facts.rate) == (120, 30.0)
    assert held.shown.tolist() == [*range(60), *np.repeat(np.arange(60, 90), 2)]
    assert held.range_of(59, 61) == (59, 63)
    for number in (0, 61, 62, 119):
        np.testing.assert_array_equal(held.frame(number).code, thin.frame(int(held.shown[number])).code)
    many = [still.code for still in held.several([58, 60, 61, 62, 63])]
    np.testing.assert_array_equal(many[1], many[2])
    assert np.abs(many[2] - many[3]).max() > 0.001
    assert any("held in their times, at 30 a second." in note for note in held.facts.notes)
    few = EvenMovie(thin.path, Fraction(15))
    assert any("no room for 30 of them" in note for note in few.facts.notes)


def brightest(movie):
    """Seconds at which it flashes."""
    light = np.array([float(np.mean(movie.frame(n).code)) for n in range(movie.facts.frames)])
    return movie.times[light > 0.9 * light.max()]


def test_sound_stays_with_its_picture(folder, capsys):
    """Each flash is shown when it is heard; the proof holds, and says so of times."""
    assert main(["deliver", str(folder / "thin.mkv"), str(folder / "held.mov"), *DELIVER]) == 0
    made = Movie(folder / "held.mov")
    assert made.facts.frames == 120
    np.testing.assert_allclose(brightest(made), [0, 1, 2, 2 + 1 / 30, 3, 3 + 1 / 30], atol=0.001)
    sound = heard(folder / "held.mov", 0)
    assert abs(sound.seconds - 4) < 0.02
    checks = json.loads((folder / "held.mov.proof.json").read_text())["checks"]
    found = {row["what"]: row for row in checks}
    assert all(row["holds"] for row in checks)
    assert found["frame times"]["found"] == "as the rate has them"
    assert "4.00 s, in step with the picture" in found["sound"]["found"]
    assert "held in their times" in capsys.readouterr().err


def test_frames_that_are_counted_have_no_sound_and_say_how_far_they_are_off(folder, capsys):
    """The issue's own case: the last of 90 frames at 22.5 a second stands 3.956 s after the first, not 3.933."""
    assert main(["deliver", str(folder / "thin.mkv"), str(folder / "counted.mov"), *DELIVER, "--uneven", "count"]) == 0
    said = capsys.readouterr().err
    assert "Sound is left out: frames of uneven rate" in said
    assert "ms from the times they were taken at" in said
    assert Movie(folder / "counted.mov").facts.frames == 90
