"""Tables tried on pictures from the command line."""

import json

import numpy as np
import pytest

from tests.core.test_cli import RNG, SLOG, TV, run
from tests.core.test_cli import folder as folder
from tests.core.witness import ffmpeg_write

pytestmark = pytest.mark.slow


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
