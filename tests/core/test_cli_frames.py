"""Tables tried on pictures from the command line."""

import json
from fractions import Fraction
from pathlib import Path as FilePath

import numpy as np
import pytest

from tests.core.test_cli import RNG, SLOG, TV, run
from tests.core.test_cli import folder as folder
from tests.core.witness import ffmpeg_write
from upwelling.core.media import read_still
from upwelling.core.media.movie_write import write_movie


def test_what_a_command_takes_unasked_is_said(folder, capsys):
    """The first frame of a movie, and scene light where an encoding has nearly the name of an output."""
    frames = np.random.default_rng(4).uniform(0.2, 0.6, (3, 36, 64, 3))
    write_movie(folder / "m.mov", frames, "prores-422", rate=Fraction(24))
    for asked, said in (((), True), (("--frame", "2"), False)):
        assert run("convert", "m.mov", "m.tif", *SLOG, "--to", "sRGB/BT.709", *asked) == 0
        assert ("frame 0 of 3 is taken; --frame takes another" in capsys.readouterr().err) is said
    for name, said in (("BT.1886/BT.709", True), (TV[1], False)):
        assert run("deliver", "m.mov", f"{said}.tif", *SLOG, "--to", name, "--no-proof") == 0
        assert ("scene light is written as BT.1886/BT.709, nothing rendered" in capsys.readouterr().err) is said


def test_a_movies_matrix_and_chroma_are_said_on_the_command_line(folder, capsys):
    """Coded by BT.709 at a size that is guessed to be BT.601: as said, its colours are those that were coded."""
    picture = np.full((576, 720, 3), (0.6, 0.3, 0.4))
    write_movie(folder / "sd.mov", [picture], "prores-422", rate=Fraction(25), matrix="BT.709")
    off = {}
    for name, asked in (("guess", ()), ("said", ("--matrix", "BT.709", "--chroma", "left"))):
        assert run("convert", "sd.mov", f"{name}.tif", "--from", "sRGB/BT.709", "--to", "sRGB/BT.709", *asked) == 0
        off[name] = np.abs(read_still(folder / f"{name}.tif").code - picture).max()
    assert off["said"] < 0.01 < off["guess"]
    sent = ("deliver", "sd.mov", "out.mov", "--from", "sRGB/BT.709", "--to", "sRGB", "--matrix", "BT.709")
    assert run(*sent, "--chroma", "centre") == 0
    order = json.loads((folder / "out.mov.proof.json").read_text())["order"]
    assert (order["pieces"][0]["matrix"], order["pieces"][0]["siting"]) == ("BT.709", "centre")
    with pytest.raises(SystemExit, match="2"):
        run(*sent[:-1], "BT.470")


def test_depth_in_a_proof_is_what_was_encoded(folder, capsys):
    """ffmpeg decodes every ProRes 4444 at 12 bits; its encoder took 10 of them (its own list of pixel formats)."""
    write_movie(folder / "m.mov", np.full((2, 36, 64, 3), 0.4), "prores-422", rate=Fraction(24))
    assert run("deliver", "m.mov", "x.mov", *SLOG, *TV, "--preset", "ProRes 4444") == 0
    assert "10 given, no depth in the stream, 12 decoded" in FilePath("x.mov.proof.json").read_text()


@pytest.mark.slow
def test_tables_are_tried_on_the_pictures_given(folder, capsys):
    """Pictures join the certificate, the tested pixels lie beside it, and a table is found by its certificate whatever
    that is called.
    """
    ffmpeg_write(folder / "hard.dpx", np.rint(RNG.uniform(0.35, 0.95, (240, 200, 3)) * 1023), "dpx", "gbrp10be")
    assert run("bake", "t.cube", *SLOG, *TV, "--size", 17, "--frames", "src.dpx", "hard.dpx", "--report", "r.json") == 0
    before = json.loads((folder / "r.json").read_text())
    assert [frame["name"] for frame in before["frames"]] == ["src.dpx", "hard.dpx"]
    assert before["frames"][0]["count"] == 24 * 32
    assert (folder / "t.cube.frames.png").exists()
    assert before["verdict"] == "does not hold"
    capsys.readouterr()
    assert run("verify", "t.cube", "--json") == 1
    again = json.loads(capsys.readouterr().out)
    assert again["sets"] == before["sets"]
    assert run("verify", "t.cube", "--frames", "src.dpx", "--json") == 1
    assert len(json.loads(capsys.readouterr().out)["frames"]) == 3
    assert run("verify", "t.cube", *SLOG, *TV, "--size", 17, "--frames", "src.dpx", "--json") == 0
    assert [f["name"] for f in json.loads(capsys.readouterr().out)["frames"]] == ["src.dpx"]
    for more in ((), (*SLOG, *TV)):
        assert run("verify", "t.cube", *more, "--frames", "gone.dpx") == 2
        assert "gone.dpx: cannot be read" in capsys.readouterr().err
    (folder / "copy.json").write_text((folder / "r.json").read_text())
    assert run("verify", "t.cube") == 2
    assert "are all certificates of t.cube" in capsys.readouterr().err
