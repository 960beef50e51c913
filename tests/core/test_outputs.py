"""Outputs: codes against published values, displays against their standards, HDR10's figures, and the simulated
monitor.
"""

import colour
import numpy as np
import pytest

from tests.core.witness import ffmpeg_codes
from upwelling.core.errors import BadValue, RecipeError
from upwelling.core.media import write_still
from upwelling.core.operations import run_reference
from upwelling.core.outputs import OUTPUTS, CustomOutput, output
from upwelling.core.outputs.levels import levels
from upwelling.core.outputs.mastering import LightLevel, MasteringDisplay
from upwelling.core.outputs.monitor import Monitor, read_patches
from upwelling.core.path import Display, Input, Layer, Path
from upwelling.core.steps import Exposure


@pytest.mark.parametrize(
    ("name", "code_range", "depth", "black", "grey", "white", "peak", "source"),
    [
        ("BT.709 BT.1886", "legal", 10, 64, None, 940, 940, "ITU-R BT.709-6, item 4.6: 64 and 940"),
        ("BT.709 BT.1886", "legal", 8, 16, None, 235, 235, "ITU-R BT.709-6, item 4.6: 16 and 235"),
        ("BT.709 BT.1886", "full", 10, 0, None, 1023, 1023, "by definition"),
        ("BT.2100 PQ 1000", "full", 10, 0, None, 594, 769, "SMPTE ST 2084, 203 and 1000 cd/m²"),
        (
            "BT.2100 PQ 1000",
            "legal",
            10,
            64,
            396,
            573,
            723,
            "ITU-R BT.2408-7, table 1: 58 % and 38 % of signal; BT.2100-2, table 9",
        ),
        ("BT.2100 PQ 4000", "full", 10, 0, None, 594, 923, "SMPTE ST 2084, 4000 cd/m²"),
        ("BT.2100 HLG 1000", "legal", 10, 64, 396, 721, 940, "ITU-R BT.2408-7, table 1: 75 % and 38 % of signal"),
        ("sRGB", "full", 8, 0, None, 255, 255, "IEC 61966-2-1"),
    ],
)
def test_codes_are_the_published_ones(name, code_range, depth, black, grey, white, peak, source):
    found = {level.name: level.code for level in levels(output(name), code_range, depth)}
    assert (found["Black"], found["Reference white"], found["Peak"]) == (black, white, peak), source
    if grey is not None:
        assert abs(found["Mid grey"] - grey) <= 1


@pytest.mark.parametrize(("name", "grey", "white"), [("BT.2100 PQ 1000", 38, 58), ("BT.2100 HLG 1000", 38, 75)])
def test_signals_of_bt2408(name, grey, white):
    """ITU-R BT.2408-7, table 1, percent of signal as printed."""
    found = {level.name: 100 * level.signal for level in levels(output(name), "full", 10)}
    assert found["Mid grey"] == pytest.approx(grey, abs=0.5)
    assert found["Reference white"] == pytest.approx(white, abs=0.5)


@pytest.mark.parametrize("name", OUTPUTS)
def test_light_to_code_and_back(name):
    target = output(name)
    light = np.random.default_rng(1).uniform(0, 1, (500, 3))
    np.testing.assert_allclose(target.to_light(target.to_code(light)), light, atol=1e-9)
    assert target.to_light(target.to_code(np.array(target.mid_grey))) == pytest.approx(target.mid_grey)
    assert target.source
    assert target.explanation


def test_displays_against_colour_science():
    code = np.linspace(0, 1, 65)
    np.testing.assert_allclose(
        output("BT.2100 PQ 1000").to_light(code) * 1000, colour.models.eotf_ST2084(code), rtol=1e-6, atol=1e-9
    )
    hlg = output("BT.2100 HLG 1000")
    np.testing.assert_allclose(
        hlg.to_light(np.repeat(code[:, None], 3, 1)) * 1000,
        colour.models.eotf_BT2100_HLG(np.repeat(code[:, None], 3, 1), L_B=0, L_W=1000),
        rtol=1e-4,
        atol=1e-3,
    )
    lifted = CustomOutput(name="TV", black_nits=0.1).output()
    np.testing.assert_allclose(
        lifted.nits(lifted.to_light(code)), colour.models.eotf_BT1886(code, L_B=0.1, L_W=100), rtol=1e-9
    )


def test_a_black_above_zero_is_code_zero():
    for curve in ("BT.1886", "HLG", "sRGB", "gamma 2.4"):
        target = CustomOutput(
            name="x", curve=curve, peak_nits=500, black_nits=0.05, mid_grey_nits=20, white_nits=200
        ).output()
        np.testing.assert_allclose(target.to_code(np.array([0.0, 1.0])), [0, 1], atol=1e-6)
    pq = CustomOutput(name="x", curve="PQ", peak_nits=500, black_nits=0.05, mid_grey_nits=20, white_nits=200).output()
    assert pq.to_code(np.array(0.0)) == pytest.approx(float(colour.models.eotf_inverse_ST2084(0.05)), rel=1e-6)


def test_limited_primaries_keep_to_them():
    """The full red of P3 inside a BT.2020 signal, against colour-science's matrix."""
    target = output("BT.2100 PQ 1000, P3")
    matrix = colour.matrix_RGB_to_RGB(colour.RGB_COLOURSPACES["P3-D65"], colour.RGB_COLOURSPACES["ITU-R BT.2020"])
    light = np.array([[1.0, 0.0, 0.0]])
    # P3's red lies a little outside BT.2020: its blue comes out below 0 and is cut off when the code is written.
    np.testing.assert_allclose(
        np.maximum(target.to_code(light), 0),
        colour.models.eotf_inverse_ST2084(np.maximum(light @ matrix.T, 0) * 1000),
        atol=1e-6,
    )
    scene = np.array([[4.0, 0.01, 0.0]])
    path = Path(input=Input(encoding="linear/AP1"), display=Display(output=target.name))
    assert target.to_light(path.apply(scene)).min() > -1e-9


@pytest.mark.parametrize(
    ("body", "words"),
    [
        ({"peak_nits": 100, "mid_grey_nits": 80}, "no room under a peak"),
        ({"black_nits": 4}, "no room under a mid grey"),
        ({"white_nits": 500}, "Reference white must lie"),
        ({"primaries": "P3-D65", "limit": "P3-D65"}, "nothing to limit"),
        ({"peak_nits": 1}, "greater than or equal"),
        ({"name": "sRGB"}, "name of a built-in"),
        ({"curve": "film"}, "Input should be"),
    ],
)
def test_outputs_that_cannot_be(body, words):
    with pytest.raises(BadValue, match=words):
        CustomOutput.checked({"name": "Mine", **body})


def test_own_outputs_travel_in_recipes():
    own = CustomOutput(
        name="Wall",
        curve="gamma 2.4",
        primaries="P3-D65",
        peak_nits=180,
        mid_grey_nits=16,
        white_nits=180,
        surround="dark",
    )
    path = Path(input=Input(encoding="linear/AP1"), display=Display(custom=own, output="Wall"))
    again = Path.from_recipe(path.to_recipe())
    assert again.target == own.output()
    assert again.fingerprint == path.fingerprint
    with pytest.raises(RecipeError, match="not the name of the output given"):
        Path.checked({"input": {"encoding": "linear/AP1"}, "display": {"custom": own.model_dump(), "output": "Other"}})


def test_a_step_for_one_output_works_there_alone():
    trim = Layer(steps=(Exposure(id="a", stops=1.0), Exposure(id="b", stops=-0.5, output="sRGB")))
    tv, web = (
        Path(input=Input(encoding="linear/AP1"), trim=trim, display=Display(output=name))
        for name in ("BT.709 BT.1886", "sRGB")
    )
    light = np.full((1, 3), 0.1)
    np.testing.assert_allclose(run_reference(tv.until("rendering"), light), 0.2, rtol=1e-9)
    np.testing.assert_allclose(run_reference(web.until("rendering"), light), 0.1 * 2**0.5, rtol=1e-9)
    alone = tv.with_layers(trim=Layer(steps=trim.steps[:1]))
    assert tv.fingerprint == alone.fingerprint  # what does not act is not part of the arithmetic


@pytest.mark.parametrize("name", ["BT.709 BT.1886", "BT.2100 PQ 1000", "BT.2100 HLG 1000"])
@pytest.mark.parametrize("code_range", ["full", "legal"])
def test_codes_land_in_files(tmp_path, name, code_range):
    """Mid grey and white by the whole path, written to 16-bit PNG and read by ffmpeg: the code is the printed level to
    one of 65,535.
    """
    path = Path(input=Input(encoding="linear/AP1"), display=Display(output=name, range=code_range, depth=16))
    code = path.apply(np.full((8, 8, 3), 0.18))
    write_still(tmp_path / "grey.png", code, "16")
    read = ffmpeg_codes(tmp_path / "grey.png")
    level = next(v for v in levels(path.target, code_range, 16) if v.name == "Mid grey")
    assert np.abs(np.asarray(read, dtype=np.float64).reshape(-1)[:3] - level.code).max() <= 1


def test_mastering_display_in_coded_units():
    """ST 2086 as HEVC carries it: 0.00002 and 0.0001 steps;
    the P3 numbers are the ones every HDR10 stream of P3 shows.
    """
    assert (
        MasteringDisplay.of(output("BT.2100 PQ 1000, P3")).coded()
        == "G(13250,34500)B(7500,3000)R(34000,16000)WP(15635,16450)L(10000000,1)"
    )


def test_light_levels_by_hand():
    """CTA-861.3, annex P: the largest channel of each pixel; the brightest pixel and the brightest frame's average."""
    first, second = np.zeros((2, 2, 3)), np.full((2, 2, 3), 100.0)
    first[0, 0] = (10, 750.2, 3)
    level = LightLevel().and_frame(first).and_frame(second)
    assert (level.max_cll, level.max_fall, level.frames) == (750.2, 187.55, 2)
    assert level.coded() == "751,188"


def test_a_perfect_monitor_shows_what_is_asked():
    for name in ("BT.709 BT.1886", "BT.2100 PQ 1000, P3"):
        light = np.random.default_rng(2).uniform(0, 1, (50, 3))
        np.testing.assert_allclose(Monitor().shown(output(name), light), light, atol=1e-9)
        assert max(r.delta_e for r in read_patches(Monitor(), output(name))) < 1e-6


def test_monitor_faults_by_hand():
    tv = output("BT.709 BT.1886")
    lit = {r.name: r for r in read_patches(Monitor(ambient_lux=314.159265, black_nits=0.5, peak=50.0), tv)}
    assert lit["grey 0 %"].measured_nits == pytest.approx(1.5, rel=1e-6)  # 314 lux · 1 % / π, and half a cd/m² of black
    assert lit["grey 100 %"].measured_nits == pytest.approx(51.5, rel=1e-6)
    bent = {r.name: r for r in read_patches(Monitor(gamma_error=0.24), tv)}
    assert bent["grey 50 %"].measured_nits == pytest.approx(100 * 0.5 ** (2.4 * 1.1), rel=1e-6)
    wide = {r.name: r for r in read_patches(Monitor(gamut="P3-D65", white_x=0.01), tv)}
    assert wide["red"].measured_xy == pytest.approx((0.680, 0.320))
    assert wide["grey 100 %"].measured_xy == pytest.approx((0.3227, 0.3290))
