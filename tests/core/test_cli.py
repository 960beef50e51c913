"""The command line: every command of the fixed interface, its exits and its one-line errors."""

import json
import subprocess
import sys

import colour
import cv2
import numpy as np
import pytest

from tests.core.witness import ffmpeg_write
from upwelling.cli.main import main
from upwelling.core.media import read_still, write_still
from upwelling.core.path import ARITHMETIC, Display, Input, Layer, Path
from upwelling.core.simulate.camera import A_CAM, B_CAM
from upwelling.core.simulate.shipped import shipped
from upwelling.core.steps import Exposure, Vignette

RNG = np.random.default_rng(41)
CODE = np.rint(RNG.uniform(0.1, 0.6, (24, 32, 3)) * 1023) / 1023
SLOG = ["--from", "s-log3/s-gamut3.cine"]
TV = ["--to", "bt.709 bt.1886"]


@pytest.fixture
def folder(tmp_path, monkeypatch):
    """A folder with an S-Log3 still that ffmpeg wrote."""
    monkeypatch.chdir(tmp_path)
    ffmpeg_write(tmp_path / "src.dpx", np.rint(CODE * 1023), "dpx", "gbrp10be")
    return tmp_path


def run(*arguments):
    return main([str(a) for a in arguments])


def test_encodings(capsys):
    assert run("encodings") == 0
    assert "S-Log3/S-Gamut3.Cine" in capsys.readouterr().out
    assert run("encodings", "--json") == 0
    listed = json.loads(capsys.readouterr().out)
    rows = {row["name"]: row for row in listed["encodings"]}
    assert rows["S-Log3/S-Gamut3.Cine"]["codes_10bit"][1] == 420
    assert next(o["name"] for o in listed["outputs"]) == "BT.709 BT.1886"


@pytest.mark.parametrize("suffix", [".exr", ".tif"])
def test_convert_is_colourimetric(folder, suffix):
    """Against colour-science, from a file that ffmpeg wrote; floats keep what is below 0 and above 1."""
    assert run("convert", "src.dpx", f"out{suffix}", *SLOG, "--to", "linear/ap1") == 0
    still = read_still(f"out{suffix}")
    assert still.depth == "float"
    source, target = colour.RGB_COLOURSPACES["S-Gamut3.Cine"], colour.RGB_COLOURSPACES["ACEScg"]
    theirs = colour.RGB_to_RGB(
        colour.models.log_decoding_SLog3(CODE), source, target, chromatic_adaptation_transform="CAT02"
    )
    np.testing.assert_allclose(still.code, theirs, atol=3e-5, rtol=1e-4)
    assert still.code.min() < 0
    if suffix == ".exr":
        assert still.metadata["chromaticities"].startswith("0.713 0.293")


def test_convert_there_and_back(folder):
    assert run("convert", "src.dpx", "lin.exr", *SLOG, "--to", "linear/AP0", "--adaptation", "Bradford") == 0
    assert (
        run("convert", "lin.exr", "back.dpx", "--from", "linear/AP0", "--to", SLOG[1], "--adaptation", "Bradford") == 0
    )
    np.testing.assert_array_equal(np.rint(read_still("back.dpx").code * 1023), np.rint(CODE * 1023))


def test_legal_range(folder):
    """S-Log3 in legal range at 10 bit: mid grey lies at 64 + 876·420/1023 (BT.2100-2, table 9)."""
    write_still("legal.dpx", np.full((4, 4, 3), round(64 + 876 * 420 / 1023) / 1023), "10")
    assert run("render", "legal.dpx", "l.dpx", *SLOG, *TV, "--range", "legal") == 0
    mid = 10 ** (-1 / 2.4)
    np.testing.assert_allclose(read_still("l.dpx").code * 1023, 64 + 876 * mid, atol=1.0)


@pytest.mark.parametrize(
    ("depth", "name"), [("8", "r.png"), ("16", "r.png"), ("10", "r.dpx"), ("half", "r.exr"), ("float", "r.tif")]
)
def test_render(folder, depth, name):
    assert run("render", "src.dpx", name, *SLOG, *TV, "--exposure", 0.5, "--depth", depth) == 0
    path = Path(input=Input(encoding=SLOG[1]), trim=Layer(steps=(Exposure(stops=0.5),)), display=Display(output=TV[1]))
    still = read_still(name)
    assert still.depth == depth
    np.testing.assert_allclose(
        still.code, path.apply(CODE), atol={"8": 2.1e-3, "10": 6e-4, "half": 6e-4}.get(depth, 5e-5)
    )


@pytest.mark.parametrize(
    ("name", "encode"),
    [("S-Log3/S-Gamut3.Cine", colour.models.log_encoding_SLog3), ("V-Log/V-Gamut", colour.models.log_encoding_VLog)],
)
def test_grey_scale_made_elsewhere_lands_where_it_should(folder, name, encode):
    """Greys encoded by colour-science, written by ffmpeg, rendered and baked by us: mid grey at 10 cd/m², neutral,
    rising.
    """
    stops = np.arange(-6, 7)
    code = np.repeat(encode(0.18 * np.exp2(stops))[None, :, None], 3, axis=2).repeat(16, axis=0)
    ffmpeg_write(folder / "greys.png", np.rint(code * 65535), "png", "rgb48be")
    assert run("render", "greys.png", "out.tif", "--from", name, *TV, "--depth", "float") == 0
    assert run("bake", "t.cube", "--from", name, *TV, "--size", 65) == 0
    assert run("apply", "t.cube", "greys.png", "lut.tif", "--depth", "float") == 0
    shown = read_still("out.tif").code[0].astype(np.float64)
    np.testing.assert_allclose(shown[6] ** 2.4 * 100, 10.0, rtol=1e-3)
    assert np.ptp(shown, axis=1).max() < 2e-5
    assert (np.diff(shown[:, 1]) > 0).all()
    np.testing.assert_allclose(read_still("lut.tif").code[0], shown, atol=1.5e-3)


def test_recipe_and_exposure_lie_over_each_other(folder):
    recipe = Path(
        input=Input(encoding="V-Log/V-Gamut"), trim=Layer(steps=(Exposure(stops=1),)), display=Display(output="sRGB")
    )
    (folder / "r.json").write_text(recipe.to_recipe())
    assert run("render", "src.dpx", "a.png", "--recipe", "r.json", "--exposure", 0.25, "--exact") == 0
    expected = recipe.with_layers(trim=Layer(steps=(Exposure(stops=0.25), Exposure(stops=1))))
    np.testing.assert_allclose(read_still("a.png").code, expected.apply(CODE), atol=1e-5)
    assert run("render", "src.dpx", "b.png", "--recipe", "r.json", *TV, "--exact") == 0
    np.testing.assert_allclose(
        read_still("b.png").code, recipe.model_copy(update={"display": Display(output=TV[1])}).apply(CODE), atol=1e-5
    )


@pytest.mark.slow
def test_bake_verify_inspect_apply(folder, capsys):
    assert run("bake", "t.cube", *SLOG, *TV, "--size", 33, "--report", "t.json") == 0
    report = json.loads((folder / "t.json").read_text())
    assert report["verdict"] == "holds, not tried on pictures"
    assert report["order"]["size"] == 33
    assert run("verify", "t.cube", *SLOG, *TV) == 0
    assert "t.cube: holds" in capsys.readouterr().out
    assert run("verify", "t.cube", "--from", "V-Log/V-Gamut", *TV, "--json") == 1
    assert json.loads(capsys.readouterr().out)["verdict"] == "does not hold"
    (folder / "recipe.json").write_text(Path.checked(report["order"]["path"]).to_recipe())
    assert run("verify", "t.cube", "--recipe", "recipe.json") == 0
    capsys.readouterr()
    assert run("inspect", "t.cube", "--json") == 0
    facts = json.loads(capsys.readouterr().out)
    assert (facts["size"], facts["dimensions"], facts["neutral_falls"]) == (33, 3, [0, 0, 0])
    assert run("inspect", "t.cube") == 0
    for interpolation in ("tetrahedral", "trilinear"):
        assert run("apply", "t.cube", "src.dpx", "a.tif", "--interpolation", interpolation, "--depth", "float") == 0
        exact = Path(input=Input(encoding=SLOG[1]), display=Display(output=TV[1])).apply(CODE)
        assert np.percentile(np.abs(read_still("a.tif").code - exact), 95) < 0.02
    assert run("apply", "t.cube", "src.dpx", "a.dpx") == 0
    run(
        "bake",
        "f.cube",
        *SLOG,
        *TV,
        "--size",
        17,
        "--receiver",
        "Monitor box",
        "--fit-entries",
        "--report",
        "f.cube.certificate.json",
    )
    assert json.loads((folder / "f.cube.certificate.json").read_text())["order"]["entries"] == "fitted"
    capsys.readouterr()
    assert run("verify", "f.cube") in (0, 1)
    assert "not what the path says" not in capsys.readouterr().out


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("convert", "src.dpx", "x.exr", "--from", "S-Log3", "--to", "linear/AP1"), "no encoding named “S-Log3”"),
        (("convert", "none.dpx", "x.exr", *SLOG, "--to", "linear/AP1"), "none.dpx: cannot be read"),
        (("convert", "src.dpx", "x.gif", *SLOG, "--to", "linear/AP1"), "x.gif"),
        (("render", "src.dpx", "x.png", *SLOG), "--to is missing"),
        (("render", "src.dpx", "x.png", *SLOG, "--to", "Cinema"), "no output named"),
        (("render", "src.dpx", "x.png", *SLOG, *TV, "--exposure", "40"), "trim.steps.0"),
        (("render", "src.dpx", "x.png", *SLOG, *TV, "--depth", "float"), "does not hold depth float"),
        (("render", "src.dpx", "x.png", "--recipe", "bad.json"), "not JSON"),
        (("render", "src.dpx", "x.png", "--recipe", "gone.json"), "cannot be read"),
        (("bake", "x.cube", *SLOG, *TV, "--size", "1000"), "cannot be baked"),
        (("bake", "x.txt", *SLOG, *TV), "written as .cube"),
        (("bake", "no/x.cube", *SLOG, *TV, "--size", "3"), "cannot be written"),
        (("verify", "bad.cube", *SLOG, *TV), "bad.cube, line 1"),
        (("verify", "gone.cube", *SLOG, *TV), "gone.cube: cannot be read"),
        (("inspect", "bad.cube"), "bad.cube, line 1"),
        (("apply", "bad.cube", "src.dpx", "x.png"), "bad.cube, line 1"),
    ],
)
def test_errors_are_one_line_exit_2_and_leave_nothing(folder, capfd, arguments, words):
    (folder / "bad.json").write_text("{")
    (folder / "bad.cube").write_text("nonsense\n")
    before = sorted(p.name for p in folder.iterdir())
    assert run(*arguments) == 2
    said = capfd.readouterr()
    assert words in said.err
    assert said.err.count("\n") == 1
    assert said.out == ""
    assert sorted(p.name for p in folder.iterdir()) == before


def test_wrong_words_are_one_line_too(capsys):
    for arguments in ([], ["paint"], ["bake"], ["bake", "x.cube", "--size", "many"]):
        with pytest.raises(SystemExit) as caught:
            main(arguments)
        assert caught.value.code == 2
        assert capsys.readouterr().err.count("\n") == 1


def test_clipping_is_told(folder, capsys):
    write_still("bright.exr", np.full((4, 4, 3), 3.0), "float")
    assert run("convert", "bright.exr", "c.png", "--from", "linear/AP1", "--to", "linear/BT.709") == 0
    assert "100.00% of the pixels" in capsys.readouterr().err


@pytest.mark.slow
def test_as_a_program():
    done = subprocess.run(
        [sys.executable, "-m", "upwelling", "--help"], capture_output=True, text=True, check=True, timeout=60
    )
    for command in ("encodings", "convert", "render", "bake", "apply", "verify", "inspect"):
        assert command in done.stdout


@pytest.mark.slow
def test_probe_and_movie_frames(kilnlight, tmp_path, capsys):
    """What each file is, and a movie's frame and a raw rendered; the frame is the one asked for."""
    assert main(["probe", str(kilnlight / "P003.mp4"), str(kilnlight / "S0101.dng"), str(kilnlight / "G005.mp4")]) == 0
    said = capsys.readouterr().out
    for words in (
        "P003.mp4: known: HLG/BT.2020 (legal)",
        "S0101.dng: known: raw mosaic",
        "G005.mp4: contradictory",
        "probably log",
    ):
        assert words in said
    (tmp_path / "bad.mov").write_bytes(b"\0\0\0\x18ftypqt  ")
    assert main(["probe", "--json", str(tmp_path / "bad.mov")]) == 2
    assert "cannot be opened" in json.loads(capsys.readouterr().out)[0]["error"]
    for frame in (0, 23):
        assert (
            main(
                [
                    "convert",
                    str(kilnlight / "A016.mov"),
                    str(tmp_path / f"{frame}.exr"),
                    "--from",
                    "S-Log3/S-Gamut3.Cine",
                    "--to",
                    "linear/AP1",
                    "--frame",
                    str(frame),
                ]
            )
            == 0
        )
    first, last = (read_still(tmp_path / f"{n}.exr").code for n in (0, 23))
    assert np.abs(np.log2(np.median(first) / np.median(last))) < 1.5
    assert np.abs(first - last).mean() > 1e-3
    assert (
        main(
            ["render", str(kilnlight / "S0101.dng"), str(tmp_path / "raw.png"), "--from", "linear/AP1", "--to", "sRGB"]
        )
        == 0
    )
    assert 0.2 < read_still(tmp_path / "raw.png").code.mean() < 0.7
    assert (
        main(
            [
                "convert",
                str(kilnlight / "S0101.dng"),
                str(tmp_path / "x.exr"),
                "--from",
                "linear/AP1",
                "--to",
                "linear/AP0",
            ]
        )
        == 2
    )
    assert "Use `upwelling render`" in capsys.readouterr().err


@pytest.mark.parametrize(
    "how", [[], ["--rendering", "reinhard", "--fit", "hard"], ["--rendering", "bt2390"]], ids=" ".join
)
def test_a_rendered_picture_goes_back_to_the_scene(folder, how):
    """Mild scene light, rendered to 16 bit and undone: back to half a percent."""
    scene = np.exp2(RNG.uniform(-4, 1, (16, 16, 1))) * np.array([0.19, 0.18, 0.17])
    write_still(folder / "scene.exr", scene.astype(np.float32), "float")
    assert run("render", "scene.exr", "shown.tif", "--from", "linear/ap1", *TV, *how, "--depth", "16") == 0
    assert run("undo", "shown.tif", "back.exr", *TV, *how) == 0
    np.testing.assert_allclose(read_still("back.exr").code, scene, rtol=0.005)


def test_undo_wants_a_file_that_holds_light(folder, capfd):
    assert run("render", "src.dpx", "shown.tif", *SLOG, *TV) == 0
    assert run("undo", "shown.tif", "back.png", *TV) == 2
    assert "cannot hold scene light" in capfd.readouterr().err


def test_a_recipe_of_an_earlier_arithmetic_opens_and_says_so(folder, capsys):
    recipe = json.loads(Path(input=Input(encoding=SLOG[1]), display=Display(output=TV[1])).to_recipe())
    assert recipe["arithmetic"] == ARITHMETIC
    (folder / "now.json").write_text(json.dumps(recipe))
    (folder / "before.json").write_text(json.dumps({k: v for k, v in recipe.items() if k != "arithmetic"}))
    (folder / "later.json").write_text(json.dumps({**recipe, "arithmetic": ARITHMETIC + 1}))
    for name, words in (
        ("now", ""),
        ("before", "its settings are kept, its numbers have changed: the default rendering"),
    ):
        assert run("bake", f"{name}.cube", "--recipe", f"{name}.json", "--size", 5) == 0
        said = capsys.readouterr().err
        assert words in said
        assert bool(words) == bool(said)
    assert run("bake", "later.cube", "--recipe", "later.json", "--size", 5) != 0
    assert "Update the program" in capsys.readouterr().err


def test_render_knows_the_place_and_the_frame(folder):
    """A recipe with a vignette and keys: engine and exact path agree, and --frame says when it is."""
    steps = (Vignette(stops=-3, size=0.1), Exposure(tracks=({"parameter": "stops", "keys": [[0, 0.0], [4, 1.0]]},)))
    path = Path(input=Input(encoding=SLOG[1]), display=Display(output=TV[1]), trim=Layer(steps=steps))
    (folder / "moving.json").write_text(path.to_recipe())
    for name, options in (("a.tif", []), ("b.tif", ["--exact"]), ("flat.tif", [])):
        recipe = "moving.json"
        if name == "flat.tif":
            recipe = "still.json"
            (folder / recipe).write_text(path.with_layers(trim=Layer()).to_recipe())
        assert run("render", "src.dpx", name, "--recipe", recipe, "--depth", "float", *options) == 0
    fast, exact, flat = (read_still(folder / name).code for name in ("a.tif", "b.tif", "flat.tif"))
    np.testing.assert_allclose(fast, exact, atol=1e-4)
    middle = np.s_[11:13, 15:17]
    np.testing.assert_allclose(exact[middle], flat[middle], atol=1e-3)
    assert (exact[0, 0] < flat[0, 0]).all()
    assert run("bake", "x.cube", "--recipe", "moving.json", "--size", "9") == 2


def rendered(folder, name, *options):
    assert run("render", "src.dpx", name, *SLOG, *TV, "--depth", "float", *options) == 0
    return read_still(folder / name).code


KINDS = ("sharpen", "calm_noise", "glow", "halation", "grain", "vignette", "streaks")


# --- match
def _shots(folder):
    light = cv2.resize(shipped("Cold bench"), (640, 360), interpolation=cv2.INTER_AREA)
    for name, camera, how in (("a", A_CAM, {}), ("b", B_CAM, {"stops": -1, "gains": (1.1, 1, 0.9)})):
        write_still(folder / f"{name}.tif", camera.shoot(light, seed=len(name), **how), "16")
    return "match", "b.tif", "a.tif", "--from", "V-Log/V-Gamut", "--reference-from", "S-Log3/S-Gamut3.Cine"


@pytest.mark.slow
def test_match_writes_a_recipe_that_comes_nearer(folder, capsys):
    said = _shots(folder)
    assert run(*said, "--recipe-out", "m.json", "--json") == 0
    found = json.loads(capsys.readouterr().out)
    assert found["method"] == "scene"
    assert found["after"] < 0.5 < found["before"]
    path = Path.from_recipe((folder / "m.json").read_bytes())
    assert [step.kind for step in path.layer("trim").steps] == [step["kind"] for step in found["steps"]]
    assert path.layer("trim").groups[0].name == "Match to a.tif"
    assert run("render", "b.tif", "b.png", "--recipe", "m.json") == 0
    assert run("render", "a.tif", "a.png", "--from", "S-Log3/S-Gamut3.Cine", *TV) == 0
    b, a = (read_still(folder / name).code for name in ("b.png", "a.png"))
    assert np.median(np.abs(a - b)) < 0.006
    assert run(*said, "--recipe-out", "c.json", "--for-camera") == 0
    assert run("render", "b.tif", "c.png", "--recipe", "c.json") == 0
    assert np.array_equal(read_still(folder / "c.png").code, b)


@pytest.mark.slow
@pytest.mark.parametrize("method", ["exposure", "statistics", "chart", "scene"])
def test_every_method_answers_in_words_or_refuses_in_words(folder, capsys, method):
    said = _shots(folder)
    assert run(*said, "--method", method) == 0
    assert "before" in capsys.readouterr().out
    write_still(folder / "b.tif", np.zeros((90, 160, 3)), "16")
    assert run(*said, "--method", method) == 2
    out, err = capsys.readouterr()
    assert out == ""
    assert err.count("\n") == 1


def test_marked_pairs_are_read_from_a_file(folder, capsys):
    said = _shots(folder)
    places = [[200, 90], [320, 200], [500, 120], [420, 80], [110, 70]]
    body = {"unit": "pixels", "pairs": [{"source": p, "reference": p} for p in places]}
    (folder / "p.json").write_text(json.dumps(body))
    assert run(*said, "--method", "pairs", "--pairs", "p.json", "--json") == 0
    assert json.loads(capsys.readouterr().out)["after"] < 1
    for text, words in (
        ("{}", "holds no “pairs”"),
        ("[[1]]", "should say a “source”"),
        ('[[[0.1, 0.2], [0.1, "x"]]]', "a place is [x, y]"),
        ("[[[0.1, 0.2], [3, 4]]]", "lies outside the picture"),
        ("[", "the text"),
    ):
        (folder / "p.json").write_text(text)
        assert run(*said, "--method", "pairs", "--pairs", "p.json") == 2
        assert words in capsys.readouterr().err
    assert run(*said, "--method", "pairs") == 2
    assert run("match", "b.tif", "a.tif") == 2
    assert "--from is missing" in capsys.readouterr().err


@pytest.mark.slow
def test_a_table_of_each_source_in_one_folder(folder, capsys):
    """Recipes and pictures; alike ones share a table; what cannot be is said, and nothing is laid over."""
    recipe = Path(input=Input(encoding="S-Log3/S-Gamut3.Cine"), display=Display(output="BT.709 BT.1886"))
    bright = recipe.with_layers(trim=Layer(steps=(Exposure(stops=1),)))
    for name, path in (("plain", recipe), ("same", recipe), ("bright", bright)):
        (folder / f"{name}.json").write_text(path.to_recipe())
    listed = ("plain.json", "same.json", "bright.json")
    to = ("--receiver", "camera", "--receiver", "Monitor box", "--called", "{name}", "--alike")
    assert run("bake", *listed, "out", *to) in (0, 1)
    assert sorted(str(path.relative_to(folder / "out")) for path in (folder / "out").rglob("*.cube")) == [
        f"{receiver}/{name}.cube" for receiver in ("Camera", "Monitor-box") for name in ("bright", "plain")
    ]
    assert "Also for same.json" in capsys.readouterr().out
    assert run("verify", "out/Camera/plain.cube") in (0, 1)
    assert run("bake", "src.dpx", "one.zip", *SLOG, *TV, "--receiver", "camera") in (0, 1)
    assert (folder / "one.zip").exists()
    for arguments, words in (
        ((*listed, "out"), "is there already"),
        ((*listed, "x.cube"), "is a file"),
        ((*listed, "y", "--size", "33"), "leave out --size"),
        ((*listed, "y", "--receiver", "nobody"), "no receiver"),
        ((*listed, "y", "--called", "{x}"), "no part of a name"),
        (("src.dpx", "y", *TV), "Say it with --from"),
        (("none.json", "y"), "cannot be read"),
    ):
        capsys.readouterr()
        assert run("bake", *arguments) == 2
        assert words in capsys.readouterr().err, words
        assert not (folder / "y").exists()
