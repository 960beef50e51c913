"""Steps and layers from the command line."""

import json

import numpy as np
import pytest

from tests.core.test_cli import KINDS, SLOG, TV, rendered, run
from tests.core.test_cli import folder as folder
from upwelling.core.media import read_still
from upwelling.core.media.movie_write import write_movie
from upwelling.core.path import Display, Input, Layer, Path
from upwelling.core.path.look_recipe import LookRecipe
from upwelling.core.steps import Contrast, Exposure, Saturation, SlopeOffsetPower


@pytest.mark.parametrize("kind", KINDS)
def test_a_step_from_the_command_line_acts_as_it_comes(folder, kind):
    """With its defaults it is seen; the engine and the exact path agree; a table refuses it unless it is left out."""
    lower = {"threshold": -3} if kind in ("glow", "halation", "streaks") else {}
    step = ["--step", json.dumps({"kind": kind} | lower)]
    plain, made, exact = (
        rendered(folder, f"{n}.tif", *options) for n, options in enumerate(([], step, [*step, "--exact"]))
    )
    assert np.abs(made - plain).max() > 1e-4
    assert np.abs(made - exact).max() < 0.02
    assert run("bake", "no.cube", *SLOG, *TV, "--size", "5", *step) == 2
    assert not (folder / "no.cube").exists()
    assert run("bake", "yes.cube", *SLOG, *TV, "--size", "5", *step, "--leave-out") == 0
    assert run("bake", "bare.cube", *SLOG, *TV, "--size", "5") == 0
    rows = [
        [line for line in (folder / name).read_text().splitlines() if line[:1].isdigit()]
        for name in ("yes.cube", "bare.cube")
    ]
    assert rows[0] == rows[1]
    assert "# Leaves out: " in (folder / "yes.cube").read_text()


@pytest.mark.slow
def test_steps_stand_after_the_recipe_and_at_a_frame(folder, capsys):
    shape = {"kind": "exposure", "stops": 2, "limit": {"selections": [{"kind": "linear", "y": 0}]}}
    above = rendered(folder, "a.tif", "--step", json.dumps(shape))
    plain = rendered(folder, "b.tif")
    assert (above[0] > plain[0]).all()
    np.testing.assert_allclose(above[-1], plain[-1], atol=1e-5)
    keyed = {"kind": "exposure", "tracks": [{"parameter": "stops", "keys": [[0, 0], [10, 2]]}]}
    one = rendered(folder, "c.tif", "--step", json.dumps({"kind": "exposure", "stops": 2}))
    np.testing.assert_allclose(rendered(folder, "d.tif", "--step", json.dumps(keyed), "--frame", "10"), one, atol=1e-6)
    grains = [rendered(folder, f"g{n}.tif", "--step", '{"kind": "grain"}', "--frame", str(n)) for n in (0, 1)]
    assert np.abs(grains[0] - grains[1]).max() > 1e-4
    assert run("bake", "m.cube", *SLOG, *TV, "--size", "5", "--step", json.dumps(keyed)) == 2
    assert "the same on every frame" in capsys.readouterr().err
    for options in (["--frame", "10"], ["--leave-out"]):
        assert run("bake", "m.cube", *SLOG, *TV, "--size", "5", "--step", json.dumps(keyed), *options) == 0
    assert run("bake", "s.cube", *SLOG, *TV, "--size", "5", "--step", json.dumps(shape), "--leave-out", "shapes") == 0
    assert "the shape of Exposure" in (folder / "s.cube").read_text()


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("{", "--step"),
        ("[]", "wants a JSON object"),
        ('{"kind": "polish"}', "one of highlights, exposure"),
        ('{"kind": "glow", "size": 9}', "Size"),
        ('{"kind": "exposure", "limit": {"selections": [{"kind": "cube"}]}}', "exposure"),
        ('{"kind": "exposure", "stops": NaN}', "--step"),
    ],
)
def test_bad_steps_are_refused_in_words(folder, capsys, text, words):
    assert run("render", "src.dpx", "x.tif", *SLOG, *TV, "--step", text) == 2
    assert words in capsys.readouterr().err
    assert not (folder / "x.tif").exists()


def test_frames_around_are_averaged_from_the_command_line(folder):
    noise = np.random.default_rng(2)
    frames = [np.clip(0.4 + noise.normal(0, 0.02, (48, 64, 3)), 0, 1) for _ in range(5)]
    write_movie(folder / "m.mkv", frames, "ffv1-10", options={"g": "1"})
    calm = json.dumps({"kind": "calm_noise", "brightness": 0, "colour": 0, "frames": 2, "level": 1})
    codes = {}
    for name, options in (("plain", []), ("calm", ["--step", calm]), ("exact", ["--step", calm, "--exact"])):
        options = [*SLOG, *TV, "--depth", "float", "--frame", "2", *options]
        assert run("render", "m.mkv", f"{name}.tif", *options) == 0
        codes[name] = read_still(folder / f"{name}.tif").code
    assert codes["calm"].std() < 0.6 * codes["plain"].std()
    np.testing.assert_allclose(codes["calm"], codes["exact"], atol=1e-4)


@pytest.mark.slow
def test_layers_from_files_act_as_in_a_recipe(folder, capsys):
    """Each at its strength, in the order of the path; what cannot be there is refused with its file's name."""
    files = {
        "camera_trim": Exposure(id="e", stops=0.4),
        "group_trim": Contrast(id="c", contrast=1.2),
        "look": Saturation(id="s", amount=0.7),
        "group_look": Exposure(id="e", stops=-0.2),
        "finish": SlopeOffsetPower(id="o", offset=(0.02, 0.02, 0.02)),
    }
    for name, step in files.items():
        (folder / f"{name}.json").write_text(LookRecipe(name=name, steps=(step,)).to_text())
    flags = ("--camera-layer", "--group-layer", "--look", "--group-look", "--finish")
    asked = [part for flag, name in zip(flags, files, strict=True) for part in (flag, f"{name}.json@60")]
    layers = {kind: Layer(steps=(step,), strength=0.6) for kind, step in files.items()}
    path = Path(input=Input(encoding=SLOG[1]), display=Display(output=TV[1]), **layers)
    (folder / "whole.json").write_text(path.to_recipe())
    assert run("render", "src.dpx", "w.tif", "--recipe", "whole.json", "--depth", "float") == 0
    np.testing.assert_allclose(rendered(folder, "f.tif", *asked), read_still(folder / "w.tif").code, atol=1e-9)
    for wrong, words in (
        (("--finish", "camera_trim.json"), "works on scene light only"),
        (("--look", "none.json"), "none.json cannot be read"),
        (("--look", "look.json@160"), "160 % is no strength"),
        (("--look", "src.dpx"), "not UTF-8 text"),
    ):
        assert run("render", "src.dpx", "x.tif", *SLOG, *TV, *wrong) == 2
        assert words in capsys.readouterr().err
